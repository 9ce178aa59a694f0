package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var busNarrow = &Rule{
	Code: "bus-narrow", Title: "A lane is wider than its bus", Severity: Wrong, Step: AtBuses,
	Doc: "The bus carries fewer channels than the lane, so some are folded or lost on the way. Make the bus as wide, or " +
		"route the lane to one that is.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			bus := g.Lane(l.To)
			if bus == nil || bus.Width.Ports() >= l.Width.Ports() {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID), plan.LaneEntity(bus.ID)},
				values: []any{l.Width, bus.Width},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s is %s, and its bus is %s", l.Name, l.Width, bus.Width),
						Reason: fmt.Sprintf("Lane %d is routed to the %s bus, which carries %d of its %d channels.", l.Number, bus.Name,
							bus.Width.Ports(), l.Width.Ports())}
				}}
			if bus.IsOther() {
				fd.offer("Route to the main mix", plan.Route([]string{l.ID}, plan.MainMix, false))
			} else {
				fd.offer(fmt.Sprintf("Make the %s bus %s", bus.Name, l.Width), plan.SetLaneWidth(bus.ID, l.Width))
			}
			out = append(out, fd)
		}
		return out
	},
}
