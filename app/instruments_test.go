package app

import (
	"archive/zip"
	"bytes"
	"io"
	"io/fs"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
)

const slipway = "// Slipway, a made-up kit\r\n<group> group_label=Kick key=36\r\n<region> sample=k1.wav\r\n<region> " +
	"sample=k2.wav output=5\r\n" +
	"<group>\r\n<region> sample=Snare Top.wav key=38\r\n<region> sample=Boing.wav key=70\r\n#include \"ride.sfz\"\r\n"

func zipped(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(w, text); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// From an uploaded ZIP to the same files with their outputs as planned.
func TestAnSFZGoesOutRoutedAsPlanned(t *testing.T) {
	a, ctx := open(t), t.Context()
	files := map[string]string{"Slipway/kit.sfz": slipway, "Slipway/ride.sfz": "<region> sample=ride.wav key=51\n",
		"Slipway/k1.wav": "RIFF"}
	im, err := a.ImportInstruments(ctx, bytes.NewReader(zipped(t, files)), "Slipway.zip")
	if err != nil || im.Added != 1 {
		t.Fatal(im, err)
	}
	id, err := a.Create(ctx,
		NewProject{Name: "Ferry",
			Choices: []Choice{{Instrument: im.IDs[0], Setup: Setup{Outputs: []rig.Run{{Count: 8, Width: 2}}}}}})
	if err != nil {
		t.Fatal(err)
	}
	p, err := a.Project(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if p, err = a.Accept(ctx, id, p.Revision, propose.Options{Placed: "i1"}, (*propose.Proposal).Everything); err != nil {
		t.Fatal(err)
	}
	if p, err = a.Edit(ctx, id, p.Revision, edits.AssignAgain("i1", 1)); err != nil {
		t.Fatal(err)
	}
	out, err := a.RouteSFZ(ctx, &p.Plan.Placed[0])
	if err != nil || out.Name != "Slipway.zip" || len(out.Left) != 0 {
		t.Fatal(out, err)
	}
	z, err := zip.NewReader(bytes.NewReader(out.Data), int64(len(out.Data)))
	if err != nil || len(z.File) != 2 {
		t.Fatal(err)
	}
	r, _ := z.Open("Slipway/kit.sfz")
	text, _ := io.ReadAll(r)
	want := "// Slipway, a made-up kit\r\n<group> group_label=Kick key=36\r\n<region> sample=k1.wav\r\n<region> " +
		"sample=k2.wav output=1\r\n" +
		"<group>\r\n<region> output=2 sample=Snare Top.wav key=38\r\n<region> output=4 sample=Boing.wav " +
		"key=70\r\n#include \"ride.sfz\"\r\n"
	if string(text) != want {
		t.Errorf("got\n%s", text)
	}
	flint := plan.Placed{Instrument: rig.Instrument{Name: "Flint"}}
	if _, err := a.RouteSFZ(ctx, &flint); err == nil || !strings.Contains(err.Error(), "was not read from an SFZ") {
		t.Errorf("got %v; want an error, err.Error() with \"was not read from an SFZ\"", err)
	}
}

func TestAFolderIsReadAndNothingOutsideIt(t *testing.T) {
	var f Folder
	for name, text := range map[string]string{`Kit\kit.sfz`: slipway, "Kit/ride.sfz": "<region> sample=ride.wav key=51",
		"Kit/huge.wav": strings.Repeat("x", 1<<20)} {
		if err := f.Add(name, strings.NewReader(text)); err != nil {
			t.Fatal(err)
		}
	}
	files, err := f.Files()
	if err != nil {
		t.Fatal(err)
	}
	if info, err := fs.Stat(files, "Kit/huge.wav"); err != nil || info.Size() > 4096 {
		t.Errorf("a sample is kept: %v %v", info, err)
	}
	c, err := ReadFolder(t.Context(), files, "Kit", midi.MiddleC3)
	if err != nil || len(c.Instruments) != 1 || len(c.Instruments[0].Voices) != 5 {
		t.Errorf("got %+v %v; want len(c.Instruments) 1, len(c.Instruments[0].Voices) 5", c, err)
	}
	if err := new(Folder).Add("../../etc/passwd", strings.NewReader("x")); err == nil {
		t.Error("a path that leads outside was taken")
	}
}

func TestEachFormatIsKnownByWhatItHolds(t *testing.T) {
	for want, text := range map[string]string{
		"sfz":    "// a comment\n<region> sample=a.wav key=36",
		"midnam": `<?xml version="1.0"?><MIDINameDocument><MasterDeviceNames><Model>X</Model><NoteNameList Name="n"><Note Number="36" Name="Kick"/></NoteNameList></MasterDeviceNames></MIDINameDocument>`,
		"csv":    "name,keys\nKick,36\n",
	} {
		if c, err := Read(t.Context(), strings.NewReader(text), "no-ending", midi.MiddleC3); err != nil ||
			c.Format.Name != want ||
			len(c.Instruments) != 1 {
			t.Errorf("got %s: %+v %v; want c.Format.Name %v, len(c.Instruments) 1", want, c, err, want)
		}
	}
	for _, bad := range []string{"", "hello", "PK\x03\x04 but no ZIP", "\x00\x01\x02"} {
		if c, err := Read(t.Context(), strings.NewReader(bad), "x.bin", midi.MiddleC3); err == nil {
			t.Errorf("%q was taken for %s", bad, c.Format.Name)
		}
	}
}

// A correction is remembered for the spelling: for what is brought later, and for
// the shelf when asked.
func TestACorrectedRoleIsRememberedForItsSpelling(t *testing.T) {
	a, ctx := open(t), t.Context()
	bring := func(name string) int64 {
		t.Helper()
		im, err := a.ImportInstruments(ctx, strings.NewReader("kind,name,keys\nvoice,Boing 2,70\nvoice,"+name+
			",36\n"), name+".csv")
		if err != nil {
			t.Fatal(err)
		}
		return im.IDs[0]
	}
	one, two := bring("A"), bring("B")
	in, _ := a.Instrument(ctx, one)
	if err := a.SetCells(ctx, one, in.Revision, "voices",
		[]tabular.Cell{tabular.At(in.Rig.Voices[0].ID, "role", "percussion/triangle")}); err != nil {
		t.Fatal(err)
	}
	three := bring("C")
	roleOf := func(id int64) string {
		in, err := a.Instrument(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return string(in.Rig.Voices[0].Role) + " " + in.Rig.Voices[0].Sure.String()
	}
	if got := roleOf(three); got != "percussion/triangle told" {
		t.Errorf("what is brought later is %s", got)
	}
	before := roleOf(two)
	if ins, voices, err := a.Elsewhere(ctx, "boing-2", "percussion/triangle"); err != nil || ins != 1 || voices != 1 {
		t.Errorf("got %d %d %v; want ins 1, voices 1", ins, voices, err)
	}
	if n, err := a.ApplySpelling(ctx, Spelling("Boing 2")); err != nil || n != 1 ||
		roleOf(two) != "percussion/triangle told" {
		t.Errorf("got %d %v %s; want n 1, roleOf(two) \"percussion/triangle told\"", n, err, roleOf(two))
	}
	in, _ = a.Instrument(ctx, two)
	if err := a.StepInstrument(ctx, two, in.Revision, false); err != nil || roleOf(two) != before {
		t.Errorf("it cannot be undone: %v %s", err, roleOf(two))
	}
}

func TestLayoutsKeptInAProjectAreOnTheShelf(t *testing.T) {
	a, ctx := open(t), t.Context()
	im, err := a.ImportInstruments(ctx, strings.NewReader("name,keys\nKick,36\nSnare,38\n"), "pads.csv")
	if err != nil {
		t.Fatal(err)
	}
	begin := func() (int64, *plan.Placed) {
		id, err := a.Create(ctx,
			NewProject{Name: "Ferry",
				Choices: []Choice{{Instrument: im.IDs[0], Setup: Setup{Outputs: []rig.Run{{Count: 4, Width: 2}}}}}})
		if err != nil {
			t.Fatal(err)
		}
		p, err := a.Project(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return id, &p.Plan.Placed[0]
	}
	id, _ := begin()
	p, _ := a.Project(ctx, id)
	if _, err := a.Accept(ctx, id, p.Revision, propose.Options{Placed: "i1"}, (*propose.Proposal).Everything); err != nil {
		t.Fatal(err)
	}
	p, _ = a.Project(ctx, id)
	if err := a.KeepLayout(ctx, id, p.Revision, rig.Layout{Name: "House"}, "i1"); err != nil {
		t.Fatal(err)
	}
	_, later := begin()
	all, err := a.Layouts(ctx, later)
	if err != nil || len(all) != 1 || all[0].Name != "House" || len(all[0].Feeds) != 2 {
		t.Errorf("got %+v %v; want len(all) 1, all[0].Name \"House\", len(all[0].Feeds) 2", all, err)
	}
}
