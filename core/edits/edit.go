// Package edits is what can be done to a project: each edit changes the document and says in words
// what it did. Those of one attribute of a lane stand with the attribute in package plan.
package edits

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

func feed(p *plan.Project, ref plan.FeedRef) (*plan.Placed, rig.Feed, error) {
	pl, err := p.PlacedWith(ref.Placed)
	if err != nil {
		return nil, rig.Feed{}, err
	}
	for _, f := range pl.AllFeeds() {
		if f.ID == ref.Feed {
			return pl, f, nil
		}
	}
	return nil, rig.Feed{}, plan.NoFeed(pl)
}

// Rename names the project.
func Rename(name string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		n, err := plan.ParseName(name)
		p.Name = n
		return "name the project " + n, err
	}
}

// SetHost says how many lanes the host has, which are taken and where to begin.
func SetHost(h plan.Host) plan.Edit {
	return func(p *plan.Project) (string, error) {
		h.Profile = p.Host.Profile // its own edit: SetProfile
		if err := h.Validate(); err != nil {
			return "", err
		}
		p.Host = h
		return "change what the host has", nil
	}
}

// SetSong takes the song whose notes say what is used; nil takes it away.
func SetSong(s *plan.Song) plan.Edit {
	return func(p *plan.Project) (string, error) {
		p.Song = s
		if s == nil {
			return "remove the song", nil
		}
		return "take the song " + s.Name, nil
	}
}

// AddInstrument puts an instrument into the project with its outputs.
func AddInstrument(in rig.Instrument, outputs []rig.Output, offset int) plan.Edit {
	return func(p *plan.Project) (string, error) {
		p.Placed = append(p.Placed, plan.Placed{ID: p.NewID("i"), Instrument: in, Outputs: outputs, Offset: offset,
			Feeds: map[string]plan.Assignment{}})
		p.Relink()
		nameApart(p, len(p.Placed)-1)
		pl := &p.Placed[len(p.Placed)-1]
		asTheHouse(pl)
		mixesOff(pl)
		StartAsUsual(pl)
		return "add " + pl.Instrument.Name, nil
	}
}

// AddFromShelf is Place for an instrument that is kept on the shelf.
func AddFromShelf(from plan.Shelved, in rig.Instrument, outputs []rig.Output, offset int) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label, err := AddInstrument(in, outputs, offset)(p)
		if err != nil {
			return "", err
		}
		pl := &p.Placed[len(p.Placed)-1]
		pl.Shelf, pl.OwnSetup, pl.DefaultSetup = from.Shelf, from.Own, from.Default
		if l := in.AsLaidOut(); l != nil && pl.Start.Kind == plan.AsDelivered && beginWith(outputs, l.Outputs) {
			if _, err := BeginIn(pl.ID, l.Name, in.Layouts)(p); err != nil {
				return "", err
			}
		}
		if from.Variant != "" {
			if _, err := SetVariant(pl.ID, from.Variant)(p); err != nil {
				return "", err
			}
		}
		switch {
		case from.Fresh && pl.Start.Kind == plan.FromDefault:
			pl.Start = plan.Start{}
		case pl.Start.Kind == plan.FromDefault:
			return label, beginAsSaved(p, pl)
		}
		return label, nil
	}
}

// SetOutputs gives a placed instrument a new set of outputs. Assignments stay:
// those to outputs that are gone are found and explained.
func SetOutputs(placed string, outputs []rig.Output, offset int) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, err := p.PlacedWith(placed)
		if err != nil {
			return "", err
		}
		if pl.Instrument.Fixed && rig.FormatRuns(rig.Runs(outputs)) != rig.FormatRuns(pl.Instrument.Delivered) {
			return "", fmt.Errorf("%s has fixed outputs, %s; they are fixed", pl.Instrument.Name,
				rig.FormatRuns(pl.Instrument.Delivered))
		}
		pl.Outputs, pl.Offset, pl.OwnSetup = outputs, offset, false
		rejoin(pl, func(o rig.Output) bool { return o.Width == audio.Stereo })
		return fmt.Sprintf("set %s to %s outputs", pl.Instrument.Name, rig.FormatRuns(rig.Runs(outputs))), nil
	}
}

// UseSetup gives a placed instrument the outputs of a kept set-up; its offset stays.
func UseSetup(placed, setup string, outputs []rig.Output) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, err := p.PlacedWith(placed)
		if err != nil {
			return "", err
		}
		label, err := SetOutputs(placed, outputs, pl.Offset)(p)
		return label + ", " + setup, err
	}
}

