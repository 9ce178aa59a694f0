package main

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/outside"
	"hiddenlanes/internal/testkit"
)

func call(args ...string) (code int, stdout, stderr string) {
	var out, errs bytes.Buffer
	code = run(args, &out, &errs)
	return code, out.String(), errs.String()
}

func TestTheRoleTableIsPrinted(t *testing.T) {
	code, out, errs := call("roles")
	rows := map[string]struct {
		Role, Label, Short, Family string
		Step, Wish                 int
	}{}
	for _, r := range decode[[]struct {
		Role, Label, Short, Family string
		Step, Wish                 int
	}](t, out) {
		rows[r.Role] = r
	}
	if r := rows["kit/tom/floor"]; code != 0 || r.Step != 1 || r.Wish != 2 || r.Label != "Floor Toms" ||
		r.Family != "kit/tom" || rows["kit/kick"].Step != 5 || rows["percussion/shaker"].Step != 1 ||
		rows["strings"].Step != 4 || rows["strings/cello"].Wish != 2 || rows["kit/kick/in"].Short == "" {
		t.Errorf("%d %s: the floor toms are %+v of %d roles", code, errs, r, len(rows))
	}
}

func write(t *testing.T, name string, data []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, data, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func song(t *testing.T, keys ...byte) string {
	t.Helper()
	var track smf.Track
	for i, k := range keys {
		track = append(track, smf.Event{Tick: int64(i * 480), Status: 0x99, Data: []byte{k, 90}})
	}
	var b bytes.Buffer
	if err := smf.Encode(&b, &smf.File{Division: 480, Tracks: []smf.Track{track}}); err != nil {
		t.Fatal(err)
	}
	return write(t, "song.mid", b.Bytes())
}

func decode[T any](t *testing.T, s string) T {
	t.Helper()
	var v T
	if err := json.Unmarshal([]byte(s), &v); err != nil {
		t.Fatalf("%v in %s", err, s)
	}
	return v
}

// The shapes that scripts count on, spelled out here and not taken from the code.
type voices struct {
	Kind, Format string
	Instruments  []struct {
		Name          string
		Bank, Program int
		Voices        []struct {
			Name, Role, Width string
			Keys              []int
		}
	}
	Warnings []string
}

type proposal struct {
	Outputs []struct {
		Number, Lane int
		Ports        []int
		Name, Bus    string
		Feeds        []struct {
			Name, Role, Width string
			Wish, Uses        int
			Keys              []int
		}
	}
	Parked []struct{ Name, Reason string }
	Cost   *int
}

func TestReadAnInstrument(t *testing.T) {
	code, out, errs := call("read", write(t, "kit.sf2", testkit.Kit().Bytes()), "--json")
	v := decode[voices](t, out)
	if code != 0 || errs != "" || v.Kind != "instruments" || v.Format != "soundfont2" || v.Warnings == nil {
		t.Fatalf(
			"got %d %s %+v; want code 0, errs \"\", v.Kind \"instruments\", v.Format \"soundfont2\", v.Warnings not nil",
			code, errs, v)
	}
	kick := v.Instruments[0].Voices[0]
	if in := v.Instruments[0]; in.Name != "Harbour Kit" || in.Bank != 128 || kick.Name != "Kick In" ||
		kick.Role != "kit/kick/in" || kick.Width != "mono" || !slices.Equal(kick.Keys, []int{36}) {
		t.Errorf("got %+v; want in.Name \"Harbour Kit\", in.Bank 128, kick.Name \"Kick In\", kick.Role \"kit/kick/in\", "+
			"kick.Width \"mono\", %v", in, []int{36})
	}
}

func TestReadASong(t *testing.T) {
	code, out, _ := call("read", "--json", song(t, 36, 38, 36))
	v := decode[struct {
		Kind, Format string
		Division     int
		Seconds      float64
		Tempo        []struct{ BPM float64 }
		Channels     []struct {
			Channel, Port, Events int
			Keys                  map[string]int
		}
	}](t, out)
	if code != 0 || v.Kind != "song" || v.Format != "smf" || v.Division != 480 || v.Seconds != 1 || v.Tempo[0].BPM != 120 {
		t.Errorf(
			"got %d %s; want code 0, v.Kind \"song\", v.Format \"smf\", v.Division 480, v.Seconds 1, v.Tempo[0].BPM 120", code,
			out)
	}
	if c := v.Channels; len(c) != 1 || c[0].Channel != 10 || c[0].Port != 1 || c[0].Events != 3 ||
		fmt.Sprint(c[0].Keys) != "map[36:2 38:1]" {
		t.Errorf("got %+v; want len(c) 1, c[0].Channel 10, c[0].Port 1, c[0].Events 3, fmt.Sprint(c[0].Keys) \"map[36:2 "+
			"38:1]\"", c)
	}
}

func TestProposeForScripts(t *testing.T) {
	kit := write(t, "kit.sf2", testkit.Kit().Bytes())
	code, out, errs := call("propose", kit, "--instrument", "harbour kit", "--outputs", "3x2", "--song",
		song(t, 36, 38, 38, 46, 70), "--first-lane", "5", "--taken", "1-4,6", "--lane-limit", "24", "--bus", "Kit", "--json")
	if code != 0 {
		t.Fatal(errs)
	}
	v := decode[proposal](t, out)
	if len(v.Outputs) != 3 || v.Cost == nil || *v.Cost == 0 {
		t.Fatalf("got %s; want len(v.Outputs) 3, v.Cost not nil, *v.Cost not 0", out)
	}
	o := v.Outputs[0]
	if o.Number != 1 || !slices.Equal(o.Ports, []int{1, 2}) || o.Lane != 7 || o.Bus != "Kit" ||
		o.Feeds[0].Role != "kit/kick/in" || o.Feeds[0].Wish != 2 || o.Feeds[0].Uses != 1 {
		t.Errorf("got %+v; want o.Number 1, %v, o.Lane 7, o.Bus \"Kit\", o.Feeds[0].Role \"kit/kick/in\", o.Feeds[0].Wish "+
			"2, o.Feeds[0].Uses 1", o, []int{1, 2})
	}
	var parked []string
	for _, p := range v.Parked {
		if p.Reason == "" {
			t.Errorf("%s is parked without a reason", p.Name)
		}
		parked = append(parked, p.Name)
	}
	if !slices.Contains(parked, "Crash wide") {
		t.Errorf("parked %q", parked)
	}
}

// Debian's timgm6mb standard kit on 16, 8 and 4 stereo outputs: nothing is
// lost, chart order holds, and fewer outputs never cost less.
func TestARealKitIsProposedOnFewOutputs(t *testing.T) {
	last := -1
	for _, n := range []int{16, 8, 4} {
		code, out, errs := call("propose", outside.Bank(t), "--instrument", "Standard", "--outputs",
			fmt.Sprintf("%dx2", n), "--json")
		if code != 0 {
			t.Fatal(errs)
		}
		v := decode[proposal](t, out)
		keys := map[int]int{}
		for i, o := range v.Outputs {
			if o.Number != i+1 || o.Lane != i+1 || o.Bus != "Drums" {
				t.Errorf("output %d: %+v", i+1, o)
			}
			for _, f := range o.Feeds {
				for _, k := range f.Keys {
					keys[k]++
				}
			}
		}
		if len(v.Outputs) != n || len(v.Parked) != 0 || *v.Cost <= last {
			t.Errorf("on %d: %d outputs, %d parked, cost %d after %d", n, len(v.Outputs), len(v.Parked), *v.Cost, last)
		}
		for k := 35; k <= 81; k++ {
			if keys[k] != 1 {
				t.Errorf("on %d outputs key %d is carried %d times", n, k, keys[k])
			}
		}
		last = *v.Cost
	}
}

func TestMistakesInTheCallAndInTheFile(t *testing.T) {
	kit := write(t, "kit.sf2", testkit.Kit().Bytes())
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{nil, 2, "name a command"},
		{[]string{"mix"}, 2, "unknown command"},
		{[]string{"read"}, 2, "usage"},
		{[]string{"read", kit, "--loud"}, 2, "unknown flag"},
		{[]string{"serve"}, 2, "--data"},
		{[]string{"demo", "--addr", ""}, 2, "is not an address"},
		{[]string{"demo", "--addr", ":8095"}, 2, "other devices"},
		{[]string{"demo", "--addr", "0.0.0.0:0"}, 2, "other devices"},
		{[]string{"demo", "--addr", "[::]:0"}, 2, "other devices"},
		{[]string{"demo", "--addr", "192.0.2.7:8095"}, 2, "other devices"},
		{[]string{"propose", kit}, 2, "--instrument"},
		{[]string{"propose", kit, "--instrument", "Harbour Kit", "--outputs", "lots"}, 2, "count x width"},
		{[]string{"propose", kit, "--instrument", "Harbour Kit", "--outputs", "4x2", "--taken", "x"}, 2, "lane"},
		{[]string{"propose", kit, "--instrument", "Nobody", "--outputs", "4x2"}, 1, "the file holds: Harbour Kit"},
		{[]string{"propose", kit, "--instrument", "Harbour Kit", "--outputs", "4x2", "--lane-limit", "2"}, 1,
			"largest free run"},
		{[]string{"propose", kit, "--instrument", "Harbour Kit", "--outputs", "4x2", "--song", kit}, 1, "not a song"},
		{[]string{"read", filepath.Join(t.TempDir(), "none.sf2")}, 1, "is not there"},
		{[]string{"read", write(t, "x.sf2", []byte("RIFF1234sfbk"))}, 1, "copy or export it again"},
	} {
		code, out, errs := call(c.args...)
		if code != c.code || out != "" || !strings.Contains(errs, c.says) {
			t.Errorf("%v: exit %d, out %q, says %q", c.args, code, out, errs)
		}
	}
}

