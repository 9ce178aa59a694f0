package check_test

import (
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

var host = plan.Host{LaneLimit: 64, FirstLane: 5, Taken: plan.Ranges{{From: 1, To: 4}, {From: 40, To: 44}}}

// Each mistake, put into a sound project alone, is found under its own code and
// nothing else is; what its button does leaves nothing to find.
func TestEachMistakeIsFoundAndMended(t *testing.T) {
	for name, c := range map[string]struct {
		code  string
		title string // a part of it
		wrong func(t *testing.T, p *plan.Project)
	}{
		"not assigned": {"feed-no-output", "Shaker has no output", func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.Decide(testkit.Feed("v70"), plan.Undecided, plan.Jack{}))
		}},
		"no such output": {"output-gone", "Cowbell is silent", func(t *testing.T, p *plan.Project) {
			p.Placed[0].Feeds["v56"] = plan.Assignment{State: plan.Assigned, Output: 99}
		}},
		"no lane": {"output-no-lane", "Ride, Crash Left and Crash Right are silent",
			func(t *testing.T, p *plan.Project) {
				testkit.Edit(t, p, edits.DeleteLane(testkit.Lane(p, "Cymbals").ID))
			}},
		"dead lane": {"lane-no-output", "Spare has no output",
			func(t *testing.T, p *plan.Project) { testkit.Edit(t, p, edits.AddLane(plan.OutputRef{}, 0, "Spare")) }},
		"lane of an output that is gone": {"lane-no-output", "has no output", func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.AddLane(plan.OutputRef{}, 0, "Spare"))
			testkit.Lane(p, "Spare").Sources = []plan.OutputRef{{Placed: "i1", Output: 77}}
		}},
		"two outputs on one lane": {"lane-collision", "takes 2 outputs", func(t *testing.T, p *plan.Project) {
			testkit.Edit(t, p, edits.ArriveOn(plan.OutputRef{Placed: "i1", Output: 2}, testkit.Lane(p, "Hat").Number))
			testkit.Edit(t, p, edits.DeleteLane(testkit.Lane(p, "Snare").ID))
		}},
		"one number twice": {"lane-collision", "have the number",
			func(t *testing.T, p *plan.Project) { testkit.Lane(p, "Hat").Number = testkit.Lane(p, "Snare").Number }},
		"beyond the limit": {"lane-out-of-range", "does not exist",
			func(t *testing.T, p *plan.Project) { testkit.Lane(p, "Rooms").Number = 65 }},
		"on a taken lane": {"lane-out-of-range", "is taken by something else",
			func(t *testing.T, p *plan.Project) { testkit.Lane(p, "Rooms").Number = 41 }},
		"double path": {"double-path", "Overheads arrives twice", func(t *testing.T, p *plan.Project) {
			l := testkit.Lane(p, "Overheads")
			testkit.Edit(t, p, plan.Route([]string{l.ID}, l.To, true))
		}},
		"a copy where the lane goes anyway": {"send-meets-dry", "Drums has Snare twice", func(t *testing.T, p *plan.Project) {
			l := testkit.Lane(p, "Snare")
			testkit.Edit(t, p, plan.SendLanes([]string{l.ID}, plan.Send{To: l.To}))
			for _, f := range check.Project(p) { // two equal coherent signals add 6.02 dB
				if !strings.Contains(f.Reason(), "at 0.0 dB: 6.0 dB louder") {
					t.Error(f.Reason())
				}
			}
		}},
		"a family's effect past its bus": {"return-past-bus", "Plate is not routed to the Drums bus",
			func(t *testing.T, p *plan.Project) {
				testkit.Edit(t, p, edits.AddBus("Plate", 0, nil))
				testkit.Edit(t, p, plan.SendLanes([]string{testkit.Lane(p, "Snare").ID, testkit.Lane(p, "Rooms").ID},
					plan.Send{To: testkit.Lane(p, "Plate").ID, Level: -12}))
			}},
		"unfed bus": {"bus-unfed", "Nothing is routed to the Spare bus",
			func(t *testing.T, p *plan.Project) { testkit.Edit(t, p, edits.AddBus("Spare", 0, nil)) }},
		"stereo on mono": {"width-fold", "Room Far loses its width", func(t *testing.T, p *plan.Project) {
			p.Placed[0].Outputs[19] = rig.Output{Number: 20, Width: audio.Mono, First: 39}
			testkit.Edit(t, p, edits.Decide(testkit.Feed("far"), plan.Assigned, plan.Jack{Output: 20}))
			testkit.Edit(t, p, edits.AddLane(plan.OutputRef{Placed: "i1", Output: 20}, 0, "Far"))
		}},
		"parked under a wanted feed": {"parked-with-wanted", "Shaker is parked under Kick In",
			func(t *testing.T, p *plan.Project) {
				testkit.Edit(t, p, edits.Decide(testkit.Feed("v70"), plan.Parked, plan.Jack{Output: 1}))
			}},
	} {
		t.Run(name, func(t *testing.T) {
			outputs := "10x2"
			in := sample.BrineworkKit()
			if name == "stereo on mono" {
				outputs, in.Ports, in.Variants = "20x2", 0, nil
			}
			p := testkit.Mapped(t, host, outputs, in)
			if f := check.Project(p); len(f) != 0 {
				t.Fatalf("found in a sound project: %+v", f)
			}
			c.wrong(t, p)
			found := check.Project(p)
			var mine []check.Problem
			for _, f := range found {
				if f.Rule.Code == c.code && strings.Contains(f.Title(), c.title) {
					mine = append(mine, f)
				}
			}
			if len(mine) != 1 {
				t.Fatalf("found %+v", found)
			}
			if mine[0].Reason() == "" || mine[0].Mend() == "" || mine[0].Edit() == nil {
				t.Fatalf("%+v has no reason or no button", mine[0])
			}
			for range 5 { // some buttons leave a lane to close or an output to open
				again := check.Project(p)
				if len(again) == 0 {
					break
				}
				f, ok := check.ByKey(p, again[0].Key())
				if !ok || f.Edit() == nil {
					break
				}
				testkit.Edit(t, p, f.Edit())
			}
			if left := check.Project(p); len(left) != 0 {
				t.Errorf("after mending: %s, %s", left[0].Title(), left[0].Reason())
			}
		})
	}
}

