package runsheet_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Practising touches the stand-in host alone: step by step or all at once it comes to
// stand as planned, and then there is nothing left to do.
func TestPractisingEndsInThePlan(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{Profile: profile}, "10x2", sample.BrineworkKit())
		first := runsheet.From(p, p.StandIn)
		label, err := runsheet.StandInNext()(p)
		if err != nil || label != "practise: "+first[0].Text {
			t.Fatalf("%s: %q, %v, want the first step %q", profile.Name, label, err, first[0].Text)
		}
		if left := runsheet.From(p, p.StandIn); len(left) >= len(first) {
			t.Errorf("%s: %d steps are left of %d", profile.Name, len(left), len(first))
		}
		testkit.Edit(t, p, runsheet.StandInAll())
		if left := runsheet.From(p, p.StandIn); len(left) > 0 {
			t.Errorf("%s: %d steps are left, first %q", profile.Name, len(left), left[0].Text)
		}
		if p.Patched != nil {
			t.Errorf("%s: practising wrote down what is patched", profile.Name)
		}
		if _, err := runsheet.StandInNext()(p); err == nil || !strings.Contains(err.Error(), "nothing is left") {
			t.Errorf("got %s: %v; want an error, err.Error() with \"nothing is left\"", profile.Name, err)
		}
		// Broken on purpose, the sheet has steps again, and they mend it.
		label, err = runsheet.StandInBreak()(p)
		if err != nil || label == "practise: " {
			t.Errorf("got %s: %q, %v; want label not \"practise: \"", profile.Name, label, err)
			continue
		}
		if len(runsheet.From(p, p.StandIn)) == 0 {
			t.Errorf("%s: it is broken (%s), and nothing is to do", profile.Name, label)
		}
		testkit.Edit(t, p, runsheet.StandInAll())
		testkit.Edit(t, p, runsheet.StandInAnew())
		if got := runsheet.From(p, p.StandIn); len(got) != len(first) {
			t.Errorf("%s: begun anew there are %d steps, want %d", profile.Name, len(got), len(first))
		}
	}
}

// What the stand-in host does not let one do changes nothing.
func TestARefusedActionLeavesThePracticeAlone(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{Profile: rig.Profiles[0]}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, runsheet.StandInLoad("i1"))
	before := len(p.StandIn.Lanes)
	for says, e := range map[string]plan.Edit{
		"loaded already":      runsheet.StandInLoad("i1"),
		"not in this project": runsheet.StandInLoad("i9"),
		"no such lane": runsheet.OnStandIn("name a lane",
			host.SetLane{Lane: "z", Attribute: plan.AttrName, As: &plan.Lane{Name: "x"}}),
		"not loaded": runsheet.OnStandIn("set up",
			host.Setup{Instrument: "i2", Outputs: rig.Lay([]rig.Run{{Count: 1, Width: audio.Mono}}, 1)}),
	} {
		q := p.Clone()
		if _, err := e(q); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("want %q, got %v", says, err)
		}
		if len(q.StandIn.Lanes) != before || len(q.StandIn.Instruments) != 1 {
			t.Errorf("%q: it is refused, but the stand-in has %d lanes and %d instruments", says, len(q.StandIn.Lanes),
				len(q.StandIn.Instruments))
		}
	}
	if label, err := runsheet.OnStandIn("add a lane", host.MakeLane{Name: "Spare"})(p); err != nil ||
		label != "practise: add a lane" {
		t.Errorf("got %q, %v; want label \"practise: add a lane\"", label, err)
	}
}
