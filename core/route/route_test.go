package route_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

func near(t *testing.T, what string, got audio.Decibels, want float64) {
	t.Helper()
	if math.Abs(float64(got)-want) > 0.005 && !(math.IsInf(float64(got), -1) && math.IsInf(want, -1)) {
		t.Errorf("%s: got %.3f dB, want %.3f dB", what, float64(got), want)
	}
}

// single is one voice of a width on a stereo output, and its lane.
func single(t *testing.T, w audio.Width, gain audio.Decibels, pan float64) *plan.Project {
	t.Helper()
	in := rig.Instrument{Name: "One", Voices: []rig.Voice{{ID: "v", Name: "Voice", Role: "kit/snare", Width: w,
		Keys: []midi.Key{38}, Gain: gain, Pan: pan}}}
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "4x2", in)
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v"), plan.Assigned, plan.Jack{Output: 1}))
	testkit.Edit(t, p, edits.AddLane(plan.OutputRef{Placed: "i1", Output: 1}, 0, "Voice"))
	return p
}

func arrival(t *testing.T, g *route.Graph, feed string) route.Arrival {
	t.Helper()
	at := g.Find(route.Feed, feed)
	if at == route.None {
		t.Fatalf("there is no feed %s", feed)
	}
	return g.Arrives(at)
}

// The law of −3 dB (sine and cosine): a mono signal in the middle is 3.01 dB down on each
// side, at a side it is whole, and its power is the same everywhere. Common practice, no
// source; the figures are arithmetic.
func TestPansKeepThePower(t *testing.T) {
	for _, c := range []struct {
		w                  audio.Width
		gain               audio.Decibels
		inside, lane       float64
		level, left, right float64
	}{
		{audio.Mono, 0, 0, 0, 0, -3.01, -3.01},
		{audio.Mono, -4, 0, 0, -4, -7.01, -7.01},
		{audio.Mono, 0, -1, 0, 0, 0, math.Inf(-1)},
		{audio.Mono, 0, 0.5, 0, 0, 20 * math.Log10(math.Cos(1.5*math.Pi/4)), 20 * math.Log10(math.Sin(1.5*math.Pi/4))},
		{audio.Stereo, -4, 0, 0, -4, -4, -4},
		{audio.Stereo, 0, 0, 1, -3.01, math.Inf(-1), 0}, // balance: one of two sides is left
	} {
		p := single(t, c.w, c.gain, c.inside)
		p.Lanes[0].Pan = c.lane
		what := fmt.Sprintf("%s at %s, panned %.1f inside and %.1f on the lane", c.w, c.gain, c.inside, c.lane)
		a := arrival(t, route.Planned(p), "i1:v")
		near(t, what+", level", a.Level, c.level)
		near(t, what+", left", a.Left, c.left)
		near(t, what+", right", a.Right, c.right)
	}
}

// Equal paths of one signal add 6.02 dB, an effect's return adds its power, opposite
// polarities cancel: 20·log10(2) and 10·log10(1 + 10^(−1.4)), arithmetic.
func TestPathsAddUp(t *testing.T) {
	p := single(t, audio.Stereo, 0, 0)
	lane := p.Lanes[0].ID
	testkit.Edit(t, p, edits.AddBus("Bus", 0, []string{lane}))
	testkit.Edit(t, p, plan.Route([]string{lane}, p.Buses()[0].ID, true))
	a := arrival(t, route.Planned(p), "i1:v")
	near(t, "bus and main mix", a.Level, 6.02)
	if a.Times != 2 {
		t.Errorf("it arrives %d times; want 2", a.Times)
	}
	testkit.Edit(t, p, plan.Route([]string{lane}, p.Buses()[0].ID, false))
	testkit.Edit(t, p, edits.AddReturn("Hall", []string{lane}, plan.Send{Level: -14}))
	a = arrival(t, route.Planned(p), "i1:v")
	near(t, "with the return of an effect", a.Level, 10*math.Log10(1+math.Pow(10, -1.4)))
	if a.Times != 1 || a.Returned != 1 {
		t.Errorf("it arrives %d times and %d by an effect; want 1 and 1", a.Times, a.Returned)
	}
}

// What is turned over inside is so to the main mix, and as loud.
func TestPolarityIsToldAlongThePath(t *testing.T) {
	for _, inverted := range []bool{true, false} {
		p := single(t, audio.Mono, 0, 0)
		p.Placed[0].Instrument.CloneSources()
		p.Placed[0].Instrument.Voices[0].Inverted = inverted
		g := route.Planned(p)
		paths := g.Paths(g.Find(route.Feed, "i1:v"), 9, false)
		if len(paths) != 1 || paths[0].Inverted != inverted || !paths[0].Reaches {
			t.Errorf("the paths of a feed that is inverted inside, %t: %+v", inverted, paths)
		}
		near(t, "alone", arrival(t, g, "i1:v").Level, 0)
	}
}