// Remove takes an instrument out, with the lanes that took nothing else.
func Remove(placed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, err := p.PlacedWith(placed)
		if err != nil {
			return "", err
		}
		name := pl.Instrument.Name
		p.Placed = slices.DeleteFunc(p.Placed, func(x plan.Placed) bool { return x.ID == placed })
		p.Lanes = slices.DeleteFunc(p.Lanes, func(l plan.Lane) bool {
			return len(l.Sources) > 0 && !slices.ContainsFunc(l.Sources,
				func(s plan.OutputRef) bool { return s.Placed != placed })
		})
		for i := range p.Lanes {
			p.Lanes[i].Sources = slices.DeleteFunc(p.Lanes[i].Sources, func(s plan.OutputRef) bool { return s.Placed == placed })
		}
		return "remove " + name, nil
	}
}

// Decide says where a feed goes: to an output, parked on one, off, or nothing.
func Decide(ref plan.FeedRef, to plan.State, at plan.Jack) plan.Edit {
	return onFeed(ref, func(pl *plan.Placed, f rig.Feed) (string, error) { return DecideFeed(pl, f, to, at) })
}

// onFeed is an edit of what is decided for a feed.
func onFeed(ref plan.FeedRef, do func(*plan.Placed, rig.Feed) (string, error)) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, f, err := feed(p, ref)
		if err != nil {
			return "", err
		}
		return do(pl, f)
	}
}

// decide is Decide of a feed that was found, which stays as it is.
func DecideFeed(pl *plan.Placed, f rig.Feed, to plan.State, at plan.Jack) (label string, err error) {
	a := pl.Feeds[f.ID]
	a.State, a.Output, a.Side, a.ByHand = to, 0, "", to == plan.Parked || to == plan.Off
	switch to {
	case plan.Undecided:
		label = "clear the output of " + f.Name
	case plan.Off:
		label = "switch " + f.Name + " off"
	case plan.Assigned, plan.Parked:
		o, ok := pl.Output(at)
		if !ok {
			return "", fmt.Errorf("%s has no output %s; it has %d", pl.Instrument.Name, at, len(pl.Outputs))
		}
		a.Output, a.Side = at.Output, at.Side
		verb := "assign "
		if to == plan.Parked {
			verb = "park "
		}
		label = fmt.Sprintf("%s%s on output %s (%s)", verb, f.Name, o.Label(), o.PortNames(0))
	default:
		return "", fmt.Errorf("a feed cannot be %q", to)
	}
	setFeed(pl, f.ID, a)
	return label, nil
}

// setFeed says what is decided of a feed.
func setFeed(pl *plan.Placed, id string, a plan.Assignment) {
	if pl.Feeds == nil {
		pl.Feeds = map[string]plan.Assignment{}
	}
	pl.Feeds[id] = a
}

// Toggle assigns or parks a feed on a jack, or takes it off again where it is there so
// already.
func Toggle(ref plan.FeedRef, to plan.State, at plan.Jack) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if pl := p.Find(ref.Placed); pl != nil {
			if a := pl.Feeds[ref.Feed]; a.State == to && a.At() == at {
				to, at = plan.Undecided, plan.Jack{}
			}
		}
		return Decide(ref, to, at)(p)
	}
}

// SetOwnOutput says how much a feed wants an output of its own, 0–3; below 0 gives
// it back to the house chart.
func SetOwnOutput(ref plan.FeedRef, wish int) plan.Edit {
	return onFeed(ref, func(pl *plan.Placed, f rig.Feed) (string, error) { return SetFeedOwnOutput(pl, f, wish) })
}

func SetFeedOwnOutput(pl *plan.Placed, f rig.Feed, wish int) (string, error) {
	if wish > house.Never {
		return "", fmt.Errorf("own output is one of 0 to 3")
	}
	a := pl.Feeds[f.ID]
	a.OwnOutput = nil
	if wish >= 0 {
		a.OwnOutput = &wish
	}
	setFeed(pl, f.ID, a)
	return fmt.Sprintf("own output of %s: %s", f.Name, house.OwnOutputTexts[pl.OwnOutput(f)]), nil
}

// NameInstrument renames an instrument in the project; the one on the shelf keeps its name.
func NameInstrument(placed, name string) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		n, err := plan.ParseName(name)
		if err != nil {
			return "", err
		}
		was := pl.Instrument.Name
		pl.Instrument.Name = n
		return fmt.Sprintf("rename %s to %s", was, n), nil
	})
}

