package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var returnPastBus = &Rule{
	Code: "return-past-bus", Title: "The return of a family's effect goes past its bus", Severity: Wrong, Step: AtBuses,
	Doc: "Every lane that sends to the return goes to one bus, and the return goes past it: the bus fader leaves the " +
		"effect behind, " +
		"and what is on the bus does not work on it. Let the return go to the family's bus.",
	Find: func(g *trace.Graph) (out []Finding) {
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
			out = append(out, Finding{Subjects: []plan.Entity{plan.LaneEntity(r.ID)},
				values: []any{lanesInWords(g.SendNumbers(r.ID)), family.Name},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s goes past the %s bus", r.Name, family.Name),
						Reason: fmt.Sprintf("All that sends to it, from %s, goes to the %s bus.", lanesInWords(g.SendNumbers(r.ID)),
							family.Name),
						Fix: "Send it to " + family.Name}
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
