package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Same reports whether two exceptions are of one attribute of one role.
func (d Exception) Same(o Exception) bool { return d.Role == o.Role && d.Attribute == o.Attribute }

// Covers reports whether the exception holds for an attribute of a role.
func (d Exception) Covers(r role.Role, attribute string) bool {
	return (d.Attribute == "" || d.Attribute == attribute) && r.Under(d.Role)
}

// ExceptionAt looks a role and an attribute up among exceptions.
func ExceptionAt(list []Exception, r role.Role, attribute string) (reason string, ok bool) {
	for _, d := range list {
		if d.Covers(r, attribute) {
			return d.Reason, true
		}
	}
	return "", false
}

// LaneRoles is what each lane carries, by ID: the deepest role of all its wanted feeds,
// what an empty one is kept for, and for a bus what its lanes have in common.
func (p *Project) LaneRoles() map[string]role.Role {
	loads := map[string]map[Jack][]rig.Feed{}
	for i := range p.Placed {
		loads[p.Placed[i].ID] = p.Placed[i].Loads()
	}
	out, buses := map[string]role.Role{}, map[string]bool{}
	for _, l := range p.Lanes {
		if l.Kind == Bus {
			buses[l.ID] = true
			continue
		}
		var feeds []rig.Feed
		for _, s := range l.Sources {
			feeds = append(feeds, loads[s.Placed][s.Jack()]...)
		}
		switch out[l.ID] = CommonRole(feeds); {
		case len(feeds) > 0:
		case l.Kept != role.Unnamed:
			out[l.ID] = l.Kept
		case len(l.Sources) == 0 && !l.IsOther():
			out[l.ID] = role.FromName(l.Name).Role // a lane read from a session
		}
	}
	fed := map[string]bool{}
	for _, l := range p.Lanes {
		if l.Kind == Regular && buses[l.To] {
			if !fed[l.To] {
				out[l.To], fed[l.To] = out[l.ID], true
			}
			out[l.To] = role.Common(out[l.To], out[l.ID])
		}
	}
	for _, l := range p.Lanes {
		if l.Kind == Bus && !fed[l.ID] {
			out[l.ID] = l.Kept
		}
	}
	return out
}

// ShortNames are the names of lanes for places that hold six letters, by ID: the house's for what a
// lane carries, or its own name shortened; of several that would be alike the later ones end in a
// number. roles are those of LaneRoles.
func (p *Project) ShortNames(roles map[string]role.Role) map[string]string {
	out, taken := map[string]string{}, map[string]bool{}
	next := map[string]int{} // the number that a name takes next, by the name
	for _, l := range p.ByNumber() {
		base := house.Shorten(l.Name)
		if s := p.Chart.At(roles[l.ID]).Short; s != "" && l.Kind == Regular {
			base = s
		}
		short, letters := base, []rune(base)
		low := strings.ToLower(base)
		for n := max(next[low], 2); taken[strings.ToLower(short)]; n++ {
			next[low] = n + 1
			mark := strconv.Itoa(n)
			short = strings.TrimSpace(string(letters[:min(len(letters), max(1, 5-len(mark)))])) + " " + mark
		}
		out[l.ID], taken[strings.ToLower(short)] = short, true
	}
	return out
}

// Divided tells which lanes, by ID, have a divider above them in a list by number, as
// the lane or the house chart says; roles are those of LaneRoles.
func (p *Project) Divided(roles map[string]role.Role) map[string]bool {
	out := map[string]bool{}
	var last *Lane
	for _, l := range p.OwnLanes() {
		if l.Kind == Bus {
			continue
		}
		if l.Divider != nil {
			out[l.ID] = *l.Divider
		} else if last != nil {
			_, out[l.ID] = p.Chart.DividerBetween(roles[last.ID], roles[l.ID])
		}
		last = l
	}
	return out
}

