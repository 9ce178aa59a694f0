// Package host is the stand-in: a simulated instrument and mixer that obeys a
// host profile faithfully. Outputs that were changed and not reloaded are not
// seen, set-ups that were not saved are forgotten, an output that is not switched
// on has no lane. The run sheet is carried out on it, and what a user says of the
// real host is written down by the same actions. It decides nothing.
package host

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Kind is what an action does.
type Kind string

// The kinds of action.
const (
	Load    Kind = "load"    // the instrument with its set-up
	Unload  Kind = "unload"  // the instrument
	Setup   Kind = "setup"   // the instrument's outputs
	Save    Kind = "save"    // the instrument's set-up
	Reload  Kind = "reload"  // the instrument
	Reopen  Kind = "reopen"  // the project
	Assign  Kind = "assign"  // a feed to a jack, or off
	Switch  Kind = "switch"  // an output on
	Make    Kind = "make"    // a lane
	Bus     Kind = "bus"     // a bus
	Point   Kind = "point"   // a lane at what it takes
	Close   Kind = "close"   // a lane
	Number  Kind = "number"  // a lane
	Name    Kind = "name"    // a lane
	Colour  Kind = "colour"  // a lane
	Route   Kind = "route"   // a lane to a bus or the main mix
	MainOff Kind = "mainoff" // the main mix off a lane that goes to a bus as well
	Send    Kind = "send"    // a copy of a lane to a bus
	Unsend  Kind = "unsend"  // takes that away
	Channel Kind = "channel" // the MIDI channel of a part's track
	Check   Kind = "check"   // by ear
)

// Action is one thing done with the hands. Which fields count depends on its kind.
type Action struct {
	Kind       Kind             `json:"kind"`
	Instrument string           `json:"instrument,omitempty"` // placed ID
	Feed       string           `json:"feed,omitempty"`
	Jack       string           `json:"jack,omitempty"` // label, or "off"
	Outputs    []rig.Output     `json:"outputs,omitempty"`
	Halved     []int            `json:"halved,omitempty"`
	Lane       string           `json:"lane,omitempty"` // lane ID; of a lane that appears, the one it gets
	Number     plan.LaneNumber  `json:"number,omitempty"`
	Text       string           `json:"text,omitempty"` // name, colour, or fingerprint
	Width      audio.Width      `json:"width,omitempty"`
	Sources    []plan.OutputRef `json:"sources,omitempty"`
	To         string           `json:"to,omitempty"`
	Also       bool             `json:"also,omitempty"` // the main mix stays open, on purpose
	Pre        bool             `json:"pre,omitempty"`  // a send is taken before the fader
	Track      string           `json:"track,omitempty"`
	Channel    int              `json:"channel,omitempty"`
}

// Grey is the colour of a lane nobody has coloured.
const Grey = "#7a7f87"

// Host is the simulated host over a state, which it changes and nobody else may
// while it is in use.
type Host struct {
	State   *plan.Patched
	Profile rig.Profile
	at      map[string]int         // place of each lane in the state, by ID
	takers  map[plan.OutputRef]int // lanes that take each jack
}

// New makes the host with what stands in it.
func New(s *plan.Patched, profile rig.Profile) *Host {
	h := &Host{State: s, Profile: profile}
	h.index()
	return h
}

// index looks through the lanes anew.
func (h *Host) index() {
	h.at, h.takers = make(map[string]int, len(h.State.Lanes)), map[plan.OutputRef]int{}
	for i := len(h.State.Lanes) - 1; i >= 0; i-- {
		h.at[h.State.Lanes[i].ID] = i
		for _, src := range h.State.Lanes[i].Sources {
			h.takers[src]++
		}
	}
}

// Lane gives the lane with the ID, or nil.
func (h *Host) Lane(id string) *plan.Lane {
	if i, ok := h.at[id]; ok {
		return &h.State.Lanes[i]
	}
	return nil
}

// point gives a lane what it takes.
func (h *Host) point(l *plan.Lane, sources []plan.OutputRef, w audio.Width) {
	for _, src := range l.Sources {
		h.takers[src]--
	}
	l.Sources, l.Width = slices.Clone(sources), cmp.Or(w, l.Width)
	for _, src := range l.Sources {
		h.takers[src]++
	}
}

