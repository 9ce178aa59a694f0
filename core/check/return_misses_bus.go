package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var returnMissesBus = &Rule{
	Code: "return-misses-bus", Title: "An effect return is not routed to the bus of its instrument", Severity: Wrong,
	Step: AtBuses,
	Doc: "The instrument's lanes are routed to a bus, but the return of its own effect is not, so the bus fader does " +
		"not move the effect. Route the return to the same bus.",
	Find: func(g *trace.Graph) (out []Problem) {
		buses := map[string]string{} // by instrument: the bus that its feeds' lanes agree on
		for _, f := range g.Feeds {
			if f.Kind == rig.ReturnFeed || f.At.State != plan.Assigned || !f.Exists {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if was, ok := buses[f.Ref.Placed]; ok && was != l.To {
					buses[f.Ref.Placed] = plan.MainMix
				} else {
					buses[f.Ref.Placed] = l.To
				}
			}
		}
		for _, f := range g.Feeds {
			bus := g.Lane(buses[f.Ref.Placed])
			if f.Kind != rig.ReturnFeed || f.At.State != plan.Assigned || !f.Exists || bus == nil {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if l.To != bus.ID {
					out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID)},
						values: []any{l.Number, f.Placed.Instrument.Name},
						say: func() Words {
							return Words{Title: f.Name + " is not routed to the " + bus.Name + " bus",
								Reason: fmt.Sprintf("Lane %d is not routed to the bus of the rest of %s.", l.Number,
									f.Placed.Instrument.Name),
								Fix: "Route to " + bus.Name}
						},
						fix: plan.Route([]string{l.ID}, bus.ID, false)})
				}
			}
		}
		return out
	},
}
