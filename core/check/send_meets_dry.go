package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var sendMeetsDry = &Rule{
	Code: "send-meets-dry", Title: "A copy meets the sound it was taken from", Severity: Wrong, Step: AtBuses,
	Doc: "The lane sends a copy to a bus that it goes to anyway, so the bus has the same signal twice: two equal ones " +
		"add 6.02 dB. " +
		"Take the send away; or, where a parallel path is meant, let it stand and say so.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, l := range g.Lanes() {
			for _, s := range l.Sends {
				bus := g.Lane(s.To)
				if bus == nil || !g.Passes(l, s.To) {
					continue
				}
				out = append(out, Finding{Subjects: []plan.Entity{plan.LaneEntity(l.ID), plan.SendEntity(l.ID, s.To)},
					values: []any{l.Number, bus.Name, s.Level, audio.SumCoherent(0, s.Level)},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s has %s twice", bus.Name, l.Name),
							Reason: fmt.Sprintf("Lane %d goes to the %s bus and sends a copy there at %s: %s louder.", l.Number, bus.Name,
								s.Level, strings.TrimPrefix(audio.SumCoherent(0, s.Level).String(), "+")),
							Fix: "Take the send away"}
					},
					fix: plan.DropSends([]string{l.ID}, s.To)})
			}
		}
		return out
	},
}
