package plan

import (
	"errors"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Edit changes a project and says what it did, in words for the list of
// changes. An edit that fails may leave the document half changed; the caller
// then throws that copy away. Without a label there was nothing to change.
type Edit func(*Project) (label string, err error)

// ParseName reads a name that a user types: some characters, at most rig.MaxName.
func ParseName(s string) (string, error) {
	s = rig.CleanName(s)
	if s == "" {
		return "", fmt.Errorf("the name is empty; type one")
	}
	if len([]rune(s)) > rig.MaxName {
		return "", fmt.Errorf("the name is longer than %d characters; shorten it", rig.MaxName)
	}
	return s, nil
}

// PlacedWith gives the instrument with an ID, or says that it is gone.
func (p *Project) PlacedWith(id string) (*Placed, error) {
	if pl := p.Find(id); pl != nil {
		return pl, nil
	}
	return nil, errors.New("that instrument is not in this project")
}

// OutputAt gives the output that a reference names, or says what is gone.
func (p *Project) OutputAt(ref OutputRef) (*Placed, rig.Output, error) {
	pl, o, ok := p.Output(ref)
	switch {
	case ok:
		return pl, o, nil
	case pl == nil:
		_, err := p.PlacedWith(ref.Placed)
		return nil, o, err
	}
	return nil, o, fmt.Errorf("%s has no output %s", pl.Instrument.Name, ref.Jack())
}

// LaneWith gives the lane with an ID, or says that it is gone.
func (p *Project) LaneWith(id string) (*Lane, error) {
	if l := p.Lane(id); l != nil {
		return l, nil
	}
	return nil, ErrLaneGone
}

// OnLane is an edit of a lane or bus.
func OnLane(id string, do func(p *Project, l *Lane) (string, error)) Edit {
	return func(p *Project) (string, error) {
		l, err := p.LaneWith(id)
		if err != nil {
			return "", err
		}
		return do(p, l)
	}
}

// ErrLaneGone says that there is no lane with an ID any more.
var ErrLaneGone = errors.New("that lane is no longer in this project")

// NoFeed says that an instrument has a feed no more.
func NoFeed(pl *Placed) error {
	return fmt.Errorf("%s no longer has that feed", pl.Instrument.Name)
}

// Shelved is what is known of an instrument that comes from the shelf.
type Shelved struct {
	Shelf   int64  // its number there
	Variant string // the version that is loaded
	Own     bool   // its outputs are the ones it was saved with
	Fresh   bool   // it does not begin with the default of the machine, though one be saved
	Default string // the user's default set-up, as rig.ParseRuns reads it; "": none
}

// NameLane names a lane or bus.
func NameLane(id, name string) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		old := l.Name
		l.Name, err = ParseName(name)
		return fmt.Sprintf("rename lane %d from %s to %s", l.Number, old, l.Name), err
	})
}

// SetLaneWidth makes a lane or bus as wide.
func SetLaneWidth(id string, w audio.Width) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		l.Width = w
		return fmt.Sprintf("make lane %d %s %s", l.Number, l.Name, w), nil
	})
}

// ColourLane colours a lane or bus, "#rrggbb".
func ColourLane(id, colour string) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		l.Colour, err = ParseColour(colour)
		return fmt.Sprintf("colour lane %d %s", l.Number, l.Name), err
	})
}

// SetGain sets a lane's fader, −60 to +12 dB.
func SetGain(id string, gain audio.Decibels) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if !(gain >= LowestFader && gain <= 12) {
			return "", fmt.Errorf("a fader goes from −60 to +12 dB")
		}
		l.Gain, l.Typed.Gain = gain, true
		return fmt.Sprintf("set lane %d %s to %s", l.Number, l.Name, gain), nil
	})
}

// LeaveFader plans the level of a lane no more, or its pan: it is as the mixer has it.
func LeaveFader(id string, a Attribute) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if a == AttrGain {
			l.Gain, l.Typed.Gain = 0, false
			return fmt.Sprintf("plan no level of lane %d %s", l.Number, l.Name), nil
		}
		l.Pan, l.Typed.Pan = 0, false
		return fmt.Sprintf("plan no pan of lane %d %s", l.Number, l.Name), nil
	})
}