// Do carries an action out, or says why the host does not let one.
func (h *Host) Do(a Action) error {
	s := h.State
	in, loaded := s.Instruments[a.Instrument]
	switch a.Kind {
	case Load:
		if loaded {
			return fmt.Errorf("the instrument is loaded already")
		}
		in = plan.Stands{Setup: a.Outputs, Kept: a.Outputs, Seen: a.Outputs, On: map[int]bool{}, Feeds: map[string]string{}}
		s.Instruments[a.Instrument] = in
		if len(a.Outputs) > 0 && (h.Profile.FirstOnOwn || h.Profile.Appears == rig.WhenAssigned) {
			in.On[1] = true
			h.appear(a.Instrument, plan.Jack{Output: a.Outputs[0].Number}, a.Lane, a.Number)
		}
		return nil
	case Unload:
		delete(s.Instruments, a.Instrument)
		return nil
	case Setup, Save, Reload, Assign, Switch:
		if !loaded {
			return fmt.Errorf("the instrument is not loaded")
		}
		return h.instrument(in, a)
	case Reopen:
		for id, in := range s.Instruments {
			h.see(id, in)
		}
		return nil
	case Channel:
		s.Tracks[a.Track] = a.Channel
		return nil
	case Check:
		s.Checked = a.Text
		return nil
	}
	return h.lane(a)
}

func (h *Host) instrument(in plan.Stands, a Action) error {
	switch a.Kind {
	case Setup:
		in.Setup, in.Halved = a.Outputs, a.Halved
		if h.Profile.After == rig.AtOnce {
			in.Seen = in.Setup
		}
		if !h.Profile.SaveFirst {
			in.Kept = in.Setup
		}
	case Save:
		in.Kept = in.Setup
	case Reload:
		if h.Profile.After == rig.Reopen { // the host looks at outputs only when the project is opened
			in.Setup = in.Kept
			break
		}
		h.see(a.Instrument, in)
		return nil
	case Assign:
		if a.Jack != plan.OffLabel {
			number, side, err := rig.ParseLabel(a.Jack)
			if err != nil {
				return err
			}
			if !in.Has(plan.Jack{Output: number, Side: side}) {
				return fmt.Errorf("the instrument has no output %s", a.Jack)
			}
		}
		in.Feeds[a.Feed] = a.Jack
		h.State.Instruments[a.Instrument] = in
		h.appearAssigned(a.Instrument, a.Jack, a.Lane, a.Number)
		return nil
	case Switch:
		number, side, err := rig.ParseLabel(a.Jack)
		if err != nil {
			return err
		}
		j := plan.Jack{Output: number, Side: side}
		if !in.Sees(j) {
			return fmt.Errorf("the host does not see output %s; reload the instrument or open the project again", a.Jack)
		}
		in.On[number] = true
		h.State.Instruments[a.Instrument] = in
		h.appear(a.Instrument, j, a.Lane, a.Number)
		return nil
	}
	h.State.Instruments[a.Instrument] = in
	return nil
}

// see makes the host look at an instrument's outputs anew, from what was kept.
func (h *Host) see(id string, in plan.Stands) {
	in.Setup = in.Kept
	in.Seen = in.Setup
	for n := range in.On {
		if !in.Sees(plan.Jack{Output: n}) {
			delete(in.On, n)
		}
	}
	h.State.Instruments[id] = in
	for _, label := range slices.Sorted(maps.Values(in.Feeds)) {
		h.appearAssigned(id, label, "", 0)
	}
}

// appearAssigned lets a lane appear for a jack that something was assigned to,
// where the host does that and sees the jack.
func (h *Host) appearAssigned(id, label, lane string, number plan.LaneNumber) {
	if h.Profile.Appears != rig.WhenAssigned || label == plan.OffLabel {
		return
	}
	n, side, err := rig.ParseLabel(label)
	if j := (plan.Jack{Output: n, Side: side}); err == nil && h.State.Instruments[id].Sees(j) {
		h.appear(id, j, lane, number)
	}
}

// appear makes a lane for a jack that has none.
func (h *Host) appear(instrument string, j plan.Jack, lane string, number plan.LaneNumber) {
	ref := plan.OutputRef{Placed: instrument, Output: j.Output, Side: j.Side}
	if h.takers[ref] > 0 {
		return
	}
	w := audio.Stereo
	for _, o := range h.State.Instruments[instrument].Jacks() {
		if o.Number == j.Output && o.Side == j.Side {
			w = o.Width
		}
	}
	h.add(plan.Lane{ID: lane, Number: number, Name: "Output " + j.String(), Colour: Grey, Kind: plan.Regular, Width: w, Sources: []plan.OutputRef{ref}})
}

