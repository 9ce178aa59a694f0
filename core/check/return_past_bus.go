package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var returnPastBus = &Rule{
	Code: "return-past-bus", Title: "An effect return of a family is not routed to its bus", Severity: Wrong,
	Step: AtBuses,
	Doc: "All lanes that send to the return are routed to one bus, and the return is not: the bus fader does not move " +
		"the effect, and inserts of the bus do not process it. Route the return to the bus of the family.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, r := range g.Lanes() {
			if !g.IsReturn(r.ID) {
				continue
			}
			family := g.Lane(g.Senders(r.ID)[0].To)
			for _, l := range g.Senders(r.ID) {
				if family != nil && l.To != family.ID {
					family = nil
				}
			}
			if family == nil || family.ID == r.ID || g.Passes(r, family.ID) || g.Passes(family, r.ID) {
				continue
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(r.ID)},
				values: []any{lanesInWords(g.SendNumbers(r.ID)), family.Name},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s is not routed to the %s bus", r.Name, family.Name),
						Reason: fmt.Sprintf("All its senders, %s, are routed to the %s bus.", lanesInWords(g.SendNumbers(r.ID)),
							family.Name),
						Fix: "Route to " + family.Name}
				},
				fix: plan.Route([]string{r.ID}, family.ID, false)})
		}
		return out
	},
}

func lanesInWords(numbers plan.Ranges) string {
	if len(numbers) == 1 && numbers[0].From == numbers[0].To {
		return "lane " + numbers.String()
	}
	return "lanes " + numbers.String()
}