// LowestFader is as far down as a fader of a lane is planned.
const LowestFader audio.Decibels = -60

// SetPan sets a lane's pan, from −1, left, to +1, right.
func SetPan(id string, pan float64) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if !(pan >= -1 && pan <= 1) {
			return "", fmt.Errorf("a pan goes from −100 %% to +100 %%")
		}
		l.Pan, l.Typed.Pan = pan, true
		return fmt.Sprintf("pan lane %d %s: %s", l.Number, l.Name, rig.PanText(pan)), nil
	})
}

// MoveLane gives a lane another number. Onto a free number it simply goes
// there; onto a number of the project's own the lanes between make room, each
// moving one place along the numbers the project already has. References
// follow, for they are by ID.
func MoveLane(id string, to LaneNumber) Edit {
	return OnLane(id, func(p *Project, l *Lane) (_ string, err error) {
		from := l.Number
		label := fmt.Sprintf("move %s from lane %d to %d", l.Name, from, to)
		if err := p.CanHold(to); err != nil {
			return "", err
		}
		switch {
		case p.Host.Taken.Contains(to):
			return "", fmt.Errorf("lane %d is taken by something else in the host; choose a free one", to)
		case to == from:
			return "", fmt.Errorf("%s is on lane %d already", l.Name, to)
		}
		for _, x := range p.OtherLanes() {
			if x.Number == to {
				return "", fmt.Errorf("lane %d is %s, which the plan did not make; choose a free number", to, x.Name)
			}
		}
		if l.IsOther() && p.Used().Contains(to) {
			return "", fmt.Errorf("lane %d is in use; choose a free number", to)
		}
		order := p.OwnLanes()
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
			b, err := p.LaneWith(to)
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
		names, err := p.EachLane(ids, func(l *Lane) error {
			if l.ID == to {
				return fmt.Errorf("%s cannot feed itself", l.Name)
			}
			l.To, l.AlsoMain = to, alsoMain
			return nil
		})
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("route %s to %s", JoinNames(names), where), nil
	}
}

// CanHold refuses a lane number that the host does not have.
func (p *Project) CanHold(number LaneNumber) error {
	switch {
	case number < 1:
		return fmt.Errorf("lanes count from 1")
	case p.Host.LaneLimit > 0 && number > p.Host.LaneLimit:
		return fmt.Errorf("lane %d is beyond the host's limit of %d", number, p.Host.LaneLimit)
	}
	return nil
}

// FreeForBus is the lowest free number above every lane that takes outputs or
// is about to, or the lowest free one at all.
func (p *Project) FreeForBus(more Ranges) (LaneNumber, error) {
	above := p.Host.FirstLane
	for _, l := range p.OwnLanes() {
		if l.Kind == Regular {
			above = max(above, l.Number+1)
		}
	}
	for _, r := range more {
		above = max(above, r.To+1)
	}
	used := append(p.Used(), more...)
	if n, err := freeBlock(1, above, p.Host.LaneLimit, used); err == nil {
		return n, nil
	}
	return freeBlock(1, 1, p.Host.LaneLimit, used)
}

// PointLane makes the lane take the output, or nothing for the zero OutputRef.
func PointLane(id string, source OutputRef) Edit {
	return OnLane(id, func(p *Project, l *Lane) (_ string, err error) {
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
		_, o, err := p.OutputAt(source)
		if err != nil {
			return "", err
		}
		l.Sources, l.Width, l.Kept = []OutputRef{source}, o.Width, role.Unnamed
		return fmt.Sprintf("point lane %d %s at output %s", l.Number, l.Name, source.Jack()), nil
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

// LaneLoads are FeedsOn for every output.
func (p *Project) LaneLoads() map[OutputRef][]rig.Feed {
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

// Carries reports whether anything wanted leaves an instrument by an output, as its own or beside it.
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