func TestReadEveryFormat(t *testing.T) {
	for format, path := range map[string]string{
		"sfz": write(t, "Slipway.sfz", []byte("<region> sample=kick.wav key=36\n<region> sample=Snr_Top.wav key=d2\n")),
		"csv": write(t, "pads.csv", []byte("name,keys\nKick,36\nSnare Top,38\n")),
		"midnam": write(t, "x.midnam",
			[]byte(
				`<MIDINameDocument><MasterDeviceNames><Model>X</Model><NoteNameList Name="n"><Note Number="36" Name="Kick"/><Note Number="38" Name="Snare Top"/></NoteNameList></MasterDeviceNames></MIDINameDocument>`)),
	} {
		code, out, errs := call("read", path, "--json")
		v := decode[voices](t, out)
		if code != 0 || v.Kind != "instruments" || v.Format != format || len(v.Instruments) != 1 ||
			len(v.Instruments[0].Voices) != 2 {
			t.Fatalf("got %s: %d %s %s; want code 0, v.Kind \"instruments\", v.Format %v, len(v.Instruments) 1, "+
				"len(v.Instruments[0].Voices) 2", format, code, errs, out, format)
		}
		if s := v.Instruments[0].Voices[1]; s.Role != "kit/snare/top" || !slices.Equal(s.Keys, []int{38}) {
			t.Errorf("got %s: %+v; want s.Role \"kit/snare/top\", %v", format, s, []int{38})
		}
	}
	// An include is looked for in the file's own folder only.
	outside := write(t, "secret.sfz", []byte("<region> sample=a.wav key=36"))
	code, _, errs := call("read",
		write(t, "in.sfz", []byte(`#include "`+outside+`"`+"\n#include \"../../x.sfz\"\n<region> key=36")))
	if code != 1 || !strings.Contains(errs, "outside the imported folder") {
		t.Errorf("got %d %s; want code 1, errs with \"outside the folder\"", code, errs)
	}
}

