package check_test

import (
	"slices"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// The underside of the snare may be turned over inside the instrument or on its lane: what counts is
// that it is unlike the top in the host. Turned at both places it is as it was.
func TestAnUndersideIsTurnedOverAtEitherPlace(t *testing.T) {
	const inside, lane = 1, 2
	for planned := range 4 {
		for patched := range 4 {
			p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "18x2", sample.BrineworkKit())
			turn := func(places int) {
				testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
					for i := range in.Microphones {
						if in.Microphones[i].Role == "kit/snare/bottom" {
							in.Microphones[i].Inverted = places&inside > 0
						}
					}
					return "turn it over", nil
				}))
				testkit.Edit(t, p, plan.SetPolarity(testkit.Lane(p, "Snare Bottom").ID, places&lane > 0))
			}
			turn(patched)
			testkit.Edit(t, p, runsheet.AllDone())
			turn(planned)
			unlike := func(places int) bool { return places == inside || places == lane }
			found := check.Project(p)
			at := slices.IndexFunc(found, func(f check.Problem) bool { return f.Rule.Code == "underside-polarity" })
			if want := unlike(planned) && !unlike(patched); (at >= 0) != want {
				t.Errorf("planned at %d, patched at %d: it is a problem %v; want %v", planned, patched, at >= 0, want)
			}
			if at < 0 {
				continue
			}
			testkit.Edit(t, p, found[at].Edit())
			for _, f := range check.Project(p) {
				if f.Rule.Code == "underside-polarity" {
					t.Errorf("planned at %d, patched at %d: its button does not mend it", planned, patched)
				}
			}
		}
	}
}

// A lane that is turned over turns what leaves it by every way, its sends too: with a second lane
// that takes the same output it cancels (two equal signals of opposite polarity sum to nothing,
// arithmetic), and turned back they are 6.02 dB louder than one.
func TestALanesPolaritySounds(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "18x2", sample.BrineworkKit())
	hat := testkit.Lane(p, "Hat")
	source := hat.Sources[0]
	arrives := func() route.Arrival {
		g := trace.New(p)
		for _, f := range g.Feeds {
			if f.OutputRef() == source {
				return g.Arrival(f)
			}
		}
		t.Fatal("nothing is on the hat's output")
		return route.Arrival{}
	}
	one := arrives().Level
	testkit.Edit(t, p, edits.AddLane(source, 0, "Hat copy"))
	copied := testkit.Lane(p, "Hat copy")
	testkit.Edit(t, p, plan.Route([]string{copied.ID}, hat.To, false))
	if up := arrives().Level - one; up < 6.01 || up > 6.03 {
		t.Fatalf("twice it is %.2f dB louder; want 6.02", float64(up))
	}
	testkit.Edit(t, p, plan.SetPolarity(copied.ID, true))
	if a := arrives(); a.Silent != route.Cancelled {
		t.Errorf("turned over the copy leaves %+v; want that both cancel", a)
	}
	testkit.Edit(t, p, plan.SetPolarity(copied.ID, false))
	if up := arrives().Level - one; up < 6.01 || up > 6.03 {
		t.Errorf("turned back it is %.2f dB louder; want 6.02", float64(up))
	}
	// A send is turned with its lane.
	testkit.Edit(t, p, edits.DeleteLane(copied.ID))
	testkit.Edit(t, p, plan.SetPolarity(hat.ID, true))
	g := trace.New(p)
	for _, f := range g.Feeds {
		for _, path := range g.AllPaths(f) {
			if on := slices.ContainsFunc(path.Stops, func(s trace.Stop) bool { return s.ID == hat.ID }); path.Reaches &&
				path.Inverted != on {
				t.Errorf("%s by %v is inverted %v; want %v", f.Name, path.Stops, path.Inverted, on)
			}
		}
	}
}
