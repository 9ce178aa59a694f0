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
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

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

// New makes the host with what is in it.
func New(s *plan.Patched, profile rig.Profile) *Host {
	h := &Host{State: s, Profile: profile}
	h.index()
	return h
}

// index looks through the lanes again.
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

// see makes the host look at an instrument's outputs again, from what was kept.
func (h *Host) see(id string, in plan.InstrumentState) {
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

// appear makes a lane for a jack that has none, or gives it the empty one that is named.
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
	if l := h.Lane(lane); l != nil && l.Kind == plan.Regular && len(l.Sources) == 0 {
		h.point(l, []plan.OutputRef{ref}, w) // it was added before the output was there
		return
	}
	h.add(plan.Lane{ID: lane, Number: number, Name: outputName(j), Colour: Grey, Kind: plan.Regular, Width: w,
		Sources: []plan.OutputRef{ref}})
}

// outputName is what a lane is called that appears for an output.
func outputName(j plan.Jack) string { return "Output " + j.String() }

// add puts a lane into the mixer, with an ID and the next free number where it
// has none.
func (h *Host) add(l plan.Lane) {
	for l.ID == "" || h.Lane(l.ID) != nil {
		h.State.LastID++
		l.ID = fmt.Sprintf("h%d", h.State.LastID)
	}
	if l.Number == 0 {
		for _, x := range h.State.Lanes {
			l.Number = max(l.Number, x.Number)
		}
		l.Number++
	}
	h.newBlock(l.Number)
	h.at[l.ID] = len(h.State.Lanes)
	h.State.Lanes = append(h.State.Lanes, l)
	for _, src := range l.Sources {
		h.takers[src]++
	}
}

// newBlock leaves the master of a block that a lane is the first in out of the main mix.
func (h *Host) newBlock(n plan.LaneNumber) {
	b := h.Profile.BlockOf(int(n))
	if _, told := h.State.Chained[b]; b <= 1 || told {
		return
	}
	for _, l := range h.State.Lanes {
		if l.Number != n && h.Profile.BlockOf(int(l.Number)) == b {
			return // it is there already, as it is
		}
	}
	h.State.Chain(b, false)
}

// lane says of a lane what stands otherwise in the host. A mixer that nobody asks for its widths has
// them as they come, and a track too many does no harm.
func (d *differences) lane(want, have *plan.Lane) {
	var other []string
	routed := false
	for _, a := range plan.LaneAttributes {
		switch a.Name() {
		case plan.AttrWidth, plan.AttrOwner:
			continue
		case plan.AttrTrack:
			if !want.Track || have.Track || d.profile.Tracks != rig.TracksOnRequest {
				continue
			}
		}
		if !a.Patched() || a.Stands(have, want) {
			continue
		}
		title, is, not := string(a.Name()), "", ""
		if a.Cell != nil {
			title = strings.ToLower(a.Cell.Title)
			is, not = a.Cell.Text(d.p, d.lanes, have), a.Cell.Text(d.p, d.lanes, want)
		}
		switch a.Name() {
		case plan.AttrTo, plan.AttrAlsoMain:
			if routed {
				continue
			}
			routed = true
			title, is, not = "routed", d.lanes.DestinationText(have), d.lanes.DestinationText(want)
		case plan.AttrKind:
			is, not = string(have.Kind), string(want.Kind)
		case plan.AttrSources:
			is, not = d.takes(have), d.takes(want)
		}
		other = append(other, fmt.Sprintf("%s %s, not %s", title, cmp.Or(is, "none"), cmp.Or(not, "none")))
	}
	if !sameSends(have, want) {
		other = append(other, fmt.Sprintf("sends %s, not %s", cmp.Or(d.lanes.SendsText(have), "none"),
			cmp.Or(d.lanes.SendsText(want), "none")))
	}
	if len(other) > 0 {
		d.say("lane %d %s: %s", want.Number, want.Name, strings.Join(other, "; "))
	}
}

// sameSends reports whether lanes send to the same buses, taken at the same places.
func sameSends(a, b *plan.Lane) bool {
	return len(a.Sends) == len(b.Sends) && !slices.ContainsFunc(a.Sends, func(s plan.Send) bool { return !b.HasSend(s) })
}

