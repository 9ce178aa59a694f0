package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var unfedBus = &Rule{
	Code:     "bus-unfed",
	Title:    "A bus takes no lanes",
	Severity: Untidy,
	Step:     AtBuses, Mark: AtBus,
	Doc: "No lane is routed to the bus or sends to it, so its fader moves nothing. Route the lanes of the family to " +
		"it, or remove it.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, b := range g.Lanes() {
			if b.Kind != plan.Bus || len(g.Into(b.ID))+len(g.Senders(b.ID)) > 0 {
				continue
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(b.ID)},
				values: []any{b.Name, b.Number},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Nothing is routed to the %s bus", b.Name),
						Reason: fmt.Sprintf("Bus %s on lane %d has no lanes.", b.Name, b.Number),
						Fix:    fmt.Sprintf("Remove the bus on lane %d", b.Number)}
				},
				fix: edits.DeleteLane(b.ID)})
		}
		return out
	},
}
