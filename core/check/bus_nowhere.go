package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedNowhere = &Rule{
	Code: "bus-nowhere", Title: "A lane in the host goes to a bus that is not there", Severity: Silent, Step: AtBuses,
	Doc: "The bus was closed or is no bus, so the lane is silent. Send it to a bus that is there, or to the main mix.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			if have.To == plan.MainMix {
				return
			}
			if b := g.Project.Patched.Lane(have.To); b != nil && b.Kind == plan.Bus {
				return
			}
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil && g.Project.Patched.Lane(want.To) != nil {
				to = want.To
			}
			out = append(out, Finding{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s goes nowhere", have.Number, have.Name),
						Reason: "Its bus is not in the mixer.",
						Fix:    "It goes where the plan says now"}
				},
				fix: setLaneInHost(have.Name+" goes where the plan says", have.ID,
					func(l *plan.Lane) { l.To, l.AlsoMain = to, false })})
		})
		return out
	},
}
