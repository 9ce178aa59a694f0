package check_test

import (
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/testkit"
)

// pool are sound projects that the tests share: what takes time is to propose for them.
var pool []*plan.Project

// sound draws a project in which nothing is wrong.
func sound(t *testing.T, rng *rand.Rand) *plan.Project {
	t.Helper()
	clear(touched)
	if pool == nil {
		made := rand.New(rand.NewPCG(20, 26))
		for range testkit.Of(400, 60) {
			pool = append(pool, makeSound(t, made))
		}
	}
	return pool[rng.IntN(len(pool))].Clone()
}

// makeSound makes up a project in which nothing is wrong: instruments of voices and
// parts with a return, mapped, with a song that plays all of it, patched as planned.
func makeSound(t *testing.T, rng *rand.Rand) *plan.Project {
	t.Helper()
	roles := role.All()
	p := &plan.Project{Name: "Sound", Host: plan.Host{FirstLane: plan.LaneNumber(1 + rng.IntN(9))}}
	profile := rig.Profiles[rng.IntN(len(rig.Profiles))]
	profile.MIDIPorts = max(profile.MIDIPorts, 2)
	testkit.Edit(t, p, edits.SetProfile(profile))
	channel := 1
	song := &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
		Keys: map[midi.Key]int{}}}}
	for i := range 1 + rng.IntN(2) {
		in := rig.Instrument{Name: fmt.Sprintf("Instrument %d", i+1), Pans: true, Ports: 64}
		for v := range 3 + rng.IntN(8) {
			k := midi.Key(20 + 20*i + v)
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %c%c", 'A'+i, 'A'+v),
				Role: roles[rng.IntN(len(roles))], Keys: []midi.Key{k}, Width: audio.Width(1 + rng.IntN(2))})
			song.Channels[0].Keys[k] = 1 + rng.IntN(9)
		}
		for range 4 {
			in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("p%d", channel), Name: fmt.Sprintf("Part %c", 'A'+channel),
				Role: "brass/horn", Width: audio.Stereo, Program: -1,
				Address: midi.Address{Port: 1, Channel: midi.Channel(channel)}})
			song.Channels = append(song.Channels,
				plan.SongChannel{Address: midi.Address{Port: 1, Channel: midi.Channel(channel)}, Keys: map[midi.Key]int{60: 3}})
			channel++
		}
		in.Returns = []rig.Return{{ID: "rv", Name: fmt.Sprintf("Plate %c", 'A'+i), Role: "effects/reverb",
			Width: audio.Stereo}}
		in.Voices[0].Returns = []rig.InsideSend{{Return: "rv", Level: -12}}
		in.Microphones = []rig.Microphone{{ID: "room", Name: "Room", Role: "kit/room", Width: audio.Stereo, MiB: 100}}
		in.BaseMiB = 50
		n := len(in.Feeds()) + 2
		testkit.Edit(t, p,
			edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: n, Width: audio.Stereo}, {Count: 2, Width: audio.Mono}}, 1), 0))
	}
	p.Song = song
	p.Host.Budget = 1000
	for i := range p.Placed {
		pr := testkit.Propose(t, p, p.Placed[i].ID)
		testkit.Edit(t, p, pr.Accept(pr.Everything()))
	}
	testkit.Edit(t, p,
		edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
	return p
}

// fault puts one mistake into a sound project; each can be put in beside another.
type fault struct {
	code string
	put  func(p *plan.Project, rng *rand.Rand)
}

// touched are the feeds and lanes that a fault is about already; a second fault
// takes others, so that it does not put its own in place of the first.
var touched = map[string]bool{}

// wanted picks a feed that is assigned, with its lane.
func wanted(p *plan.Project, rng *rand.Rand, ok func(rig.Feed) bool) (*plan.Placed, rig.Feed) {
	for range 500 {
		pl := &p.Placed[rng.IntN(len(p.Placed))]
		feeds := pl.AllFeeds()
		f := feeds[rng.IntN(len(feeds))]
		a := pl.Feeds[f.ID]
		lanes := p.LanesOf(plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side})
		if a.State != plan.Assigned || touched[pl.ID+f.ID] || len(lanes) != 1 || touched[lanes[0].ID] || ok != nil && !ok(f) {
			continue
		}
		touched[pl.ID+f.ID], touched[lanes[0].ID] = true, true
		return pl, f
	}
	panic(errNoRoom)
}

// errNoRoom: the project is too small for both faults; another one is made up.
var errNoRoom = errors.New("no room for the fault")

// put puts faults into a sound project that has room for them.
func put(t *testing.T, rng *rand.Rand, fs ...*fault) (p *plan.Project) {
	t.Helper()
	try := func() (ok bool) {
		defer func() {
			if r := recover(); r != nil && r != errNoRoom {
				panic(r)
			}
		}()
		p = sound(t, rng)
		for _, f := range fs {
			f.put(p, rng)
		}
		return true
	}
	for range 50 {
		if try() {
			return p
		}
	}
	t.Fatalf("no project has room for %s", fs[0].code)
	return nil
}

func laneOf(p *plan.Project, pl *plan.Placed, f rig.Feed) *plan.Lane {
	a := pl.Feeds[f.ID]
	return p.LanesOf(plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side})[0]
}

