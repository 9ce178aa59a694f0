package host

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Heard tells what comes of one feed in a host: the way it takes to the main mix,
// or where it ends and why.
type Heard struct {
	Feed    rig.Feed
	Route   string // "lane 5 Kick → Drums → main mix", or why it is silent
	Arrives int    // how many times; more than once is too loud
}

// Sound plays every feed of an instrument alone and tells what comes of it.
func Sound(pl *plan.Placed, s *plan.Patched, profile rig.Profile) (out []Heard) {
	in, loaded := s.Instruments[pl.ID]
	for _, f := range pl.AllFeeds() {
		h := Heard{Feed: f}
		if !loaded {
			h.Route = "silent: the instrument is not loaded"
			out = append(out, h)
			continue
		}
		label := JackOf(in, f.ID)
		number, side, err := rig.ParseLabel(label)
		j := plan.Jack{Output: number, Side: side}
		switch {
		case label == plan.OffLabel || err != nil:
			h.Route = "off"
		case !in.Has(j):
			h.Route = fmt.Sprintf("silent: there is no output %s", label)
		case !in.Sees(j):
			h.Route = fmt.Sprintf("silent: the host has not seen output %s yet", label)
		case profile.Appears == rig.WhenSwitched && !in.On[number]:
			h.Route = fmt.Sprintf("silent: output %s is not switched on", label)
		default:
			h.Route, h.Arrives = lanesOf(s, plan.OutputRef{Placed: pl.ID, Output: number, Side: side})
		}
		out = append(out, h)
	}
	return out
}

func lanesOf(s *plan.Patched, ref plan.OutputRef) (route string, arrives int) {
	for _, l := range s.Lanes {
		if !slices.Contains(l.Sources, ref) {
			continue
		}
		if route != "" {
			route += ", and "
		}
		at, hops := l, 0
		route += fmt.Sprintf("lane %d %s", at.Number, at.Name)
		for _, send := range l.Sends {
			if b := s.Lane(send.To); b != nil {
				route += fmt.Sprintf(" (a send to %s)", b.Name)
			}
		}
		double := at.AlsoMain
		for at.To != plan.MainMix && hops <= len(s.Lanes) {
			next := s.Lane(at.To)
			if next == nil {
				return route + " → nowhere", arrives
			}
			at, hops = *next, hops+1
			route += " → " + at.Name
		}
		if hops > len(s.Lanes) {
			return route + " → in a circle", arrives
		}
		route += " → main mix"
		arrives++
		if double {
			route += ", and straight to the main mix as well"
			arrives++
		}
	}
	if route == "" {
		route = fmt.Sprintf("silent: no lane takes output %s", ref.Jack())
	}
	return route, arrives
}