// What is patched differs from what is planned; each cause of silence has its code.
func TestSilenceHasItsCause(t *testing.T) {
	base := func(profile rig.Profile) (*plan.Project, *plan.Patched) {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		return p, p.AsPlanned()
	}
	set := func(s *plan.Patched, change func(*plan.InstrumentState)) {
		in := s.Instruments["i1"]
		change(&in)
		s.Instruments["i1"] = in
	}
	byHand, switched, blocks := rig.Profiles[0], rig.Profiles[1], rig.Profiles[4]
	for _, c := range []struct {
		why     route.Reason
		profile rig.Profile
		put     func(p *plan.Project, s *plan.Patched)
	}{
		{route.Open, byHand, func(*plan.Project, *plan.Patched) {}},
		{route.NotLoaded, byHand, func(_ *plan.Project, s *plan.Patched) { delete(s.Instruments, "i1") }},
		{route.SwitchedOff, byHand, func(_ *plan.Project, s *plan.Patched) {
			set(s, func(in *plan.InstrumentState) { in.Feeds["hat"] = plan.OffLabel })
		}},
		{route.OutputGone, byHand, func(_ *plan.Project, s *plan.Patched) {
			set(s, func(in *plan.InstrumentState) { in.Feeds["hat"] = "99" })
		}},
		{route.NotSeen, byHand, func(_ *plan.Project, s *plan.Patched) {
			set(s, func(in *plan.InstrumentState) { in.Seen = in.Seen[:2] })
		}},
		{route.NotSwitchedOn, switched, func(p *plan.Project, s *plan.Patched) {
			set(s, func(in *plan.InstrumentState) { delete(in.On, p.Placed[0].Feeds["hat"].Output) })
		}},
		{route.NoLane, byHand, func(p *plan.Project, s *plan.Patched) {
			s.Lane(testkit.Lane(p, "Hat").ID).Sources = nil
		}},
		{route.BusGone, byHand, func(p *plan.Project, s *plan.Patched) { s.Lane(testkit.Lane(p, "Hat").ID).To = "gone" }},
		{route.Loop, byHand, func(p *plan.Project, s *plan.Patched) {
			bus := s.Lane(p.Buses()[0].ID)
			bus.To = bus.ID
		}},
		{route.Muted, byHand, func(p *plan.Project, s *plan.Patched) { s.Mute(testkit.Lane(p, "Hat").ID, true) }},
		{route.Muted, byHand, func(p *plan.Project, s *plan.Patched) { s.Mute(p.Buses()[0].ID, true) }},
		{route.NotSoloed, byHand, func(p *plan.Project, s *plan.Patched) { s.Solo(testkit.Lane(p, "Snare").ID, true) }},
		{route.Open, byHand, func(p *plan.Project, s *plan.Patched) { s.Solo(p.Buses()[0].ID, true) }},
		{route.NotChained, blocks, func(p *plan.Project, s *plan.Patched) {
			bus := s.Lane(p.Buses()[0].ID) // on lane 17, in the second block of ten
			s.Chain(int(bus.Number-1)/10+1, false)
		}},
	} {
		p, s := base(c.profile)
		c.put(p, s)
		a := arrival(t, route.Patched(p, s), "i1:hat")
		if a.Silent != c.why || (c.why == route.Open) != (a.Times == 1) {
			t.Errorf("the hat arrives %d times, silent for %q; want %q", a.Times, a.Silent, c.why)
		}
	}
}

// times counts the ways of a lane to the main mix by trying them all, for comparison.
func times(lanes map[string]*plan.Lane, id string, on map[string]bool, sends bool) int {
	l := lanes[id]
	if l == nil || on[id] {
		return 0
	}
	on[id] = true
	defer delete(on, id)
	n := 0
	if l.To == plan.MainMix {
		n++
	} else {
		n += times(lanes, l.To, on, sends)
		if l.AlsoMain {
			n++
		}
	}
	for _, s := range l.Sends {
		if sends {
			n += times(lanes, s.To, on, sends)
		}
	}
	return n
}

