package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedDouble = &Rule{
	Code: "patched-double", Title: "In the host a lane goes to its bus and to the main mix", Severity: Wrong,
	Step: AtBuses,
	Doc: "The plan sends the lane to its bus only, but in the host the way to the main mix is still open: the same " +
		"signal twice, 6 dB louder. Take the main mix off.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			want := g.Lane(have.ID)
			if want == nil || want.AlsoMain || !have.AlsoMain || have.To == plan.MainMix {
				return
			}
			out = append(out, Finding{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s still goes to the main mix", have.Number, have.Name),
						Reason: "It goes to its bus as well, so it arrives twice.",
						Fix:    "It is off now"}
				},
				fix: setLaneInHost("the main mix is off lane "+fmt.Sprint(have.Number), have.ID,
					func(l *plan.Lane) { l.AlsoMain = false })})
		})
		return out
	},
}
