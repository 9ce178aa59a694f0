package propose_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/testkit"
)

// mixed has voices that the chart and the instrument order and name in ways of their own.
func mixed() rig.Instrument {
	in := rig.Instrument{Name: "Quay Kit"}
	for i, v := range [][2]string{{"Perc FX", "percussion"}, {"Boom", "kit/kick"}, {"Mid Tom", "kit/tom/rack/2"}, {"Crack",
		"kit/snare"}} {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprint("v", i+1), Name: v[0], Role: role.Role(v[1]),
			Width: audio.Stereo,
			Keys:  []midi.Key{midi.Key(40 + i)}})
	}
	in.Returns = []rig.Return{{ID: "r1", Name: "Cellar", Role: "effects/reverb", Width: audio.Stereo}}
	return in
}

func accepted(t *testing.T, p *plan.Project, o propose.Options) (lanes []string) {
	t.Helper()
	pr, err := propose.Make(p, o)
	if err != nil {
		t.Fatal(err)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	for _, l := range p.OwnLanes() {
		if l.Kind == plan.Regular {
			lanes = append(lanes, l.Name)
		}
	}
	return lanes
}

func TestOrderAndNamesAreByChoice(t *testing.T) {
	for _, c := range []struct {
		order house.Ordered
		names house.Named
		want  string
	}{
		{house.ByChart, house.ChartNames, "Kick, Snare, Mid Tom, Perc FX, Cellar"},
		{house.ByInstrument, house.OwnNames, "Perc FX, Boom, Mid Tom, Crack, Cellar"},
		{house.ByChart, house.OwnNames, "Boom, Crack, Mid Tom, Perc FX, Cellar"},
	} {
		p := testkit.Project(t, plan.Host{FirstLane: 1}, "8x2", mixed())
		testkit.Edit(t, p, edits.OrderLanes("i1", c.order, c.names))
		if got := strings.Join(accepted(t, p, propose.Options{Placed: "i1"}), ", "); got != c.want {
			t.Errorf("ordered by %q and named by %q: %s, not %s", c.order, c.names, got, c.want)
		}
	}
	// As the outputs have it: lanes follow the outputs that feeds leave by.
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "8x2", mixed())
	for i, id := range []string{"v4", "v1", "r1", "v3", "v2"} {
		testkit.Edit(t, p, edits.Decide(testkit.Feed(id), plan.Assigned, plan.Jack{Output: i + 1}))
	}
	testkit.Edit(t, p, edits.OrderLanes("i1", house.ByOutputs, house.ChartNames))
	if got := strings.Join(accepted(t, p, propose.Options{Placed: "i1"}),
		", "); got != "Snare, Perc FX, Cellar, Mid Tom, Kick" {
		t.Errorf("ordered by outputs: %s", got)
	}
	// The house chart keeps it for the projects that come.
	chart := (*house.Chart)(nil).Clone()
	if _, err := house.SetCustom(house.Custom{Instrument: "quay kit", Order: house.ByInstrument,
		Names: house.OwnNames})(chart); err != nil {
		t.Fatal(err)
	}
	next := &plan.Project{Name: "next", Chart: chart}
	testkit.Edit(t, next, edits.AddInstrument(mixed(), rig.Lay([]rig.Run{{Count: 8, Width: audio.Stereo}}, 1), 0))
	if pl := next.Placed[0]; pl.Order != house.ByInstrument || pl.Names != house.OwnNames {
		t.Errorf("a new project has order %q and names %q", pl.Order, pl.Names)
	}
	if n := house.Changes(chart, nil, midi.MiddleC3); n != 1 {
		t.Errorf("the chart counts %d changes", n)
	}
}

func TestTheBusIsAskedForAndRemembered(t *testing.T) {
	bus := func(p *plan.Project) string {
		var out []string
		for _, b := range p.Buses() {
			out = append(out, fmt.Sprintf("%d %s", b.Number, b.Name))
		}
		return strings.Join(out, ", ")
	}
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "8x2", mixed())
	testkit.Edit(t, p, edits.ChooseBus("i1", plan.BusChoice{Name: "Quay", Number: 30}))
	testkit.Edit(t, p, propose.AcceptAll([]propose.Options{{Placed: "i1"}}))
	if got := bus(p); got != "30 Quay" {
		t.Errorf("the bus that was asked for is %q", got)
	}
	p = testkit.Project(t, plan.Host{FirstLane: 1}, "8x2", mixed())
	testkit.Edit(t, p, edits.ChooseBus("i1", plan.BusChoice{None: true}))
	testkit.Edit(t, p, propose.AcceptAll([]propose.Options{{Placed: "i1"}}))
	if got := bus(p); got != "" {
		t.Errorf("no bus was asked for, and there is %q", got)
	}
	one := mixed()
	one.Voices, one.Returns = one.Voices[1:2], nil
	p = testkit.Project(t, plan.Host{FirstLane: 1}, "2x2", one)
	pr := testkit.Propose(t, p, "i1")
	if pr.Bus != nil || !slices.ContainsFunc(pr.Notes, func(n string) bool {
		return strings.Contains(n,
			"needs no bus")
	}) {
		t.Errorf("one lane gets the bus %v; notes %q", pr.Bus, pr.Notes)
	}
	testkit.Edit(t, p, edits.ChooseBus("i1", plan.BusChoice{Name: "Alone"}))
	if pr := testkit.Propose(t, p, "i1"); pr.Bus == nil || pr.Bus.Name != "Alone" {
		t.Errorf("asked for by name, the bus of one lane is %v", pr.Bus)
	}
}

// Numbers that the user named hold for lanes that are there already.
func TestLanesTheUserNumberedHoldWhereLanesExist(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "8x2", mixed())
	accepted(t, p, propose.Options{Placed: "i1"})
	testkit.Edit(t, p, edits.SetLaneList("i1", plan.Ranges{{From: 21, To: 23}, {From: 30, To: 39}}))
	accepted(t, p, propose.Options{Placed: "i1"})
	var numbers []plan.LaneNumber
	for _, l := range p.OwnLanes() {
		if l.Kind == plan.Regular {
			numbers = append(numbers, l.Number)
		}
	}
	if got := plan.RangesOf(numbers...).String(); got != "21–23, 30–31" {
		t.Errorf("the lanes are on %s", got)
	}
	if again := testkit.Propose(t, p, "i1"); again.Changes() != 0 {
		t.Errorf("proposed again, %d things change", again.Changes())
	}
}
