package trace_test

import (
	"math"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Two equal coherent paths add 20·log10(2) = 6.02 dB.
func TestAPathIsFollowedWithItsLevel(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, plan.SetGain(testkit.Lane(p, "Snare").ID, -4))
	testkit.Edit(t, p, plan.SetGain(testkit.Lane(p, "Drums").ID, -3))
	l := testkit.Lane(p, "Overheads")
	testkit.Edit(t, p, plan.Route([]string{l.ID}, l.To, true))
	p.Placed[0].Offset = 10
	g := trace.New(p)
	for _, f := range g.Feeds {
		paths := g.Paths(f)
		level, ok := g.Arrival(f).Level, g.Arrival(f).Silent == ""
		want := map[string]float64{"Snare Top": -7, "Overhead": 20 * math.Log10(1+math.Pow(10, -3.0/20))}
		if w, asked := want[f.Name]; asked && (!ok || math.Abs(float64(level)-w) > 0.001) {
			t.Errorf("%s arrives at %v, %v; want %.2f", f.Name, level, ok, w)
		}
		var titles []string
		for _, s := range paths[0].Stops {
			titles = append(titles, s.Title)
		}
		if f.Name == "Snare Top" &&
			strings.Join(titles, " > ") != "Output 2 · ports 3–4 > Lane 6 · Snare > Drums bus · lane 15 > Main mix" {
			t.Errorf("got %q; want not f.Name == \"Snare Top\" && strings.Join(titles, \" > \") != \"Output 3 ·…", titles)
		}
		if f.Name == "Snare Top" && paths[0].Stops[0].Detail != "host ports 13–14 · shared with Snare Bottom" {
			t.Errorf("got %q; want not f.Name == \"Snare Top\" && paths[0].Stops[0].Detail != \"host ports 15\xe2…",
				paths[0].Stops[0].Detail)
		}
		if n := map[bool]int{true: 2, false: 1}[strings.HasPrefix(f.Name, "Overhead")]; len(paths) != n {
			t.Errorf("%s has %d paths", f.Name, len(paths))
		}
	}
}

func TestAPathThatEndsSaysWhereAndWhy(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.DeleteLane(testkit.Lane(p, "Hat").ID))
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v70"), plan.Off, plan.Jack{}))
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v76"), plan.Undecided, plan.Jack{}))
	p.Placed[0].Feeds["v56"] = plan.Assignment{State: plan.Assigned, Output: 40}
	g := trace.New(p)
	for _, f := range g.Feeds {
		want, asked := map[string]string{"Hat": "No lane: no lane takes output 3",
			"Shaker":    "Off: switched off in the instrument",
			"Woodblock": "No output: not assigned yet",
			"Cowbell":   "No output: output 40 does not exist; Brinework Kit has 10"}[f.Name]
		if paths := g.Paths(f); asked && (len(paths) != 1 || paths[0].Reaches || paths[0].Why() != want) {
			t.Errorf("got %s: %q; want not asked && (len(paths) != 1 || paths[0].Reaches || paths[0].Why() != w…", f.Name,
				paths[0].Why())
		}
	}
}
