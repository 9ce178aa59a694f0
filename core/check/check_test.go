package check_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo"
)

// sound is a project with nothing wrong in it: the kit, proposed and accepted.
func sound(t testing.TB, in rig.Instrument, outputs string) *plan.Project {
	return soundUpTo(t, in, outputs, 64)
}

func soundUpTo(t testing.TB, in rig.Instrument, outputs string, limit plan.LaneNumber) *plan.Project {
	t.Helper()
	runs, err := rig.ParseRuns(outputs)
	if err != nil {
		t.Fatal(err)
	}
	p := &plan.Project{Name: "Sound", Host: plan.Host{LaneLimit: limit, FirstLane: 5, Taken: plan.Ranges{{From: 1, To: 4}, {From: 40, To: 44}}}}
	edit(t, p, plan.Place(in, rig.Lay(runs, 1), 0))
	pr, err := propose.Make(p, propose.Options{Placed: "i1"})
	if err != nil {
		t.Fatal(err)
	}
	edit(t, p, pr.Accept(pr.Everything()))
	return p
}

func edit(t testing.TB, p *plan.Project, e plan.Edit) {
	t.Helper()
	if _, err := e(p); err != nil {
		t.Fatal(err)
	}
	if err := p.Validate(); err != nil {
		t.Fatal(err)
	}
}

func lane(p *plan.Project, name string) *plan.Lane {
	for i := range p.Lanes {
		if p.Lanes[i].Name == name {
			return &p.Lanes[i]
		}
	}
	return nil
}

func feed(id string) plan.FeedRef { return plan.FeedRef{Placed: "i1", Feed: id} }

// Each mistake, put into a sound project alone, is found under its own code and
// nothing else is; what its button does leaves nothing to find.
func TestEachMistakeIsFoundAndMended(t *testing.T) {
	for name, c := range map[string]struct {
		code  string
		title string // a part of it
		wrong func(t *testing.T, p *plan.Project)
	}{
		"not assigned": {"feed-no-output", "Shaker goes nowhere", func(t *testing.T, p *plan.Project) { edit(t, p, plan.Decide(feed("v70"), plan.Undecided, 0)) }},
		"no such output": {"feed-no-output", "Clap is silent", func(t *testing.T, p *plan.Project) {
			p.Placed[0].Feeds["v39"] = plan.Assignment{State: plan.Assigned, Output: 99}
		}},
		"no lane":   {"output-no-lane", "Ride is silent", func(t *testing.T, p *plan.Project) { edit(t, p, plan.DeleteLane(lane(p, "Ride").ID)) }},
		"dead lane": {"lane-no-output", "Spare is dead", func(t *testing.T, p *plan.Project) { edit(t, p, plan.AddLane(plan.OutputRef{}, 0, "Spare")) }},
		"lane of an output that is gone": {"lane-no-output", "is dead", func(t *testing.T, p *plan.Project) {
			edit(t, p, plan.AddLane(plan.OutputRef{}, 0, "Spare"))
			lane(p, "Spare").Sources = []plan.OutputRef{{Placed: "i1", Output: 77}}
		}},
		"two outputs on one lane": {"lane-collision", "takes 2 outputs", func(t *testing.T, p *plan.Project) {
			edit(t, p, plan.Land(plan.OutputRef{Placed: "i1", Output: 3}, lane(p, "Hat").Number))
			edit(t, p, plan.DeleteLane(lane(p, "Snare").ID))
		}},
		"one number twice": {"lane-collision", "there twice", func(t *testing.T, p *plan.Project) { lane(p, "Hat").Number = lane(p, "Snare").Number }},
		"beyond the limit": {"lane-out-of-range", "does not exist", func(t *testing.T, p *plan.Project) { lane(p, "Rooms").Number = 65 }},
		"on a taken lane":  {"lane-out-of-range", "lands on something else", func(t *testing.T, p *plan.Project) { lane(p, "Rooms").Number = 41 }},
		"double path": {"double-path", "Overheads arrives twice", func(t *testing.T, p *plan.Project) {
			l := lane(p, "Overheads")
			edit(t, p, plan.Route([]string{l.ID}, l.To, true))
		}},
		"unfed bus": {"bus-unfed", "Nothing goes to the Spare bus", func(t *testing.T, p *plan.Project) { edit(t, p, plan.AddBus("Spare", 0, nil)) }},
		"stereo on mono": {"width-fold", "Room Far loses its width", func(t *testing.T, p *plan.Project) {
			p.Placed[0].Outputs[19] = rig.Output{Number: 20, Width: audio.Mono, First: 39}
			edit(t, p, plan.Decide(feed("far"), plan.Assigned, 20))
			edit(t, p, plan.AddLane(plan.OutputRef{Placed: "i1", Output: 20}, 0, "Far"))
		}},
		"parked under a wanted feed": {"parked-with-wanted", "Shaker is parked under Kick In", func(t *testing.T, p *plan.Project) { edit(t, p, plan.Decide(feed("v70"), plan.Parked, 1)) }},
	} {
		t.Run(name, func(t *testing.T) {
			outputs := "12x2"
			in := demo.BrineworkKit()
			if name == "stereo on mono" {
				outputs = "20x2"
			}
			p := sound(t, in, outputs)
			if f := check.Project(p); len(f) != 0 {
				t.Fatalf("found in a sound project: %+v", f)
			}
			c.wrong(t, p)
			found := check.Project(p)
			var mine []check.Finding
			for _, f := range found {
				if f.Rule.Code == c.code && strings.Contains(f.Title, c.title) {
					mine = append(mine, f)
				}
			}
			if len(mine) != 1 {
				t.Fatalf("found %+v", found)
			}
			if mine[0].Reason == "" || mine[0].Mend == "" || mine[0].Edit() == nil {
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
				edit(t, p, f.Edit())
			}
			if left := check.Project(p); len(left) != 0 {
				t.Errorf("after mending: %s, %s", left[0].Title, left[0].Reason)
			}
		})
	}
}