// AddBus makes a bus on the number (0: the lowest free one above the lanes) and
// sends the lanes to it instead of where they went. Where all of them went to one bus,
// the new one goes there.
func AddBus(name string, number plan.LaneNumber, members []string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		n, err := plan.ParseName(name)
		if err != nil {
			return "", err
		}
		if number == 0 {
			if number, err = p.FreeForBus(nil); err != nil {
				return "", err
			}
		}
		if err := p.CanHold(number); err != nil {
			return "", err
		}
		var r role.Role
		for _, id := range members {
			if l := p.Lane(id); l != nil && len(l.Sources) > 0 && r == role.Unnamed {
				r = plan.CommonRole(p.FeedsOn(l.Sources[0]))
			}
		}
		b := plan.Lane{ID: p.NewID("l"), Number: number, Name: n, Kind: plan.Bus, Width: audio.Stereo,
			Colour: p.Chart.BusColour(r),
			To:     p.CommonBus(members)}
		p.Lanes = append(p.Lanes, b)
		if len(members) > 0 {
			if _, err := plan.Route(members, b.ID, false)(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("add the bus %s on lane %d", n, number), nil
	}
}

// AddLane makes a lane for an output (zero: an empty lane) on the number, or on
// the lowest free one from the host's first lane.
func AddLane(source plan.OutputRef, number plan.LaneNumber, name string) plan.Edit {
	return func(p *plan.Project) (string, error) { return addLane(p, source, number, name, p.FeedsOn(source)) }
}

// addLane is AddLane for those who know what is on the output.
func addLane(p *plan.Project, source plan.OutputRef, number plan.LaneNumber, name string, feeds []rig.Feed) (_ string,
	err error) {
	width := audio.Stereo
	var sources []plan.OutputRef
	if source != (plan.OutputRef{}) {
		pl, o, err := p.OutputAt(source)
		if err != nil {
			return "", err
		}
		width, sources = o.Width, []plan.OutputRef{source}
		if name == "" {
			name = plan.NewNamer(pl).Name(feeds, o)
		}
	}
	if number == 0 {
		if number, err = p.Free(1, p.Host.FirstLane); err != nil {
			return "", err
		}
	}
	if err := p.CanHold(number); err != nil {
		return "", err
	}
	n, err := plan.ParseName(cmp.Or(name, fmt.Sprintf("Lane %d", number)))
	if err != nil {
		return "", err
	}
	p.Lanes = append(p.Lanes, plan.Lane{ID: p.NewID("l"), Number: number, Name: n, Kind: plan.Regular, Width: width,
		Colour: p.Chart.Colour(plan.CommonRole(feeds)), Sources: sources, To: usualBus(p, source)})
	return fmt.Sprintf("add lane %d %s", number, n), nil
}

// usualBus is the bus that the other lanes of the instrument go to, if all that
// go to a bus agree.
func usualBus(p *plan.Project, source plan.OutputRef) string {
	bus := plan.MainMix
	for _, l := range p.Lanes {
		if l.Kind == plan.Regular && l.To != plan.MainMix &&
			slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool { return s.Placed == source.Placed }) {
			if bus != plan.MainMix && bus != l.To {
				return plan.MainMix
			}
			bus = l.To
		}
	}
	return bus
}

// ArriveOn says which lane number an output arrives on: it leaves the lanes it was
// on, joins the lane with that number, or has one opened there. Number 0 leaves
// it without a lane.
func ArriveOn(source plan.OutputRef, number plan.LaneNumber) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if _, _, err := p.OutputAt(source); err != nil {
			return "", err
		}
		var target *plan.Lane
		for i := range p.Lanes {
			if p.Lanes[i].Number == number {
				target = &p.Lanes[i]
			}
		}
		if target != nil && target.IsOther() {
			return "", fmt.Errorf("lane %d is %s, which the plan did not make; choose another, or take it into the plan first",
				number, target.Name)
		}
		if target != nil && target.Kind == plan.Bus {
			return "", fmt.Errorf("lane %d is the bus %s; an output needs a lane of its own", number, target.Name)
		}
		if number != 0 {
			if err := p.CanHold(number); err != nil {
				return "", err
			}
		}
		was := p.LanesOf(source)
		for _, l := range was {
			l.Sources = slices.DeleteFunc(l.Sources, func(s plan.OutputRef) bool { return s == source })
		}
		switch {
		case number == 0:
			return fmt.Sprintf("leave output %s without a lane", source.Jack()), nil
		case target != nil:
			target.Sources, target.Kept = append(target.Sources, source), role.Unnamed
		case len(was) == 1 && len(was[0].Sources) == 0:
			was[0].Sources, was[0].Number = []plan.OutputRef{source}, number // the lane itself goes along
		default:
			if _, err := AddLane(source, number, "")(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("let output %s arrive on lane %d", source.Jack(), number), nil
	}
}

// DeleteLane takes a lane or bus away; what went to a bus goes to where the bus went.
func DeleteLane(id string) plan.Edit {
	return plan.OnLane(id, func(p *plan.Project, l *plan.Lane) (_ string, err error) {
		name, number, to, other := l.Name, l.Number, l.To, l.IsOther()
		p.Lanes = slices.DeleteFunc(p.Lanes, func(x plan.Lane) bool { return x.ID == id })
		for i := range p.Lanes {
			if p.Lanes[i].To == id {
				p.Lanes[i].To = to
				p.Lanes[i].AlsoMain = p.Lanes[i].AlsoMain && to != plan.MainMix
			}
			p.Lanes[i].DropSend(id)
		}
		if other {
			return fmt.Sprintf("forget the other lane %d %s", number, name), nil
		}
		return fmt.Sprintf("remove lane %d %s", number, name), nil
	})
}
