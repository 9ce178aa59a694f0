package smf

import (
	"bytes"
	"encoding/csv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
)

func everywhere(midi.Address) bool { return true }

// awkward is a song as some programs write them: running status across dropped notes,
// a time that is longer than it need be, key pressure, system exclusive, two ports, an
// unknown chunk and bytes after the end.
func awkward() []byte {
	track := []byte{0, 0xff, 3, 4, 'B', 'e', 'l', 'l',
		0, 0x99, 36, 100, 0x80, 0x30, 54, 90, 10, 36, 0, 0, 54, 0, // running status, a padded time
		0, 0xa9, 54, 7, 0, 0xf0, 2, 1, 0xf7, 5, 0x99, 54, 80, 6, 38, 81, 7, 54, 0, 8, 0x89, 38, 64,
		0, 0xc9, 54, 0, 0xb9, 54, 36, 0, 0xff, 0x21, 1, 1, 0, 0x99, 54, 70, 9, 54, 0, 0, 0x92, 54, 60, 3, 54, 0, 4,
		0xff, 0x2f, 0}
	data := file(1, 96, track, []byte{0, 0x99, 36, 1, 0, 0xff, 0x2f, 0, 1, 2, 3})
	return append(append(data[:14:14], append([]byte{'X', 'F', 'I', 'H', 0, 0, 0, 2, 54, 36}, data[14:]...)...), 'x', 'y')
}

func TestASongWithNothingToChangeStaysByteForByte(t *testing.T) {
	for _, rule := range []map[midi.Key]NewKey{nil, {36: {Key: 36}, 99: {Drop: true}}} {
		var out bytes.Buffer
		if _, err := Rekey(&out, awkward(), everywhere, rule); err != nil || !bytes.Equal(out.Bytes(), awkward()) {
			t.Errorf("%v\n% x\n% x", err, out.Bytes(), awkward())
		}
	}
}

// list reads a song with midicsv, a program of its own for listing MIDI files, and
// gives its lines without spaces.
func list(t *testing.T, song []byte) [][]string {
	t.Helper()
	in := filepath.Join(t.TempDir(), "song.mid")
	if err := os.WriteFile(in, song, 0o600); err != nil {
		t.Fatal(err)
	}
	r := csv.NewReader(bytes.NewReader(midiLister(t, "midicsv", in)))
	r.FieldsPerRecord, r.TrimLeadingSpace, r.LazyQuotes = -1, true, true
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows
}

// An outside lister sees the moved keys, none of the dropped ones, and every other event
// at the time where it was.
func TestOnlyTheKeysOfTheAddressesHeardAreRewritten(t *testing.T) {
	f, err := Decode(bytes.NewReader(awkward()))
	if err != nil {
		t.Fatal(err)
	}
	var plain bytes.Buffer
	if err := Encode(&plain, f); err != nil {
		t.Fatal(err)
	}
	first := func(a midi.Address) bool { return a.Channel == 10 && a.Port == 1 }
	var out bytes.Buffer
	did, err := Rekey(&out, plain.Bytes(), first, map[midi.Key]NewKey{36: {Key: 35}, 54: {Drop: true}})
	if err != nil || did.Moved[36] != 2 || did.Dropped[54] != 2 || did.Kept[38] != 1 {
		t.Fatalf("got %v %+v; want did.Moved[36] 2, did.Dropped[54] 2, did.Kept[38] 1", err, did)
	}
	var want [][]string
	port2 := false
	for _, row := range list(t, plain.Bytes()) {
		event := row[2]
		port2 = event == "MIDI_port" && row[3] == "1" || port2 && event != "Start_track"
		if !port2 && slices.Contains([]string{"Note_on_c", "Note_off_c", "Poly_aftertouch_c"}, event) && row[3] == "9" {
			switch row[4] {
			case "54":
				continue
			case "36":
				row[4] = "35"
			}
		}
		want = append(want, row)
	}
	got := list(t, out.Bytes())
	if !slices.EqualFunc(got, want, slices.Equal) {
		t.Errorf("got \n%v\n%v; want slices.EqualFunc(got, want, slices.Equal)", got, want)
	}
	if !strings.Contains(strings.Join(slices.Concat(got...), " "), "Poly") && len(got) == len(list(t, plain.Bytes())) {
		t.Error("the key pressure of a dropped key is still there")
	}
}

// FuzzRekey: whatever is read, rewriting with nothing to change gives the same bytes, and
// what is rewritten can be read and holds as many notes as were left.
func FuzzRekey(f *testing.F) {
	f.Add(awkward(), byte(54), byte(36))
	f.Fuzz(func(t *testing.T, song []byte, drop, to byte) {
		var same bytes.Buffer
		if _, err := Rekey(&same, song, everywhere, nil); err != nil {
			return
		}
		if !bytes.Equal(same.Bytes(), song) {
			t.Fatalf("% x\n% x", song, same.Bytes())
		}
		var out bytes.Buffer
		did, err := Rekey(&out, song, everywhere, map[midi.Key]NewKey{midi.Key(drop): {Drop: true},
			midi.Key(to & 0x7f): {Key: 1}})
		if err != nil {
			return
		}
		before, _ := Decode(bytes.NewReader(song))
		after, err := Decode(bytes.NewReader(out.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		if n := did.Dropped[midi.Key(drop)]; len(after.Notes())+n != len(before.Notes()) {
			t.Fatalf("%d notes, %d dropped, %d before", len(after.Notes()), n, len(before.Notes()))
		}
	})
}

func BenchmarkRekeyMegabyte(b *testing.B) {
	var track Track
	for i := range 150_000 {
		track = append(track, Event{Tick: int64(i) * 10, Status: 0x99, Data: []byte{byte(35 + i%40), 90}},
			Event{Tick: int64(i)*10 + 5, Status: 0x89, Data: []byte{byte(35 + i%40), 64}})
	}
	var song bytes.Buffer
	if err := Encode(&song, &File{Division: 480, Tracks: []Track{track}}); err != nil {
		b.Fatal(err)
	}
	rule := map[midi.Key]NewKey{36: {Key: 60}, 38: {Key: 61}, 42: {Drop: true}}
	b.SetBytes(int64(song.Len()))
	for b.Loop() {
		var out bytes.Buffer
		if _, err := Rekey(&out, song.Bytes(), everywhere, rule); err != nil {
			b.Fatal(err)
		}
	}
}
