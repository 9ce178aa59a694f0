package demo

import (
	"slices"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
)

func TestTheSampleWorldHasOneMistakeToFind(t *testing.T) {
	ctx := t.Context()
	a, err := app.Open(ctx, t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	for range 2 { // filling it twice changes nothing
		if err := Fill(ctx, a); err != nil {
			t.Fatal(err)
		}
	}
	rows, err := a.Projects(ctx)
	if err != nil || len(rows) != 4 || rows[0].Name != "Cue 03 Fog Bell" {
		t.Fatalf("got %v, %+v; want len(rows) 4, rows[0].Name \"Cue 03 Fog Bell\"", err, rows)
	}
	p, err := a.Project(ctx, rows[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	found := check.Project(p.Plan)
	if len(found) != 1 || found[0].Rule.Code != "double-path" {
		t.Errorf("found %+v", found)
	}
	if n := len(p.Plan.Placed[0].Instrument.Feeds()); n != 18 {
		t.Errorf("the kit has %d feeds", n)
	}
	var names []string
	for _, l := range p.Plan.OwnLanes() {
		names = append(names, l.Name)
	}
	want := strings.Split(
		"Kick,Snare,Hat,Rack 1,Floor 1,Floor 2,Cymbals,Overheads,Rooms,Percussion,Drums", ",")
	if !slices.Equal(names, want) || p.Plan.OwnLanes()[0].Number != 7 {
		t.Errorf("lanes %q", names)
	}
	// Mending the mistake leaves nothing to find, and can be undone.
	mended, err := a.Edit(ctx, p.ID, p.Revision, found[0].Edit())
	if err != nil || len(check.Project(mended.Plan)) != 0 {
		t.Errorf("mending: %v, %+v", err, mended)
	}
	var back *plan.Project
	if u, err := a.Undo(ctx, p.ID, mended.Revision); err == nil {
		back = u.Plan
	}
	if back == nil || len(check.Project(back)) != 1 {
		t.Error("undo did not bring the mistake back")
	}
}