func isVoice(f rig.Feed) bool { return f.Kind == rig.VoiceFeed }

func stand(p *plan.Project, placed string, set func(*plan.InstrumentState)) {
	in := p.Patched.Instruments[placed]
	set(&in)
	p.Patched.Instruments[placed] = in
}

// inside sets something inside an instrument, in the plan.
func inside(pl *plan.Placed, f rig.Feed, set func(rig.SourceRef)) {
	pl.Instrument.CloneSources()
	if x, ok := pl.Instrument.Source(f.ID); ok {
		set(x)
	}
}

// insideHost says how something is set inside an instrument in the host.
func insideHost(p *plan.Project, placed, key, value string) {
	stand(p, placed, func(in *plan.InstrumentState) {
		in.Inside = maps.Clone(in.Inside)
		in.Inside[key] = value
	})
}

func anyLane(p *plan.Project, rng *rand.Rand) *plan.Lane {
	var lanes []*plan.Lane
	for _, l := range p.ByNumber() {
		if l.Kind == plan.Regular {
			lanes = append(lanes, l)
		}
	}
	for range 500 {
		l := lanes[rng.IntN(len(lanes))]
		if !touched[l.ID] {
			touched[l.ID] = true
			return l
		}
	}
	panic(errNoRoom)
}

func highest(p *plan.Project) (n plan.LaneNumber) {
	for _, l := range p.Lanes {
		n = max(n, l.Number)
	}
	return n
}

