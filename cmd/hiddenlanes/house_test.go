package main

import (
	"bytes"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/format/smf"
)

type difference struct{ Role, Attribute, House, Here string }

type projectDrift struct {
	Name           string
	Drift, Follows int
	Differences    []difference
}

type learnedLine struct {
	Role, Field, Value, Chart string
	Agree, Of                 int
	Outliers                  []struct {
		Value    string
		Projects []string
	}
}

func TestDriftForScripts(t *testing.T) {
	data := sampleData(t)
	code, out, errs := call("drift", "--data", data)
	v := decode[struct{ Projects []projectDrift }](t, out)
	if code != 0 || errs != "" || len(v.Projects) != 4 {
		t.Fatalf("got %d %s %s; want code 0, errs \"\", len(v.Projects) 4", code, errs, out)
	}
	fog := v.Projects[slices.IndexFunc(v.Projects, func(p projectDrift) bool { return p.Name == "Cue 03 Fog Bell" })]
	if fog.Drift != 2 || fog.Follows != 1 || len(fog.Differences) != 2 ||
		fog.Differences[0] != (difference{"kit/hat", "name", "Hats", "Hat"}) ||
		fog.Differences[1].Here != "Drums and main mix" {
		t.Errorf("got %+v; want fog.Drift 2, fog.Follows 1, len(fog.Differences) 2, fog.Differences[0] "+
			"(difference{\"kit/hat\", \"name\", \"Hats\", \"Hat\"}), fog.Differences[1].Here \"Drums and main mix\"", fog)
	}
	if code, out, _ := call("drift", "--data", data, "--project", "cue 07 night crossing", "--json=false"); code != 0 ||
		!strings.Contains(out, "the house: Hats") || strings.Contains(out, "Cue 03") {
		t.Errorf("got %d %s; want code 0, out with \"the house: Hats\", out without \"Cue 03\"", code, out)
	}
}

func TestLearnForScripts(t *testing.T) {
	data, dir := sampleData(t), t.TempDir()
	session := filepath.Join(dir, "cue.dawproject")
	if code, _, errs := call("export", "--data", data, "--project", "Cue 03 Fog Bell", "--as", "dawproject",
		session); code != 0 {
		t.Fatal(errs)
	}
	code, out, errs := call("learn", "--data", data, session)
	v := decode[struct {
		Projects int
		Roles    []learnedLine
		Orders   []struct {
			Below, Rule    string
			Roles          []string
			Agree, Of, Gap int
		}
	}](t, out)
	if code != 0 || v.Projects != 5 {
		t.Fatalf("got %d %s %s; want code 0, v.Projects 5", code, errs, out)
	}
	hat := slices.IndexFunc(v.Roles, func(x learnedLine) bool { return x.Role == "kit/hat" && x.Field == "name" })
	if hat < 0 || v.Roles[hat].Value != "Hat" || v.Roles[hat].Agree != 3 || v.Roles[hat].Of != 3 ||
		v.Roles[hat].Chart != "Hats" {
		t.Errorf("got %+v; want hat at least 0, v.Roles[hat].Value \"Hat\", v.Roles[hat].Agree 3, v.Roles[hat].Of 3, "+
			"v.Roles[hat].Chart \"Hats\"", v.Roles)
	}
	if len(v.Orders) == 0 || v.Orders[0].Rule != "Kemeny" || v.Orders[0].Gap != 0 {
		t.Errorf("got %+v; want len(v.Orders) not 0, v.Orders[0].Rule \"Kemeny\", v.Orders[0].Gap 0", v.Orders)
	}
	if code, _, errs := call("learn", "--data", data, write(t, "x.notes", []byte("x"))); code != 1 ||
		!strings.Contains(errs, "This is a text") ||
		!strings.Contains(errs, "Import DAWproject (.dawproject) or Project bundle (.json).") {
		t.Errorf("got %d %s; want code 1, errs with \"This is a text\", errs with \"Import DAWproject (.dawproject) or "+
			"Project bundle (.json).\"", code, errs)
	}
}

func TestReplacementForScripts(t *testing.T) {
	data := sampleData(t)
	args := []string{"replace", "--data", data, "--project", "Cue 03 Fog Bell", "--from", "brinework kit", "--to",
		"Flint Twelve"}
	type report struct {
		Distance int
		Applied  bool
		Pairs    []struct {
			From, To, LaneName string
			Lane, Distance     int
		}
		Kept []struct{ From, LaneName string }
		New  []struct{ Name string }
	}
	code, out, errs := call(args...)
	v := decode[report](t, out)
	if code != 0 || v.Applied || v.Pairs[0].From != "Kick In" || v.Pairs[0].To != "Kick" || v.Pairs[0].Lane != 7 ||
		len(v.Kept) == 0 || len(v.New) == 0 {
		t.Fatalf("got %d %s %s; want code 0, not v.Applied, v.Pairs[0].From \"Kick In\", v.Pairs[0].To \"Kick\", "+
			"v.Pairs[0].Lane 7, len(v.Kept) not 0, len(v.New) not 0", code, errs, out)
	}
	sum := 0
	for _, p := range v.Pairs {
		sum += p.Distance
	}
	if sum != v.Distance {
		t.Errorf("the distances sum to %d, not %d", sum, v.Distance)
	}
	// Without --apply nothing is changed; with it the project is.
	if code, _, _ := call(args...); code != 0 {
		t.Error("the first look changed the project")
	}
	code, out, errs = call(append(args, "--apply", "--song")...)
	if v := decode[report](t, out); code != 0 || !v.Applied {
		t.Fatalf("got %d %s; want code 0, v.Applied", code, errs)
	}
	if code, _, errs := call(args...); code != 1 || !strings.Contains(errs, "it has: Flint Twelve") {
		t.Errorf("got %d %s; want code 1, errs with \"it has: Flint Twelve\"", code, errs)
	}
	if code, _, errs := call("replace", "--data", data, "--project", "Cue 03 Fog Bell", "--from", "Flint Twelve", "--to",
		"gm"); code != 1 || !strings.Contains(errs, "key map") {
		t.Errorf("got %d %s; want code 1, errs with \"key map\"", code, errs)
	}
}

