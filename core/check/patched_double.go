package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedDouble = &Rule{
	Code: "patched-double", Title: "In the host a lane is routed to its bus and to the main mix", Severity: Wrong,
	Step: AtBuses,
	Doc: "The plan routes the lane to its bus only, but in the host it is still routed to the main mix too: the same " +
		"signal twice, 6 dB louder. Remove the route to the main mix.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatchedLane(g, func(have *plan.Lane) {
			want := g.Lane(have.ID)
			if want == nil || want.AlsoMain || !have.AlsoMain || have.To == plan.MainMix {
				return
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s is still routed to the main mix", have.Number, have.Name),
						Reason: "It is routed to its bus too, so it arrives twice.",
						Fix:    "Mark as removed"}
				},
				fix: setLaneInHost("the route to the main mix is off lane "+fmt.Sprint(have.Number), have.ID,
					func(l *plan.Lane) { l.AlsoMain = false })})
		})
		return out
	},
}