var faults = []fault{
	{"feed-no-output", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		pl.Feeds[f.ID] = plan.Assignment{}
	}},
	{"played-off", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		l := laneOf(p, pl, f)
		pl.Feeds[f.ID] = plan.Assignment{State: plan.Off, ByHand: true}
		p.Lanes = slices.DeleteFunc(p.Lanes, func(x plan.Lane) bool { return x.ID == l.ID })
	}},
	{"side-not-taken", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return isVoice(f) && f.Width == audio.Mono })
		if o, _ := pl.Output(pl.Feeds[f.ID].At()); o.Width != audio.Stereo {
			panic(errNoRoom)
		}
		p.Halve(pl, pl.Feeds[f.ID].Output)
		p.Host.Sides, p.Host.Profile.Sides = false, false
	}},
	{"side-panned-away", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return isVoice(f) && f.Width == audio.Mono })
		o, _ := pl.Output(pl.Feeds[f.ID].At())
		lane := laneOf(p, pl, f)
		if o.Width != audio.Stereo || !p.Host.Behaviour().Sides || !p.Host.Sides {
			panic(errNoRoom)
		}
		p.Halve(pl, o.Number)
		p.Patched.Lane(lane.ID).Sources = slices.Clone(lane.Sources)
		p.Patched.Lane(lane.ID).Width = lane.Width
		stand(p, pl.ID, func(in *plan.InstrumentState) {
			in.Halved = pl.Halved
			in.Feeds[f.ID] = pl.FeedLabel(f.ID)
			in.Inside[rig.InsideKey(f.ID, rig.InsidePan, "")] = "100"
		})
	}},
	{"output-twice", func(p *plan.Project, rng *rand.Rand) {
		l := anyLane(p, rng)
		twin := *l
		twin.ID, twin.Name, twin.Number = p.NewLaneID(), "Twin of "+l.Name, highest(p)+1
		twin.Sources = slices.Clone(l.Sources)
		p.Lanes = append(p.Lanes, twin)
	}},
	{"lane-past-bus", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Kind == rig.PartFeed })
		laneOf(p, pl, f).To = plan.MainMix
	}},
	{"bus-past-parent", func(p *plan.Project, rng *rand.Rand) {
		pl := &p.Placed[rng.IntN(len(p.Placed))]
		var lanes []string
		for _, part := range pl.Instrument.Parts {
			a := pl.Feeds[part.ID]
			on := p.LanesOf(plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side})
			if a.State != plan.Assigned || len(on) != 1 || touched[pl.ID+part.ID] || touched[on[0].ID] ||
				on[0].To == plan.MainMix {
				panic(errNoRoom)
			}
			lanes = append(lanes, on[0].ID)
		}
		above := p.Lane(lanes[0]).To
		for i, to := range []string{above, plan.MainMix} {
			b := plan.Lane{ID: p.NewLaneID(), Number: highest(p) + 1, Name: fmt.Sprintf("Half %d of %s", i+1, pl.ID),
				Colour: "#445566",
				Kind:   plan.Bus, Width: audio.Stereo, To: to}
			p.Lanes = append(p.Lanes, b)
			for _, id := range lanes[2*i : 2*i+2] {
				p.Lane(id).To = b.ID
				touched[id] = true
			}
		}
		for _, part := range pl.Instrument.Parts {
			touched[pl.ID+part.ID] = true
		}
	}},
	{"bus-narrow", func(p *plan.Project, rng *rand.Rand) {
		l := anyLane(p, rng)
		if l.To == plan.MainMix {
			panic(errNoRoom)
		}
		l.Width = audio.Surround
	}},
	{"part-no-address", func(p *plan.Project, rng *rand.Rand) {
		pl := &p.Placed[rng.IntN(len(p.Placed))]
		part := &pl.Instrument.Parts[rng.IntN(4)]
		if pl.Feeds[part.ID].State != plan.Assigned || touched[pl.ID+part.ID] {
			panic(errNoRoom)
		}
		touched[pl.ID+part.ID] = true
		part.Address = midi.Address{}
	}},
	{"instrument-twice", func(p *plan.Project, rng *rand.Rand) {
		if len(p.Placed) < 2 {
			panic(errNoRoom)
		}
		p.Placed[1].Instrument.Name = strings.ToUpper(p.Placed[0].Instrument.Name)
	}},
	{"name-not-carried", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		for _, other := range pl.AllFeeds() {
			if other.ID != f.ID && other.Kind == rig.VoiceFeed && other.Name != f.Name {
				laneOf(p, pl, f).Name = f.Name + " + " + other.Name
				return
			}
		}
		panic(errNoRoom)
	}},
	{"host-quiet", func(p *plan.Project, rng *rand.Rand) {
		if l := anyLane(p, rng); rng.IntN(2) == 0 {
			p.Patched.Mute(l.ID, true)
		} else {
			p.Patched.Solo(l.ID, true)
		}
	}},
	{"block-not-chained", func(p *plan.Project, rng *rand.Rand) {
		profile := p.Host.Profile
		profile.Lanes, profile.BlockSize, profile.Limit = rig.Blocks, 10, 0
		p.Host.Profile, p.Host.BlockSize = profile, 10
		for _, l := range p.ByNumber() {
			if b := p.Host.BlockOf(l.Number); b > 1 && l.To == plan.MainMix && !touched[l.ID] {
				p.Patched.Chain(b, false)
				return
			}
		}
		panic(errNoRoom)
	}},
	{"output-gone", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		pl.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: 99}
	}},
	{"output-no-lane", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		gone := laneOf(p, pl, f).ID
		p.Lanes = slices.DeleteFunc(p.Lanes, func(l plan.Lane) bool { return l.ID == gone })
	}},
	{"lane-out-of-range", func(p *plan.Project, rng *rand.Rand) { p.Host.LaneLimit = 500; anyLane(p, rng).Number = 900 }},
	{"ports-past-end", func(p *plan.Project, rng *rand.Rand) { p.Placed[0].Instrument.Ports = 3 }},
	{"addresses-few", func(p *plan.Project, rng *rand.Rand) { p.Placed[0].Instrument.Parts[2].Address.Port = 70 }},
	{"notes-no-part", func(p *plan.Project, rng *rand.Rand) {
		p.Song.Channels = append(p.Song.Channels, plan.SongChannel{Address: midi.Address{Port: 2, Channel: 16},
			Keys: map[midi.Key]int{60: 4}})
	}},
	{"lane-collision", func(p *plan.Project, rng *rand.Rand) {
		anyLane(p, rng).Number = anyLane(p, rng).Number
	}},
	{"double-path", func(p *plan.Project, rng *rand.Rand) { anyLane(p, rng).AlsoMain = true }},
	{"width-fold", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Width == audio.Stereo && f.Kind != rig.ReturnFeed })
		l := laneOf(p, pl, f)
		mono := pl.Outputs[len(pl.Outputs)-1-rng.IntN(2)].Number
		pl.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: mono}
		l.Sources = []plan.OutputRef{{Placed: pl.ID, Output: mono}}
	}},
	{"lane-narrow", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Width == audio.Stereo && f.Kind != rig.ReturnFeed })
		laneOf(p, pl, f).Width = audio.Mono
	}},
	{"parked-with-wanted", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		a := pl.Feeds[f.ID]
		pl.Instrument.Voices = append(pl.Instrument.Voices, rig.Voice{ID: "extra", Name: "Extra", Keys: []midi.Key{127}})
		pl.Feeds["extra"] = plan.Assignment{State: plan.Parked, Output: a.Output, ByHand: true}
	}},
	{"lumped", func(p *plan.Project, rng *rand.Rand) {
		pl, b := wanted(p, rng, isVoice)
		feeds := slices.DeleteFunc(pl.AllFeeds(), func(f rig.Feed) bool {
			return f.ID == b.ID || touched[pl.ID+f.ID] || f.Kind != rig.VoiceFeed || pl.Feeds[f.ID].State != plan.Assigned
		})
		a := feeds[rng.IntN(len(feeds))]
		touched[pl.ID+a.ID], touched[laneOf(p, pl, a).ID] = true, true
		l := laneOf(p, pl, b)
		pl.Feeds[b.ID] = pl.Feeds[a.ID]
		p.Lanes = slices.DeleteFunc(p.Lanes, func(x plan.Lane) bool { return x.ID == l.ID })
	}},
	{"return-misses-bus", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Kind == rig.ReturnFeed })
		laneOf(p, pl, f).To = plan.MainMix
	}},
	{"send-meets-dry", func(p *plan.Project, rng *rand.Rand) {
		l := anyLane(p, rng)
		l.Sends = []plan.Send{{To: l.To, Level: audio.Decibels(-rng.IntN(20))}}
	}},
	{"return-past-bus", func(p *plan.Project, rng *rand.Rand) {
		l, free := anyLane(p, rng), plan.LaneNumber(0)
		for _, x := range p.Lanes {
			free = max(free, x.Number+1)
		}
		r := plan.Lane{ID: p.NewLaneID(), Number: free, Name: "Ferry Hall", Colour: "#445566", Kind: plan.Bus,
			Width: audio.Stereo}
		p.Lanes = append(p.Lanes, r)
		p.Lane(l.ID).Sends = []plan.Send{{To: r.ID, Level: -12}} // the append may have moved it
	}},
	{"ports-overlap", func(p *plan.Project, rng *rand.Rand) {
		p.Placed[0].Outputs = slices.Clone(p.Placed[0].Outputs)
		p.Placed[0].Outputs[2].First = p.Placed[0].Outputs[1].First
	}},
	{"pair-straddles", func(p *plan.Project, rng *rand.Rand) {
		o := slices.Clone(p.Placed[0].Outputs)
		n := len(o) - 3 // the last stereo one, then the mono ones after it
		for i := n; i < len(o); i++ {
			o[i].First++
		}
		p.Placed[0].Outputs = o
	}},
	{"panned-twice", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return isVoice(f) && f.Width == audio.Mono })
		inside(pl, f, func(x rig.SourceRef) { *x.Pan = -0.4 })
		laneOf(p, pl, f).Pan = 0.5
	}},
	{"level-wrong-end", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		inside(pl, f, func(x rig.SourceRef) { *x.Gain = -3 - audio.Decibels(rng.IntN(15)) })
		laneOf(p, pl, f).Gain = 3 + audio.Decibels(rng.IntN(8))
	}},
	{"midi-layer", func(p *plan.Project, rng *rand.Rand) {
		parts := p.Placed[0].Instrument.Parts
		parts[1].Address = parts[0].Address
	}},
	{"mono-on-stereo", func(p *plan.Project, rng *rand.Rand) {
		onMono := func(pl *plan.Placed, f rig.Feed) bool {
			o, ok := pl.Output(pl.Feeds[f.ID].At())
			return ok && o.Width == audio.Mono
		}
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return isVoice(f) && f.Width == audio.Mono })
		if !onMono(pl, f) {
			panic(errNoRoom)
		}
		busy := map[int]bool{}
		for _, a := range pl.Feeds {
			busy[a.Output] = true
		}
		for _, o := range pl.Outputs {
			if o.Width == audio.Stereo && !busy[o.Number] {
				laneOf(p, pl, f).Sources = []plan.OutputRef{pl.Ref(o)}
				pl.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: o.Number}
				break
			}
		}
		for _, r := range pl.AllFeeds() {
			if r.Kind == rig.ReturnFeed { // a stereo feed that could do with it
				a := pl.Feeds[r.ID]
				a.Fold = true
				pl.Feeds[r.ID] = a
			}
		}
	}},
	{"memory-over", func(p *plan.Project, rng *rand.Rand) { p.Host.Budget = 120 }},
	{"lane-no-output", func(p *plan.Project, rng *rand.Rand) {
		p.Lanes = append(p.Lanes, plan.Lane{ID: p.NewLaneID(), Number: 400, Name: "Dead", Colour: "#123456",
			Kind: plan.Regular, Width: audio.Stereo})
		p.Host.LaneLimit = 500
	}},
	{"bus-unfed", func(p *plan.Project, rng *rand.Rand) {
		p.Lanes = append(p.Lanes, plan.Lane{ID: p.NewLaneID(), Number: 401, Name: "Unfed", Colour: "#123456", Kind: plan.Bus,
			Width: audio.Stereo})
		p.Host.LaneLimit = 500
	}},
	{"leave-together", func(p *plan.Project, rng *rand.Rand) {
		v := p.Placed[0].Instrument.Voices
		p.Placed[0].Instrument.Voices = append(v, rig.Voice{ID: "s1", Name: "Slot One", Role: "kit/kick",
			Keys: []midi.Key{1}, Slot: 9}, rig.Voice{ID: "s2", Name: "Slot Two", Role: "strings/cello",
			Keys: []midi.Key{2}, Slot: 9})
	}},
	{"effects-lost", func(p *plan.Project, rng *rand.Rand) {
		in := &p.Placed[0].Instrument
		in.Effects = append(in.Effects, rig.Effect{ID: "fx", Name: "glue"})
	}},
	{"part-no-notes", func(p *plan.Project, rng *rand.Rand) {
		part := p.Placed[0].Instrument.Parts[3]
		p.Song.Channels = slices.DeleteFunc(p.Song.Channels,
			func(c plan.SongChannel) bool { return c.Address == part.Address })
	}},
	{"name-twice", func(p *plan.Project, rng *rand.Rand) {
		anyLane(p, rng).Name = strings.ToUpper(anyLane(p, rng).Name)
	}},
	{"name-stale", func(p *plan.Project, rng *rand.Rand) {
		l := anyLane(p, rng)
		l.Name = fmt.Sprintf("%d Pad", l.Number+1)
	}},
	{"setup-overridden",
		func(p *plan.Project, rng *rand.Rand) { p.Placed[0].OwnSetup, p.Placed[0].DefaultSetup = true, "40x2" }},
	{"waiting-reload", func(p *plan.Project, rng *rand.Rand) {
		stand(p, "i1", func(in *plan.InstrumentState) { in.Seen = in.Seen[:len(in.Seen)-1] })
	}},
	{"patched-output-gone", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		stand(p, pl.ID, func(in *plan.InstrumentState) { in.Feeds[f.ID] = "98" })
	}},
	{"not-switched-on", func(p *plan.Project, rng *rand.Rand) {
		profile := rig.Profiles[1]
		profile.MIDIPorts = 2
		profile.SaveFirst, profile.Tracks = p.Host.Profile.SaveFirst, p.Host.Profile.Tracks
		profile.AllChannels, profile.Sides = p.Host.Profile.AllChannels, p.Host.Profile.Sides
		profile.Lanes, profile.BlockSize = p.Host.Profile.Lanes, p.Host.Profile.BlockSize
		p.Host.Profile = profile
		pl, f := wanted(p, rng, isVoice)
		stand(p, pl.ID, func(in *plan.InstrumentState) { delete(in.On, pl.Feeds[f.ID].Output) })
	}},
	{"bus-loop", func(p *plan.Project, rng *rand.Rand) {
		for i := range p.Patched.Lanes {
			if l := &p.Patched.Lanes[i]; l.Kind == plan.Bus {
				l.To = l.ID
			}
		}
	}},
	{"bus-nowhere", func(p *plan.Project, rng *rand.Rand) { p.Patched.Lane(anyLane(p, rng).ID).To = "gone" }},
	{"setup-not-saved", func(p *plan.Project, rng *rand.Rand) {
		p.Host.Profile.SaveFirst = true
		stand(p, "i1", func(in *plan.InstrumentState) { in.Kept = in.Kept[:1] })
	}},
	{"leftover", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		pl.Instrument.Voices = append(pl.Instrument.Voices, rig.Voice{ID: "left", Name: "Left", Keys: []midi.Key{126}})
		pl.Feeds["left"] = plan.Assignment{State: plan.Off, ByHand: true}
		stand(p, pl.ID, func(in *plan.InstrumentState) { in.Feeds["left"] = pl.FeedLabel(f.ID) })
	}},
	{"patched-double", func(p *plan.Project, rng *rand.Rand) { p.Patched.Lane(anyLane(p, rng).ID).AlsoMain = true }},
	{"numbers-offset", func(p *plan.Project, rng *rand.Rand) {
		for i := range p.Patched.Lanes {
			for j := range p.Patched.Lanes[i].Sources {
				p.Patched.Lanes[i].Sources[j].Output += 7
			}
		}
	}},
	{"closed-feed", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		if rng.IntN(2) == 0 {
			inside(pl, f, func(x rig.SourceRef) { x.Closed = true })
		} else {
			insideHost(p, pl.ID, rig.InsideKey(f.ID, rig.InsideOpen, ""), "closed")
		}
	}},
	{"mix-beside-parts", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		to := laneOf(p, pl, f).To
		pl.Instrument.CloneSources()
		pl.Instrument.Microphones = append(pl.Instrument.Microphones, rig.Microphone{ID: "mix", Name: "Whole",
			Role:  "kit/room",
			Width: audio.Stereo, Sums: []string{"room"}})
		pl.Instrument.Voices = append(pl.Instrument.Voices, rig.Voice{ID: "deep", Name: "Deep", Keys: []midi.Key{125},
			Heard: rig.HeardThrough("room", "mix")})
		busy := map[int]bool{}
		for _, a := range pl.Feeds {
			busy[a.Output] = true
		}
		for _, id := range []string{"room", "mix"} {
			at := slices.IndexFunc(pl.Outputs, func(o rig.Output) bool { return o.Width == audio.Stereo && !busy[o.Number] })
			if at < 0 || touched[pl.ID+id] {
				panic(errNoRoom)
			}
			o := pl.Outputs[at]
			busy[o.Number], touched[pl.ID+id] = true, true
			pl.Feeds[id] = plan.Assignment{State: plan.Assigned, Output: o.Number}
			p.Lanes = append(p.Lanes, plan.Lane{ID: p.NewLaneID(), Number: highest(p) + 1, Name: id + " of " + pl.ID,
				Colour: "#445566", Kind: plan.Regular, Width: audio.Stereo, To: to, Sources: []plan.OutputRef{pl.Ref(o)}})
		}
	}},
	{"inside-send-unheard", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Kind == rig.ReturnFeed })
		l := laneOf(p, pl, f)
		pl.Feeds[f.ID] = plan.Assignment{State: plan.Off, ByHand: true}
		p.Lanes = slices.DeleteFunc(p.Lanes, func(x plan.Lane) bool { return x.ID == l.ID })
	}},
	{"return-no-senders", func(p *plan.Project, rng *rand.Rand) {
		pl, _ := wanted(p, rng, func(f rig.Feed) bool { return f.Kind == rig.ReturnFeed })
		pl.Instrument.CloneSources()
		pl.Instrument.Voices[0].Returns = nil
	}},
	{"underside-polarity", func(p *plan.Project, rng *rand.Rand) {
		pl, top := wanted(p, rng, isVoice)
		var bottom rig.Feed
		for _, f := range pl.AllFeeds() {
			if isVoice(f) && f.ID != top.ID && pl.Feeds[f.ID].State == plan.Assigned && !touched[pl.ID+f.ID] {
				bottom = f
			}
		}
		if bottom.ID == "" {
			panic(errNoRoom)
		}
		touched[pl.ID+bottom.ID] = true
		inside(pl, bottom, func(x rig.SourceRef) { x.Inverted = true })
		for i := range pl.Instrument.Voices {
			switch v := &pl.Instrument.Voices[i]; v.ID {
			case top.ID:
				v.Role = "kit/snare/top"
			case bottom.ID:
				v.Role = "kit/snare/bottom"
			default:
				if v.Role.Under("kit/snare") {
					v.Role = "kit/hat"
				}
			}
		}
	}},
	{"part-all-channels", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, func(f rig.Feed) bool { return f.Kind == rig.PartFeed })
		if rng.IntN(2) == 0 {
			inside(pl, f, func(x rig.SourceRef) { x.Part.AllChannels = true })
		} else {
			insideHost(p, pl.ID, rig.InsideKey(f.ID, rig.InsideReceives, ""), "all")
		}
	}},
	{"two-exits", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		if pl.Feeds[f.ID].Output == pl.Outputs[0].Number {
			panic(errNoRoom)
		}
		insideHost(p, pl.ID, rig.InsideKey(f.ID, rig.InsideMain, ""), "as well")
	}},
	{"insert-twice", func(p *plan.Project, rng *rand.Rand) {
		l, x := anyLane(p, rng), rig.Insert{Kind: rig.Compressor, Name: "Brick"}
		l.Inserts = []rig.Insert{x}
		if b := p.Lane(l.To); b != nil && rng.IntN(2) == 0 {
			b.Inserts = rig.WithInsert(b.Inserts, x)
		} else {
			l.Inserts = append(l.Inserts, x)
		}
	}},
	{"effect-twice", func(p *plan.Project, rng *rand.Rand) {
		pl, f := wanted(p, rng, isVoice)
		pl.Instrument.Effects = append(pl.Instrument.Effects, rig.Effect{ID: "own", Name: "own tone", Kind: rig.Equaliser,
			InChannel: true, Covers: []string{f.ID}})
		laneOf(p, pl, f).Inserts = []rig.Insert{{Kind: rig.NoiseGate}, {Kind: rig.Equaliser, Name: "Slope"}}
	}},
	{"send-silent", func(p *plan.Project, rng *rand.Rand) {
		l := anyLane(p, rng)
		if _, err := edits.AddReturn("Silent Hall", []string{l.ID}, plan.Send{Level: -9})(p); err != nil {
			panic(errNoRoom)
		}
		hall := p.Lanes[len(p.Lanes)-1]
		p.Patched.Lanes = append(p.Patched.Lanes, hall)
		have := p.Patched.Lane(l.ID)
		have.Sends = append(have.Sends, plan.Send{To: hall.ID, Level: audio.Silence})
	}},
	{"lane-no-track", func(p *plan.Project, rng *rand.Rand) {
		p.Host.Profile.Tracks = rig.TracksNever
		anyLane(p, rng).Track = true
	}},
	{"instance-over", func(p *plan.Project, rng *rand.Rand) {
		p.Placed[rng.IntN(len(p.Placed))].Instrument.Traits.MaxParts = 3
	}},
	{"separate-off", func(p *plan.Project, rng *rand.Rand) {
		pl := &p.Placed[rng.IntN(len(p.Placed))]
		pl.Instrument.Traits.SeparateSwitch = true
	}},
	{"played-twice", func(p *plan.Project, rng *rand.Rand) {
		pl := &p.Placed[rng.IntN(len(p.Placed))]
		pl.Instrument.Traits.Player = rig.PlayerOff
		if rng.IntN(2) == 0 {
			pl.Instrument.Traits.Player = rig.PlayerOn
		}
		in := p.Patched.Instruments[pl.ID]
		in.Inside = maps.Clone(in.Inside)
		in.Inside[":player"] = "on"
		p.Patched.Instruments[pl.ID] = in
	}},
	{"all-channels", func(p *plan.Project, rng *rand.Rand) {
		pl := &p.Placed[0]
		p.Patched.Tracks[plan.TrackRef(pl.ID, pl.Instrument.Parts[1].ID)] = plan.Track{Address: midi.Address{Port: 1}}
	}},
}