// add puts a lane into the mixer, with an ID and the next free number where it
// has none.
func (h *Host) add(l plan.Lane) {
	if l.ID == "" || h.Lane(l.ID) != nil {
		h.State.LastID++
		l.ID = fmt.Sprintf("h%d", h.State.LastID)
	}
	if l.Number == 0 {
		for _, x := range h.State.Lanes {
			l.Number = max(l.Number, x.Number)
		}
		l.Number++
	}
	h.at[l.ID] = len(h.State.Lanes)
	h.State.Lanes = append(h.State.Lanes, l)
	for _, src := range l.Sources {
		h.takers[src]++
	}
}

func (h *Host) lane(a Action) error {
	s := h.State
	switch a.Kind {
	case Make, Bus:
		if h.Profile.Limit > 0 && int(a.Number) > h.Profile.Limit {
			return fmt.Errorf("the mixer has no lane %d; it ends at %d", a.Number, h.Profile.Limit)
		}
		l := plan.Lane{ID: a.Lane, Number: a.Number, Name: cmp.Or(a.Text, "New lane"), Colour: Grey, Kind: plan.Regular, Width: cmp.Or(a.Width, audio.Stereo)}
		if a.Kind == Bus {
			l.Kind = plan.Bus
		}
		h.add(l)
		return nil
	}
	l := h.Lane(a.Lane)
	if l == nil {
		return fmt.Errorf("there is no such lane in the mixer")
	}
	switch a.Kind {
	case Point:
		for _, src := range a.Sources {
			in := s.Instruments[src.Placed]
			if !in.Sees(src.Jack()) {
				return fmt.Errorf("the host does not see output %s; reload the instrument or open the project again", src.Jack())
			}
			if src.Side != rig.Whole && !h.Profile.Sides {
				return fmt.Errorf("a lane of this host cannot take one side of a pair")
			}
			if h.Profile.Appears == rig.WhenSwitched {
				in.On[src.Output] = true
			}
		}
		h.point(l, a.Sources, a.Width)
	case Close:
		s.Lanes = slices.DeleteFunc(s.Lanes, func(x plan.Lane) bool { return x.ID == a.Lane })
		for i := range s.Lanes {
			if s.Lanes[i].To == a.Lane {
				s.Lanes[i].To, s.Lanes[i].AlsoMain = plan.MainMix, false
			}
			s.Lanes[i].DropSend(a.Lane)
		}
		h.index()
	case Number:
		if a.Number < 1 || h.Profile.Limit > 0 && int(a.Number) > h.Profile.Limit {
			return fmt.Errorf("the mixer has no lane %d", a.Number)
		}
		l.Number = a.Number
	case Name:
		l.Name = a.Text
	case Colour:
		l.Colour = a.Text
	case Route:
		if a.To != plan.MainMix {
			if b := h.Lane(a.To); b == nil || b.Kind != plan.Bus {
				return fmt.Errorf("there is no such bus in the mixer")
			}
		}
		// Where a lane can go to several places, the way to the main mix stays open.
		l.AlsoMain = a.To != plan.MainMix && (a.Also || h.Profile.Several && (l.To == plan.MainMix || l.AlsoMain))
		l.To = a.To
	case MainOff:
		l.AlsoMain = false
	case Send:
		if b := h.Lane(a.To); b == nil || b.Kind != plan.Bus {
			return fmt.Errorf("there is no such bus in the mixer")
		}
		l.DropSend(a.To)
		l.Sends = append(l.Sends, plan.Send{To: a.To, Pre: a.Pre})
	case Unsend:
		l.DropSend(a.To)
	default:
		return fmt.Errorf("there is nothing called %q to do", a.Kind)
	}
	return nil
}

// sameSends tells whether lanes send to the same buses, taken at the same places.
func sameSends(a, b *plan.Lane) bool {
	return len(a.Sends) == len(b.Sends) && !slices.ContainsFunc(a.Sends, func(s plan.Send) bool { return !b.HasSend(s) })
}

