package smf

import (
	"bytes"
	"encoding/binary"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/format"
	"hiddenlanes/internal/outside"
)

// The examples of the Standard MIDI File specification (RP-001).
var vlqs = map[uint32][]byte{
	0: {0}, 0x40: {0x40}, 0x7f: {0x7f}, 0x80: {0x81, 0}, 0x2000: {0xc0, 0}, 0x3fff: {0xff, 0x7f}, 0x4000: {0x81, 0x80, 0},
	0x100000: {0xc0, 0x80, 0}, 0x1fffff: {0xff, 0xff, 0x7f}, 0x200000: {0x81, 0x80, 0x80, 0},
	0x8000000: {0xc0, 0x80, 0x80, 0}, 0xfffffff: {0xff, 0xff, 0xff, 0x7f},
}

func TestVariableLengthQuantitiesOfTheSpecification(t *testing.T) {
	for v, b := range vlqs {
		if got := appendVLQ(nil, v); !bytes.Equal(got, b) {
			t.Errorf("%X written as % X", v, got)
		}
		if got, n, err := readVLQ(append(bytes.Clone(b), 0x55)); err != nil || got != v || n != len(b) {
			t.Errorf("% X read as %X, %d bytes, %v", b, got, n, err)
		}
	}
	for _, bad := range [][]byte{{}, {0x80}, {0xff, 0xff, 0xff, 0xff, 0x7f}} {
		if v, _, err := readVLQ(bad); err == nil {
			t.Errorf("% X was read as %X", bad, v)
		}
	}
}

func file(kind, division uint16, tracks ...[]byte) []byte {
	out := []byte{'M', 'T', 'h', 'd', 0, 0, 0, 6, 0, byte(kind), 0, byte(len(tracks)), byte(division >> 8), byte(division)}
	for _, t := range tracks {
		out = append(out, 'M', 'T', 'r', 'k', 0, 0, byte(len(t)>>8), byte(len(t)))
		out = append(out, t...)
	}
	return out
}

func TestRunningStatusPortsAndUnknownChunks(t *testing.T) {
	first := []byte{0, 0xff, 0x51, 3, 0x0f, 0x42, 0x40, // 1,000,000 µs: 60 a minute
		0, 0x99, 36, 100, 48, 36, 0, 0, 38, 90, 48, 38, 0, // running status; velocity 0 ends a note
		0, 0xff, 0x21, 1, 1, // port 2
		0, 0xc3, 46, 0, 0x93, 60, 1, 96, 0x83, 60, 20, 0, 0xff, 0x2f, 0}
	data := file(1, 96, first)
	data = append(data[:14:14], append([]byte{'X', 'F', 'I', 'H', 0, 0, 0, 2, 1, 2}, data[14:]...)...)
	f, err := Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	cs := f.Channels()
	if len(cs) != 2 || cs[0].Address != (midi.Address{Port: 1, Channel: 10}) || cs[0].Keys[36] != 1 ||
		cs[0].Keys[38] != 1 || cs[0].Events != 4 {
		t.Errorf("got %+v; want len(cs) 2, cs[0].Address (midi.Address{Port: 1, Channel: 10}), cs[0].Keys[36] 1, "+
			"cs[0].Keys[38] 1, cs[0].Events 4", cs)
	}
	if len(cs) == 2 && (cs[1].Address != midi.Address{Port: 2, Channel: 4} || cs[1].Programs[0] != 46 ||
		cs[1].Events != 3) {
		t.Errorf("second: %+v", cs[1])
	}
	if got := f.Seconds(); got != 2 {
		t.Errorf("192 ticks of 96 at 60 a minute are %v s", got)
	}
	n := f.Notes()
	if len(n) != 3 || n[0].Length != 48 || n[2].Start != 96 || n[2].Length != 96 || n[2].Release != 20 {
		t.Errorf("notes %+v", n)
	}
}

// riff wraps chunks of a RIFF of the kind RMID around a song.
func riff(song []byte) []byte {
	le := binary.LittleEndian.AppendUint32
	body := append(le([]byte("RMIDDISP"), 3), 'a', 'b', 'c', 0)
	body = append(le(append(body, "data"...), uint32(len(song))), song...)
	if len(song)%2 == 1 {
		body = append(body, 0)
	}
	return append(le([]byte("RIFF"), uint32(len(body))), body...)
}