func codes(fs []check.Problem) (out []string) {
	for _, f := range fs {
		if !slices.Contains(out, f.Rule.Code) {
			out = append(out, f.Rule.Code)
		}
	}
	return out
}

// Every rule finds its fault, alone and beside any other, and nothing is found in
// sound projects: 0 false alarms.
func TestEveryFaultPutInIsFound(t *testing.T) {
	testkit.Slow(t)
	rng := rand.New(rand.NewPCG(20, 26))
	covered := map[string]bool{}
	cases, quiet := 0, 0
	sound(t, rng)
	for _, p := range pool {
		quiet++
		if f := check.Project(p); len(f) > 0 {
			t.Fatalf("a false alarm: %s: %s (%s)", f[0].Rule.Code, f[0].Title(), f[0].Reason())
		}
	}
	// found tells which rules speak up. Each case draws for itself, so that a new fault
	// changes no other case.
	found := func(draw int, fs ...*fault) (got []string, all bool) {
		cases++
		rng := rand.New(rand.NewPCG(seedOf(fmt.Sprint(codesOf(fs), draw)), 26))
		got = codes(check.Project(put(t, rng, fs...)))
		return got, !slices.ContainsFunc(fs, func(f *fault) bool { return !slices.Contains(got, f.code) })
	}
	for i := range faults {
		one := &faults[i]
		covered[one.code] = true
		for n := range testkit.Of(20, 4) {
			if got, ok := found(n, one); !ok {
				t.Errorf("%s is not found, draw %d: found %v", one.code, n, got)
			}
		}
		for j := range faults {
			if i == j || hides(one.code, faults[j].code) || !testkit.Long() && (i+j)%5 != 0 {
				continue
			}
			// Where one happens to take away what the other is about, they are drawn again.
			got, ok := found(0, one, &faults[j])
			for n := 1; n < 8 && !ok; n++ {
				got, ok = found(n, one, &faults[j])
			}
			if !ok {
				t.Errorf("put in %s and %s, found %v", one.code, faults[j].code, got)
			}
		}
	}
	for _, r := range check.Rules {
		if !covered[r.Code] {
			t.Errorf("no fault is put in for %s", r.Code)
		}
	}
	if testkit.Long() && cases+quiet < 4000 {
		t.Errorf("only %d cases", cases+quiet)
	}
}

