package app

import (
	"strings"
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// A step done in part keeps its number, what is done is listed, and one of it is not done
// again without touching the others.
func TestStepsAreDoneInPartAndNotDoneAgain(t *testing.T) {
	a := open(t)
	kit := sample.BrineworkKit()
	kit.Traits.Spreads = nil // each assignment by itself
	made := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", kit)
	made.Name = "Low Tide"
	ids, err := a.CreateProjects(t.Context(), made)
	if err != nil {
		t.Fatal(err)
	}
	at := func() command.Target {
		p, err := a.Project(t.Context(), ids[0])
		if err != nil {
			t.Fatal(err)
		}
		return command.Target{ID: ids[0], Base: p.Revision}
	}
	sheet := func() (*Project, []runsheet.Step) {
		p, err := a.Project(t.Context(), ids[0])
		if err != nil {
			t.Fatal(err)
		}
		steps, err := a.NumberSteps(t.Context(), ids[0], runsheet.Make(p.Plan))
		if err != nil {
			t.Fatal(err)
		}
		return p, steps
	}
	named := func(begins string) runsheet.Step {
		_, steps := sheet()
		for _, st := range steps {
			if strings.HasPrefix(st.Text, begins) {
				return st
			}
		}
		var all []string
		for _, st := range steps {
			all = append(all, st.Text)
		}
		t.Fatalf("no step begins with %q: %q", begins, all)
		return runsheet.Step{}
	}
	for _, begins := range []string{"Load", "Add 4", "Assign", "Add lanes"} {
		if err := a.TickStep(t.Context(), at(), named(begins).Key(), nil); err != nil {
			t.Fatal(err)
		}
	}
	names := named("Name 14 lanes")
	if err := a.TickStep(t.Context(), at(), names.Key(), []string{"2", "0"}); err != nil {
		t.Fatal(err)
	}
	left := named("Name 12 lanes")
	if left.Number != names.Number {
		t.Errorf("what is left of step %d has the number %d", names.Number, left.Number)
	}
	p, _ := sheet()
	done, err := a.DoneSteps(t.Context(), ids[0], p.Plan)
	if err != nil || len(done) != 5 || done[0].Number != names.Number || done[0].Settings != 2 {
		t.Fatalf("done is %+v, %v; want two settings of step %d", done, err, names.Number)
	}
	colours := named("Colour 14 lanes")
	if err := a.TickStep(t.Context(), at(), colours.Key(), nil); err != nil {
		t.Fatal(err)
	}
	if err := a.TickStep(t.Context(), at(), left.Key(), nil); err != nil {
		t.Fatal(err)
	}
	if err := a.UntickStep(t.Context(), at(), done[0].Key); err != nil {
		t.Fatal(err)
	}
	again := named("Name 2 lanes")
	if got := strings.Join(testkit.ItemTexts(again), ", "); got != "5 Kick In, 7 Snare Top" ||
		again.Number != names.Number {
		t.Errorf("not done again: step %d with %s; want step %d with 5 Kick In, 7 Snare Top", again.Number, got, names.Number)
	}
	p, steps := sheet()
	for _, st := range steps {
		if strings.HasPrefix(st.Text, "Colour") && !strings.Contains(st.Text, "bus") ||
			strings.HasPrefix(st.Text, "Add lanes") {
			t.Errorf("%q is to do again too", st.Text)
		}
	}
	if err := a.UntickStep(t.Context(), at(), done[0].Key); err == nil {
		t.Error("it is taken back twice")
	}
	if err := a.TickStep(t.Context(), at(), names.Key(), []string{"0"}); err == nil ||
		!strings.Contains(err.Error(), "reload the sheet") {
		t.Errorf("a step that is gone is ticked: %v", err)
	}
	// what a cell shows, typed again, is no change
	lane := testkit.Lane(p.Plan, "Hat")
	if _, err := a.Edit(t.Context(), ids[0], at().Base, tables.SetCells("lanes",
		[]tabular.Cell{tabular.At(lane.ID, "name", lane.Name)})); err != nil {
		t.Fatal(err)
	}
	if now := at().Base; now != p.Revision {
		t.Errorf("typing what stands there made revision %d of %d", now, p.Revision)
	}
}

// The step that saves a default keeps it on the shelf: the next project with the instrument begins
// with it, and has no set-up steps.
func TestASavedDefaultIsBegunWith(t *testing.T) {
	a := open(t)
	reeds := sample.ReedCabinet()
	reeds.Delivered = []rig.Run{{Count: 6, Width: audio.Stereo}}
	ids, _, err := a.AddInstruments(t.Context(), reeds)
	if err != nil {
		t.Fatal(err)
	}
	begin := func(name string) int64 {
		id, err := a.Create(t.Context(), NewProject{Name: name, Choices: []Choice{{Instrument: ids[0]}}})
		if err != nil {
			t.Fatal(err)
		}
		p, err := a.Project(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := a.Accept(t.Context(), id, p.Revision, propose.Options{Placed: p.Plan.Placed[0].ID},
			(*propose.Proposal).Everything); err != nil {
			t.Fatal(err)
		}
		return id
	}
	first := begin("Low Water")
	p, err := a.Project(t.Context(), first)
	if err != nil {
		t.Fatal(err)
	}
	if p, err = a.Edit(t.Context(), first, p.Revision, edits.AskToSave(p.Plan.Placed[0].ID, true)); err != nil {
		t.Fatal(err)
	}
	steps := runsheet.Make(p.Plan)
	save := steps[len(steps)-1]
	if !strings.HasPrefix(save.Text, "Save the set-up of Reed Cabinet as its default") {
		t.Fatalf("the last step is %q", save.Text)
	}
	if err := a.TickStep(t.Context(), command.Target{ID: first, Base: p.Revision}, save.Key(), nil); err != nil {
		t.Fatal(err)
	}
	next, err := a.Project(t.Context(), begin("High Water"))
	if err != nil {
		t.Fatal(err)
	}
	if s := next.Plan.Placed[0].Start; s.Kind != plan.FromDefault || len(s.Since) != len("2026-11-26") {
		t.Errorf("the next project starts %+v; want the default with its day", s)
	}
	for _, st := range runsheet.Make(next.Plan) {
		if strings.HasPrefix(st.Text, "Assign") || strings.HasPrefix(st.Text, "Add 5") {
			t.Errorf("the next project has the step %s", st.Text)
		}
	}
}
