package edits

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
)

// Follow makes the project follow a version of the house chart. Nothing else changes:
// bringing it into line is another edit.
func Follow(c *house.Chart) plan.Edit {
	return func(p *plan.Project) (string, error) {
		p.Chart = c
		p.Relink()
		return fmt.Sprintf("follow version %d of the house chart", c.VersionNumber()), nil
	}
}

// AddException says that the project is meant to differ from the house in an attribute of a
// role and of those below it, and why.
func AddException(d plan.Exception) plan.Edit {
	return func(p *plan.Project) (string, error) {
		reason, err := plan.ParseName(d.Reason)
		if err != nil {
			return "", fmt.Errorf("say why it is meant to differ, in a few words")
		}
		if _, err := role.Parse(string(d.Role)); err != nil {
			return "", err
		}
		d.Reason = reason
		p.Exceptions = append(slices.DeleteFunc(p.Exceptions, d.Same), d)
		return "add an exception: " + reason, nil
	}
}

// RemoveException takes back every departure that lets the project differ there.
func RemoveException(r role.Role, attribute string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		n := len(p.Exceptions)
		p.Exceptions = slices.DeleteFunc(p.Exceptions, func(d plan.Exception) bool { return d.Covers(r, attribute) })
		if len(p.Exceptions) == n {
			return "", fmt.Errorf("there is no exception there any more")
		}
		return "remove an exception", nil
	}
}

// asTheHouse sets a newly placed instrument up as the house has its roles: parts play on
// their MIDI addresses, and microphones that are not in the set are closed.
func asTheHouse(pl *plan.Placed) {
	if pl.House() == nil {
		return
	}
	custom := pl.House().CustomOf(pl.AsDelivered().Name)
	pl.Order, pl.Names = custom.Order, custom.Names
	pl.Instrument.Parts = slices.Clone(pl.Instrument.Parts)
	given := map[midi.Address]bool{}
	for i := range pl.Instrument.Parts {
		part := &pl.Instrument.Parts[i]
		if a := pl.House().At(part.Role).Address.Norm(); a.Known() && !given[a] {
			part.Address, given[a] = a, true
		}
	}
	roles := map[role.Role]bool{}
	for _, f := range pl.AllFeeds() {
		if pl.House().Habit(f.Role) == house.UsuallyOff {
			pl.Feeds[f.ID] = plan.Assignment{State: plan.Off}
		}
		if f.Microphone != "" {
			roles[f.Role] = true
		}
	}
	for r := range roles {
		if set := pl.House().Microphones(r); len(set) > 0 {
			pl.OpenOnly(r, set)
		}
	}
}

// withinPorts refuses a MIDI address on a port that the host does not have.
func withinPorts(p *plan.Project, a midi.Address) error {
	if ports := p.Host.Behaviour().MIDIPorts; a.Known() && a.Port > ports {
		return fmt.Errorf("%s is past the last MIDI port of the host, %d", a, ports)
	}
	return nil
}

// SetAddress says which MIDI address a part plays on; the zero address is none.
func SetAddress(ref plan.FeedRef, a midi.Address) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, i, err := p.PartAt(ref)
		if err != nil {
			return "", err
		}
		if err := withinPorts(p, a); err != nil {
			return "", err
		}
		pl.Instrument.Parts = slices.Clone(pl.Instrument.Parts)
		pl.Instrument.Parts[i].Address = a.Norm()
		return fmt.Sprintf("play %s on %s", pl.Instrument.Parts[i].Name, a), nil
	}
}

// SetKitAddress says on which MIDI address the voices of an instrument without parts listen; the zero
// address is the usual one.
func SetKitAddress(placed string, a midi.Address) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		if _, ok := pl.Instrument.KitAddress(); !ok {
			return "", fmt.Errorf("%s has parts, which have MIDI addresses of their own", pl.Instrument.Name)
		}
		if err := withinPorts(p, a); err != nil {
			return "", err
		}
		if pl.Instrument.Kit = a.Norm(); !a.Known() {
			pl.Instrument.Kit = midi.Address{}
		}
		now, _ := pl.Instrument.KitAddress()
		return fmt.Sprintf("play %s on %s", pl.Instrument.Name, now), nil
	})
}

// wantsNoBus reports whether a bus's name stands for none.
func wantsNoBus(name string) bool { return name == "" || strings.EqualFold(name, house.MainMix) }

// SendTo sends lanes to the bus with the name, making it where there is none, or to
// the main mix.
func SendTo(p *plan.Project, lanes []string, bus string) error {
	if wantsNoBus(bus) {
		_, err := plan.Route(lanes, plan.MainMix, false)(p)
		return err
	}
	for _, b := range p.Buses() {
		if strings.EqualFold(b.Name, bus) {
			_, err := plan.Route(lanes, b.ID, false)(p)
			return err
		}
	}
	_, err := AddBus(bus, 0, lanes)(p)
	return err
}