func codesOf(fs []*fault) (out []string) {
	for _, f := range fs {
		out = append(out, f.code)
	}
	return out
}

func seedOf(name string) uint64 {
	h := fnv.New64a()
	fmt.Fprint(h, name)
	return h.Sum64()
}

// hides tells which faults cannot be seen beside each other, because one takes away
// what the other is about.
func hides(first, second string) bool {
	for _, pair := range [][2]string{
		{"not-switched-on", "numbers-offset"},    // the lane no longer takes the output that is off
		{"not-switched-on", "waiting-reload"},    // nor does the host see it
		{"bus-past-parent", "return-misses-bus"}, // the lanes of the instrument have no bus in common
		{"lane-past-bus", "return-misses-bus"},   // nor here
		{"side-panned-away", "side-not-taken"},   // the one needs sides, the other none
		{"bus-loop", "block-not-chained"},        // the bus does not come to its block's master
	} {
		if pair == [2]string{first, second} || pair == [2]string{second, first} {
			return true
		}
	}
	return false
}

// believes reports whether the product says that there are no problems: nothing is found, and
// nothing is left to do in the host.
func believes(p *plan.Project) bool {
	return len(check.Project(p)) == 0 && !slices.ContainsFunc(runsheet.From(p, p.Patched),
		func(st runsheet.Step) bool { return st.Place != runsheet.ByEar })
}

