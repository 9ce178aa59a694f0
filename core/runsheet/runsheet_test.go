package runsheet_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// carryOut does every step on a state as a host of the project's kind would let one.
func carryOut(t *testing.T, p *plan.Project, s *plan.Patched, steps []runsheet.Step) {
	t.Helper()
	h := host.New(s, p.Host.Behaviour())
	for _, st := range steps {
		if st.Text == "" || st.Count < 1 || st.Verify == "" || len(st.Actions) == 0 {
			t.Fatalf("%+v says too little", st)
		}
		for _, a := range st.Actions {
			if err := h.Do(a); err != nil {
				t.Fatalf("%s, step %d, %s: %v", p.Host.Profile.Name, st.Number, st.Text, err)
			}
		}
	}
}

func sheet(steps []runsheet.Step) string {
	var out []string
	for _, st := range steps {
		out = append(out, fmt.Sprintf("%s [%d]", st.Text, st.Count))
	}
	return strings.Join(out, "\n")
}

// generated makes up a project, mapped, for a host of a profile.
func generated(t *testing.T, rng *rand.Rand, profile rig.Profile) *plan.Project {
	t.Helper()
	roles := role.All()
	var ins []rig.Instrument
	for i := range 1 + rng.IntN(3) {
		in := rig.Instrument{Name: fmt.Sprintf("Instrument %d", i+1), Pans: true}
		if rng.IntN(2) == 0 {
			in.Delivered = []rig.Run{{Count: 1 + rng.IntN(4), Width: audio.Stereo}}
		}
		for v := range 2 + rng.IntN(13) {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d", v),
				Role: roles[rng.IntN(len(roles))], Keys: []midi.Key{midi.Key(v)}, Width: audio.Mono})
		}
		if rng.IntN(3) == 0 {
			in.Parts = []rig.Part{{ID: "p1", Name: "Part", Role: "brass/horn", Width: audio.Stereo, Program: -1,
				Address: midi.Address{Port: 1, Channel: midi.Channel(1 + rng.IntN(16))}}}
		}
		if rng.IntN(2) == 0 {
			in.Microphones = []rig.Microphone{{ID: "m1", Name: "Close", Role: "kit/snare/top", Width: audio.Mono},
				{ID: "m2", Name: "Room", Role: "kit/room", Width: audio.Stereo}}
			in.Voices[len(in.Voices)-1].Heard = rig.HeardThrough("m1", "m2")
		}
		if rng.IntN(2) == 0 {
			in.Returns = []rig.Return{{ID: "rv", Name: "Own Plate", Role: "effects/reverb", Width: audio.Stereo}}
		}
		in.Traits = rig.Traits{SeparateSwitch: rng.IntN(4) == 0, VersionFixed: rng.IntN(2) == 0,
			Player: []rig.Player{rig.NoPlayer, rig.PlayerOff, rig.PlayerOn}[rng.IntN(3)]}
		if rng.IntN(3) == 0 {
			in.Traits.Spreads = []rig.Spread{rig.InOrder, rig.OneEach}[rng.IntN(2):]
		}
		if rng.IntN(3) == 0 {
			in.Variants = []rig.Variant{{Name: "small", Ports: 16}, {Name: "large", Ports: 64}}
		}
		if rng.IntN(4) == 0 {
			in.Traits.OwnPlaces = true
			in.Voices[0].Slot, in.Voices[1].Slot = 3, 3
		}
		if len(in.Parts) > 0 && rng.IntN(2) == 0 {
			in.Parts[0].Articulations = "Short ones"
		}
		ins = append(ins, in)
	}
	p := &plan.Project{Name: "Generated", Host: plan.Host{FirstLane: plan.LaneNumber(1 + rng.IntN(20))}}
	testkit.Edit(t, p, edits.SetProfile(profile))
	for _, in := range ins {
		outputs := rig.Lay([]rig.Run{{Count: 1 + rng.IntN(12), Width: audio.Stereo}}, rig.Port(1+2*rng.IntN(3)))
		testkit.Edit(t, p, edits.AddInstrument(in, outputs, rng.IntN(3)*10))
	}
	for i := range p.Placed {
		if rng.IntN(2) == 0 {
			testkit.Edit(t, p, edits.SetInside(p.Placed[i].ID, func(in *rig.Instrument) (string, error) {
				*in = in.WithInside(insideOf(rng, in))
				return "set the inside", nil
			}))
		}
		if profile.Sides && rng.IntN(3) == 0 {
			testkit.Edit(t, p, edits.SetPairs(p.Placed[i].ID, true))
		}
		if rng.IntN(2) == 0 {
			testkit.Edit(t, p, edits.SetAside(p.Placed[i].ID, []string{"v0"}, []plan.State{plan.Off, plan.Parked}[rng.IntN(2)]))
		}
		pr := testkit.Propose(t, p, p.Placed[i].ID)
		if pr.Changes() > 0 {
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
		}
	}
	if rng.IntN(2) == 0 { // an effect's return
		testkit.Edit(t, p, edits.AddBus("Plate", 0, nil))
		send(t, rng, p)
	}
	inserts(t, rng, p)
	begin(t, rng, p)
	return p
}