// The RMID wrapping is that of the RIFF MIDI recommendation, from memory. A chunk that is cut short
// before the header's tracks are there stays an error.
func TestASongInARIFFAndJunkBehindTheLastTrackAreRead(t *testing.T) {
	song := file(0, 96, []byte{0, 0x99, 36, 100, 48, 36, 0, 0, 0xff, 0x2f, 0})
	junk := "The end of the song."
	for name, c := range map[string]struct {
		data     []byte
		warnings int
	}{
		"in a RIFF":            {riff(song), 0},
		"junk":                 {append(bytes.Clone(song), junk...), 1},
		"junk inside the RIFF": {riff(append(bytes.Clone(song), junk...)), 1},
		"a cut RIFF":           {riff(song)[:len(riff(song))-1], 0},
	} {
		f, err := Decode(bytes.NewReader(c.data))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if n := f.Notes(); len(n) != 1 || n[0].Key != 36 || len(f.Warnings) != c.warnings {
			t.Errorf("%s: got notes %v, warnings %q; want one note of key 36, %d warnings", name, n, f.Warnings, c.warnings)
		}
		var out bytes.Buffer
		did, err := Rekey(&out, c.data, everywhere, map[midi.Key]NewKey{36: {Key: 35}})
		if err != nil || did.Moved[36] != 1 {
			t.Errorf("%s rewritten: %+v, %v; want its note moved", name, did, err)
			continue
		}
		want := bytes.Replace(unwrap(c.data), []byte{0x99, 36, 100, 48, 36}, []byte{0x99, 35, 100, 48, 35}, 1)
		if !bytes.Equal(out.Bytes(), want) {
			t.Errorf("%s rewritten: got % x\nwant % x", name, out.Bytes(), want)
		}
	}
	two := file(1, 96, []byte{0, 0xff, 0x2f, 0}, []byte{0, 0xff, 0x2f, 0})
	if f, err := Decode(bytes.NewReader(append(two[:len(two)-12:len(two)-12], junk...))); err == nil {
		t.Errorf("a song that ends before its second track was read: %+v", f)
	}
}

func TestWhatCannotBeReadIsRefusedClearly(t *testing.T) {
	end := []byte{0, 0xff, 0x2f, 0}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"SMPTE":                      {file(1, 0xe728, end), "SMPTE"},
		"type 2":                     {file(2, 96, end), "type 2"},
		"no tracks":                  {file(1, 96), "no track"},
		"not a song":                 {[]byte("RIFFxxxxsfbkxxxxxx"), "not a Standard MIDI File"},
		"empty":                      {nil, "not a Standard MIDI File"},
		"cut short":                  {file(1, 96, []byte{0, 0x90, 60, 1})[:24], "ends after"},
		"data without status":        {file(0, 96, []byte{0, 60, 1}), "should begin"},
		"running status across meta": {file(0, 96, []byte{0, 0x90, 60, 1, 0, 0xff, 1, 0, 0, 60, 0}), "should begin"},
		"status inside a message":    {file(0, 96, []byte{0, 0x90, 0x90, 1}), "inside"},
		"long event":                 {file(0, 96, []byte{0, 0xff, 1, 0x7f, 0}), "past the end"},
		"zero division":              {file(0, 0, end), "division"},
	} {
		f, err := Decode(bytes.NewReader(c.data))
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), c.says) || bad.Do == "" ||
			bad.At.Byte == 0 {
			t.Errorf("got %s: %v, %v; want errors.As(err, &bad), err.Error() with %v, bad.Do not \"\", bad.At beginning "+
				"with \"at byte\"", name, f, err, c.says)
		}
	}
}

