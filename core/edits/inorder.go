package edits

import (
	"errors"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// What is done to feeds one after the other, in the order in which they are given.

// InOrder says where feeds are assigned in order.
type InOrder struct {
	Output int             // the number of the first one's output
	Halves bool            // two mono feeds to a stereo output, left and right
	Lane   plan.LaneNumber // the number of the first one's lane; 0: lanes stay as they are
}

// AssignInOrder assigns feeds of one instrument to consecutive outputs and, where that is asked
// for, lets these arrive on consecutive lanes, which are made where there are none.
func AssignInOrder(feeds []plan.FeedRef, o InOrder) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, list, err := ofOneInstrument(p, feeds)
		if err != nil {
			return "", err
		}
		return assignInOrder(p, pl, list, o)
	}
}

func assignInOrder(p *plan.Project, pl *plan.Placed, feeds []rig.Feed, o InOrder) (string, error) {
	jacks, err := jacksFrom(pl, o.Output, len(feeds), o.Halves)
	if err != nil {
		return "", err
	}
	byName := plan.FeedsByName(pl.AllFeeds())
	for i, j := range jacks {
		if j.Side != rig.Whole {
			p.Halve(pl, j.Output)
		} else {
			p.Whole(pl, j.Output)
		}
		if _, err := DecideFeed(pl, feeds[i], plan.Assigned, j); err != nil {
			return "", err
		}
	}
	label := fmt.Sprintf("assign %s of %s from output %s on", words.Count(len(feeds), "feed", "feeds"), pl.Instrument.Name,
		jacks[0])
	if o.Lane == 0 {
		return label, nil
	}
	lanes, err := lanesFor(p, pl, jacks, byName)
	if err != nil {
		return "", err
	}
	if _, err := NumberLanes(lanes, o.Lane)(p); err != nil && !errors.Is(err, errSameNumbers) {
		return "", err
	}
	return fmt.Sprintf("%s, on lanes from %d", label, p.Lane(lanes[0]).Number), nil
}

// jacksFrom lists so many outputs in their order from the one with a number, or their two sides.
func jacksFrom(pl *plan.Placed, number, n int, halves bool) (out []plan.Jack, err error) {
	at := slices.IndexFunc(pl.Outputs, func(o rig.Output) bool { return o.Number == number })
	if at < 0 {
		return nil, fmt.Errorf("%s has no output %d; it has %d", pl.Instrument.Name, number, len(pl.Outputs))
	}
	for _, o := range pl.Outputs[at:] {
		switch {
		case halves && o.Width != audio.Stereo:
			return nil, fmt.Errorf("output %d is %s; only stereo outputs have two sides", o.Number, o.Width)
		case halves:
			out = append(out, plan.Jack{Output: o.Number, Side: rig.Left}, plan.Jack{Output: o.Number, Side: rig.Right})
		default:
			out = append(out, plan.Jack{Output: o.Number})
		}
		if len(out) >= n {
			return out[:n], nil
		}
	}
	return nil, fmt.Errorf("%s has %s from output %d on, and %d are needed; add outputs, or begin lower",
		pl.Instrument.Name,
		words.Count(len(out), "place", "places"), number, n)
}

// lanesFor gives each jack a lane that takes it alone: the one that there is, or a new one. A name
// that speaks of what is elsewhere now is replaced.
func lanesFor(p *plan.Project, pl *plan.Placed, jacks []plan.Jack, byName map[string][]rig.Feed) (ids []string,
	err error) {
	namer, loads := plan.NewNamer(pl), pl.Loads()
	for _, j := range jacks {
		ref := plan.OutputRef{Placed: pl.ID, Output: j.Output, Side: j.Side}
		o, _ := pl.Output(j)
		there := slices.DeleteFunc(p.LanesOf(ref), func(l *plan.Lane) bool { return l.IsOther() || len(l.Sources) > 1 })
		if len(there) == 0 {
			for _, l := range p.LanesOf(ref) {
				l.Sources = slices.DeleteFunc(l.Sources, func(s plan.OutputRef) bool { return s == ref })
			}
			if _, err := addLane(p, ref, 0, "", loads[j]); err != nil {
				return nil, err
			}
			ids = append(ids, p.Lanes[len(p.Lanes)-1].ID)
			continue
		}
		l := there[0]
		feeds := loads[j]
		if plan.NamesAnother(l.Name, feeds, byName) != "" {
			l.Name, l.Colour = namer.Name(feeds, o), p.Chart.Colour(plan.CommonRole(feeds))
		}
		ids = append(ids, l.ID)
	}
	return ids, nil
}

