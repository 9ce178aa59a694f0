package runsheet_test

import (
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

func keys(steps []runsheet.Step) (out []string) {
	for _, st := range steps {
		out = append(out, st.Key())
	}
	return out
}

// A step is told by what it sets: other words leave its key, another value changes it.
func TestAStepIsToldByWhatItSets(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	before := runsheet.Make(p)
	renamed := p.Clone()
	renamed.Placed[0].Instrument.Name = "The kit that had another name"
	for i := range renamed.Placed[0].Instrument.Voices {
		renamed.Placed[0].Instrument.Voices[i].Name += " (left)"
	}
	after := runsheet.Make(renamed)
	if !slices.Equal(keys(before), keys(after)) {
		t.Errorf("with other names the keys are %v; want %v", keys(after), keys(before))
	}
	if after[0].Text == before[0].Text {
		t.Errorf("the text is the same: %s", after[0].Text)
	}
	if k := keys(before); len(slices.Compact(slices.Sorted(slices.Values(k)))) != len(k) {
		t.Errorf("two steps have one key: %v", k)
	}
	moved := p.Clone()
	testkit.Edit(t, moved, plan.ColourLane(testkit.Lane(moved, "Hat").ID, "#0a0b0c"))
	changed := 0
	for _, k := range keys(runsheet.Make(moved)) {
		if !slices.Contains(keys(before), k) {
			changed++
		}
	}
	if changed != 1 {
		t.Errorf("another colour of one lane changes %d steps; want that of the colours alone", changed)
	}
}

// Instruments that the plan no longer has are removed one by one, by name, in an order
// that stays.
func TestRemovedInstrumentsHaveStepsOfTheirOwn(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
	testkit.Edit(t, p, runsheet.AllDone())
	testkit.Edit(t, p, edits.Remove("i2"))
	testkit.Edit(t, p, edits.Remove("i1"))
	for range 20 {
		steps := runsheet.Make(p)
		if len(steps) < 2 || !strings.HasPrefix(steps[0].Text, "Remove Brinework Kit, which the plan no longer has, with lane ") ||
			!strings.HasPrefix(steps[1].Text, "Remove Saltpan Section, which the plan no longer has, with lane ") || steps[0].Key() == steps[1].Key() {
			t.Fatalf("the sheet says %v", steps)
		}
	}
}

// What is unknown is asked for in one step and listed as nothing else; once confirmed it
// is known, and a change of it afterwards is a step.
func TestUnknownSettingsAreConfirmedAndNotDoneAgain(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[3]))
	hat := testkit.Lane(p, "Hat")
	testkit.Edit(t, p, edits.AddReturn("Hall", []string{hat.ID}, plan.Send{Level: -12}))
	hall := testkit.Lane(p, "Hall").ID
	testkit.Edit(t, p, runsheet.AllDone())
	done := keys(runsheet.Make(p))
	send, name := plan.SendEntity(hat.ID, hall), plan.LaneEntity(hat.ID)
	s := p.Patched
	s.Lane(hat.ID).SendInto(hall).Level, s.Lane(hat.ID).Name = 0, ""
	s.Forget(send, plan.AttrLevel)
	s.Forget(name, plan.AttrName)
	again := p.Clone() // as it is read back
	if again.Patched.Knows(send, plan.AttrLevel) || again.Patched.Knows(name, plan.AttrName) ||
		!again.Patched.Knows(send, plan.AttrTap) {
		t.Fatalf("read back, unknown are %v", again.Patched.Unknown)
	}
	steps := runsheet.Make(again)
	if len(steps) != len(done)+1 || steps[0].Text != "Confirm 2 unknown settings" || len(steps[0].Items) != 2 {
		t.Fatalf("the sheet says:\n%s", sheet(steps))
	}
	testkit.Edit(t, again, runsheet.Tick(steps[0].Key()))
	l := again.Patched.Lane(hat.ID)
	if len(again.Patched.Unknown) != 0 || l.Name != "Hat" || l.SendInto(hall).Level != -12 {
		t.Errorf("confirmed, the lane stands as %+v, and %v is unknown", l, again.Patched.Unknown)
	}
	if got := keys(runsheet.Make(again)); !slices.Equal(got, done) {
		t.Errorf("confirmed, the sheet says:\n%s", sheet(runsheet.Make(again)))
	}
	testkit.Edit(t, again, plan.SendLanes([]string{hat.ID}, plan.Send{To: hall, Level: -20}))
	steps = runsheet.Make(again)
	if len(steps) == 0 || !strings.HasPrefix(steps[0].Text, "Set the level of the send to Hall on lane ") {
		t.Errorf("another level is not a step:\n%s", sheet(steps))
	}
	testkit.RunSheetEndsInThePlan(t, again)
}

// A lane that the plan did not make is left alone, and is no difference.
func TestAFoundLaneIsLeftAlone(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	testkit.Edit(t, p, runsheet.AllDone())
	before := keys(runsheet.Make(p))
	for i, owner := range []plan.Owner{plan.Found, plan.ByPlan} {
		p.Patched.Lanes = append(p.Patched.Lanes, plan.Lane{ID: []string{"h1", "h2"}[i], Number: plan.LaneNumber(40 + i),
			Name: "Accordion", Colour: "#112233", Kind: plan.Regular, Width: 2, Owner: owner})
		p = p.Clone()
		got := runsheet.Make(p)
		if owner == plan.Found && !slices.Equal(keys(got), before) || owner == plan.ByPlan && len(got) != len(before)+1 {
			t.Errorf("with a lane of the owner %q the sheet says:\n%s", owner, sheet(got))
		}
	}
}
