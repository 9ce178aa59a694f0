package csvrig_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format"
	"hiddenlanes/format/csvrig"
)

func TestAPlainListOfPadsIsAnInstrument(t *testing.T) {
	ins, warnings, err := csvrig.Decode(
		strings.NewReader("\ufeffPad;Note;Colour\nKick;36 C1;red\nHi Hat Closed;F#1;\n;;\n"), "Oar Pads", midi.MiddleC3)
	if err != nil || len(ins) != 1 || len(warnings) != 1 || !strings.Contains(warnings[0], "Colour") {
		t.Fatal(ins, warnings, err)
	}
	if v := ins[0].Voices; ins[0].Name != "Oar Pads" || len(v) != 2 || v[0].Role != "kit/kick" ||
		v[0].Sure != role.Sure || v[1].Keys[0] != 42 || v[1].Role != "kit/hat" {
		t.Errorf("got %+v; want ins[0].Name \"Oar Pads\", len(v) 2, v[0].Role \"kit/kick\", v[0].Sure %v, v[1].Keys[0] "+
			"42, v[1].Role \"kit/hat\"", ins[0], role.Sure)
	}
}

// What is written can be read again as it was, and by the standard library's
// reader cell by cell; a cell that looks like a formula is text.
func TestInstrumentsSurviveASpreadsheet(t *testing.T) {
	for _, in := range []rig.Instrument{sample.BrineworkKit(), sample.SaltpanSection(), sample.FlintTwelve(),
		sample.ReedCabinet()} {
		if len(in.Voices) > 0 {
			in.Voices[0].Name = "=SUM(A1)"
			in.Voices[0].Gain, in.Voices[0].Pan = -3.5, -0.25
		}
		in.Returns = []rig.Return{{ID: "plate", Name: "Plate", Role: "effects/reverb", Width: 2, PreFader: true}}
		in.Effects = []rig.Effect{{ID: "e1", Name: "Tone", Kind: rig.Equaliser, InChannel: true}}
		in.CloneSources()
		for i := range in.Voices { // one of everything that is set inside
			in.Voices[i].Inside = rig.Inside{Inverted: i%2 == 0, Closed: i%5 == 0, AlsoMain: i%3 == 0,
				Returns: []rig.InsideSend{{Return: "plate", Level: -7.5, Pre: i%2 == 1}}}
		}
		for i := range in.Microphones {
			in.Microphones[i].Note, in.Microphones[i].Closed = fmt.Sprintf("=%d cm, off axis", i), i == 2
			if i == 0 {
				in.Microphones[i].Sums = []string{in.Microphones[1].ID, in.Microphones[2].ID}
			}
		}
		for i := range in.Parts {
			in.Parts[i].AllChannels = i == 1
		}
		for i := range in.Voices {
			in.Voices[i].Heard = slices.Clone(in.Voices[i].Heard)
			for k := range in.Voices[i].Heard {
				in.Voices[i].Heard[k].Trim = -audio.Decibels(k % 3)
			}
		}
		var b bytes.Buffer
		if err := csvrig.Encode(&b, midi.MiddleC4, in); err != nil {
			t.Fatal(err)
		}
		cells, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
		if err != nil || len(cells) != 1+len(in.Voices)+len(in.Microphones)+len(in.Parts)+2 {
			t.Fatal(len(cells), err)
		}
		for _, row := range cells {
			for _, c := range row {
				if c != "" && strings.ContainsRune("=+-@", rune(c[0])) {
					t.Errorf("a spreadsheet would compute %q", c)
				}
			}
		}
		back, warnings, err := csvrig.Decode(&b, "x", midi.MiddleC4)
		if err != nil || len(back) != 1 || len(warnings) > 0 {
			t.Fatal(warnings, err)
		}
		got := back[0]
		if got.Name != in.Name || len(got.Feeds()) != len(in.Feeds()) {
			t.Fatalf("%s has %d feeds, had %d", got.Name, len(got.Feeds()), len(in.Feeds()))
		}
		for i, f := range got.Feeds() {
			want := in.Feeds()[i]
			f.ID, f.Voice, f.Part, f.Microphone, f.Loses = want.ID, want.Voice, want.Part, want.Microphone, want.Loses
			for k := range f.Returns {
				f.Returns[k].Return = want.Returns[k].Return
			}
			if !reflect.DeepEqual(f, want) {
				t.Errorf("%s: %+v, was %+v", in.Name, f, want)
			}
		}
		if x := got.Effects; len(x) != 1 || x[0].Name != "Tone" || x[0].Kind != rig.Equaliser || !x[0].InChannel {
			t.Errorf("%s: the effects are %+v, want an equaliser Tone in the channel", in.Name, x)
		}
		for i, m := range got.Microphones {
			if want := in.Microphones[i]; m.Note != want.Note || len(m.Sums) != len(want.Sums) ||
				i == 0 && m.Sums[0] != got.Microphones[1].ID {
				t.Errorf("%s: microphone %+v, was %+v", in.Name, m, want)
			}
		}
		for i, v := range got.Voices {
			for k, h := range v.Heard {
				if want := in.Voices[i].Heard[k]; h.Trim != want.Trim || h.Level != want.Level {
					t.Errorf("%s, %s: heard at %s, trimmed by %s; was %s, %s", in.Name, v.Name, h.Level, h.Trim, want.Level, want.Trim)
				}
			}
		}
		for i, part := range got.Parts {
			if part.AllChannels != (i == 1) {
				t.Errorf("%s: part %d receives on all channels: %t", in.Name, i, part.AllChannels)
			}
		}
	}
}