// A list of names is read and proposed for like any other file.
func TestAListOfNamesForScripts(t *testing.T) {
	list := write(t, "tern kit.txt", []byte("Kick In, mono\nSnare Top\nOverheads st\n"))
	code, out, errs := call("read", list, "--json")
	type microphone struct{ Name, Role, Width string }
	read := decode[struct {
		Format      string
		Instruments []struct {
			Name        string
			Microphones []microphone
		}
	}](t, out)
	if code != 0 || read.Format != "list" || len(read.Instruments) != 1 || read.Instruments[0].Name != "tern kit" ||
		len(read.Instruments[0].Microphones) != 3 ||
		read.Instruments[0].Microphones[2] != (microphone{"Overheads", "kit/overhead", "stereo"}) {
		t.Errorf("got %d %s %+v", code, errs, read)
	}
	code, out, errs = call("propose", list, "--instrument", "tern kit", "--outputs", "3x2", "--json")
	if p := decode[proposal](t, out); code != 0 || len(p.Outputs) != 3 || *p.Cost != 0 {
		t.Errorf("got %d %s; want an output for each of three microphones, got %+v", code, errs, p.Outputs)
	}
}

// Names of a CSV are read by their kind, whatever order its columns have.
func TestNamesAreReadForScripts(t *testing.T) {
	names := write(t, "names.csv", []byte("wanted,name,kind\n,Piccolo,voice\n,Piccolo,part\n,Wide,position\n,xq,voice\n"))
	code, out, errs := call("roles", names)
	var got []string
	for _, r := range decode[[]struct{ Name, Kind, Role, Sure string }](t, out) {
		got = append(got, fmt.Sprintf("%s %s %q %t", r.Kind, r.Name, r.Role, r.Sure == "sure"))
	}
	want := []string{`voice Piccolo "kit/snare" false`, `part Piccolo "woodwind/piccolo" true`,
		`position Wide "wide" true`,
		`voice xq "" false`}
	if code != 0 || !slices.Equal(got, want) {
		t.Errorf("got %d %s %q, want %q", code, errs, got, want)
	}
	if code, _, errs = call("roles", write(t, "no.csv", []byte("a,b\n1,2\n"))); code != 1 || !strings.Contains(errs,
		"kind") {
		t.Errorf("without its columns: got %d %q; want 1 and the columns named", code, errs)
	}
}

