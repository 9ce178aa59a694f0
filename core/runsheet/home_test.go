package runsheet_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// homes knows, of a mixer, on which lane each instrument was loaded: it puts the instrument's place
// on the fader of that lane, which no step moves.
type homes []string

// follow does the steps, as the kind of host lets one, and fails where one removes the lane that an
// instrument was loaded on while the instrument is there.
func (at *homes) follow(t *testing.T, p *plan.Project, s *plan.Patched, steps []runsheet.Step) {
	t.Helper()
	h := host.New(s, p.Host.Behaviour())
	for _, st := range steps {
		for _, a := range st.Actions {
			if gone, ok := a.(host.CloseLane); ok {
				l := s.Lane(gone.Lane)
				if n := int(l.Gain); n > 0 {
					if _, there := s.Instruments[(*at)[n-1]]; there {
						t.Fatalf("%s: %q removes lane %d %s, on which %s was loaded\n%s", p.Host.Profile.Name, st.Text, l.Number,
							l.Name, (*at)[n-1], sheet(steps))
					}
				}
			}
			if err := h.Do(a); err != nil {
				t.Fatalf("%s: %s: %v", p.Host.Profile.Name, st.Text, err)
			}
			load, ok := a.(host.Load)
			if !ok || !p.Host.Behaviour().FirstOnOwn && p.Host.Behaviour().Appears != rig.WhenAssigned {
				continue
			}
			*at = append(*at, load.Instrument)
			for i := range s.Lanes { // right after it was loaded its first output arrives on that lane alone
				if slices.Contains(s.Lanes[i].Sources, plan.OutputRef{Placed: load.Instrument, Output: load.Outputs[0].Number}) {
					s.Lanes[i].Gain = audio.Decibels(len(*at))
				}
			}
		}
	}
}

// done follows the sheet from what is there, and fails unless nothing is left to do then.
func (at *homes) done(t *testing.T, p *plan.Project, s *plan.Patched) {
	t.Helper()
	steps := runsheet.From(p, s)
	at.follow(t, p, s, steps)
	if d := host.Differences(p, s); len(d) > 0 {
		t.Fatalf("%s: %v after\n%s", p.Host.Profile.Name, d, sheet(steps))
	}
	numbers := map[plan.LaneNumber]string{}
	for _, l := range s.Lanes {
		if by := numbers[l.Number]; by != "" {
			t.Fatalf("%s: lane %d is both %s and %s after\n%s", p.Host.Profile.Name, l.Number, by, l.Name, sheet(steps))
		}
		numbers[l.Number] = l.Name
	}
	if left := runsheet.From(p, s); len(left) > 0 {
		t.Fatalf("%s: all is done, and still\n%s", p.Host.Profile.Name, sheet(left))
	}
	for _, in := range p.Placed { // nor is its first output heard twice
		n := 0
		for _, l := range s.Lanes {
			if slices.Contains(l.Sources, plan.OutputRef{Placed: in.ID, Output: 1}) {
				n++
			}
		}
		if n > 1 {
			t.Fatalf("%s: output 1 of %s arrives on %d lanes after\n%s", p.Host.Profile.Name, in.Instrument.Name, n,
				sheet(steps))
		}
	}
}

// In hosts where the first output arrives on the lane that an instrument was loaded on, to remove
// that lane removes the instrument (common practice, no source).
func TestNoStepRemovesTheLaneAnInstrumentWasLoadedOn(t *testing.T) {
	testkit.Slow(t)
	ways := map[string]func(t *testing.T, p *plan.Project){
		"replaced": func(t *testing.T, p *plan.Project) {
			r, err := carry.Match(p, p.Placed[0].ID, sample.FlintTwelve(), 0, nil)
			if err != nil {
				t.Fatal(err)
			}
			testkit.Edit(t, p, r.Edit())
		},
		"outputs kept free": func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 0))
			pr := testkit.Propose(t, p, "i1")
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
		},
		"no longer kept free": func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.KeepOutputsFree("i1", nil, 0))
			pr := testkit.Propose(t, p, "i1")
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
		},
		"divided": func(t *testing.T, p *plan.Project) { testkit.Edit(t, p, edits.DivideInto("i1", 3)) },
		"gathered": func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.GatherIntoOne("i1"))
		},
	}
	for _, c := range []struct {
		instrument rig.Instrument
		outputs    string
		ways       []string
	}{
		{sample.BrineworkKit(), "10x2", []string{"replaced", "replaced"}},
		{sample.BrineworkKit(), "10x2", []string{"outputs kept free", "no longer kept free", "outputs kept free"}},
		{sample.ReedCabinet(), "8x2", []string{"divided", "gathered", "divided"}},
		{sample.SaltpanSection(), "12x2", []string{"outputs kept free", "divided"}},
		{sample.ReedCabinet(), "8x2", []string{"outputs kept free", "divided", "gathered"}},
	} {
		for _, profile := range rig.Profiles {
			for _, fresh := range []bool{false, true} { // what is there before, and a sheet from the start
				p := testkit.Mapped(t, plan.Host{FirstLane: 1}, c.outputs, c.instrument)
				testkit.Edit(t, p, edits.SetProfile(profile))
				at, s := &homes{}, (*plan.Patched)(nil).Clone()
				at.done(t, p, s)
				for _, way := range c.ways {
					ways[way](t, p)
					if fresh {
						at, s = &homes{}, (*plan.Patched)(nil).Clone()
					}
					at.done(t, p, s)
				}
			}
		}
	}
}