// arrives counts how often a feed arrives at the main mix in a state of the host, by trying
// every way; it knows nothing of graphs. What effects return does not count, nor does the main
// output where the plan asks for it besides the feed's own.
func arrives(p *plan.Project, s *plan.Patched, placed string, f rig.Feed) (n int) {
	in, ok := s.Instruments[placed]
	if !ok {
		return 0
	}
	label, told := in.Feeds[f.ID]
	if !told && len(in.Setup) > 0 {
		label = in.Setup[0].Label()
	}
	number, side, err := rig.ParseLabel(label)
	if err != nil {
		return 0
	}
	has := func(outputs []rig.Output) bool {
		return slices.ContainsFunc(outputs, func(o rig.Output) bool {
			return o.Number == number && (side == rig.Whole || o.Width == audio.Stereo)
		})
	}
	profile := p.Host.Behaviour()
	if !has(in.Setup) || !has(in.Seen) || profile.Appears == rig.WhenSwitched && !in.On[number] ||
		side != rig.Whole && !profile.Sides {
		return 0
	}
	if in.Inside[f.ID+":open"] != "" || in.Inside[f.Microphone+":open"] != "" {
		return 0
	}
	quiet := func(id string) bool { return s.Muted[id] || len(s.Soloed) > 0 && !s.Soloed[id] }
	var follow func(l *plan.Lane, hops int) int
	toMain := func(l *plan.Lane) int {
		if b := profile.BlockOf(int(l.Number)); b > 1 {
			if chained, told := s.Chained[b]; told && !chained {
				return 0
			}
		}
		return 1
	}
	follow = func(l *plan.Lane, hops int) int {
		if l == nil || hops > len(s.Lanes) || s.Muted[l.ID] {
			return 0
		}
		if l.To == plan.MainMix {
			return toMain(l)
		}
		n := 0
		if b := s.Lane(l.To); b != nil && b.Kind == plan.Bus {
			n = follow(b, hops+1)
		}
		if l.AlsoMain {
			n += toMain(l)
		}
		for _, send := range l.Sends { // a copy to a bus that is fed anyway is the same signal
			if b := s.Lane(send.To); b != nil && slices.ContainsFunc(s.Lanes, func(x plan.Lane) bool { return x.To == b.ID }) {
				n += follow(b, hops+1)
			}
		}
		return n
	}
	exits := []plan.OutputRef{{Placed: placed, Output: number, Side: side}}
	if first := (plan.OutputRef{Placed: placed, Output: in.Setup[0].Number}); in.Inside[f.ID+":main"] != "" &&
		!f.AlsoMain && first != exits[0] {
		exits = append(exits, first)
	}
	for i := range s.Lanes {
		for _, ref := range exits {
			if l := &s.Lanes[i]; slices.Contains(l.Sources, ref) && !quiet(l.ID) {
				n += follow(l, 0)
			}
		}
	}
	return n
}

