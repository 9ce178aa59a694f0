package route

import (
	"math"
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// inside is a project of one voice on output 2, a return on output 3, and what leaves by the
// main output on output 1, each with a lane.
func inside(set rig.Inside, gain audio.Decibels) *plan.Project {
	in := rig.Instrument{Name: "Tern", Returns: []rig.Return{{ID: "rv", Name: "Plate", Role: "effects/reverb",
		Width: audio.Mono}}, Voices: []rig.Voice{{ID: "v", Name: "Voice", Width: audio.Mono, Gain: gain, Inside: set}}}
	p := &plan.Project{Name: "Inside", Placed: []plan.Placed{{ID: "i1", Instrument: in,
		Outputs: rig.Lay([]rig.Run{{Count: 3, Width: audio.Mono}}, 1), Feeds: map[string]plan.Assignment{
			"v": {State: plan.Assigned, Output: 2}, "rv": {State: plan.Assigned, Output: 3}}}}}
	for i, id := range []string{"l1", "l2", "l3"} {
		p.Lanes = append(p.Lanes, plan.Lane{ID: id, Number: plan.LaneNumber(i + 1), Name: id, Colour: "#112233",
			Kind: plan.Regular, Width: audio.Mono, Sources: []plan.OutputRef{{Placed: "i1", Output: i + 1}}})
	}
	return p
}

// Levels by hand: one path at −3 dB is −3 dB; a second exit is another signal, for it comes
// through effects, so two of −3 dB are −3 + 3.01 dB; a send of −6 dB after a fader at −3 dB adds
// the power of −9 dB, before the fader that of −6 dB.
func TestWhatLeavesInsideIsSummed(t *testing.T) {
	power := func(db ...float64) float64 {
		sum := 0.0
		for _, x := range db {
			sum += math.Pow(10, x/10)
		}
		return 10 * math.Log10(sum)
	}
	for name, c := range map[string]struct {
		set    rig.Inside
		want   float64
		silent Reason
	}{
		"alone":      {rig.Inside{}, -3, Open},
		"two exits":  {rig.Inside{AlsoMain: true}, power(-3, -3), Open},
		"after":      {rig.Inside{Returns: []rig.InsideSend{{Return: "rv", Level: -6}}}, power(-3, -9), Open},
		"before":     {rig.Inside{Returns: []rig.InsideSend{{Return: "rv", Level: -6, Pre: true}}}, power(-3, -6), Open},
		"all":        {rig.Inside{AlsoMain: true, Returns: []rig.InsideSend{{Return: "rv"}}}, power(-3, -3, -3), Open},
		"closed":     {rig.Inside{Closed: true, AlsoMain: true, Returns: []rig.InsideSend{{Return: "rv"}}}, 0, Closed},
		"turned":     {rig.Inside{Inverted: true}, -3, Open},
		"gone there": {rig.Inside{Returns: []rig.InsideSend{{Return: "rv2", Level: -6}}}, -3, Open},
	} {
		g := Planned(inside(c.set, -3))
		a := g.Arrives(g.Find(Feed, "i1:v"))
		switch {
		case a.Silent != c.silent:
			t.Errorf("%s: silent for %q, want %q", name, a.Silent, c.silent)
		case c.silent == Open && (math.Abs(float64(a.Level)-c.want) > 0.005 || a.Times != 1):
			t.Errorf("%s: arrives at %.3f dB by %d paths of the feed itself, want %.3f by one", name, a.Level, a.Times, c.want)
		}
		voice := slices.IndexFunc(g.Feeds, func(f Signal) bool { return f.ID == "v" })
		if exit, ok := g.SecondExit(voice); ok != (c.set.AlsoMain && !c.set.Closed) || ok && exit.Output != 1 {
			t.Errorf("%s: the second exit is %v, %t", name, exit, ok)
		}
	}
}

// What stands in the host counts there, whatever is planned: a voice that is closed in it is
// silent in the patched layer alone, and one of which nobody has told is as planned.
func TestThePatchedInsideCounts(t *testing.T) {
	p := inside(rig.Inside{AlsoMain: true}, -3)
	p.Patched = p.AsPlanned()
	in := p.Patched.Instruments["i1"]
	in.Inside = map[string]string{"v:open": "closed", "v:gain": "-6"}
	p.Patched.Instruments["i1"] = in
	arrives := func(g *Graph) Arrival { return g.Arrives(g.Find(Feed, "i1:v")) }
	if a := arrives(Planned(p)); a.Silent != Open {
		t.Errorf("planned it is silent for %q", a.Silent)
	}
	if a := arrives(Patched(p, p.Patched)); a.Silent != Closed {
		t.Errorf("closed in the host it is silent for %q, want %q", a.Silent, Closed)
	}
	in.Inside = map[string]string{"v:gain": "-6"}
	p.Patched.Instruments["i1"] = in
	if a := arrives(Patched(p, p.Patched)); math.Abs(float64(a.Level)+6) > 0.005 || a.Returned != 0 {
		t.Errorf("patched it arrives at %s with %d ways through effects, want −6 dB and none", a.Level, a.Returned)
	}
	p.Patched.Forget(plan.InstrumentEntity("i1"), plan.AttrInside)
	if a := arrives(Patched(p, p.Patched)); a.Returned != 1 {
		t.Errorf("of what nobody has told the plan counts: %d ways through effects, want 1", a.Returned)
	}
}