// Tell writes an action down as the user says it was done: the outcome, whatever
// the host would have made of it.
func (h *Host) Tell(a Action) {
	s := h.State
	in, loaded := s.Instruments[a.Instrument]
	if a.Instrument != "" && !loaded && a.Kind != Load && a.Kind != Unload {
		in = plan.Stands{Setup: a.Outputs, Kept: a.Outputs, Seen: a.Outputs, On: map[int]bool{}, Feeds: map[string]string{}}
		s.Instruments[a.Instrument] = in
	}
	switch a.Kind {
	case Assign:
		in.Feeds[a.Feed] = a.Jack
		h.appearAssigned(a.Instrument, a.Jack, a.Lane, a.Number)
		return
	case Switch:
		if number, side, err := rig.ParseLabel(a.Jack); err == nil {
			in.On[number] = true
			h.appear(a.Instrument, plan.Jack{Output: number, Side: side}, a.Lane, a.Number)
		}
		return
	case Point:
		if l := h.Lane(a.Lane); l != nil {
			h.point(l, a.Sources, a.Width)
		} else {
			h.add(plan.Lane{ID: a.Lane, Number: a.Number, Name: "New lane", Colour: Grey, Kind: plan.Regular, Width: cmp.Or(a.Width, audio.Stereo), Sources: slices.Clone(a.Sources)})
		}
		return
	case Make, Bus:
		if h.Lane(a.Lane) != nil {
			return
		}
	}
	_ = h.Do(a) // what cannot be done to a lane that is not there is told in vain
}

// Differences tells in words where a state is not as the plan wants it. It looks
// at the outcome alone and knows nothing of steps.
func Differences(p *plan.Project, s *plan.Patched) (out []string) {
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	want, have := p.AsPlanned(), s.Clone()
	profile := p.Host.Behaviour()
	for i := range p.Placed {
		pl := &p.Placed[i]
		in, ok := have.Instruments[pl.ID]
		name := pl.Instrument.Name
		if !ok {
			say("%s is not loaded", name)
			continue
		}
		if !slices.Equal(in.Setup, pl.Outputs) {
			say("%s has the outputs %s, not %s", name, rig.FormatRuns(rig.Runs(in.Setup)), rig.FormatRuns(rig.Runs(pl.Outputs)))
		}
		if !slices.Equal(in.Seen, in.Setup) {
			say("the host does not see the outputs of %s as they are", name)
		}
		if profile.SaveFirst && !slices.Equal(in.Kept, in.Setup) {
			say("the set-up of %s is not saved", name)
		}
		for _, f := range pl.AllFeeds() {
			if l := pl.FeedLabel(f.ID); l != "" && l != Stood(in, f.ID) {
				say("%s is on %s, not %s", f.Name, Stood(in, f.ID), l)
			}
		}
	}
	for id := range have.Instruments {
		if p.Find(id) == nil {
			say("an instrument is loaded that the plan does not have")
		}
	}
	for _, l := range want.Lanes {
		h := have.Lane(l.ID)
		if h == nil {
			say("lane %d %s is not there", l.Number, l.Name)
			continue
		}
		if h.Number != l.Number || h.Name != l.Name || h.Colour != l.Colour || h.Kind != l.Kind || h.To != l.To || h.AlsoMain != l.AlsoMain || !slices.Equal(h.Sources, l.Sources) || !sameSends(h, &l) {
			say("lane %d %s (%v to %q) stands as %d %s (%v to %q)", l.Number, l.Name, l.Sources, l.To, h.Number, h.Name, h.Sources, h.To)
		}
	}
	for _, h := range have.Lanes {
		if want.Lane(h.ID) == nil {
			say("lane %d %s is there and not in the plan", h.Number, h.Name)
		}
	}
	for t, c := range want.Tracks {
		if Plays(profile, have, t) != c {
			say("track %s plays channel %d, not %d", t, Plays(profile, have, t), c)
		}
	}
	return out
}

// Stood is the jack a feed stands on: the first output where nobody has moved it.
func Stood(in plan.Stands, feed string) string {
	if l, ok := in.Feeds[feed]; ok {
		return l
	}
	if len(in.Setup) > 0 {
		return in.Setup[0].Label()
	}
	return plan.OffLabel
}

// Plays is the MIDI channel a track plays; 0: all of them. A new track plays all
// or the first, as the host does.
func Plays(profile rig.Profile, s *plan.Patched, track string) int {
	if c, ok := s.Tracks[track]; ok {
		return c
	}
	if profile.AllChannels {
		return 0
	}
	return 1
}
