package plan

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Edit changes a project and says what it did, in words for the list of
// changes. An edit that fails may leave the document half changed; the caller
// then throws that copy away. Without a label there was nothing to change.
type Edit func(*Project) (label string, err error)

// rig.MaxName bounds the names a user types, in runes.

func cleanName(s string) (string, error) {
	s = rig.CleanName(s)
	if s == "" {
		return "", fmt.Errorf("the name is empty; type one")
	}
	if len([]rune(s)) > rig.MaxName {
		return "", fmt.Errorf("the name is longer than %d characters; shorten it", rig.MaxName)
	}
	return s, nil
}

func (p *Project) placed(id string) (*Placed, error) {
	if pl := p.Find(id); pl != nil {
		return pl, nil
	}
	return nil, errors.New("that instrument is not in this project")
}

func (p *Project) output(ref OutputRef) (*Placed, rig.Output, error) {
	pl, o, ok := p.Output(ref)
	switch {
	case ok:
		return pl, o, nil
	case pl == nil:
		_, err := p.placed(ref.Placed)
		return nil, o, err
	}
	return nil, o, fmt.Errorf("%s has no output %s", pl.Instrument.Name, ref.Jack())
}

func (p *Project) lane(id string) (*Lane, error) {
	if l := p.Lane(id); l != nil {
		return l, nil
	}
	return nil, errLaneGone
}

// onLane is an edit of a lane or bus.
func onLane(id string, do func(p *Project, l *Lane) (string, error)) Edit {
	return func(p *Project) (string, error) {
		l, err := p.lane(id)
		if err != nil {
			return "", err
		}
		return do(p, l)
	}
}

var errLaneGone = errors.New("that lane is no longer in this project")

func (p *Project) feed(ref FeedRef) (*Placed, rig.Feed, error) {
	pl, err := p.placed(ref.Placed)
	if err != nil {
		return nil, rig.Feed{}, err
	}
	for _, f := range pl.AllFeeds() {
		if f.ID == ref.Feed {
			return pl, f, nil
		}
	}
	return nil, rig.Feed{}, noFeed(pl)
}

func noFeed(pl *Placed) error {
	return fmt.Errorf("%s no longer has that feed", pl.Instrument.Name)
}

// Rename names the project.
func Rename(name string) Edit {
	return func(p *Project) (string, error) {
		n, err := cleanName(name)
		p.Name = n
		return "name the project " + n, err
	}
}

// SetHost says how many lanes the host has, which are taken and where to begin.
func SetHost(h Host) Edit {
	return func(p *Project) (string, error) {
		h.Profile = p.Host.Profile // its own edit: SetProfile
		if err := h.validate(); err != nil {
			return "", err
		}
		p.Host = h
		return "change what the host has", nil
	}
}

// SetSong takes the song whose notes say what is used; nil takes it away.
func SetSong(s *Song) Edit {
	return func(p *Project) (string, error) {
		p.Song = s
		if s == nil {
			return "remove the song", nil
		}
		return "take the song " + s.Name, nil
	}
}

// Place puts an instrument into the project with its outputs.
func Place(in rig.Instrument, outputs []rig.Output, offset int) Edit {
	return func(p *Project) (string, error) {
		p.Placed = append(p.Placed, Placed{ID: p.newID("i"), Instrument: in, Outputs: outputs, Offset: offset,
			Feeds: map[string]Assignment{}})
		p.Relink()
		p.nameApart(len(p.Placed) - 1)
		pl := &p.Placed[len(p.Placed)-1]
		pl.asTheHouse()
		pl.mixesOff()
		pl.startAsUsual()
		return "add " + pl.Instrument.Name, nil
	}
}

// Shelved is what is known of an instrument that comes from the shelf.
type Shelved struct {
	Shelf   int64  // its number there
	Variant string // the version that is loaded
	Own     bool   // its outputs are the ones it was saved with
	Default string // the user's default set-up, as rig.ParseRuns reads it; "": none
}