// Ticked one by one, in any order as well, the sheet comes to the same end.
func TestTicksKeepTheLaneAnInstrumentWasLoadedOn(t *testing.T) {
	rng := rand.New(rand.NewPCG(25, 4))
	for _, profile := range rig.Profiles {
		for _, anyhow := range []bool{false, true} {
			p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "8x2", sample.ReedCabinet())
			testkit.Edit(t, p, edits.SetProfile(profile))
			testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 0))
			for _, way := range []plan.Edit{nil, edits.DivideInto("i1", 3), edits.KeepOutputsFree("i1", nil, 0)} {
				if way != nil {
					testkit.Edit(t, p, way)
				}
				pr := testkit.Propose(t, p, "i1")
				testkit.Edit(t, p, pr.Accept(pr.Everything()))
				for n, left := 0, runsheet.Make(p); len(left) > 0; n, left = n+1, runsheet.Make(p) {
					if n > 200 {
						t.Fatalf("%s: 200 ticks, and left is\n%s", profile.Name, sheet(left))
					}
					step := left[0]
					if anyhow && rng.IntN(2) == 0 { // a reload before what it is for is due again
						step = left[rng.IntN(len(left))]
					}
					for _, a := range step.Actions {
						if gone, ok := a.(host.CloseLane); ok && p.Patched.Homes(p)[gone.Lane] {
							t.Fatalf("%s: %s removes a home\n%s", profile.Name, step.Text, sheet(left))
						}
					}
					testkit.Edit(t, p, runsheet.Tick(step.Key()))
				}
				if d := host.Differences(p, p.Patched); len(d) > 0 {
					t.Errorf("%s: everything is ticked, and %v", profile.Name, d)
				}
			}
		}
	}
}

