package plan

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
)

// What the user asks of proposals, and how an instrument is looked at and set up.

// CanPair reports whether two mono feeds can share a stereo pair, and if not why.
func (p *Project) CanPair(pl *Placed) (ok bool, why string) {
	switch {
	case !pl.Instrument.Pans:
		return false, pl.Instrument.Name + " cannot pan a feed hard"
	case !p.Host.Sides:
		return false, "the host cannot take one side of a pair"
	}
	return true, ""
}

// OutputNumbers lists the outputs of ranges that were typed, such as 1-2.
func OutputNumbers(typed Ranges) (out []int) {
	for _, r := range typed {
		for n := r.From; n <= min(r.To, r.From+rig.MaxPorts); n++ {
			out = append(out, int(n))
		}
	}
	return out
}

// KeptFree reports whether proposals leave an output alone.
func (pl *Placed) KeptFree(number int) bool { return slices.Contains(pl.KeepFree, number) }

// Usable lists the outputs that proposals may use.
func (pl *Placed) Usable() []rig.Output {
	return slices.DeleteFunc(slices.Clone(pl.Outputs), func(o rig.Output) bool { return pl.KeptFree(o.Number) })
}

// Missing gives the outputs that AddOutputs would add.
func (pl *Placed) Missing(p *Project) ([]rig.Output, error) {
	if pl.Instrument.Fixed {
		return nil, fmt.Errorf("%s has the outputs it has; none can be added", pl.Instrument.Name)
	}
	var need []audio.Width
	for _, f := range pl.AllFeeds() {
		a := pl.Feeds[f.ID]
		if uses, known := p.Uses(f); a.State == Parked || a.State == Off || known && uses == 0 && a.State == Undecided {
			continue
		}
		need = append(need, f.Width)
	}
	for _, o := range pl.Outputs {
		if pl.KeptFree(o.Number) {
			need = append(need, o.Width)
		}
	}
	widest := audio.Mono
	for _, w := range need {
		widest = max(widest, w)
	}
	need = append(need, slices.Repeat([]audio.Width{widest}, pl.Spare)...)
	added, err := rig.AddMissing(pl.Outputs, need, pl.Ports())
	if err != nil {
		err = fmt.Errorf("%s: %w", pl.Instrument.Name, err)
	}
	return added, err
}

// LoadedVersion is the version of the instrument that is to be loaded: the one that was chosen, or the
// smallest that has the ports of all outputs; ok is false where it comes in none.
func (pl *Placed) LoadedVersion() (v rig.Variant, ok bool) {
	for _, v := range pl.Instrument.Variants {
		if v.Name == pl.Variant {
			return v, true
		}
	}
	return pl.Instrument.VersionFor(rig.PortsOver(pl.Outputs))
}

// Ports is how many ports the instrument has in the version that is loaded, or in its largest
// where none was chosen; 0: not known.
func (pl *Placed) Ports() int { return pl.Instrument.PortCount(pl.Variant) }

// Halve splits a stereo output into its two sides, each a jack of its own; what
// was on it goes to the left.
func (p *Project) Halve(pl *Placed, number int) {
	if slices.Contains(pl.Halved, number) {
		return
	}
	pl.Halved = append(slices.Clone(pl.Halved), number)
	p.resit(pl, number, rig.Left)
}

// Whole makes a halved output whole again, with what was on either side.
func (p *Project) Whole(pl *Placed, number int) {
	i := slices.Index(pl.Halved, number)
	if i < 0 {
		return
	}
	pl.Halved = slices.Delete(slices.Clone(pl.Halved), i, i+1)
	p.resit(pl, number, rig.Whole)
}

func (p *Project) resit(pl *Placed, number int, side rig.Side) {
	for id, a := range pl.Feeds {
		if a.Output == number {
			a.Side = side
			pl.Feeds[id] = a
		}
	}
	for i := range p.Lanes {
		l := &p.Lanes[i]
		for j, s := range l.Sources {
			if s.Placed == pl.ID && s.Output == number {
				l.Sources[j].Side = side
				l.Width = audio.Stereo
				if side != rig.Whole {
					l.Width = audio.Mono
				}
			}
		}
	}
}

// Layout is how the instrument is laid out now, to be kept by name.
func (pl *Placed) Layout(name string) rig.Layout {
	l := rig.Layout{Name: name, Outputs: slices.Clone(pl.Outputs), Feeds: map[string]rig.Placing{}}
	for _, f := range pl.AllFeeds() {
		switch a := pl.Feeds[f.ID]; a.State {
		case Assigned, Parked:
			l.Feeds[f.ID] = rig.Placing{Output: a.Output, Side: string(a.Side), Parked: a.State == Parked,
				Pinned: a.Pin != nil && *a.Pin == a.At()}
		case Off:
			l.Feeds[f.ID] = rig.Placing{}
		}
	}
	return l
}

// ConstraintsInWords says what the user demands of each feed of a proposal, by feed ID.
func (pl *Placed) ConstraintsInWords() map[string][]string {
	names := map[string]string{}
	for _, f := range pl.AllFeeds() {
		names[f.ID] = f.Name
	}
	out := map[string][]string{}
	for _, g := range pl.Together {
		for _, id := range g.Feeds {
			var with []string
			for _, o := range g.Feeds {
				if o != id {
					with = append(with, names[o])
				}
			}
			out[id] = append(out[id], "together with "+strings.Join(with, ", "))
			if g.OwnOutput != nil {
				out[id] = append(out[id], "own output for the group: "+house.OwnOutputTexts[*g.OwnOutput])
			}
		}
	}
	for _, a := range pl.Apart {
		out[a[0]] = append(out[a[0]], "apart from "+names[a[1]])
		out[a[1]] = append(out[a[1]], "apart from "+names[a[0]])
	}
	for id, a := range pl.Feeds {
		if a.Pin != nil {
			out[id] = append(out[id], "pinned to "+a.Pin.String())
		}
		if a.Fold {
			out[id] = append(out[id], "folded to mono")
		}
	}
	return out
}
