package sfz

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/format"
)

func folder(files map[string]string) fs.FS {
	m := fstest.MapFS{}
	for name, text := range files {
		m[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return m
}

func decode(t *testing.T, files map[string]string) *File {
	t.Helper()
	f, err := Decode(t.Context(), folder(files), "kit.sfz")
	if err != nil {
		t.Fatal(err)
	}
	return f
}

const kit = `// Slipway Kit, a made-up one
<control> default_path=Samples/ label_key42=Hat Closed
#define $KICK 36
<global> ampeg_release=0.3 loop_mode=one_shot
<group> group_label=Kick key=$KICK
<region> sample=kick v1.wav lovel=0 hivel=63
<region> sample=kick v2.wav lovel=64 /* louder */ pan=-20 volume=-3
<group> // no label here
<region> sample=Snare Top_rr1.wav key=d2 seq_length=2 seq_position=1
<region> sample=Snare Top_rr2.wav key=d2 seq_length=2 seq_position=2 output=3
<group> group=1 off_by=1 group_label=Hats
<region> sample=hat\closed.wav key=42
<region> sample=hat\open.wav lokey=46 hikey=46 output=2
<region> sample=tom.wav lokey=43 hikey=45 region_label=Floor Tom 1 made_up_thing=7
<region> sample=breath.wav hikey=-1 on_locc64=127
#include "more/ride.sfz"
`

const ride = "\r\n<region>sample=Ride Bell.wav key=53<region> key=51 sample=ride.wav\r\n"

func wav(channels byte) string {
	return "RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00" + string([]byte{channels, 0}) +
		strings.Repeat("\x00", 20)
}

func TestVoicesAreFoundInAKit(t *testing.T) {
	f := decode(t, map[string]string{"kit.sfz": kit, "more/ride.sfz": ride, "Samples/kick v1.wav": wav(1)})
	in, regions := f.Rig("Slipway Kit")
	var got []string
	for _, v := range in.Voices {
		got = append(got, fmt.Sprintf("%s %s %v %d %d", v.Name, v.Role, v.Keys, v.Choke, len(regions[v.ID])))
	}
	want := []string{"Kick kit/kick [36] 0 2", "Snare Top 38 kit/snare/top [38] 0 1",
		"Snare Top 38 (2) kit/snare/top [38] 0 1", "Hat Closed kit/hat [42] 1 1",
		"Floor Tom 1 kit/tom/floor/1 [43 44 45] 1 1", "open kit/hat [46] 1 1", "ride kit/cymbal/ride [51] 1 1",
		"Ride Bell kit/cymbal/ride [53] 1 1"}
	if !slices.Equal(got, want) {
		t.Errorf("got\n%s", strings.Join(got, "\n"))
	}
	if in.Voices[0].Width != audio.Mono || in.Voices[1].Width != audio.Stereo {
		t.Error("a sample that is there says how wide it is, one that is not may be stereo")
	}
	if in.Delivered[0].Count != 4 {
		t.Errorf("outputs 0 to 3 are four, not %v", in.Delivered)
	}
	notes := strings.Join(f.Warnings, "\n")
	if !strings.Contains(notes, "made_up_thing") || strings.Contains(notes, "ampeg_release") ||
		!strings.Contains(notes, "1 regions are not played by keys") {
		t.Errorf("notes %s", notes)
	}
	if err := in.Validate(); err != nil {
		t.Error(err)
	}
}

// Headers inherit global → master → group → region, and a new one of a kind ends
// what stood below it (SFZ format, from memory).
func TestHeadersInherit(t *testing.T) {
	f := decode(t, map[string]string{"kit.sfz": `<global> volume=-1 output=1 <master> volume=-2 <group> volume=-3 key=40
<region> sample=a.wav <region> sample=b.wav key=41 volume=-4
<group> <region> sample=c.wav key=43
<master> <region> sample=d.wav key=44
<global> <region> sample=e.wav key=45`})
	in, _ := f.Rig("x")
	var got []string
	for _, v := range in.Voices {
		got = append(got, fmt.Sprintf("%d:%g", v.Keys[0], float64(v.Gain)))
	}
	if strings.Join(got, " ") != "40:-3 41:-4 43:-2 44:-1 45:0" {
		t.Errorf("got %v", got)
	}
}

// In SFZ middle C, key 60, is c4 (from memory); accidentals are # and b.
func TestKeysAreNumbersOrNames(t *testing.T) {
	for s, want := range map[string]int{"60": 60, "c4": 60, "C#4": 61, "db4": 61, "b3": 59, "c-1": 0, "g9": 127,
		"Bb2": 46, "-1": -1} {
		if k, ok := opcodeKey(s); !ok || k != want {
			t.Errorf("%s is %d, %v", s, k, ok)
		}
	}
	for _, bad := range []string{"", "h2", "c", "128", "g#9", "-2", "4c"} {
		if k, ok := opcodeKey(bad); ok {
			t.Errorf("%q was taken as %d", bad, k)
		}
	}
}

func TestAMelodicInstrumentIsAPartForEachChannel(t *testing.T) {
	var b strings.Builder
	for _, c := range []int{1, 2} {
		fmt.Fprintf(&b, "<master> lochan=%d hichan=%d\n", c, c)
		for k := 36; k < 84; k += 3 {
			fmt.Fprintf(&b, "<region> sample=reed%d.wav lokey=%d hikey=%d pitch_keycenter=%d\n", k, k, k+2, k+1)
		}
	}
	in, regions := decode(t, map[string]string{"kit.sfz": b.String()}).Rig("Oboe")
	if len(in.Voices) != 0 || len(in.Parts) != 2 || in.Parts[1].Address != (midi.Address{Port: 1, Channel: 2}) ||
		in.Parts[0].Role != "woodwind/oboe" || len(regions["p2"]) != 16 {
		t.Errorf("got %+v; want len(in.Voices) 0, len(in.Parts) 2, in.Parts[1].Address (midi.Address{Port: 1, Channel: "+
			"2}), in.Parts[0].Role \"woodwind/oboe\", len(regions[\"p2\"]) 16", in.Parts)
	}
}

func TestOnlyOutputsChangeInWhatIsWritten(t *testing.T) {
	files := map[string]string{"kit.sfz": kit, "more/ride.sfz": ride}
	f := decode(t, files)
	in, regions := f.Rig("Slipway Kit")
	want := map[int]int{}
	for i, v := range in.Voices {
		for _, r := range regions[v.ID] {
			want[r] = i
		}
	}
	texts, err := f.Route(want)
	if err != nil || len(texts) != 2 {
		t.Fatal(len(texts), err)
	}
	again := map[string]string{}
	for _, x := range texts {
		again[x.Path] = string(x.Data)
		// Take the output opcodes out again: every other byte must be as it was.
		plain := func(s string) string {
			for {
				i := strings.Index(s, " output=")
				if i < 0 {
					return strings.ReplaceAll(s, " ", "")
				}
				e := i + len(" output=")
				for e < len(s) && s[e] >= '0' && s[e] <= '9' {
					e++
				}
				s = s[:i] + s[e:]
			}
		}
		if plain(again[x.Path]) != plain(files[x.Path]) {
			t.Errorf("%s changed:\n%s", x.Path, again[x.Path])
		}
	}
	g := decode(t, again)
	for i, r := range g.regions {
		if w, ok := want[i]; ok && r.get("output") != fmt.Sprint(w) && !(w == 0 && r.get("output") == "") {
			t.Errorf("region %d leaves by %q, want %d", i, r.get("output"), w)
		}
	}
	// Nothing to change: not one byte differs.
	same, err := f.Route(nil)
	if err != nil || string(same[0].Data) != kit || string(same[1].Data) != ride {
		t.Errorf("a file that stays was changed: %v", err)
	}
}

func TestOneRegionIncludedTwiceCannotHaveTwoOutputs(t *testing.T) {
	f := decode(t,
		map[string]string{"kit.sfz": "<group> key=36\n#include \"hit.sfz\"\n<group> key=38\n#include \"hit.sfz\"\n",
			"hit.sfz": "<region> sample=a.wav\n"})
	if len(f.regions) != 2 {
		t.Fatal(len(f.regions))
	}
	if _, err := f.Route(map[int]int{0: 1, 1: 2}); err == nil || !strings.Contains(err.Error(), "included twice") {
		t.Errorf("got %v; want an error, err.Error() with \"included twice\"", err)
	}
}

func TestBadFilesAreRefusedInOneSentence(t *testing.T) {
	loop := map[string]string{"kit.sfz": `#include "kit.sfz"`}
	for says, files := range map[string]map[string]string{
		"there is no region":           {"kit.sfz": "<group> key=36"},
		"outside the imported folder":  {"kit.sfz": `#include "../../secret.sfz"`},
		"include each other":           loop,
		"this is not text":             {"kit.sfz": "RIFF\x00\x00"},
		"a header is not closed":       {"kit.sfz": "<region sample=a.wav key=36 and so on and so on"},
		"this #define has no name":     {"kit.sfz": "#define KICK\n<region>"},
		"this #include names no file":  {"kit.sfz": "#include kick.sfz"},
		"is longer than 4096 bytes":    {"kit.sfz": "<region> sample=" + strings.Repeat("a", 5000)},
		"kit.sfz, line 3":              {"kit.sfz": "\n\n#include \"/etc/../../x.sfz\""},
		"larger than 16 MiB":           {"kit.sfz": strings.Repeat(" ", 17<<20)},
		"there is no .sfz file in it.": {},
	} {
		_, err := Decode(t.Context(), folder(files), "kit.sfz")
		if len(files) == 0 {
			_, err = mainFile(folder(files))
			says = strings.TrimSuffix(says, ".")
		}
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) || bad.Do == "" {
			t.Errorf("got %q: %v; want errors.As(err, &bad), err.Error() with %v, bad.Do not \"\"", says, err, says)
		}
	}
	f := decode(t, map[string]string{"kit.sfz": "#include \"gone.sfz\"\n<region> key=36 sample=a.wav"})
	if len(f.Warnings) != 1 || !strings.Contains(f.Warnings[0], "gone.sfz") {
		t.Errorf("got %v; want len(f.Warnings) 1, f.Warnings[0] with \"gone.sfz\"", f.Warnings)
	}
}

func TestTheInstrumentsOfAFolderAreThoseNobodyIncludes(t *testing.T) {
	got, err := mainFile(folder(map[string]string{"a/Kit.sfz": "#include \"parts/k.sfz\"", "a/parts/k.sfz": "<region>",
		"b.SFZ": "<region>", "readme.txt": "x"}))
	if err != nil || !slices.Equal(got, []string{"a/Kit.sfz", "b.SFZ"}) {
		t.Errorf("got %v %v; want %v", got, err, []string{"a/Kit.sfz", "b.SFZ"})
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(kit), []byte(ride))
	f.Add([]byte("#define $A $A$A\n<region>sample=$A key=c#4 #include \"more/ride.sfz\""), []byte("<group>output=1"))
	f.Fuzz(func(t *testing.T, main, more []byte) {
		file, err := Decode(t.Context(), fstest.MapFS{"kit.sfz": {Data: main}, "more/ride.sfz": {Data: more}}, "kit.sfz")
		if err != nil {
			var bad *format.Error
			if !errors.As(err, &bad) || bad.Do == "" {
				t.Fatalf("got %v; want errors.As(err, &bad), bad.Do not \"\"", err)
			}
			return
		}
		in, regions := file.Rig("x")
		if err := in.Validate(); err != nil {
			t.Fatal(err)
		}
		want := map[int]int{}
		for _, list := range regions {
			for _, r := range list {
				want[r] = r % 7
			}
		}
		texts, err := file.Route(want)
		if err != nil {
			return
		}
		m := fstest.MapFS{}
		for _, x := range texts {
			m[x.Path] = &fstest.MapFile{Data: x.Data}
		}
		for _, p := range []string{"kit.sfz", "more/ride.sfz"} {
			if m[p] == nil {
				m[p] = &fstest.MapFile{Data: more}
			}
		}
		again, err := Decode(t.Context(), m, "kit.sfz")
		if err != nil || len(again.regions) != len(file.regions) {
			t.Fatalf("what was written cannot be read: %v", err)
		}
		for r, w := range want {
			if got := number(again.regions[r].get("output"), 0); got != w {
				t.Fatalf("region %d leaves by %d, want %d", r, got, w)
			}
		}
	})
}

func BenchmarkDecode20000Regions(b *testing.B) {
	var text bytes.Buffer
	text.WriteString("<control> default_path=Samples/\n<global> ampeg_release=0.4\n")
	for i := range 20000 {
		if i%8 == 0 {
			fmt.Fprintf(&text, "<group> group_label=Drum %d key=%d\n", i/400, 30+i/400)
		}
		fmt.Fprintf(&text,
			"<region> sample=drum %d/hit_v%d_rr%d.wav lovel=%d hivel=%d seq_length=8 seq_position=%d output=%d\n", i/400,
			i/50%8, i%8, i%100, i%100+1, i%8+1, i/400%16)
	}
	m := fstest.MapFS{"kit.sfz": {Data: text.Bytes()}}
	b.SetBytes(int64(text.Len()))
	b.ReportAllocs()
	for b.Loop() {
		f, err := Decode(b.Context(), m, "kit.sfz")
		if err != nil {
			b.Fatal(err)
		}
		if in, _ := f.Rig("Big"); len(in.Voices) == 0 {
			b.Fatal("no voices")
		}
	}
}

// Every key that a region plays is a key of a voice, however ranges overlap.
func TestNoKeyIsLostWhereRangesOverlap(t *testing.T) {
	f := decode(t, map[string]string{"kit.sfz": "<region> sample=deck.wav lokey=36 hikey=40 <region> sample=hull.wav " +
		"lokey=38 hikey=44\n" +
		"<region> sample=keel.wav lokey=39 hikey=39 <region> sample=mast.wav lokey=50 hikey=52 output=1"})
	in, _ := f.Rig("x")
	got := map[midi.Key]bool{}
	for _, v := range in.Voices {
		for _, k := range v.Keys {
			if got[k] {
				t.Errorf("key %d is of two voices", k)
			}
			got[k] = true
		}
	}
	for k := midi.Key(36); k <= 52; k++ {
		if want := k <= 44 || k >= 50; got[k] != want {
			t.Errorf("key %d is played by a voice: %v, want %v", k, got[k], want)
		}
	}
}

// A later <control> replaces what an earlier one says, for the regions behind it (SFZ format, from
// memory); a region that ends before its first sample is silent.
func TestALaterControlReplacesTheEarlierOne(t *testing.T) {
	f := decode(t, map[string]string{"kit.sfz": "<control> note_offset=12 default_path=A/\n<region> sample=low.wav " +
		"key=24\n" +
		"<control> note_offset=0 default_path=B/\n<region> sample=wide.wav key=40\n<region> sample=none.wav key=41 end=-1\n" +
		"<region> sample=low.wav key=42",
		"A/low.wav": wav(1), "B/low.wav": wav(2), "B/wide.wav": wav(1)})
	in, _ := f.Rig("x")
	var got []string
	for _, v := range in.Voices {
		got = append(got, fmt.Sprintf("%v %s", v.Keys, v.Width))
	}
	if want := "[36] mono, [40] mono, [42] stereo"; strings.Join(got, ", ") != want {
		t.Errorf("read are %s, not %s", strings.Join(got, ", "), want)
	}
}

// The same keys on several outputs, with samples called alike but for a word, are one voice through
// microphones.
func TestOutputsOfOneSoundAreMicrophones(t *testing.T) {
	var b strings.Builder
	for i, piece := range []string{"Kick", "Snare"} {
		for out, mic := range []string{"Close", "OH", "Room"} {
			fmt.Fprintf(&b, "<region> sample=%s_%s_v1.wav key=%d output=%d hivel=63\n", piece, mic, 36+2*i, out)
			fmt.Fprintf(&b, "<region> sample=%s_%s_v2.wav key=%d output=%d lovel=64\n", piece, mic, 36+2*i, out)
		}
	}
	b.WriteString("<region> sample=Cowbell.wav key=56 output=3\n")
	f := decode(t, map[string]string{"kit.sfz": b.String()})
	in, regions := f.Rig("x")
	var mics, voices []string
	for _, m := range in.Microphones {
		mics = append(mics, fmt.Sprintf("%s %d", m.Name, len(regions[m.ID])))
	}
	for _, v := range in.Voices {
		voices = append(voices, fmt.Sprintf("%s %s %d", v.Name, v.Role, len(v.Heard)))
	}
	if want := "Close 4, OH 4, Room 4"; strings.Join(mics, ", ") != strings.ReplaceAll(want, "OH", "Oh") {
		t.Errorf("the microphones are %q, not %s", mics, want)
	}
	if want := "Kick kit/kick 3, Snare kit/snare 3, Cowbell percussion/cowbell 0"; strings.Join(voices, ", ") != want {
		t.Errorf("the voices are %q, not %s", voices, want)
	}
	if l := in.FactoryOf(""); l == nil || l.Feeds["mic2"].Output != 2 || l.Feeds["mic3"].Output != 3 {
		t.Errorf("the microphones leave by %+v", l)
	}
	if err := in.Validate(); err != nil {
		t.Error(err)
	}
}

// Lines may end with CR alone.
func TestLinesThatEndWithCRAlone(t *testing.T) {
	f := decode(t, map[string]string{"kit.sfz": "// a made-up kit\r<group> key=36 // low\r<region> sample=Low Drum.wav\r" +
		"#include \"more.sfz\"\r<region> sample=Low Two.wav", "more.sfz": "<group> key=38\r<region> sample=Hat.wav\r"})
	in, _ := f.Rig("x")
	if len(in.Voices) != 2 || in.Voices[0].Keys[0] != 36 || in.Voices[1].Keys[0] != 38 {
		t.Errorf("read are %+v", in.Voices)
	}
	if mains, err := mainFile(folder(map[string]string{"kit.sfz": "// x\r#include \"more.sfz\"\r",
		"more.sfz": "<region> key=1"})); err != nil ||
		len(mains) != 1 {
		t.Errorf("instruments of the folder are %q, %v", mains, err)
	}
}
