package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var notesNoPart = &Rule{
	Code: "notes-no-part", Title: "Notes of the song reach nothing", Severity: Silent, Step: AtParts,
	Doc: "The song plays on a MIDI address where no instrument of the project listens: a track without a part. Add the " +
		"instrument, or give a part that address.",
	Find: func(g *trace.Graph) (out []Finding) {
		s := g.Project.Song
		if s == nil || len(g.Project.Placed) == 0 {
			return nil
		}
		for _, c := range s.Channels {
			notes := c.Notes()
			heard := notes == 0
			for _, f := range g.Feeds {
				heard = heard || s.Hears(f.Feed, c)
			}
			if !heard {
				out = append(out, Finding{Subjects: []plan.Entity{plan.AddressEntity(c.Address)},
					values: []any{notes},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Nothing plays the notes on %s", c.Address),
							Reason: fmt.Sprintf("The song has %d notes there, and no instrument listens to it.", notes)}
					}})
			}
		}
		return out
	},
}
