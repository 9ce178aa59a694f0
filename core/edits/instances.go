package edits

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// nameApart gives an instrument that was added, and those of the same name, names with numbers:
// "Tern Rack 1", "Tern Rack 2". What the user has named stays.
func nameApart(p *plan.Project, added int) {
	base := p.Placed[added].Instrument.Name
	taken, alike := map[string]bool{}, false
	for i := range p.Placed {
		if pl := &p.Placed[i]; i != added {
			taken[strings.ToLower(pl.Instrument.Name)] = true
			alike = alike || strings.EqualFold(pl.Instrument.Name, base) || strings.EqualFold(pl.AsDelivered().Name, base)
		}
	}
	for i := range p.Placed {
		if pl := &p.Placed[i]; alike && (i == added || strings.EqualFold(pl.Instrument.Name, base)) {
			pl.Instrument.Name = numbered(base, taken)
		}
	}
}

// numbered is the name with the lowest number from 1 behind it that is not taken, and takes it;
// names are taken in small letters.
func numbered(name string, taken map[string]bool) string {
	for n := 1; ; n++ {
		suffix := " " + strconv.Itoa(n)
		out := words.Short(rig.MaxName-len(suffix), name) + suffix
		if key := strings.ToLower(out); !taken[key] {
			taken[key] = true
			return out
		}
	}
}

// unnumbered takes the number of an instance off a name that has it from numbered.
func unnumbered(pl *plan.Placed) string {
	rest, ok := strings.CutPrefix(pl.Instrument.Name, pl.AsDelivered().Name+" ")
	if _, err := strconv.Atoi(rest); ok && err == nil {
		return pl.AsDelivered().Name
	}
	return pl.Instrument.Name
}

// GatherIntoOne puts the parts of all instances of an instrument into the first of them, with
// their outputs behind its own; lanes, sends and wishes go along. It refuses what one instance
// cannot hold.
func GatherIntoOne(placed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
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
func Gather(placed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		all := p.Instances(placed)
		if len(all) < 2 {
			return "", fmt.Errorf("there is only one instance of that instrument")
		}
		into := all[0]
		if len(into.Instrument.Parts) == 0 {
			return "", fmt.Errorf("%s has no parts that could be gathered", into.Instrument.Name)
		}
		gone := map[string]bool{}
		ownParts(into)
		moves := outputMoves{}
		for _, pl := range all[1:] {
			if pl.AtStage() != into.AtStage() {
				if _, err := SwitchStage(pl.ID, into.AtStage())(p); err != nil {
					return "", err
				}
			}
			jacks := map[int]int{}
			take(into, pl, pl.Instrument.Parts, jacks)
			for _, n := range takenOf(p, pl.ID) { // by a lane that carries nothing now
				jackFrom(into, pl, n, jacks)
			}
			moves.add(pl.ID, into.ID, jacks)
			gone[pl.ID] = true
		}
		moves.apply(p)
		into.Instrument.Name = unnumbered(into)
		p.Placed = slices.DeleteFunc(p.Placed, func(pl plan.Placed) bool { return gone[pl.ID] })
		return fmt.Sprintf("gather %d instances of %s into one", len(all), p.Find(all[0].ID).Instrument.Name), nil
	}
}