// PlaceFromShelf is Place for an instrument that is kept on the shelf.
func PlaceFromShelf(from Shelved, in rig.Instrument, outputs []rig.Output, offset int) Edit {
	return func(p *Project) (string, error) {
		label, err := Place(in, outputs, offset)(p)
		if err != nil {
			return "", err
		}
		pl := &p.Placed[len(p.Placed)-1]
		pl.Shelf, pl.OwnSetup, pl.DefaultSetup = from.Shelf, from.Own, from.Default
		if l := in.AsLaidOut(); l != nil && pl.Start.Kind == AsDelivered && beginWith(outputs, l.Outputs) {
			if _, err := BeginIn(pl.ID, l.Name, in.Layouts)(p); err != nil {
				return "", err
			}
		}
		if from.Variant != "" {
			if _, err := SetVariant(pl.ID, from.Variant)(p); err != nil {
				return "", err
			}
		}
		return label, nil
	}
}

// SetOutputs gives a placed instrument a new set of outputs. Assignments stay:
// those to outputs that are gone are found and explained.
func SetOutputs(placed string, outputs []rig.Output, offset int) Edit {
	return func(p *Project) (string, error) {
		pl, err := p.placed(placed)
		if err != nil {
			return "", err
		}
		if pl.Instrument.Fixed && rig.FormatRuns(rig.Runs(outputs)) != rig.FormatRuns(pl.Instrument.Delivered) {
			return "", fmt.Errorf("%s has fixed outputs, %s; they are fixed", pl.Instrument.Name,
				rig.FormatRuns(pl.Instrument.Delivered))
		}
		pl.Outputs, pl.Offset, pl.OwnSetup = outputs, offset, false
		pl.rejoin(func(o rig.Output) bool { return o.Width == audio.Stereo })
		return fmt.Sprintf("set %s to %s outputs", pl.Instrument.Name, rig.FormatRuns(rig.Runs(outputs))), nil
	}
}

// UseSetup gives a placed instrument the outputs of a kept set-up; its offset stays.
func UseSetup(placed, setup string, outputs []rig.Output) Edit {
	return func(p *Project) (string, error) {
		pl, err := p.placed(placed)
		if err != nil {
			return "", err
		}
		label, err := SetOutputs(placed, outputs, pl.Offset)(p)
		return label + ", " + setup, err
	}
}

// Remove takes an instrument out, with the lanes that took nothing else.
func Remove(placed string) Edit {
	return func(p *Project) (string, error) {
		pl, err := p.placed(placed)
		if err != nil {
			return "", err
		}
		name := pl.Instrument.Name
		p.Placed = slices.DeleteFunc(p.Placed, func(x Placed) bool { return x.ID == placed })
		p.Lanes = slices.DeleteFunc(p.Lanes, func(l Lane) bool {
			return len(l.Sources) > 0 && !slices.ContainsFunc(l.Sources, func(s OutputRef) bool { return s.Placed != placed })
		})
		for i := range p.Lanes {
			p.Lanes[i].Sources = slices.DeleteFunc(p.Lanes[i].Sources, func(s OutputRef) bool { return s.Placed == placed })
		}
		return "remove " + name, nil
	}
}

// Decide says where a feed goes: to an output, parked on one, off, or nothing.
func Decide(ref FeedRef, to State, at Jack) Edit {
	return onFeed(ref, func(pl *Placed, f rig.Feed) (string, error) { return pl.decide(f, to, at) })
}

// onFeed is an edit of what is decided for a feed.
func onFeed(ref FeedRef, do func(*Placed, rig.Feed) (string, error)) Edit {
	return func(p *Project) (string, error) {
		pl, f, err := p.feed(ref)
		if err != nil {
			return "", err
		}
		return do(pl, f)
	}
}

// decide is Decide of a feed that was found, which stays as it is.
func (pl *Placed) decide(f rig.Feed, to State, at Jack) (label string, err error) {
	a := pl.Feeds[f.ID]
	a.State, a.Output, a.Side, a.ByHand = to, 0, "", to == Parked || to == Off
	switch to {
	case Undecided:
		label = "clear the output of " + f.Name
	case Off:
		label = "switch " + f.Name + " off"
	case Assigned, Parked:
		o, ok := pl.Output(at)
		if !ok {
			return "", fmt.Errorf("%s has no output %s; it has %d", pl.Instrument.Name, at, len(pl.Outputs))
		}
		a.Output, a.Side = at.Output, at.Side
		verb := "assign "
		if to == Parked {
			verb = "park "
		}
		label = fmt.Sprintf("%s%s on output %s (%s)", verb, f.Name, o.Label(), o.PortNames(0))
	default:
		return "", fmt.Errorf("a feed cannot be %q", to)
	}
	pl.setFeed(f.ID, a)
	return label, nil
}