// begin lets instruments start anyhow, and asks for what is kept at the end.
func begin(t *testing.T, rng *rand.Rand, p *plan.Project) {
	t.Helper()
	for i := range p.Placed {
		pl := &p.Placed[i]
		l := rig.Layout{Name: "Prepared", Outputs: rig.Lay([]rig.Run{{Count: 1 + rng.IntN(6), Width: audio.Stereo}}, 1),
			Feeds: map[string]rig.Placing{}}
		for _, f := range pl.AllFeeds() {
			if rng.IntN(3) > 0 {
				l.Feeds[f.ID] = rig.Placing{Output: rng.IntN(len(l.Outputs) + 1)}
			}
		}
		switch rng.IntN(4) {
		case 0:
			testkit.Edit(t, p, edits.SetStart(pl.ID, plan.FromLayout, "Prepared", []rig.Layout{l}))
		case 1:
			testkit.Edit(t, p, edits.SetStart(pl.ID, plan.FromSaved, "", nil))
		case 2:
			pl.Instrument.Layouts = []rig.Layout{l}
		}
		if rng.IntN(3) == 0 && len(pl.SpreadKeys()) > 0 {
			testkit.Edit(t, p, edits.SetWay(pl.ID, pl.SpreadKeys()[0]))
		}
		if slot := pl.Instrument.Voices[1]; slot.Slot != 0 && pl.Feeds[slot.ID].State == plan.Undecided && rng.IntN(2) == 0 {
			testkit.Edit(t, p, edits.OwnPlace(pl.ID, slot.ID))
		}
	}
	for i := range p.Lanes {
		p.Lanes[i].Track = rng.IntN(4) == 0
		p.Lanes[i].Inverted = rng.IntN(5) == 0
	}
}

// inserts puts effects on some lanes and buses, in place of those there.
func inserts(t *testing.T, rng *rand.Rand, p *plan.Project) {
	t.Helper()
	some := []rig.Insert{{Kind: rig.Equaliser}, {Kind: rig.Compressor, Name: "Brick", Note: "slow"},
		{Kind: rig.Reverberation, Name: "Hall"}, {Kind: rig.Limiter}}
	for _, l := range p.ByNumber() {
		var list []rig.Insert
		for range rng.IntN(3) {
			list = append(list, some[rng.IntN(len(some))])
		}
		testkit.Edit(t, p, plan.SetInserts(l.ID, list))
	}
}