func TestASongDecidesWhatIsMissed(t *testing.T) {
	p := testkit.Mapped(t, host, "19x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v70"), plan.Undecided, plan.Jack{}))
	p.Song = &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
		Keys: map[midi.Key]int{36: 3}}}}
	for _, f := range check.Project(p) {
		if f.FeedRef() == testkit.Feed("v70") {
			t.Errorf("the song never plays it, but: %s", f.Title())
		}
	}
}

func TestEveryRuleIsDocumentedOnce(t *testing.T) {
	seen := map[string]bool{}
	for _, r := range check.Rules {
		if r.Code == "" || r.Title == "" || len(r.Doc) < 60 || seen[r.Code] {
			t.Errorf("got %+v; want r.Code not \"\", r.Title not \"\", len(r.Doc) at least 60, not seen[r.Code]", r)
		}
		seen[r.Code] = true
	}
}

func BenchmarkTraceAndCheck500Lanes(b *testing.B) {
	in := rig.Instrument{Name: "Wide"}
	for i := range 500 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i),
			Role: "percussion/clap", Keys: []midi.Key{midi.Key(i % 128)}})
	}
	p := testkit.Mapped(b, plan.Host{}, "500x2", in)
	b.ReportAllocs()
	for b.Loop() {
		g := trace.New(p)
		for _, f := range g.Feeds {
			g.Paths(f)
		}
		check.All(g)
	}
}

func BenchmarkCheck(b *testing.B) {
	for _, lanes := range []int{1000, 3000} { // a project holds 4,000
		b.Run(fmt.Sprint(lanes), func(b *testing.B) {
			p := testkit.Wide(b, 10, lanes/10)
			b.ReportAllocs()
			for b.Loop() {
				check.Project(p)
			}
		})
	}
}

// Lanes past the limit of 128, 3,890 of them: each is a problem with a free lane to look for.
func BenchmarkCheck3900LanesOf128(b *testing.B) {
	p := testkit.Wide(b, 10, 389)
	p.Host.LaneLimit = 128
	b.ResetTimer()
	for b.Loop() {
		if n := len(check.Project(p)); n < 3500 {
			b.Fatalf("%d problems", n)
		}
	}
}

func BenchmarkCheck3900Lanes(b *testing.B) {
	p := testkit.Wide(b, 10, 389)
	testkit.Edit(b, p,
		edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
	b.ResetTimer()
	for b.Loop() {
		check.Project(p)
	}
}
