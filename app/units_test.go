package app

import (
	"errors"
	"strings"
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/fault"
)

// What changes several things changes all of them or nothing.
func TestUseCasesAreAllOrNothing(t *testing.T) {
	ctx := t.Context()
	a := open(t)
	in := rig.Instrument{Name: "Kit", Voices: []rig.Voice{{ID: "v1", Name: "Kick", Role: "kit/kick", Width: audio.Mono}},
		Delivered: []rig.Run{{Count: 2, Width: audio.Stereo}}}
	ids, _, err := a.AddInstruments(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	id, err := a.Create(ctx, NewProject{Name: "One", Choices: []Choice{{Instrument: ids[0]}}})
	if err != nil {
		t.Fatal(err)
	}
	p, err := a.Project(ctx, id)
	if err != nil {
		t.Fatal(err)
	}

	own := rig.Profiles[0]
	own.Name = "Own desk"
	stale := command.Target{ID: id, Base: p.Revision + 7}
	if err := a.UseOwnProfile(ctx, stale, own); fault.Of(err) != fault.Conflict {
		t.Errorf("a stale edit gives %v", err)
	}
	if profiles, err := a.Profiles(ctx); err != nil || len(profiles) != len(rig.Profiles) {
		t.Errorf("the profile of a refused edit is kept: %v, %v", profiles, err)
	}

	// the shelf has had a layout of that name from the factory since the project was made
	shelf, err := a.Instrument(ctx, ids[0])
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.EditInstrument(ctx, ids[0], shelf.Revision, func(in *rig.Instrument) (string, error) {
		in.Layouts = []rig.Layout{{Name: "Spread", Factory: true}}
		return "bring a layout", nil
	}); err != nil {
		t.Fatal(err)
	}
	if err := a.KeepLayout(ctx, id, p.Revision, rig.Layout{Name: "Spread"}, p.Plan.Placed[0].ID); err == nil ||
		!strings.Contains(err.Error(), "factory") {
		t.Errorf("a layout that the shelf refuses gives %v", err)
	}
	if p, err = a.Project(ctx, id); err != nil || len(p.Plan.Placed[0].Instrument.Layouts) != 0 {
		t.Errorf("the project keeps the layout that the shelf refused, %v", err)
	}

	err = a.asOne(ctx, func(a *App) error {
		if err := a.SetCells(ctx, ids[0], shelf.Revision+1, "voices",
			[]tabular.Cell{tabular.At("v1", "role", "kit/snare")}); err != nil {
			return err
		}
		return errors.New("enough")
	})
	told, errTold := a.store.Spellings(ctx)
	if shelf, errShelf := a.Instrument(ctx, ids[0]); err == nil || errTold != nil || errShelf != nil || len(told) > 0 ||
		shelf.Rig.Voices[0].Role != "kit/kick" {
		t.Errorf("of a refused unit the role %s and the spellings %v are left: %v %v %v", shelf.Rig.Voices[0].Role, told, err,
			errTold, errShelf)
	}
}

// What lists show of projects comes from one set of rules: with another they are counted
// again by themselves.
func TestANewRuleRecountsTheProjects(t *testing.T) {
	dir := t.TempDir()
	a, err := Open(t.Context(), dir, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.CreateProjects(t.Context(), &plan.Project{Name: "One"}); err != nil {
		t.Fatal(err)
	}
	if err := a.Close(); err != nil {
		t.Fatal(err)
	}
	found := func() int {
		t.Helper()
		a := openFolder(t, dir, Options{})
		rows, err := a.Projects(t.Context())
		if err != nil || len(rows) != 1 {
			t.Fatalf("got %v, %v; want len(rows) 1", rows, err)
		}
		return rows[0].Problems
	}
	if n := found(); n != 0 {
		t.Fatalf("%d findings are listed before there is a rule for them", n)
	}
	before := check.Rules
	defer func() { check.Rules = before; derivation.Rules = rulesVersion() }()
	check.Rules = append(check.Rules[:len(before):len(before)], &check.Rule{Code: "test-rule", Title: "A project is there",
		Find: func(*trace.Graph) []check.Problem { return make([]check.Problem, 1) }})
	derivation.Rules = rulesVersion()
	if n := found(); n != 1 {
		t.Errorf("with a rule more %d findings are listed; want 1", n)
	}
}