// insideOf makes up settings inside an instrument.
func insideOf(rng *rand.Rand, in *rig.Instrument) map[string]string {
	out := in.InsideSettings()
	set := func(source, attribute, of, value string) {
		if rng.IntN(3) == 0 {
			out[rig.InsideKey(source, attribute, of)] = value
		}
	}
	sources := []string{}
	for _, v := range in.Voices {
		sources = append(sources, v.ID)
		for _, h := range v.Heard {
			set(v.ID, rig.InsideTrim, h.Microphone, fmt.Sprint(-1-rng.IntN(20)))
		}
	}
	for _, m := range in.Microphones {
		sources = append(sources, m.ID)
		set(m.ID, rig.InsideBleed, "", "off")
	}
	for _, p := range in.Parts {
		sources = append(sources, p.ID)
		set(p.ID, rig.InsideReceives, "", []string{"all", "1:7"}[rng.IntN(2)])
	}
	for _, id := range sources {
		set(id, rig.InsideGain, "", fmt.Sprint(1+rng.IntN(9)))
		set(id, rig.InsidePan, "", fmt.Sprint(-1-rng.IntN(99)))
		set(id, rig.InsidePolarity, "", "inverted")
		set(id, rig.InsideOpen, "", "closed")
		set(id, rig.InsideMain, "", "as well")
		for _, r := range in.Returns {
			set(id, rig.InsideReturn, r.ID, []string{"-12", "-7.5 pre"}[rng.IntN(2)])
		}
	}
	set("", rig.InsideBleed, "", []string{"rooms", "off"}[rng.IntN(2)])
	set("", rig.InsideTrim, "", "-6")
	return out
}

// send lets some lanes send to the plate, taken before or after the fader.
func send(t *testing.T, rng *rand.Rand, p *plan.Project) {
	t.Helper()
	plate := testkit.Lane(p, "Plate")
	for _, l := range p.ByNumber() {
		if l.Kind == plan.Regular && plate != nil && rng.IntN(2) == 0 {
			testkit.Edit(t, p,
				plan.SendLanes([]string{l.ID}, plan.Send{To: plate.ID, Pre: rng.IntN(3) == 0,
					Level: audio.Decibels(-rng.IntN(30))}))
		}
	}
}

// Every step of a run sheet, done in order on the stand-in host, ends in exactly
// the plan: for every shipped profile, from nothing, from what another plan left,
// and from the middle of a sheet.
func TestDoingEveryStepEndsInThePlan(t *testing.T) {
	for i, profile := range rig.Profiles {
		rng := rand.New(rand.NewPCG(uint64(i), 99))
		for range testkit.Of(180, 40) {
			p := generated(t, rng, profile)
			s := (*plan.Patched)(nil).Clone()
			steps := runsheet.From(p, nil)
			if cut := rng.IntN(3); cut == 0 && len(steps) > 0 { // stopped in the middle, then a new sheet
				carryOut(t, p, s, steps[:rng.IntN(len(steps))])
				steps = runsheet.From(p, s)
			}
			carryOut(t, p, s, steps)
			if d := host.Differences(p, s); len(d) > 0 {
				t.Fatalf("%s: %s\nafter\n%s", profile.Name, strings.Join(d, "; "), sheet(steps))
			}
			if left := runsheet.From(p, s); len(left) > 0 {
				t.Fatalf("%s: done, but the sheet says\n%s", profile.Name, sheet(left))
			}
			// The plan changes: the outputs, the lanes, an instrument less.
			pl := &p.Placed[0]
			testkit.Edit(t, p, edits.SetOutputs(pl.ID, rig.Lay([]rig.Run{{Count: 1 + rng.IntN(14), Width: audio.Stereo}},
				1), pl.Offset))
			pr := testkit.Propose(t, p, pl.ID)
			if pr.Changes() > 0 {
				testkit.Edit(t, p, pr.Accept(pr.Everything()))
			}
			if len(p.Placed) > 1 && rng.IntN(2) == 0 {
				testkit.Edit(t, p, edits.Remove(p.Placed[1].ID))
			}
			if lanes := p.ByNumber(); len(lanes) > 1 {
				testkit.Edit(t, p, plan.MoveLane(lanes[0].ID, lanes[len(lanes)-1].Number))
				testkit.Edit(t, p, plan.NameLane(lanes[0].ID, "Renamed"))
			}
			for i := range p.Lanes { // sends go, change and come
				if l := &p.Lanes[i]; rng.IntN(2) == 0 {
					l.Sends = nil
				}
			}
			send(t, rng, p)
			inserts(t, rng, p)
			if rng.IntN(2) == 0 { // the inside changes too
				testkit.Edit(t, p, edits.SetInside(pl.ID, func(in *rig.Instrument) (string, error) {
					set := insideOf(rng, in)
					for id, a := range pl.Feeds {
						if a.Side != rig.Whole { // a pan against its side is refused
							for _, x := range pl.PannedWith(id) {
								delete(set, rig.InsideKey(x.ID, rig.InsidePan, ""))
							}
						}
					}
					*in = in.WithInside(set)
					return "set the inside", nil
				}))
			}
			if plate := testkit.Lane(p, "Plate"); plate != nil && rng.IntN(3) == 0 {
				testkit.Edit(t, p, edits.DeleteLane(plate.ID))
			}
			steps = runsheet.From(p, s)
			carryOut(t, p, s, steps)
			if d := host.Differences(p, s); len(d) > 0 {
				t.Fatalf("%s, after a change: %s\nafter\n%s", profile.Name, strings.Join(d, "; "), sheet(steps))
			}
		}
	}
}

