package app_test

import (
	"bytes"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo"
)

func empty(t *testing.T) *app.App {
	t.Helper()
	a, err := app.Open(t.Context(), t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { a.Close() })
	return a
}

func sampleWorld(t *testing.T) *app.App {
	t.Helper()
	a := empty(t)
	if err := demo.Fill(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	return a
}

func whole(t *testing.T, a *app.App) []byte {
	t.Helper()
	var b bytes.Buffer
	if _, err := a.WriteLibrary(t.Context(), &b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func merge(t *testing.T, a *app.App, file []byte) *app.Merged {
	t.Helper()
	m, err := a.MergeLibrary(t.Context(), bytes.NewReader(file))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func TestALibraryGoesOutAndComesInWithoutDoubles(t *testing.T) {
	a, b := sampleWorld(t), empty(t)
	c, err := a.Chart(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if err := a.EditChart(t.Context(), c.Revision,
		house.SetCells([]house.Cell{{Role: "kit/kick", Field: "name", Text: "BD"}}, midi.MiddleC3)); err != nil {
		t.Fatal(err)
	}
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	before, err := a.ChartVersions(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.KeepChart(t.Context(), c.Revision, "for the test"); err != nil {
		t.Fatal(err)
	}
	file := whole(t, a)
	m := merge(t, b, file)
	if m.New != len(library(t, a).Entries) || m.Charts != len(before)+1 || m.Instruments != 4 {
		t.Errorf("got %+v; want m.New len(library(t, a).Entries), m.Charts len(before)+1, m.Instruments 4", m)
	}
	kept, err := b.HouseVersion(t.Context(), 0)
	if err != nil || kept.Label("kit/kick") != "BD" {
		t.Errorf("got %v %q; want kept.Label(\"kit/kick\") \"BD\"", err, kept.Label("kit/kick"))
	}
	// The song came along, and an instrument of a project is the one on this shelf.
	p, err := b.ProjectNamed(t.Context(), "Cue 03 Fog Bell")
	if err != nil {
		t.Fatal(err)
	}
	song, err := b.SongFile(t.Context(), p.Plan.Song.ID)
	if in, errIn := b.Instrument(t.Context(), p.Plan.Placed[0].Shelf); err != nil || len(song) == 0 || errIn != nil ||
		in.Name != "Brinework Kit" {
		t.Errorf("got %v %v; want len(song) not 0, in.Name \"Brinework Kit\"", err, errIn)
	}
	// Again, and after work on both sides: nothing is there twice.
	if m := merge(t, b, file); m.New+m.Updated+m.Instruments+m.Charts != 0 || m.Same != len(library(t, a).Entries) {
		t.Errorf("again: %+v", m)
	}
	if _, err := b.Edit(t.Context(), p.ID, p.Revision, plan.Rename("Cue 03, mine")); err != nil {
		t.Fatal(err)
	}
	in, err := b.Instrument(t.Context(), p.Plan.Placed[0].Shelf)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.EditInstrument(t.Context(), in.ID, in.Revision,
		func(in *rig.Instrument) (string, error) { in.BaseMiB = 99; return "weigh it", nil }); err != nil {
		t.Fatal(err)
	}
	if m := merge(t, b, file); m.New+m.Updated+m.Instruments != 0 {
		t.Errorf("an older file changed what is newer here: %+v", m)
	}
	pa, err := a.ProjectNamed(t.Context(), "Cue 03 Fog Bell")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Edit(t.Context(), pa.ID, pa.Revision, plan.Rename("Cue 03, theirs")); err != nil {
		t.Fatal(err)
	}
	m = merge(t, b, whole(t, a))
	if m.Updated != 1 || m.New != 0 {
		t.Fatalf("got %+v; want m.Updated 1, m.New 0", m)
	}
	if p, err = b.Project(t.Context(), p.ID); err != nil || p.Plan.Name != "Cue 03, theirs" {
		t.Errorf("got %v %s; want p.Plan.Name \"Cue 03, theirs\"", err, p.Plan.Name)
	}
	if _, _, err := b.StepBatch(t.Context(), m.Batch, app.Back); err != nil {
		t.Fatal(err)
	}
	if p, err = b.Project(t.Context(), p.ID); err != nil || p.Plan.Name != "Cue 03, mine" {
		t.Errorf("undone it is %v %s", err, p.Plan.Name)
	}
}

func TestALibraryFileIsReadStrictly(t *testing.T) {
	a := sampleWorld(t)
	file := string(whole(t, a))
	before := len(library(t, a).Entries)
	for name, c := range map[string]struct{ from, to, says string }{
		"cut off":          {file[len(file)/2:], "", "ends too early"},
		"another version":  {`"version": 2,`, `"version": 9,`, "versions up to 2"},
		"an unknown field": {`"uid":`, `"colour": 1, "uid":`, "colour"},
		"a bad number":     {`"number": 7,`, `"number": "five",`, "number"},
		"no such lane":     {`"firstLane": 7,`, `"firstLane": -7,`, "count from nothing"},
		"a bad role":       {`"kit/kick/in"`, `"kitchen/kick/in"`, "kitchen"},
		"a bad width":      {`"width": "stereo"`, `"width": "wide"`, "width"},
		"a bad kind":       {`"kind": "regular"`, `"kind": "upright"`, "upright"},
		"a bad state":      {`"state": "assigned"`, `"state": "somewhere"`, "somewhere"},
		"twice the same":   {`"uid": "`, `"uid": "", "was": "`, "was"},
	} {
		bad := strings.Replace(file, c.from, c.to, 1)
		if bad == file {
			t.Fatalf("%s: nothing to spoil", name)
		}
		if _, err := a.MergeLibrary(t.Context(), strings.NewReader(bad)); err == nil ||
			!strings.Contains(err.Error(), c.says) {
			t.Errorf("got %s: %v; want an error, err.Error() with %v", name, err, c.says)
		}
	}
	if n := len(library(t, a).Entries); n != before {
		t.Errorf("a refused file left %d projects", n-before)
	}
}

// What stands for nothing may be left out of a project: a file written by hand need not
// name every field.
func TestAProjectFileMayBeShort(t *testing.T) {
	a := empty(t)
	id, err := a.ImportBundle(t.Context(),
		strings.NewReader(
			`{"format":"hiddenlanes-project","version":1,"project":{"name":"By hand","host":{},"placed":[{"id":"i1","instrument":{"name":"Pads","voices":[{"id":"v1","name":"Kick","keys":[36]}]},"outputs":[{"number":1,"width":"stereo","first":1}]}],"lanes":[{"id":"l1","number":1,"name":"Kick","kind":"regular","colour":"#112233","sources":[{"placed":"i1","output":1}]}]}}`))
	if err != nil {
		t.Fatal(err)
	}
	if p, err := a.Project(t.Context(), id); err != nil || p.Plan.Lanes[0].Width != audio.Mono || len(p.Plan.Placed) != 1 {
		t.Errorf("got %v %+v; want p.Plan.Lanes[0].Width %v, len(p.Plan.Placed) 1", err, p, audio.Mono)
	}
	for says, bundle := range map[string]string{"name": `{"format":"hiddenlanes-project","version":1,"project":{}}`,
		"project": `{"format":"hiddenlanes-project","version":1}`} {
		if _, err := a.ImportBundle(t.Context(), strings.NewReader(bundle)); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("got %s: %v; want an error, err.Error() with %v", bundle, err, says)
		}
	}
}