// midiLister runs one of Debian's midicsv programs, the outside reader and writer.
func midiLister(t *testing.T, program, in string) []byte {
	t.Helper()
	outside.Program(t, program, "midicsv")
	out := filepath.Join(t.TempDir(), "out")
	if b, err := exec.Command(program, in, out).CombinedOutput(); err != nil {
		t.Fatalf("%s: %v\n%s", program, err, b)
	}
	b, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func sample() *File {
	return &File{Type: 1, Division: 480, Tracks: []Track{
		{{Status: 0xff, Meta: MetaTempo, Data: []byte{0x07, 0xa1, 0x20}},
			{Tick: 1920, Status: 0xff, Meta: MetaTempo, Data: []byte{0x0f, 0x42, 0x40}}},
		{{Status: 0xff, Meta: MetaTrackName, Data: []byte("Drums")}, {Tick: 0, Status: 0x99, Data: []byte{36, 100}},
			{Tick: 240, Status: 0x89, Data: []byte{36, 64}},
			{Tick: 960, Status: 0x99, Data: []byte{38, 1}}, {Tick: 3840, Status: 0x89, Data: []byte{38, 0}}},
		{{Tick: 5, Status: 0xc0, Data: []byte{12}}, {Tick: 5, Status: 0xb0, Data: []byte{7, 99}},
			{Tick: 7, Status: 0xe0, Data: []byte{0, 64}}, {Tick: 9, Status: 0xf0, Data: []byte{1, 2, 0xf7}}},
	}}
}

// What is written is read back by Debian's midicsv, not by the code under test.
func TestWrittenFilesAreReadByAnOutsideLister(t *testing.T) {
	in := filepath.Join(t.TempDir(), "song.mid")
	var b bytes.Buffer
	if err := Encode(&b, sample()); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(in, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	list := string(midiLister(t, "midicsv", in))
	for _, want := range []string{"0, 0, Header, 1, 3, 480", "1, 1920, Tempo, 1000000", `2, 0, Title_t, "Drums"`,
		"2, 0, Note_on_c, 9, 36, 100",
		"2, 240, Note_off_c, 9, 36, 64", "2, 3840, Note_off_c, 9, 38, 0", "3, 5, Program_c, 0, 12",
		"3, 7, Pitch_bend_c, 0, 8192", "3, 9, End_track"} {
		if !strings.Contains(list, want+"\n") {
			t.Errorf("midicsv does not list %q:\n%s", want, list)
		}
	}
}

// A file that Debian's csvmidi wrote, with running status, is read here and
// compared line by line with the list it was written from.
func TestFilesFromAnOutsideWriterAreRead(t *testing.T) {
	var list strings.Builder
	list.WriteString("0, 0, Header, 1, 2, 96\n1, 0, Start_track\n1, 0, Tempo, 500000\n1, 768, Tempo, 250000\n1, 768, " +
		"End_track\n2, 0, Start_track\n")
	for i := range 200 {
		fmt.Fprintf(&list, "2, %d, Note_on_c, %d, %d, %d\n", i*12, i%2*9, 35+i%47, 1+i%127)
		fmt.Fprintf(&list, "2, %d, Note_on_c, %d, %d, 0\n", i*12+6, i%2*9, 35+i%47)
	}
	list.WriteString("2, 2400, End_track\n0, 0, End_of_file\n")
	in := filepath.Join(t.TempDir(), "song.csv")
	if err := os.WriteFile(in, []byte(list.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	f, err := Decode(bytes.NewReader(midiLister(t, "csvmidi", in)))
	if err != nil {
		t.Fatal(err)
	}
	r := csv.NewReader(strings.NewReader(list.String()))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	want := map[midi.Address]map[midi.Key]int{}
	events := map[midi.Address]int{}
	for _, row := range rows {
		if row[2] != "Note_on_c" {
			continue
		}
		n := func(i int) int { v, _ := strconv.Atoi(row[i]); return v }
		at := midi.Address{Port: 1, Channel: midi.Channel(n(3) + 1)}
		if want[at] == nil {
			want[at] = map[midi.Key]int{}
		}
		events[at]++
		if n(5) > 0 {
			want[at][midi.Key(n(4))]++
		}
	}
	for _, c := range f.Channels() {
		if fmt.Sprint(c.Keys) != fmt.Sprint(want[c.Address]) || c.Events != events[c.Address] {
			t.Errorf("%v: %d events, keys %v; the list has %d, %v", c.Address, c.Events, c.Keys, events[c.Address],
				want[c.Address])
		}
		delete(want, c.Address)
	}
	if len(want) > 0 {
		t.Errorf("not found: %v", want)
	}
	// 768 ticks of 96 at 120 a minute are 4 s; the other 1632 at 240 are 4.25 s.
	if got := f.Seconds(); got < 8.2499 || got > 8.2501 {
		t.Errorf("the song is %v s long", got)
	}
	if n := len(f.Notes()); n != 200 {
		t.Errorf("%d notes", n)
	}
}

func TestEncodeRefusesWhatIsOutOfOrder(t *testing.T) {
	f := &File{Division: 96,
		Tracks: []Track{{{Tick: 9, Status: 0x90, Data: []byte{1, 1}}, {Tick: 3, Status: 0x80, Data: []byte{1, 1}}}}}
	if err := Encode(&bytes.Buffer{}, f); err == nil {
		t.Error("a track that runs backwards was written")
	}
}

func FuzzDecode(f *testing.F) {
	var b bytes.Buffer
	if err := Encode(&b, sample()); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add(file(0, 96, []byte{0, 0x90, 60, 1, 10, 60, 0}))
	f.Fuzz(func(t *testing.T, data []byte) {
		song, err := Decode(bytes.NewReader(data))
		if err != nil {
			var bad *format.Error
			if !errors.As(err, &bad) || bad.At == (format.Place{}) {
				t.Fatalf("refused without saying where: %v", err)
			}
			return
		}
		song.Channels()
		song.Notes()
		song.Seconds()
		var out bytes.Buffer
		if err := Encode(&out, song); err != nil {
			t.Fatalf("what was read cannot be written: %v", err)
		}
		back, err := Decode(&out)
		if err != nil {
			t.Fatalf("what was written cannot be read: %v", err)
		}
		if fmt.Sprint(back.Channels()) != fmt.Sprint(song.Channels()) {
			t.Fatal("writing and reading changed the song")
		}
	})
}