// What can be asked of a proposal, on the command line.
func TestProposeTakesAllThatCanBeAsked(t *testing.T) {
	kit := write(t, "kit.csv", []byte("name,role,keys,width\nKick "+
		"In,kit/kick/in,36,mono\nSnare,kit/snare/top,38,mono\nHat,kit/hat,42,mono\nRack 1,kit/tom/rack/1,48,mono\nRack "+
		"2,kit/tom/rack/2,45,mono\n"+
		"Ride,kit/cymbal/ride,51,mono\nOverheads,kit/overhead,52,stereo\nTambourine,percussion/tambourine,54,mono\n"))
	ask := func(args ...string) proposal {
		t.Helper()
		code, out, errs := call(append([]string{"propose", kit, "--instrument", "kit", "--json"}, args...)...)
		if code != 0 {
			t.Fatalf("got %v: %s; want code 0", args, errs)
		}
		return decode[proposal](t, out)
	}
	on := func(p proposal, feed string) (number int, with []string) {
		for _, o := range p.Outputs {
			var names []string
			for _, f := range o.Feeds {
				names = append(names, f.Name)
			}
			if slices.Contains(names, feed) {
				return o.Number, names
			}
		}
		return 0, nil
	}
	p := ask("--outputs", "4x2+2x1", "--together", "Ride,Overheads", "--apart", "Rack 1,Rack 2", "--pin", "Hat=1",
		"--park", "Tambourine", "--wish", "Snare=3", "--offset", "10")
	if n, with := on(p, "Hat"); n != 1 || len(p.Parked) != 1 || p.Parked[0].Name != "Tambourine" {
		t.Errorf("hat on %d with %v, parked %v", n, with, p.Parked)
	}
	if _, with := on(p, "Ride"); !slices.Contains(with, "Overheads") {
		t.Errorf("ride with %v", with)
	}
	if _, with := on(p, "Snare"); len(with) != 1 {
		t.Errorf("the snare never shares, but is with %v", with)
	}
	p = ask("--outputs", "8x2", "--free", "1", "--spare", "2", "--usual")
	if n, _ := on(p, "Kick In"); n == 1 || len(p.Outputs) != 5 {
		t.Errorf("with one output free and two spare of eight, the kick is on %d of %+v", n, p.Outputs)
	}
	if _, with := on(p, "Rack 1"); !slices.Contains(with, "Rack 2") {
		t.Errorf("toms share as usual, and rack 1 is with %v", with)
	}
	if p = ask("--outputs", "4x2", "--pairs"); len(p.Outputs) != 7 || *p.Cost == 0 {
		t.Errorf("seven mono and one stereo feed on four pairs: %+v", p)
	}
	if p = ask("--ports", "64"); len(p.Outputs) != 8 || *p.Cost != 0 {
		t.Errorf("on 64 ports: %+v", p)
	}
	code, out, errs := call("propose", kit, "--instrument", "kit", "--outputs", "4x2", "--ladder", "--json")
	steps := decode[[]struct {
		Outputs int
		Cost    int64
		Shares  [][]string
	}](t, out)
	if code != 0 || len(steps) != 8 || steps[7].Cost != 0 || steps[0].Outputs != 1 || len(steps[0].Shares[0]) != 8 {
		t.Errorf("got %d %s %s; want code 0, len(steps) 8, steps[7].Cost 0, steps[0].Outputs 1, len(steps[0].Shares[0]) 8",
			code, errs, out)
	}
	for i := range steps[1:] {
		if steps[i].Cost <= steps[i+1].Cost {
			t.Errorf("%d outputs cost %d, %d cost %d", i+1, steps[i].Cost, i+2, steps[i+1].Cost)
		}
	}
	for says, args := range map[string][]string{
		"kept apart":                  {"--together", "Rack 1,Rack 2", "--apart", "Rack 1,Rack 2"},
		`no feed is called "Gong"`:    {"--park", "Gong"},
		"only 4":                      {"--pin", "Hat=5"},
		"pinned to an output and set": {"--pin", "Hat=1", "--off", "Hat"},
		"the outputs do not lie on":   {"--ports", "6"},
		"cannot share an output as":   {"--together", "Hat,Ride", "--park", "Hat"},
	} {
		if code, out, errs := call(append([]string{"propose", kit, "--instrument", "kit", "--outputs", "4x2"},
			args...)...); code != 1 || out != "" || !strings.Contains(errs, says) {
			t.Errorf("%v: exit %d, says %q", args, code, errs)
		}
	}
	for _, args := range [][]string{{"--axis", "voice"}, {"--wish", "Hat=9"}, {"--pin", "Hat"}, {"--voices", "some"},
		{"--block", "-1"}} {
		if code, _, errs := call(append([]string{"propose", kit, "--instrument", "kit", "--outputs", "4x2"},
			args...)...); code != 2 {
			t.Errorf("%v: exit %d, %s", args, code, errs)
		}
	}
}

