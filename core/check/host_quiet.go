package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var hostQuiet = &Rule{
	Code: "host-quiet", Title: "A lane in the host is muted, or another one is soloed", Severity: Silent, Step: AtLanes,
	Doc: "A mute or a solo was left in the mixer, so something that the plan wants is not heard. Switch it off.",
	Find: func(g *trace.Graph) (out []Problem) {
		s := g.Project.Patched
		if s == nil || len(s.Muted)+len(s.Soloed) == 0 {
			return nil
		}
		for _, l := range g.InHost().Lanes() {
			what := ""
			switch {
			case s.Muted[l.ID]:
				what = "muted"
			case s.Soloed[l.ID]:
				what = "soloed"
			default:
				continue
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}, values: []any{what},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s is %s", l.Number, l.Name, what),
						Reason: "Something that the plan wants is not heard while it is.",
						Fix:    "Mark as not " + what}
				},
				fix: edits.SetPatched(fmt.Sprintf("%s is not %s", l.Name, what), func(_ *plan.Project, s *plan.Patched) error {
					s.Mute(l.ID, false)
					s.Solo(l.ID, false)
					return nil
				})})
		}
		return out
	},
}