// Where the product says that there are no problems, each wanted feed arrives exactly once in
// the stand-in, whatever was put in, in the plan or in the host, and carried out or not.
func TestNoProblemsIsBelieved(t *testing.T) {
	testkit.Slow(t)
	rng := rand.New(rand.NewPCG(41, 12))
	said := 0
	look := func(p *plan.Project, what string) {
		t.Helper()
		if !believes(p) {
			return
		}
		said++
		for i := range p.Placed {
			pl := &p.Placed[i]
			for _, f := range pl.AllFeeds() {
				if pl.Feeds[f.ID].State != plan.Assigned {
					continue
				}
				if n := arrives(p, p.Patched, pl.ID, f); n != 1 {
					t.Fatalf("%s: no problems are found, and %s arrives %d times", what, f.Name, n)
				}
			}
		}
	}
	sound(t, rng)
	for _, p := range pool {
		look(p.Clone(), "as proposed")
	}
	for i := range faults {
		for range testkit.Of(30, 5) {
			put1, put2 := &faults[i], &faults[rng.IntN(len(faults))]
			fs := []*fault{put1}
			if put1 != put2 && rng.IntN(2) == 0 && !hides(put1.code, put2.code) {
				fs = append(fs, put2)
			}
			p := put(t, rng, fs...)
			look(p, faults[i].code)
			testkit.Edit(t, p, runsheet.AllDone()) // carried out as planned
			look(p, faults[i].code+", carried out")
			for range 40 { // and mended
				found := check.Project(p)
				at := slices.IndexFunc(found, func(x check.Problem) bool { return x.Edit() != nil })
				if at < 0 {
					break
				}
				testkit.Edit(t, p, found[at].Edit())
			}
			testkit.Edit(t, p, runsheet.AllDone())
			look(p, faults[i].code+", mended and carried out")
		}
	}
	if said < 100 {
		t.Errorf("that there are no problems was said in %d cases only", said)
	}
}

