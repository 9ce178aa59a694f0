package plan

import (
	"fmt"

	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// Instances are the places of one instrument in a project, that of the ID among them.
func (p *Project) Instances(placed string) (out []*Placed) {
	first := p.Find(placed)
	if first == nil {
		return nil
	}
	for i := range p.Placed {
		if pl := &p.Placed[i]; pl.ID == placed || first.sameInstrument(pl) {
			out = append(out, pl)
		}
	}
	return out
}

// sameInstrument reports whether two are instances of one instrument.
func (pl *Placed) sameInstrument(o *Placed) bool {
	if pl.Shelf != 0 || o.Shelf != 0 {
		return pl.Shelf == o.Shelf
	}
	return pl.AsDelivered().Name == o.AsDelivered().Name
}

// fitsOne says why one instance cannot hold so many parts on so many ports, or nil.
func fitsOne(in *rig.Instrument, parts, channels, ports int) error {
	t := in.Traits
	switch {
	case t.MaxParts > 0 && parts > t.MaxParts:
		return fmt.Errorf("one instance of %s holds %s, not %d", in.Name, words.Count(t.MaxParts, "part", "parts"), parts)
	case t.Channels > 0 && channels > t.Channels:
		return fmt.Errorf("one instance of %s listens to %s, and %d are needed", in.Name,
			words.Count(t.Channels, "MIDI channel", "MIDI channels"), channels)
	case in.PortCount("") > 0 && ports > in.PortCount(""):
		return fmt.Errorf("one instance of %s has %s, and %d are needed", in.Name,
			words.Count(in.PortCount(""), "port", "ports"), ports)
	}
	return nil
}

// FitsOne says why an instance holds more than it can, or nil.
func (pl *Placed) FitsOne() error {
	return fitsOne(&pl.Instrument, len(pl.Instrument.Parts), pl.channels(), rig.PortsOver(pl.Outputs))
}

// FitsParts says why an instance holds more parts or MIDI channels than it can, or nil.
func (pl *Placed) FitsParts() error {
	return fitsOne(&pl.Instrument, len(pl.Instrument.Parts), pl.channels(), 0)
}

// channels counts the MIDI addresses that the parts play on.
func (pl *Placed) channels() int {
	seen := map[string]bool{}
	for _, part := range pl.Instrument.Parts {
		if part.Address.Known() {
			seen[part.Address.Norm().String()] = true
		}
	}
	return len(seen)
}

// whole outputs

// FewestInstances is how many instances the limits need for the parts that there are.
func (pl *Placed) FewestInstances() int {
	parts := len(pl.Instrument.Parts)
	ports := rig.PortsOver(pl.Outputs)
	for n := 1; n < parts; n++ {
		up := func(x int) int { return (x + n - 1) / n }
		if fitsOne(&pl.Instrument, up(parts), up(pl.channels()), up(ports)) == nil {
			return n
		}
	}
	return max(1, parts)
}