func TestRekeyForScripts(t *testing.T) {
	in := song(t, 36, 38, 42, 54, 56, 36)
	kit := write(t, "kit.csv", []byte("name,role,keys\nKick,kit/kick,24\nSnare,kit/snare,26\nHat "+
		"Closed,kit/hat,30\nCowbell,percussion/cowbell,70\n"))
	out := filepath.Join(t.TempDir(), "out.mid")
	type report struct {
		From, To        string
		Keys, Unmatched []struct {
			Key, To, Notes int
			Fate           string
		}
	}
	keys := func() map[midi.Key]int {
		t.Helper()
		data, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		f, err := smf.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		return f.Channels()[0].Keys
	}
	code, text, errs := call("rekey", in, "--from", "gm", "--to", kit, "--out", out)
	v := decode[report](t, text)
	if code != 0 || errs != "" || len(v.Keys) != 4 || len(v.Unmatched) != 1 || v.Unmatched[0].Key != 54 ||
		v.Unmatched[0].Fate != "left" || v.Keys[0].To != 24 || v.Keys[0].Notes != 2 {
		t.Fatalf("got %d %s %s; want code 0, errs \"\", len(v.Keys) 4, len(v.Unmatched) 1, v.Unmatched[0].Key 54, "+
			"v.Unmatched[0].Fate \"left\", v.Keys[0].To 24, v.Keys[0].Notes 2", code, errs, text)
	}
	if k := keys(); k[24] != 2 || k[26] != 1 || k[30] != 1 || k[70] != 1 || k[54] != 1 || k[36] != 0 {
		t.Errorf("got %v; want k[24] 2, k[26] 1, k[30] 1, k[70] 1, k[54] 1, k[36] 0", k)
	}
	if code, _, errs = call("rekey", in, "--from", "gm", "--to", kit, "--out", out, "--drop", "38", "--move",
		"54=70"); code != 0 {
		t.Fatal(errs)
	}
	if k := keys(); k[70] != 2 || k[26] != 0 || k[38] != 0 {
		t.Errorf("got %v; want k[70] 2, k[26] 0, k[38] 0", k)
	}
	if code, _, errs = call("rekey", in, "--from", "gm", "--to", "Flint Twelve", "--data", sampleData(t), "--out", out,
		"--drop-rest"); code != 0 {
		t.Fatal(errs)
	}
	if k := keys(); k[54] != 0 || k[36] != 2 || k[56] != 1 {
		t.Errorf("got %v; want k[54] 0, k[36] 2, k[56] 1", k)
	}
	// Back and forth through the same map the file is the same, byte for byte.
	back := filepath.Join(t.TempDir(), "back.mid")
	call("rekey", in, "--from", "gm", "--to", kit, "--out", out)
	call("rekey", out, "--from", kit, "--to", "gm", "--out", back, "--move", "24=36", "--move", "26=38")
	a, errA := os.ReadFile(in)
	b, errB := os.ReadFile(back)
	if errA != nil || errB != nil || !bytes.Equal(a, b) {
		t.Errorf("% x\n% x", a, b)
	}
	// What cannot be read leaves the file that is there.
	for says, args := range map[string][]string{
		"there is no file":            {in, "--from", "gm", "--to", "nobody"},
		"this is not a Standard MIDI": {kit, "--from", "gm", "--to", kit},
		"--move":                      {in, "--from", "gm", "--to", kit, "--move", "54"},
		"needs --from":                {in, "--to", kit},
	} {
		if code, text, errs := call(append([]string{"rekey", "--out", out}, args...)...); code == 0 || text != "" ||
			!strings.Contains(errs, says) {
			t.Errorf("%v: exit %d, %q", args, code, errs)
		}
	}
}

func TestTheLibraryGoesOutAndComesIn(t *testing.T) {
	data, file := sampleData(t), filepath.Join(t.TempDir(), "library.json")
	if code, _, errs := call("export", "--data", data, "--as", "library", file); code != 0 {
		t.Fatal(errs)
	}
	fresh := filepath.Join(t.TempDir(), "new")
	if code, out, errs := call("import", "--data", fresh, file); code != 0 || !strings.Contains(out, "projects: 4 new") {
		t.Fatalf("got %d %s %s; want code 0, out with \"projects: 4 new\"", code, out, errs)
	}
	if code, out, errs := call("import", "--data", fresh, file); code != 0 || !strings.Contains(out, "projects: 0 new") ||
		!strings.Contains(out, "4 here already") {
		t.Fatalf("got %d %s %s; want code 0, out with \"projects: 0 new\", out with \"4 here already\"", code, out, errs)
	}
	_, a, _ := call("drift", "--data", data)
	_, b, _ := call("drift", "--data", fresh)
	if a != b {
		t.Errorf("drift is another there:\n%s\n%s", a, b)
	}
}
