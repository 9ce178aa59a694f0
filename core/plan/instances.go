package plan

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

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

// sameInstrument tells whether two are instances of one instrument.
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
	return fitsOne(&pl.Instrument, len(pl.Instrument.Parts), pl.channels(), int(rig.PastLast(pl.Outputs))-1)
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

// GatherIntoOne puts the parts of all instances of an instrument into the first of them, with
// their outputs behind its own; lanes, sends and wishes go along. It refuses what one instance
// cannot hold.
func GatherIntoOne(placed string) Edit {
	return func(p *Project) (string, error) {
		first := ""
		if all := p.Instances(placed); len(all) > 0 {
			first = all[0].ID
		}
		label, err := Gather(placed)(p)
		if err != nil {
			return "", err
		}
		if err := p.Find(first).FitsOne(); err != nil {
			return "", err
		}
		return label, nil
	}
}

// Gather is GatherIntoOne whatever one instance can hold, for those who compare.
func Gather(placed string) Edit {
	return func(p *Project) (string, error) {
		all := p.Instances(placed)
		if len(all) < 2 {
			return "", fmt.Errorf("there is only one instance of that instrument")
		}
		into := all[0]
		if len(into.Instrument.Parts) == 0 {
			return "", fmt.Errorf("%s has no parts that could be gathered", into.Instrument.Name)
		}
		gone := map[string]bool{}
		into.ownParts()
		moves := outputMoves{}
		for _, pl := range all[1:] {
			moves.add(pl.ID, into.ID, into.take(pl, pl.Instrument.Parts))
			gone[pl.ID] = true
		}
		moves.apply(p)
		p.Placed = slices.DeleteFunc(p.Placed, func(pl Placed) bool { return gone[pl.ID] })
		return fmt.Sprintf("gather %d instances of %s into one", len(all), p.Find(all[0].ID).Instrument.Name), nil
	}
}

// ownParts copies the lists of the instrument that parts are moved in and out of, and what the
// project decides of them.
func (pl *Placed) ownParts() {
	pl.Instrument.Own()
	pl.Feeds, pl.Together, pl.Apart = maps.Clone(pl.Feeds), slices.Clone(pl.Together), slices.Clone(pl.Apart)
	if pl.Feeds == nil {
		pl.Feeds = map[string]Assignment{}
	}
	pl.Outputs = slices.Clone(pl.Outputs)
}

// outputMoves are outputs that were moved to other instances, each to one or several.
type outputMoves map[[2]string][][2]string // instrument and number

func (m outputMoves) add(from, to string, jacks map[int]int) {
	for a, b := range jacks {
		key := [2]string{from, strconv.Itoa(a)}
		m[key] = append(m[key], [2]string{to, strconv.Itoa(b)})
	}
}

// apply lets the lanes of a project take the outputs where they are now.
func (m outputMoves) apply(p *Project) {
	for i := range p.Lanes {
		var sources []OutputRef
		for _, s := range p.Lanes[i].Sources {
			moved := m[[2]string{s.Placed, strconv.Itoa(s.Output)}]
			for _, to := range moved {
				n, _ := strconv.Atoi(to[1])
				sources = append(sources, OutputRef{to[0], n, s.Side})
			}
			if len(moved) == 0 {
				sources = append(sources, s)
			}
		}
		p.Lanes[i].Sources = sources
	}
}

// take copies parts of another instance here, with the outputs that they leave by. It gives the
// numbers of those outputs here, by those there.
func (pl *Placed) take(from *Placed, parts []rig.Part) map[int]int {
	jacks := map[int]int{}
	for _, part := range parts {
		was := part.ID
		for n := len(pl.Instrument.Parts) + 1; pl.hasID(part.ID); n++ {
			part.ID = "part" + strconv.Itoa(n)
		}
		pl.Instrument.Parts = append(pl.Instrument.Parts, part)
		for _, id := range from.feedsByOutput() {
			a := from.Feeds[id]
			if id != was && !strings.HasPrefix(id, was+".") {
				continue
			}
			if a.State == Assigned || a.State == Parked {
				a.Output = pl.jackFrom(from, a.Output, jacks)
			}
			if a.Pin != nil {
				a.Pin = nil
			}
			pl.Feeds[part.ID+strings.TrimPrefix(id, was)] = a
		}
	}
	return jacks
}

// feedsByOutput lists the feeds that something is decided of, in the order of their outputs.
func (pl *Placed) feedsByOutput() []string {
	return slices.SortedFunc(maps.Keys(pl.Feeds), func(a, b string) int {
		return cmp.Or(cmp.Compare(pl.Feeds[a].Output, pl.Feeds[b].Output), cmp.Compare(a, b))
	})
}