// Differences tells in words where a state is not as the plan wants it. It looks
// at the outcome alone and knows nothing of steps.
func Differences(p *plan.Project, s *plan.Patched) []string {
	d := &differences{p: p, want: p.AsPlanned(), have: p.WithOthers(s), profile: p.Host.Behaviour()}
	d.have.Assume(p)
	known := *p // its instruments with the lanes of the host
	known.Lanes = d.have.Lanes
	d.lanes = known.ByID()
	for i := range p.Placed {
		d.instrument(&p.Placed[i])
	}
	for _, id := range slices.Sorted(maps.Keys(d.have.Instruments)) {
		if p.Find(id) == nil {
			d.say("%s is loaded and not in the plan", cmp.Or(d.have.Instruments[id].Name, "an instrument"))
		}
	}
	d.allLanes()
	for _, t := range slices.Sorted(maps.Keys(d.want.Tracks)) {
		part := p.PartName(t)
		if a := Plays(d.profile, d.have, t); a != d.want.Tracks[t].Address {
			d.say("the track of %s plays %s, not %s", part, a, d.want.Tracks[t].Address)
		}
		if n := d.want.Tracks[t].Notes; n != d.have.Tracks[t].Notes {
			d.say("the notes of the track of %s have %q, not %q", part, d.have.Tracks[t].Notes, n)
		}
	}
	return d.out
}

// differences are what a host has otherwise than the plan, as they are found.
type differences struct {
	p          *plan.Project
	want, have *plan.Patched
	profile    rig.Profile
	lanes      plan.ByID // those of the host
	out        []string
}

func (d *differences) say(format string, args ...any) {
	d.out = append(d.out, fmt.Sprintf(format, args...))
}

func (d *differences) instrument(pl *plan.Placed) {
	in, ok := d.have.Instruments[pl.ID]
	name := pl.Instrument.Name
	if !ok {
		d.say("%s is not loaded", name)
		return
	}
	want := d.want.Instruments[pl.ID]
	if want.Version != in.Version {
		d.say("%s is loaded in the version %q, not %q", name, in.Version, want.Version)
	}
	if !slices.Equal(in.Setup, pl.Outputs) {
		d.say("%s has the outputs %s, not %s", name, rig.FormatRuns(rig.Runs(in.Setup)), rig.FormatRuns(rig.Runs(pl.Outputs)))
	}
	if !slices.Equal(in.Seen, in.Setup) {
		d.say("the host does not see the outputs of %s as they are", name)
	}
	if d.profile.SaveFirst && !slices.Equal(in.Kept, in.Setup) {
		d.say("the set-up of %s is not saved", name)
	}
	if !maps.Equal(want.Inside, in.Inside) {
		d.say("what is set inside %s is not as planned", name)
	}
	for _, f := range pl.AllFeeds() {
		if l := pl.FeedLabel(f.ID); l != "" && l != in.JackOf(f.ID) {
			d.say("%s is on %s, not %s", f.Name, in.JackOf(f.ID), l)
		}
	}
}

// takes is what a lane takes.
func (d *differences) takes(l *plan.Lane) string {
	var takes []string
	for _, s := range l.Sources {
		takes = append(takes, d.p.OutputText(s))
	}
	return cmp.Or(strings.Join(takes, " and "), "nothing")
}

func (d *differences) allLanes() {
	for _, l := range d.want.Lanes {
		h := d.have.Lane(l.ID)
		switch moved := d.p.OtherRoute(h); {
		case l.IsOther() && moved != nil:
			d.say("lane %d %s goes to %s, not to %s", l.Number, l.Name, d.lanes.DestinationText(h),
				d.lanes.DestinationText(moved))
		case l.IsOther():
		case h == nil:
			d.say("lane %d %s is not there", l.Number, l.Name)
		default:
			d.lane(&l, h)
		}
	}
	homes := d.have.Homes(d.p)
	for _, h := range d.have.Lanes {
		if d.want.Lane(h.ID) == nil && h.Owner != plan.Found && !homes[h.ID] {
			d.say("lane %d %s is there and not in the plan", h.Number, h.Name)
		}
	}
	for _, b := range slices.Sorted(maps.Keys(d.want.Chained)) {
		if !d.have.IsChained(b) {
			d.say("block %d is not chained into the main mix", b)
		}
	}
	d.pressed("muted", d.have.Muted)
	d.pressed("soloed", d.have.Soloed)
}

// pressed says which lanes are muted, or soloed.
func (d *differences) pressed(word string, which map[string]bool) {
	for _, id := range slices.Sorted(maps.Keys(which)) {
		lane := "a lane that is gone"
		if l := d.lanes[id]; l != nil && l.IsOther() {
			continue // that is the song's
		} else if l != nil {
			lane = fmt.Sprintf("lane %d %s", l.Number, l.Name)
		}
		d.say("%s is %s", lane, word)
	}
}

// Plays is the MIDI address a track plays; channel 0: all of them. A new track plays all
// channels or the first, as the host does, of its first port.
func Plays(profile rig.Profile, s *plan.Patched, track string) midi.Address {
	if t, ok := s.Tracks[track]; ok {
		return t.Address
	}
	if profile.AllChannels {
		return midi.Address{Port: 1}
	}
	return midi.Address{Port: 1, Channel: 1}
}