// OpenOnly leaves those microphones of a role open that are named, and closes the
// others. Where the microphones are feeds themselves the role is their root.
func (pl *Placed) OpenOnly(r role.Role, names []string) {
	if pl.Feeds == nil {
		pl.Feeds = map[string]Assignment{}
	}
	of := map[string]string{}
	for _, m := range pl.Instrument.Microphones {
		of[m.ID] = m.Name
	}
	for _, f := range pl.AllFeeds() {
		if f.Microphone == "" || f.Role != r && !(f.Kind == rig.MicrophoneFeed && f.Role.Root() == r) {
			continue
		}
		wanted := slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, of[f.Microphone]) })
		a := pl.Feeds[f.ID]
		switch {
		case wanted && a.State == Off:
			a.State, a.ByHand = Undecided, false
		case !wanted && a.State != Off:
			a.State, a.Output, a.Side, a.ByHand = Off, 0, "", true
		}
		pl.Feeds[f.ID] = a
	}
}

// Template is the project without its instruments: lanes, buses, names, colours and
// where they go stay, each lane empty and kept for what it carried.
func (p *Project) Template() *Project {
	out := p.Clone()
	out.keepRoles(func(l *Lane) bool { return !l.IsOther() })
	for i := range out.Lanes {
		out.Lanes[i].Sources = nil
	}
	out.beginFromKept()
	out.Placed, out.Song, out.Patched, out.StandIn, out.Intended = nil, nil, nil, nil, nil
	return out
}

// Copy is a new project like this one: all of the plan comes along, and nothing of
// what is in the host or was practised, but for the template of the host that was kept: a
// session of the new one begins from it.
func (p *Project) Copy(name string) *Project {
	out := p.Clone()
	out.beginFromKept()
	out.Name, out.Patched, out.StandIn = name, nil, nil
	return out
}

// KeepRoles writes down what the lanes of an instrument carry, before it goes.
func (p *Project) KeepRoles(placed string) {
	p.keepRoles(func(l *Lane) bool {
		return slices.ContainsFunc(l.Sources, func(s OutputRef) bool { return s.Placed == placed })
	})
}

// keepRoles writes down what lanes carry, before it is taken from them.
func (p *Project) keepRoles(which func(*Lane) bool) {
	roles := p.LaneRoles()
	for i := range p.Lanes {
		if l := &p.Lanes[i]; which(l) {
			l.Kept = roles[l.ID]
		}
	}
}

// PartAt gives a part of a placed instrument.
func (p *Project) PartAt(ref FeedRef) (*Placed, int, error) {
	if pl := p.Find(ref.Placed); pl != nil {
		for i, part := range pl.Instrument.Parts {
			if part.ID == ref.Feed {
				return pl, i, nil
			}
		}
	}
	return nil, 0, fmt.Errorf("that part is no longer in this project")
}

// PlaceOfAddress is a MIDI address with what it is counted within: an instance, or "", the whole host.
type PlaceOfAddress struct {
	Within string // the placed ID of an instance
	midi.Address
}

// At is where an address of an instrument is counted, by the project's kind of host.
func (p *Project) At(placed string, a midi.Address) PlaceOfAddress {
	if p.Host.Behaviour().MIDI == rig.WithinInstance {
		return PlaceOfAddress{placed, a.Norm()}
	}
	return PlaceOfAddress{"", a.Norm()}
}

// FreeAddress is the next MIDI address that no part plays on which counts with those of the placed
// instrument, within the host's ports; the percussion channel is left to an instrument of voices, where
// there is one.
func (p *Project) FreeAddress(placed string) (midi.Address, bool) {
	used, kit := map[midi.Address]bool{}, false
	within := p.At(placed, midi.Address{}).Within
	for i := range p.Placed {
		in := &p.Placed[i].Instrument
		if within != "" && p.Placed[i].ID != within {
			continue
		}
		for _, part := range in.Parts {
			used[part.Address.Norm()] = true
		}
		if a, ok := in.KitAddress(); ok {
			used[a] = true
			kit = kit || !in.Kit.Known()
		}
	}
	for port := 1; port <= p.Host.Behaviour().MIDIPorts; port++ {
		for c := midi.Channel(1); c <= 16; c++ {
			if a := (midi.Address{Port: port, Channel: c}); !used[a] && !(kit && c == midi.PercussionChannel) {
				return a, true
			}
		}
	}
	return midi.Address{}, false
}
