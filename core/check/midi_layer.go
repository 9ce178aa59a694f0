package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var midiLayer = &Rule{
	Code: "midi-layer", Title: "Several parts have one MIDI address", Severity: Wrong, Step: AtParts,
	Doc: "Notes sent there play all of them: a layer. Where each instrument has its own MIDI channels, only those of " +
		"one are counted together. Mark it as intended if it is; if not, set another channel for " +
		"each but one.",
	Find: func(g *trace.Graph) (out []Problem) {
		type member struct {
			ref  plan.FeedRef
			name string
		}
		at := map[plan.PlaceOfAddress][]member{}
		var order []plan.PlaceOfAddress
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, part := range pl.Instrument.Parts {
				if !part.Address.Known() {
					continue
				}
				a := g.Project.At(pl.ID, part.Address)
				if len(at[a]) == 0 {
					order = append(order, a)
				}
				at[a] = append(at[a], member{plan.FeedRef{Placed: pl.ID, Feed: part.ID}, part.Name})
			}
		}
		for _, a := range order {
			layer := at[a]
			if len(layer) < 2 {
				continue
			}
			var names []string
			fd := Problem{places: []plan.Entity{plan.FeedEntity(layer[0].ref)}}
			for i, m := range layer {
				names = append(names, m.name)
				if i > 0 { // of two parts it is told by the second
					fd.Subjects = append(fd.Subjects, plan.FeedEntity(m.ref))
				}
			}
			fd.say = func() Words {
				return Words{Title: fmt.Sprintf("%s have %s", namesInWords(names), a.Address),
					Reason: fmt.Sprintf("A note sent there plays all %d.", len(layer))}
			}
			if free, ok := g.Project.FreeAddress(layer[1].ref.Placed); ok {
				fd.more(func() string { return fmt.Sprintf("%s is free.", free) })
				text := fmt.Sprintf("Give %s %s", layer[1].name, free)
				if len(layer) > 2 {
					text = fmt.Sprintf("Give the last %d free addresses", len(layer)-1)
				}
				fd.offer(text, func(p *plan.Project) (label string, err error) {
					for _, m := range layer[1:] {
						free, ok := p.FreeAddress(m.ref.Placed)
						if !ok {
							return "", fmt.Errorf("there are fewer free addresses than parts; remove the layer of some, or add a MIDI port")
						}
						if label, err = edits.SetAddress(m.ref, free)(p); err != nil {
							return "", err
						}
					}
					return label, nil
				})
			}
			out = append(out, fd)
		}
		return out
	},
}