// Ticking every step is the same as doing it, and each tick leaves one step less.
func TestTickingWritesDownWhatWasDone(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		for left := runsheet.Make(p); len(left) > 0; left = runsheet.Make(p) {
			before := len(left)
			testkit.Edit(t, p, runsheet.Tick(left[0].Key()))
			p = p.Clone() // as it is kept
			if after := len(runsheet.Make(p)); after >= before {
				t.Fatalf("%s: ticking %q leaves %d steps of %d", profile.Name, left[0].Text, after, before)
			}
		}
		if d := host.Differences(p, p.Patched); len(d) > 0 {
			t.Errorf("got %s: %v; want len(d) at most 0", profile.Name, d)
		}
	}
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, runsheet.AllDone())
	if left := runsheet.Make(p); len(left) != 1 || left[0].Place != runsheet.ByEar {
		t.Errorf("it stands as planned, but\n%s", sheet(left))
	}
	if _, err := runsheet.Tick("x")(p); err == nil {
		t.Error("a step that is not on the sheet was ticked")
	}
}

// Common practice, no source: fourteen microphones on an instrument with one
// stereo output need thirteen more outputs; where the first arrives on the
// instrument's own lane, thirteen more lanes.
func TestFourteenMicrophonesCountRightForEveryProfile(t *testing.T) {
	in := rig.Instrument{Name: "Keel Kit", Delivered: []rig.Run{{Count: 1, Width: audio.Stereo}}}
	for i := range 14 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("m%02d", i+1), Name: fmt.Sprintf("Mic %d", i+1),
			Role: "kit/tom/rack", Keys: []midi.Key{midi.Key(i)}, Width: audio.Stereo})
	}
	want := map[string]string{
		"Lanes added by hand": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nAssign 13 feeds of Keel " +
			"Kit [13]\n" +
			"Add lanes 6–18 and set the inputs: outputs 2–14 (3–28) in order [13]\nName 14 lanes [14]\nColour 14 lanes [14]\n",
		"Outputs switched on one by one": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nReload Keel Kit " +
			"" +
			"[1]\nAssign 13 feeds of Keel Kit [13]\n" +
			"Switch on 13 outputs of Keel Kit: 2–14 [13]\nName 14 lanes [14]\nColour 14 lanes [14]\n",
		"Lanes follow the assignment": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nAssign 13 " +
			"feeds of Keel Kit [13]\nName 14 lanes [14]\nColour 14 lanes [14]\n",
		"Lanes fed by sends": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nSave the set-up of " +
			"Keel Kit [1]\nReload Keel Kit [1]\nAssign 13 feeds of Keel Kit [13]\n" +
			"Sends to lanes 5–18: from outputs 1–14 (1–28), source and destination both set in order [14]\nName 14 lanes " +
			"[14]\nColour 14 lanes [14]\n",
		"Lanes added in blocks": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nSave the project and " +
			"open " +
			"it again [1]\nAssign 13 feeds of Keel Kit [13]\n" +
			"Add lanes 1·6–2·8 and set the inputs: outputs 2–14 (3–28) in order [13]\nName 14 lanes [14]\nColour 14 lanes " +
			"[14]\n",
		"Ports connected one by one": "Add 13 stereo outputs to Keel Kit, consecutive from port 3 [13]\nSave the set-up " +
			"of Keel " +
			"Kit [1]\nSave the project and open it again [1]\nAssign 13 feeds of Keel Kit [13]\n" +
			"Connect lanes 5–18: outputs 1–14 (1–28) in order [28]\nName 14 lanes [14]\nColour 14 lanes [14]\n",
	}
	for _, profile := range rig.Profiles {
		p := &plan.Project{Name: "Bare", Host: plan.Host{FirstLane: 5}}
		testkit.Edit(t, p, edits.SetProfile(profile))
		testkit.Edit(t, p, edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: 14, Width: audio.Stereo}}, 1), 0))
		pr := testkit.Propose(t, p, "i1")
		testkit.Edit(t, p, pr.Accept(pr.Everything()))
		first := runsheet.Make(p)[0]
		testkit.Edit(t, p, runsheet.Tick(first.Key())) // it is loaded, with its one output
		got := sheet(runsheet.Make(p)) + "\n"
		if !strings.HasPrefix(got, want[profile.Name]) || !strings.Contains(got, "14 lanes, ") ||
			!strings.HasSuffix(got, "hear one thing [14]\n") {
			t.Errorf("%s after %q:\n%s", profile.Name, first.Text, got)
		}
		if profile.Several != strings.Contains(got, "Remove the route to the main mix") {
			t.Errorf("%s: the way to the main mix:\n%s", profile.Name, got)
		}
	}
}

