package app

import (
	"errors"
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Ticks from a page that is older than the project: they say what is in the host, whatever else
// has changed since, and one tick twice is one.
func TestTicksHoldWhateverHasChanged(t *testing.T) {
	a := open(t)
	ids, err := a.CreateProjects(t.Context(), testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit()))
	if err != nil {
		t.Fatal(err)
	}
	now := func() *Project {
		t.Helper()
		p, err := a.Project(t.Context(), ids[0])
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	seen := now()
	at := command.Target{ID: ids[0], Base: seen.Revision}
	steps := runsheet.Make(seen.Plan)
	if len(steps) < 4 {
		t.Fatalf("the sheet has %d steps; want some to tick", len(steps))
	}
	if err := a.TickStep(t.Context(), at, steps[0].Key(), nil); err != nil {
		t.Fatal(err)
	}
	once := now().Revision
	if err := a.TickStep(t.Context(), at, steps[0].Key(), nil); err != nil || now().Revision != once {
		t.Errorf("the same tick again: %v, revision %d; want nothing to happen at %d", err, now().Revision, once)
	}
	rename := plan.NameLane(now().Plan.OwnLanes()[0].ID, "Otherwise")
	if _, err := a.Edit(t.Context(), ids[0], now().Revision, rename); err != nil {
		t.Fatal(err)
	}
	if err := a.TickStep(t.Context(), at, steps[1].Key(), nil); err != nil {
		t.Errorf("a tick after a lane was renamed elsewhere: %v; want it written down", err)
	}
	for _, st := range runsheet.Make(now().Plan) {
		if st.Key() == steps[0].Key() || st.Key() == steps[1].Key() {
			t.Errorf("%q is on the sheet still, and was ticked", st.Text)
		}
	}
	if got := now().Plan.OwnLanes()[0].Name; got != "Otherwise" {
		t.Errorf("the lane is %q; want the name that it was given meanwhile", got)
	}
	done, err := a.DoneSteps(t.Context(), ids[0], now().Plan)
	if err != nil || len(done) != 2 {
		t.Errorf("%d steps are listed as done, %v; want 2", len(done), err)
	}
}

// A change of what is there no longer, and one that goes by what has changed, are refused; undo takes
// the newest change back and no other.
func TestWhatCollidesIsRefused(t *testing.T) {
	a := open(t)
	ids, err := a.CreateProjects(t.Context(), testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit()))
	if err != nil {
		t.Fatal(err)
	}
	seen, err := a.Project(t.Context(), ids[0])
	if err != nil {
		t.Fatal(err)
	}
	lanes := seen.Plan.OwnLanes()
	if _, err := a.Edit(t.Context(), ids[0], seen.Revision, edits.DeleteLane(lanes[2].ID)); err != nil {
		t.Fatal(err)
	}
	var stale *StaleError
	if _, err := a.Edit(t.Context(), ids[0], seen.Revision, plan.NameLane(lanes[2].ID, "Gone")); !errors.As(err, &stale) {
		t.Errorf("a lane that was removed is renamed: %v; want it refused", err)
	}
	at := command.Target{ID: ids[0], Base: seen.Revision}
	if err := a.AllStepsDone(t.Context(), at); !errors.As(err, &stale) {
		t.Errorf("all steps are marked on a sheet that has changed: %v; want it refused, for they are others", err)
	}
	if _, err := a.Undo(t.Context(), ids[0], seen.Revision); err == nil {
		t.Error("a page that has not seen the newest change takes it back")
	}
	// Both windows give lane 6 away: the second goes by numbers that have changed.
	two, err := a.Project(t.Context(), ids[0])
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Edit(t.Context(), ids[0], two.Revision, plan.MoveLane(lanes[0].ID, lanes[4].Number)); err != nil {
		t.Fatal(err)
	}
	_, err = a.Edit(t.Context(), ids[0], two.Revision, plan.MoveLane(lanes[5].ID, lanes[1].Number))
	if !errors.As(err, &stale) || stale.Met == nil {
		t.Errorf("two windows moved lanes past each other: %v; want the second refused, and why", err)
	}
}

// An instrument of the shelf is edited in two windows: what is typed into different cells is kept, of
// both; of the same cell the second is told what the first has typed.
func TestAnInstrumentIsEditedInTwoWindows(t *testing.T) {
	a := open(t)
	ids, _, err := a.AddInstruments(t.Context(), sample.BrineworkKit())
	if err != nil {
		t.Fatal(err)
	}
	seen, err := a.Instrument(t.Context(), ids[0])
	if err != nil {
		t.Fatal(err)
	}
	name := func(voice int, name string) error {
		return a.SetCells(t.Context(), ids[0], seen.Revision, "voices",
			[]tabular.Cell{tabular.At(seen.Rig.Voices[voice].ID, "name", name)})
	}
	if err := errors.Join(name(0, "Low Drum"), name(1, "Side Drum")); err != nil {
		t.Errorf("two voices are named in two windows: %v; want both", err)
	}
	var stale *StaleError
	if err := name(0, "Deep Drum"); !errors.As(err, &stale) || stale.Met == nil || stale.Met.Theirs != "Low Drum" {
		t.Errorf("one voice is named twice: %v; want the second refused, with what the first has typed", err)
	}
	now, err := a.Instrument(t.Context(), ids[0])
	if err != nil || now.Rig.Voices[0].Name != "Low Drum" || now.Rig.Voices[1].Name != "Side Drum" {
		t.Errorf("the voices are %q and %q, %v; want Low Drum and Side Drum", now.Rig.Voices[0].Name,
			now.Rig.Voices[1].Name, err)
	}
}
