package soundfont

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/internal/outside"
	"hiddenlanes/internal/testkit"
)

func TestPercussionPresetBecomesVoicesByWhatSoundsAlike(t *testing.T) {
	// One byte at a time: the decoder must not count on how a stream is cut.
	b, err := Decode(iotest.OneByteReader(bytes.NewReader(testkit.Kit().Bytes())))
	if err != nil {
		t.Fatal(err)
	}
	ins := b.Rig()
	if len(ins) != 2 || ins[0].Name != "Harbour Kit" || ins[0].Bank != 128 || ins[1].Name != "Harbour" {
		t.Fatalf("got %+v; want len(ins) 2, ins[0].Name \"Harbour Kit\", ins[0].Bank 128, ins[1].Name \"Harbour\"", ins)
	}
	want := []rig.Voice{
		{ID: "k36", Name: "Kick In", Role: "kit/kick/in", Keys: []midi.Key{36}, Width: audio.Mono},
		{ID: "k38", Name: "Snare", Role: "kit/snare", Keys: []midi.Key{38}, Width: audio.Stereo},
		{ID: "k41", Name: "Flr Tom Lo", Role: "kit/tom/floor/2", Keys: []midi.Key{41, 42, 43}, Width: audio.Mono},
		{ID: "k46", Name: "HH open", Role: "kit/hat", Keys: []midi.Key{46}, Width: audio.Mono, Choke: 3},
		{ID: "k49", Name: "Crash wide", Role: "kit/cymbal/crash", Keys: []midi.Key{49}, Width: audio.Stereo},
		// The name says nothing; General MIDI key 70 is Maracas.
		{ID: "k70", Name: "xq 7", Role: "percussion/maracas", Keys: []midi.Key{70}, Width: audio.Mono},
	}
	var got []rig.Voice
	for _, v := range ins[0].Voices {
		if v.Keys[0] == 42 || v.Keys[0] == 41 { // two zones overlap on key 42
			continue
		}
		got = append(got, v)
	}
	want = slices.DeleteFunc(want, func(v rig.Voice) bool { return v.ID == "k41" })
	for i := range want {
		if i >= len(got) || got[i].Name != want[i].Name || got[i].Role != want[i].Role || got[i].Width != want[i].Width ||
			got[i].Choke != want[i].Choke || !slices.Equal(got[i].Keys, want[i].Keys) || got[i].ID != want[i].ID {
			t.Errorf("voice %d: got %+v\nwant %+v", i, got[i], want[i])
		}
	}
	// Keys 41 and 43 sound the tom alone and alike; 42 sounds tom and hat together.
	i := slices.IndexFunc(ins[0].Voices, func(v rig.Voice) bool { return v.ID == "k41" })
	if i < 0 || !slices.Equal(ins[0].Voices[i].Keys, []midi.Key{41, 43}) || ins[0].Voices[i].Role != "kit/tom/floor/2" {
		t.Errorf("the tom: %+v", ins[0].Voices)
	}
	if p := ins[1].Parts; len(p) != 1 || p[0].Name != "Oboe" || p[0].Role != "woodwind/oboe" || p[0].Program != 68 {
		t.Errorf("the melodic preset became %+v", p)
	}
}