// hasID tells whether a voice, microphone or part of the instrument has the ID.
func (pl *Placed) hasID(id string) bool {
	_, ok := pl.Instrument.Source(id)
	return ok
}

// jackFrom is the output here that stands for one of another instance, made when it is first asked for.
func (pl *Placed) jackFrom(from *Placed, number int, jacks map[int]int) int {
	if n, ok := jacks[number]; ok {
		return n
	}
	o := rig.Output{Width: 2, First: rig.PastLast(pl.Outputs)}
	for _, x := range from.Outputs {
		if x.Number == number {
			o.Width = x.Width
		}
	}
	if o.Width > 1 && o.First%2 == 0 {
		o.First++
	}
	for _, x := range pl.Outputs {
		o.Number = max(o.Number, x.Number)
	}
	o.Number++
	pl.Outputs = append(pl.Outputs, o)
	if slices.Contains(from.Halved, number) {
		pl.Halved = append(slices.Clone(pl.Halved), o.Number)
	}
	jacks[number] = o.Number
	return o.Number
}

// DivideInto spreads the parts of an instrument over so many instances, in order; n 0: as few as its
// limits need. Lanes and wishes go along with the parts.
func DivideInto(placed string, n int) Edit {
	return func(p *Project) (string, error) {
		pl := p.Find(placed)
		if pl == nil {
			return "", fmt.Errorf("that instrument is no longer in this project")
		}
		parts := len(pl.Instrument.Parts)
		if n == 0 {
			if n = pl.FewestInstances(); n == 1 {
				return "", fmt.Errorf("one instance of %s holds all of it", pl.Instrument.Name)
			}
		}
		if n < 2 || n > parts {
			return "", fmt.Errorf("%s has %s, so it goes into 2 to %d instances", pl.Instrument.Name,
				words.Count(parts, "part", "parts"), parts)
		}
		name := pl.Instrument.Name
		taken := map[string]bool{}
		for i := range p.Placed {
			taken[p.Placed[i].Instrument.Name] = true
		}
		whole := *pl
		whole.ownParts()
		order := whole.Instrument.Parts
		moves := outputMoves{}
		var made []Placed
		for k := range n {
			from, to := k*parts/n, (k+1)*parts/n
			one := whole
			one.Instrument.Own()
			one.Instrument.Parts, one.Outputs, one.Halved = nil, nil, nil
			one.Feeds = map[string]Assignment{}
			one.Together, one.Apart, one.Stages, one.Stage = nil, nil, nil, NoStage
			if k > 0 {
				one.ID = p.newID("i")
				one.Instrument.Name = Unique(name, taken)
				taken[one.Instrument.Name] = true
			}
			made = append(made, one)
			mine := &made[k]
			source := whole
			source.ID = pl.ID
			jacks := mine.take(&source, order[from:to])
			if len(mine.Outputs) == 0 {
				mine.Outputs = slices.Clone(whole.Outputs[:min(1, len(whole.Outputs))])
			}
			if k == 0 { // what is neither part nor microphone of one stays with the first
				for _, id := range whole.feedsByOutput() {
					a := whole.Feeds[id]
					if partOf(order, id) == "" {
						if a.State == Assigned || a.State == Parked {
							a.Output = mine.jackFrom(&source, a.Output, jacks)
						}
						mine.Feeds[id] = a
					}
				}
			} else {
				mine.Instrument.Voices, mine.Instrument.Returns = nil, nil
			}
			moves.add(pl.ID, mine.ID, jacks)
		}
		at := slices.IndexFunc(p.Placed, func(x Placed) bool { return x.ID == placed })
		moves.apply(p)
		p.Placed = slices.Replace(p.Placed, at, at+1, made...)
		p.Relink()
		return fmt.Sprintf("divide %s into %d instances", name, n), nil
	}
}

// partOf is the part that a feed belongs to, by the feed's ID; "" where it is none's.
func partOf(parts []rig.Part, feed string) string {
	for _, part := range parts {
		if feed == part.ID || strings.HasPrefix(feed, part.ID+".") {
			return part.ID
		}
	}
	return ""
}

// FewestInstances is how many instances the limits need for the parts that there are.
func (pl *Placed) FewestInstances() int {
	parts := len(pl.Instrument.Parts)
	ports := int(rig.PastLast(pl.Outputs)) - 1
	for n := 1; n < parts; n++ {
		up := func(x int) int { return (x + n - 1) / n }
		if fitsOne(&pl.Instrument, up(parts), up(pl.channels()), up(ports)) == nil {
			return n
		}
	}
	return max(1, parts)
}
