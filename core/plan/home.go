package plan

import (
	"slices"

	"hiddenlanes/core/rig"
)

// The home of an instrument is the lane that came with it when it was loaded: its first output
// arrives there. To remove that lane is to remove the instrument.

// HasHomes reports whether an instrument gets a lane of its own when it is loaded.
func HasHomes(profile rig.Profile) bool {
	return profile.FirstOnOwn || profile.Appears == rig.WhenAssigned
}

// HomeOf is the lane of a state on which an instrument was loaded, by the instrument's placed ID;
// nil where it is not loaded, or where the kind of host gives it none. Where nobody has written
// that down, it is the lane that takes its first output; of several, one that the project does not
// have, since such a lane came by itself.
func (s *Patched) HomeOf(p *Project, placed string) *Lane {
	in, loaded := s.Instruments[placed]
	if !loaded || !HasHomes(p.Host.Behaviour()) {
		return nil
	}
	if l := s.Lane(in.Home); in.Home != "" && l != nil {
		return l
	}
	if len(in.Setup) == 0 {
		return nil
	}
	first := OutputRef{Placed: placed, Output: in.Setup[0].Number}
	var home *Lane
	for i := range s.Lanes {
		l := &s.Lanes[i]
		if l.Owner == Found || !slices.Contains(l.Sources, first) {
			continue
		}
		if p.Lane(l.ID) == nil {
			return l
		}
		if home == nil {
			home = l
		}
	}
	return home
}

// Homes are the IDs of the lanes on which instruments of the project were loaded.
func (s *Patched) Homes(p *Project) map[string]bool {
	out := map[string]bool{}
	for i := range p.Placed {
		if l := s.HomeOf(p, p.Placed[i].ID); l != nil {
			out[l.ID] = true
		}
	}
	return out
}

// StrayHome is the home of an instrument where the plan does not have that lane, and the planned
// lane that takes the instrument's first output and is nobody's home yet, which it is to be; nil
// where there is none.
func (s *Patched) StrayHome(p *Project, placed string) (home, planned *Lane) {
	home = s.HomeOf(p, placed)
	in := s.Instruments[placed]
	if home == nil || p.Lane(home.ID) != nil || len(in.Setup) == 0 {
		return nil, nil
	}
	first, homes := OutputRef{Placed: placed, Output: in.Setup[0].Number}, s.Homes(p)
	for _, l := range p.OwnLanes() {
		if slices.Contains(l.Sources, first) && !homes[l.ID] {
			return home, l
		}
	}
	return home, nil
}

// ExchangeLanes lets two lanes of a state be known by each other's ID, with all that leads to them;
// the second may not be there.
func (s *Patched) ExchangeLanes(a, b string) {
	const neither = "neither"
	s.RenameLane(b, neither)
	s.RenameLane(a, b)
	s.RenameLane(neither, a)
}

// renamePressed lets a lane be muted and soloed under another ID.
func (s *Patched) renamePressed(from, to string) {
	for _, set := range []map[string]bool{s.Muted, s.Soloed} {
		if on, ok := set[from]; ok {
			delete(set, from)
			set[to] = on
		}
	}
}

// RenameLane lets a lane of a state be known by another ID, with all that leads to it.
func (s *Patched) RenameLane(from, to string) {
	for i := range s.Lanes {
		l := &s.Lanes[i]
		if l.ID == from {
			l.ID = to
		}
		if l.To == from {
			l.To = to
		}
		if send := l.SendInto(from); send != nil {
			send.To = to
		}
	}
	s.renamePressed(from, to)
	for id, in := range s.Instruments {
		if in.Home == from {
			in.Home = to
			s.Instruments[id] = in
		}
	}
	s.renameUnknown(from, to)
}