// PinInOrder pins feeds of one instrument to consecutive outputs.
func PinInOrder(feeds []plan.FeedRef, o InOrder) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, list, err := ofOneInstrument(p, feeds)
		if err != nil {
			return "", err
		}
		jacks, err := jacksFrom(pl, o.Output, len(list), o.Halves)
		if err != nil {
			return "", err
		}
		for i, j := range jacks {
			if _, err := PinTo(pl.ID, []string{list[i].ID}, j)(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("pin %s of %s from output %s on", words.Count(len(list), "feed", "feeds"), pl.Instrument.Name,
			jacks[0]), nil
	}
}

// AddressInOrder gives the parts of feeds consecutive MIDI channels from an address on; after
// channel 16 comes channel 1 of the next port.
func AddressInOrder(feeds []plan.FeedRef, from midi.Address) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if !from.Known() {
			from = midi.Address{Port: 1, Channel: 1}
		}
		at, done := from.Norm(), map[plan.FeedRef]bool{}
		for _, ref := range feeds {
			_, f, err := feed(p, ref)
			if err != nil {
				return "", err
			}
			part := plan.FeedRef{Placed: ref.Placed, Feed: f.Part}
			if f.Part == "" {
				return "", fmt.Errorf("%s is not a part; only parts have MIDI channels", f.Name)
			}
			if done[part] { // heard through several microphones
				continue
			}
			if _, err := SetAddress(part, at)(p); err != nil {
				return "", err
			}
			done[part] = true
			if at.Channel++; at.Channel > 16 {
				at = midi.Address{Port: at.Port + 1, Channel: 1}
			}
		}
		if len(done) == 0 {
			return "", errNoFeeds
		}
		return fmt.Sprintf("give %s channels from %s on", words.Count(len(done), "part", "parts"), from), nil
	}
}

var errNoFeeds = errors.New("select some feeds first")

// ofOneInstrument gives the instrument of feeds, and these.
func ofOneInstrument(p *plan.Project, refs []plan.FeedRef) (pl *plan.Placed, feeds []rig.Feed, err error) {
	known := map[string]rig.Feed{}
	for _, ref := range refs {
		switch x, err := p.PlacedWith(ref.Placed); {
		case err != nil:
			return nil, nil, err
		case pl != nil && pl != x:
			return nil, nil, fmt.Errorf("the selected feeds are of %s and of %s; select feeds of one instrument",
				pl.Instrument.Name, x.Instrument.Name)
		case pl == nil:
			pl = x
			for _, f := range pl.AllFeeds() {
				known[f.ID] = f
			}
		}
		f, ok := known[ref.Feed]
		if !ok {
			return nil, nil, plan.NoFeed(pl)
		}
		feeds = append(feeds, f)
	}
	if pl == nil {
		return nil, nil, errNoFeeds
	}
	return pl, feeds, nil
}

// AssignAgain starts over: all feeds of an instrument that are not set aside are assigned in the
// instrument's order, one output each, beginning with the output on a port or the next above it;
// what does not fit shares the last. Pins and groups stay for the next proposal.
func AssignAgain(placed string, from rig.Port) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		outputs := slices.DeleteFunc(slices.Clone(pl.Usable()), func(o rig.Output) bool { return o.First < from })
		if len(outputs) == 0 {
			return "", fmt.Errorf("%s has no output from port %d on", pl.Instrument.Name, from)
		}
		n := 0
		for _, f := range pl.InInstrumentOrder() {
			if a := pl.Feeds[f.ID]; a.ByHand && (a.State == plan.Off || a.State == plan.Parked) {
				continue
			}
			o := outputs[min(n, len(outputs)-1)]
			p.Whole(pl, o.Number)
			if _, err := DecideFeed(pl, f, plan.Assigned, plan.Jack{Output: o.Number}); err != nil {
				return "", err
			}
			n++
		}
		if n == 0 {
			return "", fmt.Errorf("every feed of %s is set aside", pl.Instrument.Name)
		}
		return fmt.Sprintf("assign %s again in order, from port %d", pl.Instrument.Name, outputs[0].First), nil
	})
}

// OrderLanes says in which order an instrument's feeds and their lanes stand, and whose names the
// lanes have, from the next proposal on.
func OrderLanes(placed string, order house.Ordered, names house.Named) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		if err := (house.Custom{Order: order, Names: names}).Validate(); err != nil {
			return "", err
		}
		pl.Order, pl.Names = order, names
		return "choose the order and the names of the lanes of " + pl.Instrument.Name, nil
	})
}

