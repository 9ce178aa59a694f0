package app

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/midnam"
	"hiddenlanes/format/smf"
)

// By whatever way names come in, they are cleaned, no longer than 80 characters, and what
// was shortened is said. A bundle that was mended by hand gives IDs of its own to what is
// made later.
func TestNamesThatComeInAreCleanedAndShortenedByEveryWay(t *testing.T) {
	long := strings.Repeat("Überlang ", 12)
	ctx, dir := t.Context(), t.TempDir()
	a := open(t)
	file := func(name string, data []byte) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	fits := func(way string, names ...string) {
		t.Helper()
		for _, n := range names {
			if len([]rune(n)) > rig.MaxName || n != rig.CleanName(n) || n == "" {
				t.Errorf("%s: a name came in as %q", way, n)
			}
		}
	}
	said := func(way, text string) {
		t.Helper()
		if !strings.Contains(text, "shortened to 80 characters") {
			t.Errorf("%s: it says %q and not what was shortened", way, text)
		}
	}
	kit := sample.BrineworkKit()
	kit.Name, kit.Voices[0].Name, kit.Microphones[0].Name = long, long, "Kick\u202e In"

	// instruments
	for name, write := range map[string]func(b *bytes.Buffer) error{
		"csv": func(b *bytes.Buffer) error { return a.ExportInstrument(ctx, b, kit, "csv") },
		"midnam": func(b *bytes.Buffer) error {
			return midnam.Encode(b, kit)
		},
	} {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			t.Fatal(err)
		}
		got, err := a.ImportInstruments(ctx, &b, "kit."+name)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		said(name, strings.Join(got.Warnings, "; "))
		for _, in := range got.Instruments {
			fits(name, in.Name)
			for _, v := range in.Voices {
				fits(name, v.Name)
			}
		}
	}

	// a bundle, a library and a session
	p := &plan.Project{Name: long, Lanes: []plan.Lane{
		{ID: "l7", Number: 1, Name: long, Colour: "#112233", Kind: plan.Regular, Width: 2},
		{ID: "l9", Number: 2, Name: "Bell\x07", Colour: "#112233", Kind: plan.Regular, Width: 2}}}
	if _, err := edits.AddInstrument(kit, rig.Lay(kit.Delivered, 1), 0)(p); err != nil {
		t.Fatal(err)
	}
	p.LastID = 2 // as somebody who wrote the file by hand left it
	var b, l, s bytes.Buffer
	if err := bundle.Encode(&b, p, nil); err != nil {
		t.Fatal(err)
	}
	text, err := a.ImportFile(ctx, file("project.json", b.Bytes()), "", Merging{})
	if err != nil {
		t.Fatal(err)
	}
	said("bundle", text)
	rows, err := a.Projects(ctx)
	if err != nil || len(rows) != 1 {
		t.Fatalf("%d projects, %v", len(rows), err)
	}
	got, err := a.Project(ctx, rows[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	fits("bundle", got.Plan.Name, got.Plan.Lanes[0].Name, got.Plan.Lanes[1].Name, got.Plan.Placed[0].Instrument.Name,
		got.Plan.Placed[0].Instrument.Voices[0].Name, got.Plan.Placed[0].Instrument.Microphones[0].Name)
	if id := got.Plan.NewLaneID(); got.Plan.Lane(id) != nil || id != "l10" {
		t.Errorf("the next lane gets the ID %s; want l10, past those in the file", id)
	}
	if _, err := a.WriteLibrary(ctx, &l); err != nil {
		t.Fatal(err)
	}
	again := strings.Replace(l.String(), `"name": "Bell"`, `"name": "`+long+`"`, 1)
	other := open(t)
	m, err := other.MergeLibrary(ctx, strings.NewReader(again), Merging{})
	if err != nil {
		t.Fatal(err)
	}
	said("library", m.String())
	if err := dawproject.Encode(&s, p, nil); err != nil {
		t.Fatal(err)
	}
	if text, err = other.ImportFile(ctx, file("mixer.dawproject", s.Bytes()), "", Merging{}); err != nil {
		t.Fatal(err)
	}
	said("session", text)

	// a song
	var song bytes.Buffer
	if err := smf.Encode(&song, sample.Song()); err != nil {
		t.Fatal(err)
	}
	got, err = a.ImportForProject(ctx, got.ID, got.Revision, &song, long+".mid")
	if err != nil {
		t.Fatal(err)
	}
	fits("song", got.Plan.Song.Name)

	// what is typed is refused instead
	typed := strings.Repeat("x", 81)
	for way, edit := range map[string]plan.Edit{"project": edits.Rename(typed), "lane": plan.NameLane("l7", typed),
		"bus": edits.AddBus(typed, 0, nil)} {
		if _, err := edit(got.Plan.Clone()); err == nil || !strings.Contains(err.Error(), "80 characters") {
			t.Errorf("a typed name of 81 characters for a %s gives %v", way, err)
		}
	}
	if _, err := NewSetup(typed, "", nil, 1, false); err == nil {
		t.Error("a set-up takes a name of 81 characters")
	}
}
