package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// member is what plays the notes of an address: a part, or a kit with its keys.
type member struct {
	ref  plan.FeedRef
	name string
	keys map[midi.Key]bool // nil: it is a part, which plays all of them
}

// shares reports whether one note can play two members.
func (m member) shares(o member) bool {
	if m.keys == nil || o.keys == nil {
		return true
	}
	for k := range o.keys {
		if m.keys[k] {
			return true
		}
	}
	return false
}

// layered are the members of an address that share notes with another one.
func layered(all []member) (out []member) {
	for i, m := range all {
		for j, o := range all {
			if i != j && m.shares(o) {
				out = append(out, m)
				break
			}
		}
	}
	return out
}

// moved is the edit that gives a member another address.
func (m member) moved(a midi.Address) plan.Edit {
	if m.keys != nil {
		return edits.SetKitAddress(m.ref.Placed, a)
	}
	return edits.SetAddress(m.ref, a)
}

var midiLayer = &Rule{
	Code: "midi-layer", Title: "Several parts have one MIDI address", Severity: Wrong, Step: AtParts, Version: 1,
	Doc: "Notes sent there play all of them: a layer. Where each instrument has its own MIDI channels, only those of " +
		"one are counted together. Mark it as intended if it is; if not, set another channel for " +
		"each but one.",
	Find: func(g *trace.Graph) (out []Problem) {
		at := map[plan.PlaceOfAddress][]member{}
		var order []plan.PlaceOfAddress
		put := func(a plan.PlaceOfAddress, m member) {
			if len(at[a]) == 0 {
				order = append(order, a)
			}
			at[a] = append(at[a], m)
		}
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, part := range pl.Instrument.Parts {
				if !part.Address.Known() {
					continue
				}
				put(g.Project.At(pl.ID, part.Address), member{plan.FeedRef{Placed: pl.ID, Feed: part.ID}, part.Name, nil})
			}
		}
		for i := range g.Project.Placed { // a kit is heard with parts, and with kits that have a key of its own
			pl := &g.Project.Placed[i]
			address, kit := pl.Instrument.KitAddress()
			if !kit || len(pl.Instrument.Voices) == 0 {
				continue
			}
			keys := map[midi.Key]bool{}
			for _, v := range pl.Instrument.Voices {
				for _, k := range v.Keys {
					keys[k] = true
				}
			}
			put(g.Project.At(pl.ID, address),
				member{plan.FeedRef{Placed: pl.ID, Feed: pl.Instrument.Voices[0].ID}, pl.Instrument.Name, keys})
		}
		for _, a := range order {
			layer := layered(at[a])
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
						if label, err = m.moved(free)(p); err != nil {
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