func TestGlobalZonesAndKeyRangesNarrow(t *testing.T) {
	k := testkit.Kit()
	k.Presets[1].Zones[0] = []testkit.Gen{testkit.Keys(37, 45)} // the preset's global zone
	b, err := Decode(bytes.NewReader(k.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	for _, v := range b.Rig()[0].Voices {
		if v.Keys[0] < 37 || v.Keys[len(v.Keys)-1] > 45 {
			t.Errorf("%s sounds on %v, outside the preset's keys", v.Name, v.Keys)
		}
	}
}

// Debian's timgm6mb-soundfont, read whole. Its eight percussion presets are a
// fact of that file; the keys are those of the General MIDI percussion map.
func openTimGM(t testing.TB) []byte {
	t.Helper()
	data, err := os.ReadFile(outside.Bank(t))
	if err != nil {
		t.Fatalf("%v: run ./test, which installs timgm6mb-soundfont", err)
	}
	return data
}

func TestARealBankIsReadWhole(t *testing.T) {
	b, err := Decode(bytes.NewReader(openTimGM(t)))
	if err != nil || len(b.Warnings) != 0 || len(b.Presets) != 136 {
		t.Fatalf("%v, %v, %d presets", err, b.Warnings, len(b.Presets))
	}
	ins := b.Rig()
	kits := 0
	for _, in := range ins {
		if err := in.Validate(); err != nil {
			t.Error(err)
		}
		if in.Bank != PercussionBank {
			if len(in.Parts) != 128 {
				t.Errorf("%d melodic presets", len(in.Parts))
			}
			continue
		}
		kits++
		heard := map[midi.Key]role.Role{}
		for _, v := range in.Voices {
			for _, k := range v.Keys {
				heard[k] = v.Role
			}
		}
		for k := midi.FirstPercussionKey; k <= midi.LastPercussionKey; k++ {
			if heard[k] == role.Unnamed {
				t.Errorf("%s: key %d has no voice or no role", in.Name, k)
			}
		}
	}
	if kits != 8 {
		t.Errorf("%d percussion presets", kits)
	}
	// In the standard kit, name and General MIDI key must not disagree on the family.
	for _, v := range ins[0].Voices {
		k := v.Keys[0]
		if gm := role.FromKey(k); gm != role.Unnamed && midi.PercussionName(k) != "" && gm.Family() != v.Role.Family() {
			t.Errorf("key %d %s: role %s, General MIDI says %s", k, v.Name, v.Role, gm)
		}
	}
}

func TestBadBanksAreRefusedWithWhatWhereAndWhatToDo(t *testing.T) {
	good := testkit.Kit().Bytes()
	at := func(id string) int { return bytes.Index(good, []byte(id)) }
	poke := func(at int, v ...byte) []byte {
		b := bytes.Clone(good)
		copy(b[at:], v)
		return b
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"empty":                  {nil, "not a SoundFont"},
		"another RIFF":           {poke(8, 'W', 'A', 'V', 'E'), "not a SoundFont"},
		"cut in the sound":       {good[:at("smpl")+100], "ends in the middle"},
		"cut in the tables":      {good[:at("ibag")+9], "ends"},
		"a table of odd length":  {poke(at("phdr")+4, 37), "bytes"},
		"an impossible size":     {poke(at("pgen")+4, 0xff, 0xff, 0xff, 0x7f), "bytes"},
		"zones that are missing": {poke(at("phdr")+8+24, 0xff, 0xff), "zones"},
		"no such instrument":     {poke(at("pgen")+8+2, 0xff), "points at"},
		"no tables at all":       {poke(at("pdta"), 'x', 'x', 'x', 'x'), "missing"},
	} {
		b, err := Decode(bytes.NewReader(c.data))
		var bad *format.Error
		if !errors.As(err, &bad) {
			t.Errorf("%s: gave %v, %v", name, b, err)
			continue
		}
		if !strings.Contains(err.Error(), c.says) || bad.At == (format.Place{}) || bad.Do == "" {
			t.Errorf("%s: says %q", name, err)
		}
	}
	broken := errors.New("the line went dead")
	if _, err := Decode(iotest.TimeoutReader(iotest.OneByteReader(bytes.NewReader(good)))); !errors.Is(err,
		iotest.ErrTimeout) {
		t.Errorf("a reader's own error is hidden: %v", err)
	}
	if _, err := Decode(iotest.ErrReader(broken)); !errors.Is(err, broken) {
		t.Errorf("a reader's own error is hidden: %v", err)
	}
}

func TestTidyNames(t *testing.T) {
	for in, want := range map[Sample]string{
		{Name: "Snare_Rim_L", Kind: LeftSample}: "Snare Rim", {Name: "CrashR", Kind: RightSample}: "Crash",
		{Name: "Room (L)", Kind: MonoSample}: "Room",
		{Name: "CellR", Kind: MonoSample}:    "CellR", {Name: " L", Kind: LeftSample}: "L",
		{Name: "HiHat  open", Kind: MonoSample}: "HiHat open",
	} {
		if got := tidy(in); got != want {
			t.Errorf("%q: %q, want %q", in.Name, got, want)
		}
	}
}

// Some programs leave out the byte behind a chunk of an odd size, and some compress the samples,
// which they mark in the kind of the sample: both are banks like others.
func TestBanksWithoutPaddingAndWithCompressedSamplesAreRead(t *testing.T) {
	plain := testkit.Kit()
	plain.Name = "Harbours"
	want, err := Decode(bytes.NewReader(plain.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	for name, change := range map[string]func(*testkit.Bank){
		"an odd size":       func(b *testkit.Bank) { b.Sound = 4095 },
		"an odd size, bare": func(b *testkit.Bank) { b.Sound, b.Unpadded = 4095, true },
		"compressed samples": func(b *testkit.Bank) {
			for i := range b.Samples {
				b.Samples[i].Kind |= 0x10
			}
		},
	} {
		bank := testkit.Kit()
		bank.Name = plain.Name
		change(&bank)
		for how, r := range map[string]io.Reader{"a file": bytes.NewReader(bank.Bytes()),
			"a stream": iotest.OneByteReader(bytes.NewReader(bank.Bytes()))} {
			got, err := Decode(r)
			if err != nil {
				t.Errorf("%s, %s: %v", name, how, err)
				continue
			}
			if got, want := fmt.Sprint(got.Rig()), fmt.Sprint(want.Rig()); got != want {
				t.Errorf("%s, %s: got %s\nwant %s", name, how, got, want)
			}
		}
	}
}

// touched is a file that counts what is read of it.
type touched struct {
	io.ReadSeeker
	read int64
}

func (f *touched) Read(p []byte) (int, error) {
	n, err := f.ReadSeeker.Read(p)
	f.read += int64(n)
	return n, err
}

// A local bank is read without its samples, wherever the reader stood, and one that is cut short in
// them is refused as from a stream.
func TestTheSamplesOfAFileAreNotRead(t *testing.T) {
	bank := testkit.Kit()
	bank.Sound = 8 << 20
	data := bank.Bytes()
	in := &touched{ReadSeeker: bytes.NewReader(append([]byte("before"), data...))}
	if _, err := in.Seek(6, io.SeekStart); err != nil {
		t.Fatal(err)
	}
	got, err := Decode(in)
	if err != nil || len(got.Presets) != 2 {
		t.Fatalf("got %v, %v; want two presets", got, err)
	}
	if in.read > 256<<10 {
		t.Errorf("%d of %d bytes were read; want the tables and a buffer alone", in.read, len(data))
	}
	for _, cut := range []int{1 << 20, 7 << 20, len(data) - 100} {
		_, seeking := Decode(bytes.NewReader(data[:cut]))
		_, reading := Decode(iotest.HalfReader(bytes.NewReader(data[:cut])))
		if seeking == nil || reading == nil || seeking.Error() != reading.Error() {
			t.Errorf("cut at %d: a file says %v, a stream %v; want the same refusal", cut, seeking, reading)
		}
	}
}

// A bank of 148 MB, as big sample libraries are: what seeking over its samples costs beside reading it
// once from the same file.
func BenchmarkBigFile(b *testing.B) {
	bank := testkit.Kit()
	bank.Sound = 148 << 20
	path := filepath.Join(b.TempDir(), "big.sf2")
	if err := os.WriteFile(path, bank.Bytes(), 0o600); err != nil {
		b.Fatal(err)
	}
	for name, read := range map[string]func(*os.File) error{
		"seeking": func(f *os.File) error { _, err := Decode(f); return err },
		"reading once": func(f *os.File) error {
			_, err := io.Copy(io.Discard, struct{ io.Reader }{f})
			return err
		},
	} {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				f, err := os.Open(path)
				if err != nil {
					b.Fatal(err)
				}
				if err := read(f); err != nil {
					b.Fatal(err)
				}
				_ = f.Close()
			}
		})
	}
}

func FuzzDecode(f *testing.F) {
	good := testkit.Kit().Bytes()
	f.Add(good)
	f.Add(good[:len(good)/2])
	odd := testkit.Kit()
	odd.Name, odd.Sound, odd.Unpadded = "Harbours", 15, true
	f.Add(odd.Bytes())
	f.Add([]byte("RIFF\x04\x00\x00\x00sfbk"))
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := Decode(bytes.NewReader(data))
		if err != nil {
			var bad *format.Error
			if !errors.As(err, &bad) || bad.What == "" || bad.Do == "" {
				t.Fatalf("refused without saying what and what to do: %v", err)
			}
			return
		}
		for _, in := range b.Rig() {
			if err := in.Validate(); err != nil {
				t.Fatal(err)
			}
		}
	})
}

func BenchmarkDecode(b *testing.B) {
	data := openTimGM(b)
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		bank, err := Decode(bytes.NewReader(data))
		if err != nil || len(bank.Rig()) == 0 {
			b.Fatal(err)
		}
	}
}
