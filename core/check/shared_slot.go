package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var sharedSlot = &Rule{
	Code: "shared-slot", Title: "Two voices share one slot inside the instrument", Severity: Untidy, Step: AtOutputs,
	Doc: "Voices in one slot leave the instrument together whatever the plan says, so two different sounds stay on one " +
		"lane. " +
		"Give one of them a slot of its own inside the instrument and change it on the instrument's page, or accept it.",
	Find: func(g *trace.Graph) (out []Finding) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			lead := map[int]int{}
			for v, voice := range pl.Instrument.Voices {
				if voice.Slot == 0 {
					continue
				}
				first, ok := lead[voice.Slot]
				if !ok {
					lead[voice.Slot] = v
					continue
				}
				other := pl.Instrument.Voices[first]
				if role.Edges(other.Role, voice.Role) < 2 {
					continue // strokes of one piece belong together
				}
				out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: other.ID}),
					plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: voice.ID})},
					values: []any{pl.Instrument.Name},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s and %s share slot %d", other.Name, voice.Name, voice.Slot),
							Reason: pl.Instrument.Name + " sends both by one output, whichever that is."}
					}})
			}
		}
		return out
	},
}
