package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var addressesFew = &Rule{
	Code: "addresses-few", Title: "A part has a MIDI port that the host does not have", Severity: Silent,
	Step: AtParts,
	Doc: "There are more parts than the host has MIDI addresses, or the port of a part is past the last one; no note " +
		"reaches it. Set a free address, or use fewer parts.",
	Find: func(g *trace.Graph) (out []Problem) {
		ports := g.Project.Host.Behaviour().MIDIPorts
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, part := range pl.Instrument.Parts {
				if !part.Address.Known() || part.Address.Port <= ports {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: part.ID})},
					values: []any{part.Address, ports},
					say: func() Words {
						return Words{Title: part.Name + " gets no notes",
							Reason: fmt.Sprintf("Its MIDI address is %s, and the host has %d MIDI ports.", part.Address, ports)}
					}}
				if free, ok := g.Project.FreeAddress(pl.ID); ok {
					fd.offer(fmt.Sprintf("Give it %s", free), edits.SetAddress(plan.FeedRef{Placed: pl.ID, Feed: part.ID}, free))
				}
				out = append(out, fd)
			}
		}
		return out
	},
}