func TestASongDecidesWhatIsMissed(t *testing.T) {
	p := sound(t, demo.BrineworkKit(), "19x2")
	edit(t, p, plan.Decide(feed("v70"), plan.Undecided, 0))
	p.Song = &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10}, Keys: map[midi.Key]int{36: 3}}}}
	for _, f := range check.Project(p) {
		if f.Feed == feed("v70") {
			t.Errorf("the song never plays it, but: %s", f.Title)
		}
	}
}

func TestEveryRuleIsDocumentedOnce(t *testing.T) {
	seen := map[string]bool{}
	for _, r := range check.Rules {
		if r.Code == "" || r.Title == "" || len(r.Doc) < 60 || seen[r.Code] {
			t.Errorf("%+v", r)
		}
		seen[r.Code] = true
	}
}

// Two equal coherent paths add 20·log10(2) = 6.02 dB.
func TestAPathIsFollowedWithItsLevel(t *testing.T) {
	p := sound(t, demo.BrineworkKit(), "12x2")
	edit(t, p, plan.SetGain(lane(p, "Snare").ID, -4))
	edit(t, p, plan.SetGain(lane(p, "Drums").ID, -3))
	l := lane(p, "Overheads")
	edit(t, p, plan.Route([]string{l.ID}, l.To, true))
	p.Placed[0].Offset = 10
	g := trace.New(p)
	for _, f := range g.Feeds {
		paths := g.Paths(f)
		level, ok := trace.Arrival(paths)
		want := map[string]float64{"Snare Top": -7, "Overhead": 20 * math.Log10(1+math.Pow(10, -3.0/20))}
		if w, asked := want[f.Name]; asked && (!ok || math.Abs(float64(level)-w) > 0.001) {
			t.Errorf("%s arrives at %v, %v; want %.2f", f.Name, level, ok, w)
		}
		var titles []string
		for _, s := range paths[0].Stops {
			titles = append(titles, s.Title)
		}
		if f.Name == "Snare Top" && strings.Join(titles, " > ") != "Output 3 · ports 5–6 > Lane 7 · Snare > Drums bus · lane 17 > Main mix" {
			t.Errorf("%q", titles)
		}
		if f.Name == "Snare Top" && paths[0].Stops[0].Detail != "host ports 15–16 · shared with Snare Bottom" {
			t.Errorf("%q", paths[0].Stops[0].Detail)
		}
		if n := map[bool]int{true: 2, false: 1}[strings.HasPrefix(f.Name, "Overhead")]; len(paths) != n {
			t.Errorf("%s has %d paths", f.Name, len(paths))
		}
	}
}

func TestAPathThatEndsSaysWhereAndWhy(t *testing.T) {
	p := sound(t, demo.BrineworkKit(), "12x2")
	edit(t, p, plan.DeleteLane(lane(p, "Hat").ID))
	edit(t, p, plan.Decide(feed("v70"), plan.Off, 0))
	edit(t, p, plan.Decide(feed("v39"), plan.Undecided, 0))
	p.Placed[0].Feeds["v54"] = plan.Assignment{State: plan.Assigned, Output: 40}
	g := trace.New(p)
	for _, f := range g.Feeds {
		want, asked := map[string]string{"Hat": "No lane: no lane takes this output", "Shaker": "Off: switched off in the instrument",
			"Clap": "No output: nobody has assigned it yet", "Tambourine": "No output: output 40 does not exist; Brinework Kit has 12"}[f.Name]
		if paths := g.Paths(f); asked && (len(paths) != 1 || paths[0].Reaches || paths[0].Why() != want) {
			t.Errorf("%s: %q", f.Name, paths[0].Why())
		}
	}
}

func BenchmarkTraceAndCheck500Lanes(b *testing.B) {
	in := rig.Instrument{Name: "Wide"}
	for i := range 500 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i), Role: "percussion/clap", Keys: []midi.Key{midi.Key(i % 128)}})
	}
	p := soundUpTo(b, in, "500x2", 0)

	b.ReportAllocs()
	for b.Loop() {
		g := trace.New(p)
		for _, f := range g.Feeds {
			g.Paths(f)
		}
		check.All(g)
	}
}