// Both axes, from a CSV of parts and microphones.
func TestTheAxisIsASwitch(t *testing.T) {
	rack := write(t, "pans.csv",
		[]byte("kind,name,role,width,distance,microphones\nmicrophone,Close,,stereo,close,\nmicrophone,Room,,stereo,room,\n"+
			"part,Lead,mallets/steel-pan/lead,stereo,,\"Close,Room\"\npart,Bass,mallets/steel-pan/bass,stereo,,\"Close,Room\"\n"))
	for axis, want := range map[string]string{"instrument": "Lead Close", "microphone": "Bass Close"} {
		code, out, errs := call("propose", rack, "--instrument", "pans", "--outputs", "2x2", "--axis", axis, "--json")
		if code != 0 {
			t.Fatal(errs)
		}
		other := map[string]string{"instrument": "Lead Room", "microphone": "Lead Close"}[axis]
		found := false
		for _, o := range decode[proposal](t, out).Outputs {
			names := ""
			for _, f := range o.Feeds {
				names += f.Name + "|"
			}
			found = found || strings.Contains(names, want) && strings.Contains(names, other)
		}
		if !found {
			t.Errorf("by %s: %s", axis, out)
		}
	}
}

// sampleData is a folder with the sample world.
func sampleData(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	a, err := app.Open(t.Context(), dir, app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if err := demo.Fill(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	return dir
}

func TestCheckForScripts(t *testing.T) {
	data := sampleData(t)
	type report struct {
		Findings []struct{ Code, Severity, Where, Why, Mend string }
	}
	code, out, errs := call("check", "--data", data, "--project", "cue 03 fog bell")
	if v := decode[report](t, out); code != 0 || errs != "" || len(v.Findings) != 1 ||
		v.Findings[0].Code != "double-path" || v.Findings[0].Severity != "wrong" || v.Findings[0].Why == "" ||
		v.Findings[0].Mend == "" {
		t.Errorf("got %d %s %s; want code 0, errs \"\", len(v.Findings) 1, v.Findings[0].Code \"double-path\", "+
			"v.Findings[0].Severity \"wrong\", v.Findings[0].Why not \"\", v.Findings[0].Mend not \"\"", code, errs, out)
	}
	// Nothing is assigned in Cue 14, so what is wanted is silent.
	code, out, errs = call("check", "--data", data)
	if v := decode[report](t, out); code != 3 || len(v.Findings) < 7 || v.Findings[0].Severity == "" || errs != "" {
		t.Errorf("got %d %s %s; want code 3, len(v.Findings) at least 7, v.Findings[0].Severity not \"\", errs \"\"",
			code, errs, out)
	}
}

func TestRunSheetForScripts(t *testing.T) {
	data := sampleData(t)
	type sheet struct {
		Steps []struct {
			Number, Count       int
			Place, Text, Verify string
		}
	}
	if code, out, errs := call("runsheet", "--data", data, "--project", "Cue 03 Fog Bell", "--json=false"); code != 0 ||
		!strings.Contains(out, "[ ] 1. Load Brinework Kit") {
		t.Errorf("got %d %s %s; want code 0, out with \"[ ] 1. Load Brinework Kit\"", code, errs, out)
	}
	steps := map[string]int{}
	for _, profile := range []string{"", "Lanes fed by sends", "ports connected one by one"} {
		code, out, errs := call("runsheet", "--data", data, "--project", "Cue 03 Fog Bell", "--profile", profile)
		v := decode[sheet](t, out)
		if code != 0 || len(v.Steps) < 6 || v.Steps[0].Number != 1 || v.Steps[0].Verify == "" ||
			v.Steps[len(v.Steps)-1].Place != "by ear" {
			t.Fatalf("got %s: %d %s %s; want code 0, len(v.Steps) at least 6, v.Steps[0].Number 1, v.Steps[0].Verify not "+
				"\"\", v.Steps[len(v.Steps)-1].Place \"by ear\"", profile, code, errs, out)
		}
		steps[profile] = len(v.Steps)
	}
	if steps[""] >= steps["Lanes fed by sends"] {
		t.Errorf("saving, reloading and taking the main mix off are steps of their own: %v", steps)
	}
}

// A project goes out and comes in again as each of its files.
func TestProjectsGoOutAndComeIn(t *testing.T) {
	data, dir := sampleData(t), t.TempDir()
	name := "Cue 03 Fog Bell"
	for _, as := range []string{"bundle", "dawproject", "csv", "svg"} {
		if code, _, errs := call("export", "--data", data, "--project", name, "--as", as,
			filepath.Join(dir, "cue."+as)); code != 0 {
			t.Fatal(errs)
		}
	}
	svg, _ := os.ReadFile(filepath.Join(dir, "cue.svg"))
	if err := xml.Unmarshal(svg, new(struct {
		XMLName xml.Name `xml:"http://www.w3.org/2000/svg svg"`
	})); err != nil || !strings.Contains(string(svg), ">Overheads</text>") {
		t.Errorf("%v in %.300s", err, svg)
	}
	fresh := filepath.Join(t.TempDir(), "new")
	if code, out, errs := call("import", "--data", fresh, filepath.Join(dir, "cue.bundle")); code != 0 ||
		!strings.Contains(out, name) {
		t.Fatal(errs)
	}
	if code, out, errs := call("import", "--data", fresh, "--project", name,
		filepath.Join(dir, "cue.dawproject")); code != 0 || !strings.Contains(out, "0 are in doubt") {
		t.Errorf("got %d %s %s; want code 0, out with \"0 are in doubt\"", code, out, errs)
	}
	code, out, _ := call("check", "--data", fresh, "--project", name)
	if code != 0 || !strings.Contains(out, "double-path") {
		t.Errorf("got %d %s; want code 0, out with \"double-path\"", code, out)
	}
	if code, out, errs := call("import", "--data", fresh, filepath.Join(dir, "cue.dawproject")); code != 0 ||
		!strings.Contains(out, "lanes") {
		t.Errorf("got %d %s %s; want code 0, out with \"lanes\"", code, out, errs)
	}
	for says, args := range map[string][]string{
		"is a patch sheet":   {"import", "--data", fresh, filepath.Join(dir, "cue.csv")},
		"needs --data":       {"check"},
		"needs --project":    {"runsheet", "--data", data},
		"--as is one of":     {"export", "--data", data, "--project", name, "--as", "pdf", "x"},
		"no project is call": {"runsheet", "--data", data, "--project", "Cue 99"},
		"no host profile":    {"runsheet", "--data", data, "--project", name, "--profile", "Unknown"},
		"there is no folder": {"check", "--data", filepath.Join(dir, "none")},
		"unknown":            {"import", "--data", fresh, write(t, "x.json", []byte(`{"unknown":1}`))},
	} {
		if code, out, errs := call(args...); code == 0 || out != "" || !strings.Contains(errs, says) {
			t.Errorf("%v: exit %d, %q", args, code, errs)
		}
	}
}

// The overheads of Fog Bell are routed to the bus and to the main mix: two equal paths add
// 20·log10(2) = 6.02 dB. Nothing is patched there yet.
func TestPathsAreTraced(t *testing.T) {
	data := sampleData(t)
	type traced struct {
		Feeds []struct {
			Instrument, Feed, State, Output, Silent string
			Ports, HostPorts                        []int
			ArrivesDb                               *float64
			Paths                                   []struct {
				Lane, Polarity       int
				Stops                []struct{ Kind, ID, Text string }
				LevelDb, Left, Right *float64
				Reaches              bool
			}
		}
	}
	code, out, errs := call("trace", "--data", data, "--project", "Cue 03 Fog Bell", "--feed", "overhead")
	v := decode[traced](t, out)
	if code != 0 || len(v.Feeds) != 1 {
		t.Fatalf("%d %s: %d feeds; want one", code, errs, len(v.Feeds))
	}
	f := v.Feeds[0]
	if f.Instrument != "Brinework Kit" || f.State != "assigned" || f.Output != "8" ||
		!slices.Equal(f.Ports, []int{15, 16}) ||
		!slices.Equal(f.HostPorts, []int{15, 16}) || f.Silent != "" || f.ArrivesDb == nil || *f.ArrivesDb != 6.02 {
		t.Errorf("the overheads: %+v", f)
	}
	if len(f.Paths) != 2 || !f.Paths[0].Reaches || *f.Paths[0].LevelDb != 0 || f.Paths[0].Polarity != 1 ||
		f.Paths[0].Lane != 14 {
		t.Fatalf("their paths: %+v", f.Paths)
	}
	var stops []string
	for _, s := range f.Paths[0].Stops {
		stops = append(stops, s.Kind+" "+s.Text)
	}
	if got, want := strings.Join(stops, " > "),
		"output output 8 > lane lane 14 Overheads > bus bus Drums on lane 17 > main main mix"; got != want {
		t.Errorf("they pass %s; want %s", got, want)
	}
	code, out, _ = call("trace", "--data", data, "--project", "Cue 03 Fog Bell", "--layer", "patched")
	v = decode[traced](t, out)
	if code != 0 || len(v.Feeds) != 18 {
		t.Fatalf("%d: %d feeds patched; want 18", code, len(v.Feeds))
	}
	for _, f := range v.Feeds {
		if f.Silent != "not-loaded" || f.ArrivesDb != nil || len(f.Paths) != 1 || f.Paths[0].LevelDb != nil {
			t.Errorf("where nothing is loaded: %+v", f)
		}
	}
	for _, bad := range [][]string{{"--layer", "heard"}, {"--feed", "Gong"}} {
		if code, _, errs := call(append([]string{"trace", "--data", data, "--project", "Cue 03 Fog Bell"},
			bad...)...); code != 1 ||
			!strings.Contains(errs, bad[1]) {
			t.Errorf("%v: %d %s; want 1, and what is wrong", bad, code, errs)
		}
	}
}