// takenOf lists the outputs of an instrument that lanes take, by number.
func takenOf(p *plan.Project, placed string) (out []int) {
	for i := range p.Lanes {
		for _, s := range p.Lanes[i].Sources {
			if s.Placed == placed {
				out = append(out, s.Output)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// ownParts copies the lists of the instrument that parts are moved in and out of, and what the
// project decides of them.
func ownParts(pl *plan.Placed) {
	pl.Instrument.CloneSources()
	pl.Feeds, pl.Together, pl.Apart = maps.Clone(pl.Feeds), slices.Clone(pl.Together), slices.Clone(pl.Apart)
	if pl.Feeds == nil {
		pl.Feeds = map[string]plan.Assignment{}
	}
	pl.Outputs = slices.Clone(pl.Outputs)
	stages := map[plan.Stage]plan.StageState{}
	for stage, s := range pl.Stages {
		stages[stage] = plan.StageState{Feeds: maps.Clone(s.Feeds), Inside: maps.Clone(s.Inside)}
	}
	if pl.Stages = nil; len(stages) > 0 {
		pl.Stages = stages
	}
}

// outputMoves are outputs that were moved to other instances, each to one or several.
type outputMoves map[plan.OutputRef][]plan.OutputRef

func (m outputMoves) add(from, to string, jacks map[int]int) {
	for a, b := range jacks {
		key := plan.OutputRef{Placed: from, Output: a}
		m[key] = append(m[key], plan.OutputRef{Placed: to, Output: b})
	}
}

func (m outputMoves) has(from string, number int) bool {
	return len(m[plan.OutputRef{Placed: from, Output: number}]) > 0
}

// apply lets the lanes of a project take the outputs where they are now.
func (m outputMoves) apply(p *plan.Project) {
	for i := range p.Lanes {
		var sources []plan.OutputRef
		for _, s := range p.Lanes[i].Sources {
			moved := m[plan.OutputRef{Placed: s.Placed, Output: s.Output}]
			for _, to := range moved {
				to.Side = s.Side
				sources = append(sources, to)
			}
			if len(moved) == 0 {
				sources = append(sources, s)
			}
		}
		p.Lanes[i].Sources = sources
	}
}

// take copies parts of another instance here, with the outputs that they leave by in any stage,
// and what is asked of their feeds. It adds the numbers of those outputs here, by those there.
func take(pl *plan.Placed, from *plan.Placed, parts []rig.Part, jacks map[int]int) {
	for _, part := range parts {
		was := part.ID
		for n := len(pl.Instrument.Parts) + 1; hasID(pl, part.ID); n++ {
			part.ID = "part" + strconv.Itoa(n)
		}
		pl.Instrument.Parts = append(pl.Instrument.Parts, part)
		takeFeeds(pl, from, jacks, func(feed string) (string, bool) {
			rest, ok := strings.CutPrefix(feed, was)
			return part.ID + rest, ok && (rest == "" || rest[0] == '.')
		})
	}
}

// takeFeeds takes what is decided of feeds of another instance, now and in the stages that were,
// and what is asked of those that come along together; to gives the name that a feed has here.
func takeFeeds(pl *plan.Placed, from *plan.Placed, jacks map[int]int, to func(string) (string, bool)) {
	move := func(feeds, into map[string]plan.Assignment) {
		for _, id := range byOutput(feeds) {
			here, ok := to(id)
			if !ok {
				continue
			}
			a := feeds[id]
			if a.State == plan.Assigned || a.State == plan.Parked {
				a.Output = jackFrom(pl, from, a.Output, jacks)
			}
			a.Pin = nil
			into[here] = a
		}
	}
	move(from.Feeds, pl.Feeds)
	for _, stage := range slices.Sorted(maps.Keys(from.Stages)) {
		then := from.Stages[stage]
		mine, ok := pl.Stages[stage]
		if !ok {
			mine = plan.StageState{Feeds: map[string]plan.Assignment{}, Inside: map[string]string{}}
		}
		move(then.Feeds, mine.Feeds)
		for key, v := range then.Inside {
			source, rest, _ := strings.Cut(key, ":")
			if here, ok := to(source); ok {
				mine.Inside[here+":"+rest] = v
			}
		}
		if pl.Stages == nil {
			pl.Stages = map[plan.Stage]plan.StageState{}
		}
		pl.Stages[stage] = mine
	}
	for _, g := range from.Together {
		var here []string
		for _, id := range g.Feeds {
			if id, ok := to(id); ok {
				here = append(here, id)
			}
		}
		if len(here) > 1 {
			pl.Together = append(pl.Together, plan.FeedGroup{Feeds: here, OwnOutput: g.OwnOutput})
		}
	}
	for _, two := range from.Apart {
		a, okA := to(two[0])
		if b, okB := to(two[1]); okA && okB {
			pl.Apart = append(pl.Apart, [2]string{a, b})
		}
	}
}

// byOutput lists feeds that something is decided of, in the order of their outputs.
func byOutput(feeds map[string]plan.Assignment) []string {
	return slices.SortedFunc(maps.Keys(feeds), func(a, b string) int {
		return cmp.Or(cmp.Compare(feeds[a].Output, feeds[b].Output), cmp.Compare(a, b))
	})
}

// hasID reports whether a voice, microphone or part of the instrument has the ID.
func hasID(pl *plan.Placed, id string) bool {
	_, ok := pl.Instrument.Source(id)
	return ok
}

// jackFrom is the output here that stands for one of another instance, made when it is first asked for.
func jackFrom(pl *plan.Placed, from *plan.Placed, number int, jacks map[int]int) int {
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

// instancesFor is into how many instances an instrument is divided: so many, or, where n is 0, as few
// as its limits need.
func instancesFor(pl *plan.Placed, n int) (int, error) {
	parts := len(pl.Instrument.Parts)
	if n == 0 {
		if n = pl.FewestInstances(); n == 1 {
			return 0, fmt.Errorf("one instance of %s holds all of it", pl.Instrument.Name)
		}
	}
	if n < 2 || n > parts {
		return 0, fmt.Errorf("%s has %s, so it goes into 2 to %d instances", pl.Instrument.Name,
			words.Count(parts, "part", "parts"), parts)
	}
	return n, nil
}

// emptyInstance is an instance of an instrument without parts, outputs and what is asked of feeds.
func emptyInstance(whole plan.Placed) plan.Placed {
	one := whole
	one.Instrument.CloneSources()
	one.Instrument.Parts, one.Outputs, one.Halved = nil, nil, nil
	one.Feeds, one.Stages = map[string]plan.Assignment{}, nil
	one.Together, one.Apart, one.KeepFree, one.Lanes, one.Use = nil, nil, nil, nil, 0
	return one
}

// keepMicrophones lets an instance have, in each stage, what is set inside for no part: each instance
// has the microphones.
func keepMicrophones(mine, whole *plan.Placed, parts []rig.Part) {
	for stage, s := range mine.Stages {
		for key, v := range whole.Stages[stage].Inside {
			if source, _, _ := strings.Cut(key, ":"); partOf(parts, source) == "" && (source == "" || hasID(mine, source)) {
				s.Inside[key] = v
			}
		}
	}
}

// fillInstance gives an instance its parts of a whole instrument, with the outputs that these need; the
// first one has what is of no part. It gives the outputs it has for those of the whole, by numbers.
func fillInstance(mine *plan.Placed, whole plan.Placed, parts, order []rig.Part, first bool) map[int]int {
	source := whole
	jacks := map[int]int{}
	for _, n := range whole.KeepFree { // each has outputs that are to stay free
		mine.KeepFree = append(mine.KeepFree, jackFrom(mine, &source, n, jacks))
	}
	free := maps.Clone(jacks)
	take(mine, &source, parts, jacks)
	keepMicrophones(mine, &whole, order)
	if first { // what is no part's stays with the first, and so do outputs that carry nothing
		takeFeeds(mine, &source, jacks, func(feed string) (string, bool) { return feed, partOf(order, feed) == "" })
	} else {
		for n := range free {
			delete(jacks, n)
		}
	}
	if len(mine.Outputs) == 0 {
		mine.Outputs = slices.Clone(whole.Outputs[:min(1, len(whole.Outputs))])
	}
	return jacks
}

// DivideInto spreads the parts of an instrument over so many instances, in order; 0: as few as its
// limits need. Lanes and wishes go along with the parts.
func DivideInto(placed string, many int) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl := p.Find(placed)
		if pl == nil {
			return "", fmt.Errorf("that instrument is no longer in this project")
		}
		n, err := instancesFor(pl, many)
		if err != nil {
			return "", err
		}
		parts := len(pl.Instrument.Parts)
		name, base := pl.Instrument.Name, unnumbered(pl)
		taken := map[string]bool{}
		for i := range p.Placed {
			taken[strings.ToLower(p.Placed[i].Instrument.Name)] = true
		}
		whole := *pl
		ownParts(&whole)
		order := whole.Instrument.Parts
		moves := outputMoves{}
		var made []plan.Placed
		for k := range n {
			from, to := k*parts/n, (k+1)*parts/n
			one := emptyInstance(whole)
			if k > 0 || base == name {
				one.Instrument.Name = numbered(base, taken)
			}
			if k > 0 {
				one.ID = p.NewID("i")
				one.Instrument.Voices, one.Instrument.Returns = nil, nil
				if one.SaveDefault = false; one.Start.Kind == plan.FromSaved {
					one.Start = plan.Start{} // nothing of it is saved yet
				}
			}
			made = append(made, one)
			moves.add(pl.ID, made[k].ID, fillInstance(&made[k], whole, order[from:to], order, k == 0))
		}
		left := map[int]int{}
		for _, n := range takenOf(p, pl.ID) { // by a lane that carries nothing now
			if !moves.has(pl.ID, n) {
				jackFrom(&made[0], &whole, n, left)
			}
		}
		moves.add(pl.ID, made[0].ID, left)
		at := slices.IndexFunc(p.Placed, func(x plan.Placed) bool { return x.ID == placed })
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
