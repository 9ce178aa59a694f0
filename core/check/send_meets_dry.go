package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var sendMeetsDry = &Rule{
	Code: "send-meets-dry", Title: "A send and its own lane meet on one bus", Severity: Wrong, Step: AtBuses,
	Doc: "The lane sends to a bus that it is routed to anyway, so the bus has the same signal twice: two equal ones " +
		"add 6.02 dB. Remove the send, or mark it as intended where it is a parallel path.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			for _, s := range l.Sends {
				bus := g.Lane(s.To)
				if bus == nil || !g.Passes(l, s.To) {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID), plan.SendEntity(l.ID, s.To)},
					values: []any{l.Number, bus.Name, s.Level, audio.SumCoherent(0, s.Level)},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s has %s twice", bus.Name, l.Name),
							Reason: fmt.Sprintf("Lane %d is routed to the %s bus and sends to it at %s: %s louder.", l.Number, bus.Name,
								s.Level, strings.TrimPrefix(audio.SumCoherent(0, s.Level).String(), "+")),
							Fix: "Remove the send"}
					},
					fix: edits.DropSends([]string{l.ID}, s.To)})
			}
		}
		return out
	},
}