// The arrivals of random mixers, counted once for every edge, are those that a walk of every
// way finds.
func TestArrivalsAreThoseOfEveryWay(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 1))
	for range testkit.Of(400, 60) {
		p := single(t, audio.Width(1+rng.IntN(2)), 0, 0)
		voice := p.Lanes[0]
		p.Lanes = nil
		buses := 1 + rng.IntN(7)
		for i := range buses { // a bus leads to those after it
			b := plan.Lane{ID: fmt.Sprintf("b%d", i), Number: plan.LaneNumber(20 + i), Kind: plan.Bus, Width: audio.Stereo,
				Colour: "#123456", Name: fmt.Sprint("Bus ", i), Gain: audio.Decibels(rng.IntN(7) - 3)}
			if rng.IntN(3) > 0 && i+1 < buses {
				b.To, b.AlsoMain = fmt.Sprintf("b%d", i+1+rng.IntN(buses-i-1)), rng.IntN(3) == 0
			}
			for j := i + 1; j < buses; j++ {
				if rng.IntN(4) == 0 {
					b.Sends = append(b.Sends, plan.Send{To: fmt.Sprintf("b%d", j), Level: -6})
				}
			}
			p.Lanes = append(p.Lanes, b)
		}
		voice.To, voice.AlsoMain = "b0", rng.IntN(2) == 0
		p.Lanes = append(p.Lanes, voice)
		g := route.Planned(p)
		lanes := map[string]*plan.Lane{}
		for i := range p.Lanes {
			lanes[p.Lanes[i].ID] = &p.Lanes[i]
		}
		at := g.Find(route.Feed, "i1:v")
		a := g.Arrives(at)
		if got, want := a.Times+a.Returned, times(lanes, voice.ID, map[string]bool{}, true); got != want {
			t.Fatalf("it arrives %d times; every way tried, %d", got, want)
		}
		// the levels are those of the paths: amplitudes where it is one signal, else powers
		ways := map[string]float64{} // by the way to the last effect, which is a signal of its own
		for _, path := range g.Paths(at, 1<<12, true) {
			if !path.Reaches {
				continue
			}
			last := 0
			for i, n := range path.Edges {
				if e := g.Edge(n); e.Kind == route.Sent && g.IsReturn(g.Node(e.To).Ref) {
					last = i + 1
				}
			}
			ways[fmt.Sprint(path.Edges[:last])] += path.Left.Linear()
		}
		power := 0.0
		for _, amplitude := range ways {
			power += amplitude * amplitude
		}
		near(t, "left over all paths", a.Left, 10*math.Log10(power))
	}
}

// Buses that feed each other in a host shut one way each, and every walk ends.
func TestLoopsEnd(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range testkit.Of(300, 50) {
		p := single(t, audio.Stereo, 0, 0)
		s := p.AsPlanned()
		for i := range 6 {
			s.Lanes = append(s.Lanes, plan.Lane{ID: fmt.Sprintf("b%d", i), Number: plan.LaneNumber(9 + i), Kind: plan.Bus,
				Width: audio.Stereo, To: fmt.Sprintf("b%d", rng.IntN(6)), AlsoMain: rng.IntN(5) == 0})
		}
		s.Lanes[0].To = "b0"
		g := route.Patched(p, s)
		at := g.Find(route.Feed, "i1:v")
		lanes := map[string]*plan.Lane{}
		for i := range s.Lanes {
			lanes[s.Lanes[i].ID] = &s.Lanes[i]
		}
		want := times(lanes, s.Lanes[0].ID, map[string]bool{}, false)
		if got := g.Arrives(at).Times; (got == 0) != (want == 0) {
			t.Fatalf("it arrives %d times; every way tried, %d", got, want)
		}
		for _, l := range g.InLoop() {
			seen, at := map[string]bool{}, l.To
			for at != plan.MainMix && !seen[at] {
				seen[at] = true
				at = s.Lane(at).To
			}
			if !seen[l.ID] {
				t.Errorf("%s is said to feed itself", l.ID)
			}
		}
	}
}

func BenchmarkPlanned8000Lanes(b *testing.B) {
	p := testkit.Wide(b, 20, 400)
	b.ResetTimer()
	for b.Loop() {
		route.Planned(p)
	}
}

// Each voice reaches the group of the microphone that it is in, and no other.
func TestAVoiceReachesItsGroupOfASplitMicrophone(t *testing.T) {
	in := rig.Instrument{Name: "Kit", Microphones: []rig.Microphone{{ID: "oh", Name: "Overhead", Role: "kit/overhead",
		Width: audio.Stereo}}, Voices: []rig.Voice{
		{ID: "k", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36}, Heard: rig.HeardThrough("oh")},
		{ID: "r", Name: "Ride", Role: "kit/cymbal/ride", Keys: []midi.Key{51}, Heard: rig.HeardThrough("oh")},
		{ID: "b", Name: "Bell", Role: "percussion/bells", Keys: []midi.Key{53}, Heard: rig.HeardThrough("oh")}}}
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "4x2", in)
	reached := func() map[string]string {
		out := map[string]string{}
		g := route.Planned(p)
		for _, v := range in.Voices {
			for _, i := range g.HeardIn(g.Find(route.Voice, "i1:"+v.ID)) {
				out[v.ID] += g.Feeds[i].ID + " "
			}
		}
		return out
	}
	if got := reached(); got["k"] != "oh " || got["r"] != "oh " || got["b"] != "oh " {
		t.Errorf("whole: %v; want all heard in oh", got)
	}
	testkit.Edit(t, p, edits.NameGroups("i1", "oh", map[string]string{"k": "skins", "r": "metal"}))
	if got := reached(); got["k"] != "oh.skins " || got["r"] != "oh.metal " || got["b"] != "oh " {
		t.Errorf("split: %v; want kick in skins, ride in metal, bell in oh", got)
	}
}
