package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
)

var patchedNowhere = &Rule{
	Code: "bus-nowhere", Title: "A lane in the host is routed to a bus that does not exist", Severity: Silent,
	Step: AtBuses,
	Doc:  "The bus was removed or is not a bus, so the lane is silent. Route it to an existing bus, or to the main mix.",
	Find: func(g *trace.Graph) (out []Problem) {
		if g.Project.Patched == nil {
			return nil
		}
		host := g.InHost()
		for _, have := range host.Lanes() {
			if !host.Ends(have, route.BusGone) {
				continue
			}
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil && host.Lane(want.To) != nil {
				to = want.To
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(have.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s is routed to no bus", have.Number, have.Name),
						Reason: "Its bus does not exist in the mixer.",
						Fix:    "Mark as routed as planned"}
				},
				fix: setLaneInHost(have.Name+" is routed as planned", have.ID,
					func(l *plan.Lane) { l.To, l.AlsoMain = to, false })})
		}
		return out
	},
}
