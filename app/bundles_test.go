package app_test

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
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
	m, err := a.MergeLibrary(t.Context(), bytes.NewReader(file), app.Merging{})
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func TestALibraryGoesOutAndComesInWithoutDoubles(t *testing.T) {
	testkit.Slow(t)
	testkit.OneByOne(t)
	a, b := sampleWorld(t), empty(t)
	c, err := a.Chart(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if err := a.EditChart(t.Context(), c.Revision,
		house.SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD")}, midi.MiddleC3)); err != nil {
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
	if _, err := b.Edit(t.Context(), p.ID, p.Revision, edits.Rename("Cue 03, mine")); err != nil {
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
	if _, err := a.Edit(t.Context(), pa.ID, pa.Revision, edits.Rename("Cue 03, theirs")); err != nil {
		t.Fatal(err)
	}
	m = merge(t, b, whole(t, a))
	if m.Updated+m.New != 0 || len(m.Diverged) != 1 {
		t.Fatalf("got %+v; want nothing updated, for it was changed on both sides", m)
	}
	if p, err = b.Project(t.Context(), p.ID); err != nil || p.Plan.Name != "Cue 03, mine" {
		t.Errorf("got %v %s; want that mine stays", err, p.Plan.Name)
	}
}

// copyOf is another computer with all that a library file of the first says.
func copyOf(t *testing.T, a *app.App) *app.App {
	t.Helper()
	b := empty(t)
	merge(t, b, whole(t, a))
	return b
}

// renamed is a change of a project, and its name after it.
func renamed(t *testing.T, a *app.App, from, to string) {
	t.Helper()
	p, err := a.ProjectNamed(t.Context(), from)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Edit(t.Context(), p.ID, p.Revision, edits.Rename(to)); err != nil {
		t.Fatal(err)
	}
}

func names(t *testing.T, a *app.App) (out []string) {
	t.Helper()
	for _, e := range library(t, a).Entries {
		out = append(out, e.Name)
	}
	slices.Sort(out)
	return out
}

// Work goes to another computer and back by library files: what is ahead is taken, what is behind
// is left, and what was changed on both is neither overwritten nor lost.
func TestALibraryFileNeverOverwritesNewerWork(t *testing.T) {
	testkit.OneByOne(t)
	const cue = "Cue 07 Night Crossing"
	a := sampleWorld(t)
	old := whole(t, a)
	b := copyOf(t, a)
	n := len(names(t, a))

	renamed(t, a, cue, "Crossing 1")
	if m := merge(t, b, whole(t, a)); m.Updated != 1 || m.Same != n-1 || len(m.Diverged) != 0 {
		t.Fatalf("ahead: got %+v; want 1 updated, %d the same", m, n-1)
	} else if !slices.Contains(names(t, b), "Crossing 1") {
		t.Fatalf("updated, there is %q", names(t, b))
	} else if _, _, err := b.StepBatch(t.Context(), m.Batch, app.Back); err != nil {
		t.Fatal(err)
	} else if !slices.Contains(names(t, b), cue) {
		t.Errorf("undone, there is %q", names(t, b))
	} else if _, _, err := b.StepBatch(t.Context(), m.Batch, app.Forward); err != nil {
		t.Fatal(err)
	}
	renamed(t, b, "Crossing 1", "Crossing 2")
	for name, file := range map[string][]byte{"as it came to b": whole(t, a), "as it was at first": old} {
		if m := merge(t, b, file); m.Updated+m.New+len(m.Diverged) != 0 || m.Same != n {
			t.Errorf("%s, behind: got %+v; want all left as they are", name, m)
		}
	}
	if m := merge(t, a, whole(t, b)); m.Updated != 1 { // back at the first computer
		t.Fatalf("and back: got %+v; want 1 updated", m)
	}

	renamed(t, a, "Crossing 2", "Crossing 3a")
	renamed(t, b, "Crossing 2", "Crossing 3b")
	for _, file := range [][]byte{whole(t, a), whole(t, a)} { // twice
		m := merge(t, b, file)
		if m.Updated+m.New != 0 || len(m.Diverged) != 1 {
			t.Fatalf("changed on both: got %+v; want none updated and 1 named", m)
		}
		d := m.Diverged[0]
		if day := regexp.MustCompile(`^Crossing 3b \(changed here \d{4}-\d\d-\d\d \d\d:\d\d UTC, in the file \d{4}-\d\d-\d\d \d\d:\d\d UTC\)$`); !day.MatchString(d.String()) ||
			!strings.Contains(m.String(), d.String()) {
			t.Errorf("it says %q in %q; want the name and both dates", d, m)
		}
		if got := names(t, b); slices.Contains(got, "Crossing 3a") || !slices.Contains(got, "Crossing 3b") || len(got) != n {
			t.Fatalf("there is %q; want what was here, and only that", got)
		}
	}
	for i := range 2 { // the second time it is here already
		m, err := b.MergeLibrary(t.Context(), bytes.NewReader(whole(t, a)), app.Merging{Second: true})
		if err != nil || m.Updated != 0 || m.New != 1-i {
			t.Fatalf("as a second project, time %d: got %+v, %v; want %d new", i+1, m, err, 1-i)
		}
		if got := names(t, b); !slices.Contains(got, "Crossing 3a, from this file") || !slices.Contains(got, "Crossing 3b") ||
			len(got) != n+1 {
			t.Fatalf("there is %q; want both", got)
		}
	}
	// The second one is a project of its own from then on.
	renamed(t, b, "Crossing 3a, from this file", "Crossing 4")
	if m := merge(t, a, whole(t, b)); len(m.Diverged) != 1 || m.New != 1 || m.Updated != 0 {
		t.Errorf("both at the first computer: got %+v; want 1 new, 1 named", m)
	}
}

// A file from before states had names is known by what it says: what was here is here, and the rest
// is named, since nobody can say which of the two is newer.
func TestALibraryFileWithoutHistoryIsKnownByWhatItSays(t *testing.T) {
	testkit.Slow(t)
	testkit.OneByOne(t)
	a := sampleWorld(t)
	nameless := func(file []byte) []byte {
		text := regexp.MustCompile(`(?m)^\s*"(head|changed)": "[^"]*",\n`).ReplaceAllString(string(file), "")
		text = regexp.MustCompile(`(?s)\n\s*"history": \[.*?\],`).ReplaceAllString(text, "")
		if strings.Contains(text, `"history"`) || strings.Contains(text, `"head"`) || len(text) == len(file) {
			t.Fatal("the file still has its history")
		}
		return []byte(strings.Replace(text, `"version": 3,`, `"version": 2,`, 1))
	}
	file := nameless(whole(t, a))
	b := empty(t)
	n := len(names(t, a))
	if m := merge(t, b, file); m.New != n {
		t.Fatalf("got %+v; want %d new", m, n)
	}
	renamed(t, b, "Cue 03 Fog Bell", "Fog Bell 2")
	if m := merge(t, b, file); m.Same != n || m.Updated+len(m.Diverged) != 0 {
		t.Errorf("again: got %+v; want all the same", m)
	}
	renamed(t, a, "Cue 11 Market Day", "Market Day 2")
	if m := merge(t, b, nameless(whole(t, a))); m.Updated != 0 || len(m.Diverged) != 1 || m.Same != n-1 {
		t.Errorf("changed in the file: got %+v; want it named and left", m)
	}
	// One that says its history, of the same project in the same state, is recognised once, and
	// followed from then on.
	c := empty(t)
	merge(t, c, nameless(whole(t, a)))
	if m := merge(t, c, whole(t, a)); m.Same != n {
		t.Fatalf("the same with its history: got %+v; want all the same", m)
	}
	renamed(t, a, "Market Day 2", "Market Day 3")
	if m := merge(t, c, whole(t, a)); m.Updated != 1 || len(m.Diverged) != 0 {
		t.Errorf("ahead: got %+v; want 1 updated", m)
	}
}

func TestALibraryFileIsReadStrictly(t *testing.T) {
	testkit.OneByOne(t)
	a := sampleWorld(t)
	file := string(whole(t, a))
	before := len(library(t, a).Entries)
	for name, c := range map[string]struct{ from, to, says string }{
		"cut off":          {file[len(file)/2:], "", "ends too early"},
		"another version":  {`"version": 3,`, `"version": 9,`, "versions up to 3"},
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
		if _, err := a.MergeLibrary(t.Context(), strings.NewReader(bad), app.Merging{}); err == nil ||
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