// ChooseBus says which bus the next proposals route an instrument's lanes to.
func ChooseBus(placed string, wish plan.BusChoice) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		wish.Name = rig.ShortName(rig.CleanName(wish.Name))
		if wish.Number != 0 {
			if err := p.CanHold(wish.Number); err != nil {
				return "", err
			}
		}
		switch pl.Bus = wish; {
		case wish.None:
			return "route the lanes of " + pl.Instrument.Name + " to no bus", nil
		case wish.Name == "" && wish.Number == 0:
			return "route the lanes of " + pl.Instrument.Name + " to the usual bus", nil
		case wish.Name == "":
			return fmt.Sprintf("put the bus of %s on lane %d", pl.Instrument.Name, wish.Number), nil
		}
		return fmt.Sprintf("route the lanes of %s to the bus %s", pl.Instrument.Name, wish.Name), nil
	})
}

// LanesAsTheyAre makes lanes for the outputs of an instrument that carry something and arrive
// nowhere, in one block, and leaves the assignments alone.
func LanesAsTheyAre(placed string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		loads := pl.Loads()
		var jacks []plan.Jack
		for _, o := range pl.Jacks() {
			ref := pl.Ref(o)
			if len(loads[ref.Jack()]) > 0 && len(p.LanesOf(ref)) == 0 {
				jacks = append(jacks, ref.Jack())
			}
		}
		if len(jacks) == 0 {
			return "", fmt.Errorf("every output of %s that carries something has a lane", pl.Instrument.Name)
		}
		numbers, err := p.FreeLanes(len(jacks))
		if err != nil {
			return "", err
		}
		taken := map[string]bool{}
		for _, l := range p.Lanes {
			taken[l.Name] = true
		}
		namer := plan.NewNamer(pl)
		for i, j := range jacks {
			o, _ := pl.Output(j)
			name := plan.Unique(namer.Name(loads[j], o), taken)
			taken[name] = true
			if _, err := addLane(p, plan.OutputRef{Placed: placed, Output: j.Output, Side: j.Side}, numbers[i], name,
				loads[j]); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("add %s for the outputs of %s as they are", words.Count(len(jacks), "lane", "lanes"),
			pl.Instrument.Name), nil
	})
}

// MoveInstrumentTo moves an instrument of the project to the place of another; those between make room.
func MoveInstrumentTo(placed, other string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		at := func(id string) int {
			return slices.IndexFunc(p.Placed, func(x plan.Placed) bool { return x.ID == id })
		}
		from, to := at(placed), at(other)
		if to < 0 || from == to {
			return "", fmt.Errorf("%s is there already, or what it was dropped on is gone", pl.Instrument.Name)
		}
		moved := p.Placed[from]
		p.Placed = slices.Insert(slices.Delete(p.Placed, from, from+1), to, moved)
		return "move " + moved.Instrument.Name + " in the list of instruments", nil
	})
}

// MoveInstrument moves an instrument of the project before the one above it, up, or behind the one
// below, in all that lists instruments.
func MoveInstrument(placed string, up bool) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		i := slices.IndexFunc(p.Placed, func(x plan.Placed) bool { return x.ID == placed })
		to := i + 1
		if up {
			to = i - 1
		}
		if to < 0 || to >= len(p.Placed) {
			return "", fmt.Errorf("%s is at the end of the list already", pl.Instrument.Name)
		}
		name := pl.Instrument.Name
		p.Placed[i], p.Placed[to] = p.Placed[to], p.Placed[i]
		return "move " + name + " in the list of instruments", nil
	})
}

// ScoreOrder puts the instruments of the project in the order of a score, each by its first feed
// with a role.
func ScoreOrder() plan.Edit {
	return func(p *plan.Project) (string, error) {
		if slices.IsSortedFunc(p.Placed, byScore) {
			return "", errors.New("the instruments are in score order already")
		}
		slices.SortStableFunc(p.Placed, byScore)
		return "put the instruments in score order", nil
	}
}

// InScoreOrder is an edit that adds an instrument at the end, which then goes to its place in the
// score: where the instruments are an orchestra, of two families of one or more, and the others
// are in score order.
func InScoreOrder(add plan.Edit) plan.Edit {
	return func(p *plan.Project) (string, error) {
		sorted := slices.IsSortedFunc(p.Placed, byScore)
		label, err := add(p)
		if err != nil || !sorted {
			return label, err
		}
		families := map[role.Role]bool{}
		for i := range p.Placed {
			if r := firstRole(&p.Placed[i]); r.InOrchestra() {
				families[r.Root()] = true
			}
		}
		if len(families) > 1 {
			slices.SortStableFunc(p.Placed, byScore)
		}
		return label, nil
	}
}

func byScore(a, b plan.Placed) int { return role.CompareScore(firstRole(&a), firstRole(&b)) }

// firstRole is the role of the instrument's first feed that has one.
func firstRole(pl *plan.Placed) role.Role {
	for _, f := range pl.AllFeeds() {
		if f.Role != role.Unnamed {
			return f.Role
		}
	}
	return role.Unnamed
}
