package check

import (
	"fmt"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var midiLayer = &Rule{
	Code: "midi-layer", Title: "Two parts play on one MIDI address", Severity: Wrong, Step: AtParts,
	Doc: "Notes sent there sound in both parts. That is a layer; if it is meant, accept it with that reason. If not, " +
		"give one of them another channel on the instrument's page.",
	Find: func(g *trace.Graph) (out []Finding) {
		type owner struct {
			pl   *plan.Placed
			part int
		}
		at := map[midi.Address]owner{}
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for k, part := range pl.Instrument.Parts {
				if !part.Address.Known() {
					continue
				}
				a := midi.Address{Port: max(part.Address.Port, 1), Channel: part.Address.Channel}
				if o, ok := at[a]; ok {
					other := o.pl.Instrument.Parts[o.part]
					fd := Finding{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: part.ID})},
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s and %s both play on %s", other.Name, part.Name, a),
								Reason: "A note sent there sounds in both."}
						}}
					if free, ok := g.Project.FreeAddress(); ok {
						fd.more(func() string { return fmt.Sprintf("%s is free.", free) })
						fd.offer(fmt.Sprintf("Give %s %s", part.Name, free),
							plan.SetAddress(plan.FeedRef{Placed: pl.ID, Feed: part.ID}, free))
					}
					out = append(out, fd)
					continue
				}
				at[a] = owner{pl, k}
			}
		}
		return out
	},
}
