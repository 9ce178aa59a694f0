package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var deadLane = &Rule{
	Code:     "lane-no-output",
	Title:    "A lane has no output",
	Severity: Untidy,
	Step:     AtLanes,
	Doc: "The lane takes nothing that sounds: it has no output, the output does not exist, or nothing is assigned " +
		"to it. " +
		"Give it an output, or remove it.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			if l.Kind == plan.Bus || len(l.Sources) == 0 && l.Kept != role.Unnamed { // kept for its role on purpose
				continue
			}
			live := slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool {
				wanted, _ := g.On(s)
				return len(wanted) > 0 && wanted[0].Exists || len(g.Project.SecondExits(s)) > 0
			})
			if live || g.Project.LaneKeptForStage(l) {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}, fix: edits.DeleteLane(l.ID)}
			for _, s := range l.Sources[:min(1, len(l.Sources))] {
				fd.values = []any{s.Jack()}
			}
			fd.say = func() Words {
				w := Words{Title: fmt.Sprintf("Lane %d %s has no output", l.Number, l.Name),
					Reason: "It takes nothing that sounds.",
					Fix:    fmt.Sprintf("Remove lane %d", l.Number)}
				if len(l.Sources) > 0 {
					w.Reason = fmt.Sprintf("It takes %s, which does not exist.", outputName(g, l.Sources[0]))
					if _, _, exists := g.Project.Output(l.Sources[0]); exists {
						w.Reason = fmt.Sprintf("It takes %s, to which nothing wanted is assigned.", outputName(g, l.Sources[0]))
					}
				}
				return w
			}
			out = append(out, fd)
		}
		return out
	},
}