func TestBadTablesAreRefusedWithTheirLine(t *testing.T) {
	for says, text := range map[string]string{
		"names no column":               "a,b\n1,2\n",
		"line 3":                        "name,keys\nKick,36\nSnare,H9\n",
		`"H9" is not a key`:             "name,keys\nSnare,H9\n",
		`there is no kind "drum"`:       "kind,name,keys\ndrum,Kick,36\n",
		"does not begin with one of":    "name,role\nKick,drums/kick\n",
		"there are no rows":             "name,keys\n\n",
		`there is no microphone "Room"`: "kind,name,heard\nvoice,Kick,Room\n",
		"\"wide\" is not a width":       "name,keys,width\nKick,36,wide\n",
	} {
		_, _, err := csvrig.Decode(strings.NewReader(text), "x", midi.MiddleC3)
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) || bad.Do == "" {
			t.Errorf("got %q: %v; want errors.As(err, &bad), err.Error() with %v, bad.Do not \"\"", says, err, says)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(
		[]byte(
			"instrument,kind,name,role,keys,width,heard\nA,microphone,Room,kit/room,,stereo,\nA,voice,Kick,,36,mono,Room -3\n"))
	f.Add([]byte("name;note\n\"a\nb\";c-1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		ins, _, err := csvrig.Decode(bytes.NewReader(data), "x", midi.MiddleC3)
		var bad *format.Error
		if err != nil && !errors.As(err, &bad) {
			t.Fatal(err)
		}
		for _, in := range ins {
			if err := in.Validate(); err != nil {
				t.Fatal(err)
			}
		}
	})
}

// The example that can be downloaded has something in every column, and is read without a word.
func TestTheExampleHoldsEveryColumn(t *testing.T) {
	var b bytes.Buffer
	if err := csvrig.Example(&b); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for i, column := range rows[0] {
		filled := false
		for _, row := range rows[1:] {
			filled = filled || row[i] != ""
		}
		if !filled {
			t.Errorf("no row of the example has a %q", column)
		}
	}
	ins, warnings, err := csvrig.Decode(&b, "", midi.MiddleC3)
	if err != nil || len(warnings) > 0 || len(ins) != 1 {
		t.Fatalf("reading the example: %v, %v", warnings, err)
	}
	// What is written again has the same columns and says the same, where each row leaves with it.
	var again bytes.Buffer
	if err := csvrig.Encode(&again, midi.MiddleC3, ins...); err != nil {
		t.Fatal(err)
	}
	if head, _, _ := strings.Cut(again.String(), "\r\n"); head != strings.Join(rows[0], ",") {
		t.Errorf("the columns that are written are %s, and the example has %q", head, rows[0])
	}
	back, _, err := csvrig.Decode(&again, "", midi.MiddleC3)
	if err != nil || !reflect.DeepEqual(back, ins) {
		t.Errorf("written and read again, with %v, it is\n%+v, not\n%+v", err, back, ins)
	}
	l := ins[0].FactoryOf("")
	if l == nil || len(l.Feeds) != 9 || l.Feeds[ins[0].Microphones[0].ID] != (rig.Placing{Output: 3, Side: "L"}) {
		t.Errorf("the layout of the example is %+v", l)
	}
}

// A column for a kit is the layout that comes with it.
func TestAColumnSaysWhereRowsLeaveWithAKit(t *testing.T) {
	ins, warnings, err := csvrig.Decode(strings.NewReader("name,keys,Output,Output of Gravel\nLow,36,1,2\nHigh,38,1,off\n"), "Pads",
		midi.MiddleC3)
	if err != nil || len(warnings) > 0 {
		t.Fatal(warnings, err)
	}
	got := ins[0].FactoryOf("gravel")
	if got == nil || got.Feeds[ins[0].Voices[0].ID].Output != 2 || got.Feeds[ins[0].Voices[1].ID].Output != 0 {
		t.Errorf("the layout of the kit is %+v", got)
	}
	if _, _, err := csvrig.Decode(strings.NewReader("name,keys,Output\nLow,36,left\n"), "Pads",
		midi.MiddleC3); err == nil ||
		!strings.Contains(err.Error(), "line 2") {
		t.Errorf("an output called left gives %v", err)
	}
}

// BenchmarkImport20000Rows reads a CSV as large as one may be.
func BenchmarkImport20000Rows(b *testing.B) {
	var text strings.Builder
	text.WriteString("instrument,kind,name,keys,output\n")
	for i := range 20_000 {
		fmt.Fprintf(&text, "Kit %d,voice,Drum %d,%d,%d\n", i/20_000, i, i%128, i%40+1)
	}
	for b.Loop() {
		if _, _, err := csvrig.Decode(strings.NewReader(text.String()), "", midi.MiddleC3); err != nil {
			b.Fatal(err)
		}
	}
}
