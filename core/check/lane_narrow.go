package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var laneNarrow = &Rule{
	Code: "lane-narrow", Title: "A stereo output arrives on a mono lane", Severity: Wrong, Step: AtLanes,
	Doc: "The lane is narrower than the output it takes, so one side is lost or both are folded together. Make the " +
		"lane as wide as the output.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			for _, s := range l.Sources {
				_, o, ok := g.Project.Output(s)
				if !ok || l.Width.Ports() >= o.Width.Ports() {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)},
					values: []any{l.Width, o.Label(), o.Width},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Lane %d %s is too narrow", l.Number, l.Name),
							Reason: fmt.Sprintf("It is %s and takes output %s, which is %s.", l.Width, o.Label(), o.Width),
							Fix:    "Make lane " + o.Width.String()}
					},
					fix: setLane(l.ID, func(l *plan.Lane) { l.Width = o.Width })})
				break
			}
		}
		return out
	},
}

// setLane is a small change of one lane.
func setLane(id string, set func(*plan.Lane)) plan.Edit {
	return func(p *plan.Project) (string, error) {
		l := p.Lane(id)
		if l == nil {
			return "", fmt.Errorf("that lane is no longer in this project")
		}
		set(l)
		return fmt.Sprintf("change lane %d %s", l.Number, l.Name), nil
	}
}
