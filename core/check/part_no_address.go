package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var partNoAddress = &Rule{
	Code: "part-no-address", Title: "A part has no MIDI address", Severity: Wrong, Step: AtParts,
	Doc: "It is unknown on which MIDI channel the part listens, so its notes may not reach it, or play other parts " +
		"too. Give it an address of its own.",
	Find: func(g *trace.Graph) (out []Problem) {
		unheard := g.Project.UnheardAddresses()
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			if len(pl.Instrument.Parts) < 2 {
				continue // it is played alone, wherever it listens
			}
			for _, part := range pl.Instrument.Parts {
				if part.Address.Known() || part.Program >= 0 || !isWanted(pl, part) {
					continue
				}
				ref := plan.FeedRef{Placed: pl.ID, Feed: part.ID}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(ref)},
					say: func() Words {
						return Words{Title: part.Name + " has no MIDI address",
							Reason: fmt.Sprintf("%s has %d parts; a note for one may play another.", pl.Instrument.Name,
								len(pl.Instrument.Parts))}
					}}
				if len(unheard) > 0 {
					a := unheard[0]
					unheard = unheard[1:]
					fd.more(func() string { return fmt.Sprintf("The song has notes on %s that no part plays.", a) })
					fd.offer(fmt.Sprintf("Give it %s", a), edits.SetAddress(ref, a))
				} else if free, ok := g.Project.FreeAddress(pl.ID); ok {
					fd.more(func() string { return fmt.Sprintf("%s is free.", free) })
					fd.offer(fmt.Sprintf("Give it %s", free), edits.SetAddress(ref, free))
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// isWanted reports whether some feed of a part is not parked or off.
func isWanted(pl *plan.Placed, part rig.Part) bool {
	for _, f := range pl.AllFeeds() {
		if s := pl.Feeds[f.ID].State; f.Part == part.ID && s != plan.Off && s != plan.Parked {
			return true
		}
	}
	return false
}
