package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedLoop = &Rule{
	Code: "bus-loop", Title: "Buses in the host feed each other", Severity: Silent, Step: AtBuses,
	Doc: "A bus is routed to itself by way of others. The host howls or mutes it. Route one of them to the main mix.",
	Find: func(g *trace.Graph) (out []Problem) {
		if g.Project.Patched == nil {
			return nil
		}
		for _, have := range g.InHost().InLoop() {
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil {
				to = want.To
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s feeds itself", have.Name),
						Reason: "It is routed to itself by way of other buses.",
						Fix:    "Mark as routed as planned"}
				},
				fix: setLaneInHost(have.Name+" is routed as planned", have.ID,
					func(l *plan.Lane) { l.To = to })})
		}
		return out
	},
}
