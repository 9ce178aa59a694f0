package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedLoop = &Rule{
	Code: "bus-loop", Title: "Buses in the host feed each other", Severity: Silent, Step: AtBuses,
	Doc: "A bus goes, by way of others, to itself. The host howls or mutes it. Send one of them to the main mix.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			at, steps := have.To, 0
			for at != plan.MainMix && at != have.ID && steps <= len(g.Project.Patched.Lanes) {
				next := g.Project.Patched.Lane(at)
				if next == nil {
					return
				}
				at, steps = next.To, steps+1
			}
			if at != have.ID {
				return
			}
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil {
				to = want.To
			}
			out = append(out, Finding{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s feeds itself", have.Name),
						Reason: "What goes into it comes back by way of other buses.",
						Fix:    "It goes where the plan says now"}
				},
				fix: setLaneInHost(have.Name+" goes where the plan says", have.ID,
					func(l *plan.Lane) { l.To = to })})
		})
		return out
	},
}