// setFeed says what is decided of a feed.
func (pl *Placed) setFeed(id string, a Assignment) {
	if pl.Feeds == nil {
		pl.Feeds = map[string]Assignment{}
	}
	pl.Feeds[id] = a
}

// Toggle assigns or parks a feed on a jack, or takes it off again where it is there so
// already.
func Toggle(ref FeedRef, to State, at Jack) Edit {
	return func(p *Project) (string, error) {
		if pl := p.Find(ref.Placed); pl != nil {
			if a := pl.Feeds[ref.Feed]; a.State == to && a.At() == at {
				to, at = Undecided, Jack{}
			}
		}
		return Decide(ref, to, at)(p)
	}
}

// SetWish says how much a feed wants an output of its own, 0–3; below 0 gives
// it back to the house chart.
func SetWish(ref FeedRef, wish int) Edit {
	return onFeed(ref, func(pl *Placed, f rig.Feed) (string, error) { return pl.setWish(f, wish) })
}

func (pl *Placed) setWish(f rig.Feed, wish int) (string, error) {
	if wish > house.Never {
		return "", fmt.Errorf("own output is one of 0 to 3")
	}
	a := pl.Feeds[f.ID]
	a.Wish = nil
	if wish >= 0 {
		a.Wish = &wish
	}
	pl.setFeed(f.ID, a)
	return fmt.Sprintf("own output of %s: %s", f.Name, house.WishTexts[pl.Wish(f)]), nil
}

// NameLane names a lane or bus.
func NameLane(id, name string) Edit {
	return onLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		old := l.Name
		l.Name, err = cleanName(name)
		return fmt.Sprintf("rename lane %d from %s to %s", l.Number, old, l.Name), err
	})
}

// SetLaneWidth makes a lane or bus as wide.
func SetLaneWidth(id string, w audio.Width) Edit {
	return onLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		l.Width = w
		return fmt.Sprintf("make lane %d %s %s", l.Number, l.Name, w), nil
	})
}

// NameInstrument renames an instrument in the project; the one on the shelf keeps its name.
func NameInstrument(placed, name string) Edit {
	return change(placed, func(_ *Project, pl *Placed) (string, error) {
		n, err := cleanName(name)
		if err != nil {
			return "", err
		}
		was := pl.Instrument.Name
		pl.Instrument.Name = n
		return fmt.Sprintf("rename %s to %s", was, n), nil
	})
}

// ColourLane colours a lane or bus, "#rrggbb".
func ColourLane(id, colour string) Edit {
	return onLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		l.Colour, err = parseColour(colour)
		return fmt.Sprintf("colour lane %d %s", l.Number, l.Name), err
	})
}

// SetGain sets a lane's fader, −60 to +12 dB.
func SetGain(id string, gain audio.Decibels) Edit {
	return onLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if !(gain >= -60 && gain <= 12) {
			return "", fmt.Errorf("a fader goes from −60 to +12 dB")
		}
		l.Gain = gain
		return fmt.Sprintf("set lane %d %s to %s", l.Number, l.Name, gain), nil
	})
}

// SetPan sets a lane's pan, from −1, left, to +1, right.
func SetPan(id string, pan float64) Edit {
	return onLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if !(pan >= -1 && pan <= 1) {
			return "", fmt.Errorf("a pan goes from −100 %% to +100 %%")
		}
		l.Pan = pan
		return fmt.Sprintf("pan lane %d %s: %s", l.Number, l.Name, rig.PanText(pan)), nil
	})
}