// An instrument that is replaced leaves its lane, with what is on it, for the new one; one that is
// removed takes it along, which is said before.
func TestTheLaneOfAnInstrumentGoesWithItOrIsLeftForTheNext(t *testing.T) {
	for _, profile := range rig.Profiles {
		if !plan.HasHomes(profile) {
			continue
		}
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "10x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		at, s := &homes{}, (*plan.Patched)(nil).Clone()
		at.done(t, p, s)
		home := s.HomeOf(p, "i1")
		if home == nil || home.Name != p.Lane(home.ID).Name {
			t.Fatalf("%s: its home is %v; want the planned lane of its first output", profile.Name, home)
		}
		lane := home.ID
		r, err := carry.Match(p, "i1", sample.FlintTwelve(), 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		testkit.Edit(t, p, r.Edit())
		steps := runsheet.From(p, s)
		if want := "and leave the lane for Flint Twelve"; !strings.Contains(steps[0].Text, want) ||
			!strings.HasPrefix(steps[1].Text, "Load Flint Twelve on lane "+p.Host.LaneName(1)) {
			t.Errorf("%s: replaced, the sheet begins with %q and %q; want %q", profile.Name, steps[0].Text, steps[1].Text, want)
		}
		at.done(t, p, s)
		if s.Lane(lane) == nil {
			t.Errorf("%s: the lane is gone", profile.Name)
		}
		testkit.Edit(t, p, edits.Remove(p.Placed[0].ID))
		steps = runsheet.From(p, s)
		if len(steps) == 0 || !strings.Contains(steps[0].Text, ", with lane "+p.Host.LaneName(1)+" ") || !strings.Contains(steps[0].Why, "move what") {
			t.Fatalf("%s: removed, the sheet has\n%s\nwant the lane named that goes with it", profile.Name, sheet(steps))
		}
		for _, st := range steps[1:] {
			for _, item := range testkit.ItemTexts(st) {
				if strings.HasPrefix(item, "lane "+p.Host.LaneName(1)+" ") {
					t.Errorf("%s: %q removes lane 1 a second time", profile.Name, st.Text)
				}
			}
		}
		at.done(t, p, s)
	}
}

// An instrument that nothing of the plan arrives from by its first output has a lane of its own all the
// same, and that is called like it.
func TestAHomeIsCalledLikeItsInstrument(t *testing.T) {
	for _, profile := range rig.Profiles {
		if !plan.HasHomes(profile) {
			continue
		}
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "10x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 0))
		pr := testkit.Propose(t, p, "i1")
		testkit.Edit(t, p, pr.Accept(pr.Everything()))
		at, s := &homes{}, (*plan.Patched)(nil).Clone()
		at.done(t, p, s)
		if home := s.HomeOf(p, "i1"); home == nil || home.Name != "Brinework Kit" {
			t.Errorf("%s: its home is %+v; want one called Brinework Kit", profile.Name, home)
		}
	}
}

// Tracks of an instrument that is divided are pointed at the instances, and not made a second time; those
// that nothing plays any more are removed, which is said before.
func TestOldTracksAreUsedAgainOrRemoved(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "8x2", sample.ReedCabinet())
		testkit.Edit(t, p, edits.SetProfile(profile))
		at, s := &homes{}, (*plan.Patched)(nil).Clone()
		at.done(t, p, s)
		tracks := len(s.Tracks)
		testkit.Edit(t, p, edits.DivideInto("i1", 2))
		steps := runsheet.From(p, s)
		again, made := 0, 0
		for _, st := range steps {
			switch {
			case strings.Contains(st.Text, "that nothing plays now at another instrument"):
				again = st.Count
			case strings.HasPrefix(st.Text, "Add ") && strings.Contains(st.Text, "point each at"):
				made = st.Count
			}
		}
		if again != 3 || made != 0 {
			t.Errorf("%s: divided, %d tracks are used again and %d settings make others; want the 3 that moved, and none\n%s",
				profile.Name, again, made, sheet(steps))
		}
		at.done(t, p, s)
		if len(s.Tracks) != tracks {
			t.Errorf("%s: there are %d tracks, and were %d", profile.Name, len(s.Tracks), tracks)
		}
		testkit.Edit(t, p, edits.Remove(p.Placed[1].ID))
		gone := ""
		for _, st := range runsheet.From(p, s) {
			if strings.HasPrefix(st.Text, "Remove 3 tracks that nothing plays now") {
				gone = st.Why
			}
		}
		if !strings.Contains(gone, "move their notes first") {
			t.Errorf("%s: an instance is removed, and of its tracks is said %q; want them removed, and what is lost", profile.Name,
				gone)
		}
		at.done(t, p, s)
	}
}

// Two instruments that each have the same channels are replaced: the tracks of both are used again.
func TestOldTracksOfOneAddressAreAllUsedAgain(t *testing.T) {
	kind := rig.Profiles[0] // each instrument has its own channels
	reeds := sample.ReedCabinet()
	p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "8x2", reeds, reeds)
	testkit.Edit(t, p, edits.SetProfile(kind))
	s := p.AsPlanned()
	for i := range p.Placed { // the same parts under other IDs, as of a copy that was loaded anew
		was := p.Placed[i].ID
		p.Placed[i].ID = "n" + was
		for l := range p.Lanes {
			for k := range p.Lanes[l].Sources {
				if p.Lanes[l].Sources[k].Placed == was {
					p.Lanes[l].Sources[k].Placed = "n" + was
				}
			}
		}
	}
	again := 0
	for _, st := range runsheet.From(p, s) {
		if strings.Contains(st.Text, "that nothing plays now at another instrument") {
			again = st.Count
		}
	}
	if parts := len(reeds.Parts); again != 2*parts {
		t.Errorf("%d tracks are used again; want all %d of the two", again, 2*parts)
	}
}