func BenchmarkRunSheet(b *testing.B) {
	for _, lanes := range []int{1000, 3000} { // a project holds 4,000
		p := testkit.Wide(b, 10, lanes/10)
		for i, profile := range rig.Profiles {
			if lanes == 1000 {
				testkit.Edit(b, p, edits.SetProfile(profile))
			} else if i > 0 { // growth on one of them
				break
			}
			b.Run(fmt.Sprintf("%d/%s", lanes, profile.Name), func(b *testing.B) {
				b.ReportAllocs()
				for b.Loop() {
					if len(runsheet.Make(p)) == 0 {
						b.Fatal("nothing to do")
					}
				}
			})
		}
	}
}

func TestTheHostsKindOutlivesAChangeOfItsLanes(t *testing.T) {
	p := testkit.Wide(t, 1, 3)
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[3]))
	if p.Host.LaneLimit != plan.LaneNumber(rig.Profiles[3].Limit) {
		t.Errorf("the last lane is %d", p.Host.LaneLimit)
	}
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[0]))
	if p.Host.LaneLimit != 0 {
		t.Errorf("the other kind's last lane, %d, has stayed", p.Host.LaneLimit)
	}
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[3]))
	testkit.Edit(t, p, edits.SetHost(plan.Host{FirstLane: 2, LaneLimit: 90}))
	if got := p.Host.Behaviour().Name; got != rig.Profiles[3].Name {
		t.Errorf("the sheet is for %q", got)
	}
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[0]))
	if p.Host.LaneLimit != 90 {
		t.Errorf("the user's own last lane has become %d", p.Host.LaneLimit)
	}
}

// A set-up that shrinks says how many outputs go, and behind which.
func TestOutputsThatGoAreCounted(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, runsheet.AllDone())
	for _, left := range []int{9, 7} {
		q := p.Clone()
		testkit.Edit(t, q, edits.SetOutputs("i1", rig.Lay([]rig.Run{{Count: left, Width: audio.Stereo}}, 1), 0))
		want := fmt.Sprintf("of Brinework Kit: those after output %d [%d]", left, 10-left)
		if want = "Remove 3 outputs " + want; left == 9 {
			want = "Remove 1 output " + want[len("Remove 3 outputs "):]
		}
		if got := sheet(runsheet.Make(q)); !strings.Contains(got, want) {
			t.Errorf("with %d of 10 outputs left the sheet says\n%s\nwant %s", left, got, want)
		}
	}
}
