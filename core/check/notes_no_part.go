package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var notesNoPart = &Rule{
	Code: "notes-no-part", Title: "Notes of the song play no part", Severity: Silent, Step: AtParts,
	Doc: "The song has notes on a MIDI address that no part has. Add the instrument, or set that address for a " +
		"part.",
	Find: func(g *trace.Graph) (out []Problem) {
		s := g.Project.Song
		if s == nil || len(g.Project.Placed) == 0 {
			return nil
		}
		unheard := g.Project.UnheardAddresses()
		for _, c := range s.Channels {
			if notes := c.Notes(); slices.Contains(unheard, c.Address) {
				out = append(out, Problem{Subjects: []plan.Entity{plan.AddressEntity(c.Address)},
					values: []any{notes},
					say: func() Words {
						return Words{Title: fmt.Sprintf("No part plays the notes on %s", c.Address),
							Reason: fmt.Sprintf("The song has %d notes there, and no part has that address.", notes)}
					}})
			}
		}
		return out
	},
}