// MoveLane gives a lane another number. Onto a free number it simply goes
// there; onto a number of the project's own the lanes between make room, each
// moving one place along the numbers the project already has. References
// follow, for they are by ID.
func MoveLane(id string, to LaneNumber) Edit {
	return onLane(id, func(p *Project, l *Lane) (_ string, err error) {
		from := l.Number
		label := fmt.Sprintf("move %s from lane %d to %d", l.Name, from, to)
		if err := p.has(to); err != nil {
			return "", err
		}
		switch {
		case p.Host.Taken.Contains(to):
			return "", fmt.Errorf("lane %d is taken by something else in the host; choose a free one", to)
		case to == from:
			return "", fmt.Errorf("%s is on lane %d already", l.Name, to)
		}
		for _, x := range p.Others() {
			if x.Number == to {
				return "", fmt.Errorf("lane %d is %s, which the plan did not make; choose a free number", to, x.Name)
			}
		}
		if l.IsOther() && p.Used().Contains(to) {
			return "", fmt.Errorf("lane %d is in use; choose a free number", to)
		}
		order := p.Own()
		target := slices.IndexFunc(order, func(x *Lane) bool { return x.Number == to && x.ID != id })
		if target < 0 {
			l.Number = to
			return label, nil
		}
		numbers := make([]LaneNumber, len(order))
		for i, x := range order {
			numbers[i] = x.Number
		}
		own := slices.IndexFunc(order, func(x *Lane) bool { return x.ID == id })
		order = slices.Insert(slices.Delete(order, own, own+1), target, l)
		for i, x := range order {
			x.Number = numbers[i]
		}
		return label, nil
	})
}

// Route says where a lane goes. A bus instead of the main mix, unless alsoMain
// is asked for.
func Route(ids []string, to string, alsoMain bool) Edit {
	return func(p *Project) (string, error) {
		where := "the main mix"
		if to != MainMix {
			b, err := p.lane(to)
			if err != nil {
				return "", err
			}
			if b.Kind != Bus {
				return "", fmt.Errorf("lane %d %s is not a bus", b.Number, b.Name)
			}
			where = b.Name
		} else {
			alsoMain = false
		}
		if alsoMain {
			where += " and the main mix"
		}
		names, err := p.eachLane(ids, func(l *Lane) error {
			if l.ID == to {
				return fmt.Errorf("%s cannot feed itself", l.Name)
			}
			l.To, l.AlsoMain = to, alsoMain
			return nil
		})
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("route %s to %s", list(names), where), nil
	}
}

// has refuses a lane number that the host does not have.
func (p *Project) has(number LaneNumber) error {
	switch {
	case number < 1:
		return fmt.Errorf("lanes count from 1")
	case p.Host.LaneLimit > 0 && number > p.Host.LaneLimit:
		return fmt.Errorf("lane %d is beyond the host's limit of %d", number, p.Host.LaneLimit)
	}
	return nil
}