// What a button says it mends is mended: afterwards nothing of it is found.
func TestTheButtonsMend(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 31))
	for i := range faults {
		f := &faults[i]
		for range testkit.Of(12, 4) {
			p := put(t, rng, f)
			mended := false
			for range 40 {
				found := check.Project(p)
				at := slices.IndexFunc(found, func(x check.Problem) bool { return x.Edit() != nil })
				if at < 0 {
					break
				}
				mended = true
				if _, err := found[at].Edit()(p); err != nil {
					t.Fatalf("%s: %s: %v", f.code, found[at].Mend(), err)
				}
				if err := p.Validate(); err != nil {
					t.Fatalf("%s: %s leaves %v", f.code, found[at].Mend(), err)
				}
			}
			for _, x := range check.Project(p) {
				if x.Edit() != nil {
					t.Fatalf("%s: after every button %s still says %s (%s)", f.code, x.Rule.Code, x.Title(), x.Mend())
				}
				if x.Rule.Code != f.code && !slices.Contains([]string{"ports-past-end"}, x.Rule.Code) {
					t.Fatalf("%s: mending left %s: %s", f.code, x.Rule.Code, x.Title())
				}
				if mended && x.Rule.Code == f.code {
					t.Fatalf("%s: its button did not mend it: %s", f.code, x.Reason())
				}
			}
		}
	}
}

// A problem that is let stand stays quiet until its cause reads differently.
func TestAFindingMayBeLetStand(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	p := sound(t, rng)
	parts := p.Placed[0].Instrument.Parts
	parts[1].Address = parts[0].Address
	f := check.Project(p)
	i := slices.IndexFunc(f, func(x check.Problem) bool { return x.Rule.Code == "midi-layer" })
	testkit.Edit(t, p, check.MarkIntended(f[i].Key(), "meant as a layer"))
	if got := codes(check.Project(p)); slices.Contains(got, "midi-layer") {
		t.Errorf("it is still found: %v", got)
	}
	if _, accepted := check.Both(trace.New(p)); len(accepted) != 1 || accepted[0].Intended != "meant as a layer" {
		t.Errorf("got %+v; want len(accepted) 1, accepted[0].Accepted \"meant as a layer\"", accepted)
	}
	p.Host.Profile.MIDIPorts = 1 // its cause changes: of all addresses none is free any more
	for c := range 16 {
		p.Placed[0].Instrument.Parts = append(p.Placed[0].Instrument.Parts,
			rig.Part{ID: fmt.Sprintf("x%d", c), Name: fmt.Sprintf("Extra %d", c),
				Address: midi.Address{Port: 1, Channel: midi.Channel(c + 1)}})
	}
	if got := codes(check.Project(p)); !slices.Contains(got, "midi-layer") {
		t.Errorf("its cause has changed, but %v", got)
	}
	testkit.Edit(t, p, edits.UnmarkIntended(f[i].Key()))
	if got := codes(check.Project(p)); !slices.Contains(got, "midi-layer") {
		t.Errorf("brought back, but %v", got)
	}
	if _, err := check.MarkIntended("nothing/there", "why not")(p); err == nil {
		t.Error("a finding that is not there was let stand")
	}
}