// AddBus makes a bus on the number (0: the lowest free one above the lanes) and
// sends the lanes to it instead of where they went. Where all of them went to one bus,
// the new one goes there.
func AddBus(name string, number LaneNumber, members []string) Edit {
	return func(p *Project) (string, error) {
		n, err := cleanName(name)
		if err != nil {
			return "", err
		}
		if number == 0 {
			if number, err = p.FreeForBus(nil); err != nil {
				return "", err
			}
		}
		if err := p.has(number); err != nil {
			return "", err
		}
		var r role.Role
		for _, id := range members {
			if l := p.Lane(id); l != nil && len(l.Sources) > 0 && r == role.Unnamed {
				r = CommonRole(p.FeedsOn(l.Sources[0]))
			}
		}
		b := Lane{ID: p.newID("l"), Number: number, Name: n, Kind: Bus, Width: audio.Stereo, Colour: p.Chart.BusColour(r),
			To: p.commonBus(members)}
		p.Lanes = append(p.Lanes, b)
		if len(members) > 0 {
			if _, err := Route(members, b.ID, false)(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("add the bus %s on lane %d", n, number), nil
	}
}

// FreeForBus is the lowest free number above every lane that takes outputs or
// is about to, or the lowest free one at all.
func (p *Project) FreeForBus(more Ranges) (LaneNumber, error) {
	above := p.Host.FirstLane
	for _, l := range p.Own() {
		if l.Kind == Regular {
			above = max(above, l.Number+1)
		}
	}
	for _, r := range more {
		above = max(above, r.To+1)
	}
	used := append(p.Used(), more...)
	if n, err := FreeBlock(1, above, p.Host.LaneLimit, used); err == nil {
		return n, nil
	}
	return FreeBlock(1, 1, p.Host.LaneLimit, used)
}

// AddLane makes a lane for an output (zero: an empty lane) on the number, or on
// the lowest free one from the host's first lane.
func AddLane(source OutputRef, number LaneNumber, name string) Edit {
	return func(p *Project) (string, error) { return p.addLane(source, number, name, p.FeedsOn(source)) }
}

// addLane is AddLane for those who know what is on the output.
func (p *Project) addLane(source OutputRef, number LaneNumber, name string, feeds []rig.Feed) (_ string, err error) {
	width := audio.Stereo
	var sources []OutputRef
	if source != (OutputRef{}) {
		pl, o, err := p.output(source)
		if err != nil {
			return "", err
		}
		width, sources = o.Width, []OutputRef{source}
		if name == "" {
			name = NewNamer(pl).Name(feeds, o)
		}
	}
	if number == 0 {
		if number, err = p.Free(1, p.Host.FirstLane); err != nil {
			return "", err
		}
	}
	if err := p.has(number); err != nil {
		return "", err
	}
	n, err := cleanName(cmp.Or(name, fmt.Sprintf("Lane %d", number)))
	if err != nil {
		return "", err
	}
	p.Lanes = append(p.Lanes, Lane{ID: p.newID("l"), Number: number, Name: n, Kind: Regular, Width: width,
		Colour: p.Chart.Colour(CommonRole(feeds)), Sources: sources, To: p.usualBus(source)})
	return fmt.Sprintf("add lane %d %s", number, n), nil
}

// usualBus is the bus that the other lanes of the instrument go to, if all that
// go to a bus agree.
func (p *Project) usualBus(source OutputRef) string {
	bus := MainMix
	for _, l := range p.Lanes {
		if l.Kind == Regular && l.To != MainMix &&
			slices.ContainsFunc(l.Sources, func(s OutputRef) bool { return s.Placed == source.Placed }) {
			if bus != MainMix && bus != l.To {
				return MainMix
			}
			bus = l.To
		}
	}
	return bus
}

// PointLane makes the lane take the output, or nothing for the zero OutputRef.
func PointLane(id string, source OutputRef) Edit {
	return onLane(id, func(p *Project, l *Lane) (_ string, err error) {
		if l.Kind == Bus {
			return "", fmt.Errorf("%s is a bus; it takes lanes, not outputs", l.Name)
		}
		if l.IsOther() {
			return "", fmt.Errorf("lane %d %s is not one that the plan made; take it into the plan first", l.Number, l.Name)
		}
		if source == (OutputRef{}) {
			l.Sources = nil
			return fmt.Sprintf("clear the output of lane %d %s", l.Number, l.Name), nil
		}
		_, o, err := p.output(source)
		if err != nil {
			return "", err
		}
		l.Sources, l.Width, l.Kept = []OutputRef{source}, o.Width, role.Unnamed
		return fmt.Sprintf("point lane %d %s at output %s", l.Number, l.Name, source.Jack()), nil
	})
}

// ArriveOn says which lane number an output arrives on: it leaves the lanes it was
// on, joins the lane with that number, or has one opened there. Number 0 leaves
// it without a lane.
func ArriveOn(source OutputRef, number LaneNumber) Edit {
	return func(p *Project) (string, error) {
		if _, _, err := p.output(source); err != nil {
			return "", err
		}
		var target *Lane
		for i := range p.Lanes {
			if p.Lanes[i].Number == number {
				target = &p.Lanes[i]
			}
		}
		if target != nil && target.IsOther() {
			return "", fmt.Errorf("lane %d is %s, which the plan did not make; choose another, or take it into the plan first",
				number, target.Name)
		}
		if target != nil && target.Kind == Bus {
			return "", fmt.Errorf("lane %d is the bus %s; an output needs a lane of its own", number, target.Name)
		}
		if number != 0 {
			if err := p.has(number); err != nil {
				return "", err
			}
		}
		was := p.LanesOf(source)
		for _, l := range was {
			l.Sources = slices.DeleteFunc(l.Sources, func(s OutputRef) bool { return s == source })
		}
		switch {
		case number == 0:
			return fmt.Sprintf("leave output %s without a lane", source.Jack()), nil
		case target != nil:
			target.Sources, target.Kept = append(target.Sources, source), role.Unnamed
		case len(was) == 1 && len(was[0].Sources) == 0:
			was[0].Sources, was[0].Number = []OutputRef{source}, number // the lane itself goes along
		default:
			if _, err := AddLane(source, number, "")(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("let output %s arrive on lane %d", source.Jack(), number), nil
	}
}

// DeleteLane takes a lane or bus away; what went to a bus goes to where the bus went.
func DeleteLane(id string) Edit {
	return onLane(id, func(p *Project, l *Lane) (_ string, err error) {
		name, number, to, other := l.Name, l.Number, l.To, l.IsOther()
		p.Lanes = slices.DeleteFunc(p.Lanes, func(x Lane) bool { return x.ID == id })
		for i := range p.Lanes {
			if p.Lanes[i].To == id {
				p.Lanes[i].To = to
				p.Lanes[i].AlsoMain = p.Lanes[i].AlsoMain && to != MainMix
			}
			p.Lanes[i].DropSend(id)
		}
		if other {
			return fmt.Sprintf("forget the other lane %d %s", number, name), nil
		}
		return fmt.Sprintf("remove lane %d %s", number, name), nil
	})
}

// FeedsOn lists the wanted feeds that the output carries, in chart order.
func (p *Project) FeedsOn(ref OutputRef) []rig.Feed {
	pl := p.Find(ref.Placed)
	if pl == nil {
		return nil
	}
	return pl.Loads()[ref.Jack()]
}

// loads are FeedsOn for every output.
func (p *Project) loads() map[OutputRef][]rig.Feed {
	out := map[OutputRef][]rig.Feed{}
	for i := range p.Placed {
		for jack, feeds := range p.Placed[i].Loads() {
			out[OutputRef{p.Placed[i].ID, jack.Output, jack.Side}] = feeds
		}
	}
	return out
}

// SecondExits lists the feeds that leave by an output beside their own, in chart order: those that
// are set to own and main output, where it is the main one.
func (p *Project) SecondExits(ref OutputRef) (out []rig.Feed) {
	pl := p.Find(ref.Placed)
	if pl == nil {
		return nil
	}
	jacks := pl.Jacks()
	if len(jacks) == 0 || pl.Ref(jacks[0]) != ref {
		return nil
	}
	for _, f := range pl.AllFeeds() {
		if f.AlsoMain && !f.Closed && pl.Feeds[f.ID].At() != ref.Jack() {
			out = append(out, f)
		}
	}
	return out
}

// Carries tells whether anything wanted leaves an instrument by an output, as its own or beside it.
func (p *Project) Carries(ref OutputRef) bool {
	return len(p.FeedsOn(ref)) > 0 || len(p.SecondExits(ref)) > 0
}

// Loads lists the wanted feeds of every jack, in chart order.
func (pl *Placed) Loads() map[Jack][]rig.Feed { return pl.LoadsOf(pl.AllFeeds()) }

// LoadsOf is Loads for those who have listed AllFeeds already.
func (pl *Placed) LoadsOf(feeds []rig.Feed) map[Jack][]rig.Feed {
	out := map[Jack][]rig.Feed{}
	for _, f := range feeds {
		if a := pl.Feeds[f.ID]; a.State == Assigned {
			out[a.At()] = append(out[a.At()], f)
		}
	}
	return out
}

// CommonRole is the deepest role that all the feeds stand under.
func CommonRole(feeds []rig.Feed) role.Role {
	if len(feeds) == 0 {
		return role.Unnamed
	}
	r := feeds[0].Role
	for _, f := range feeds[1:] {
		r = role.Common(r, f.Role)
	}
	return r
}
