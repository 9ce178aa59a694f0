package rig

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/tabular"
)

// kit is a small kit: close microphones, overheads, a room, and a ready-made mix.
func insideKit() Instrument {
	in := Instrument{Name: "Tern Kit", Returns: []Return{{ID: "plate", Name: "Plate", Role: "effects/reverb",
		Width: audio.Stereo}, {ID: "hall", Name: "Hall Before", Role: "effects/reverb", Width: audio.Stereo}}}
	for _, m := range []Microphone{{ID: "kick", Name: "Kick", Role: "kit/kick/in"}, {ID: "top", Name: "Top",
		Role: "kit/snare/top"}, {ID: "bottom", Name: "Bottom", Role: "kit/snare/bottom"}, {ID: "tom", Name: "Floor 2",
		Role: "kit/tom/floor/2"}, {ID: "spot", Name: "Crash Spot", Role: "kit/cymbal/crash"},
		{ID: "oh", Name: "Overheads", Role: "kit/overhead"}, {ID: "room", Name: "Room", Role: "kit/room"}} {
		m.Width = audio.Mono
		in.Microphones = append(in.Microphones, m)
	}
	all := HeardThrough("kick", "top", "bottom", "tom", "spot", "oh", "room")
	in.Voices = []Voice{{ID: "sn", Name: "Snare", Role: "kit/snare", Keys: []midi.Key{38}, Width: audio.Mono, Heard: all},
		{ID: "rd", Name: "Ride", Role: "kit/cymbal/ride", Keys: []midi.Key{51}, Width: audio.Mono,
			Heard: HeardThrough("tom", "oh", "room")}}
	in.Parts = []Part{{ID: "p1", Name: "Horn", Role: "brass/horn", Width: audio.Stereo, Program: -1,
		Address: midi.Address{Port: 1, Channel: 2}}}
	return in
}

func heardIn(in *Instrument, voice string) (out []string) {
	for _, v := range in.Voices {
		for i := range in.Microphones {
			if _, ok := in.Hears(&in.Microphones[i], v); ok && v.ID == voice {
				out = append(out, in.Microphones[i].ID)
			}
		}
	}
	return out
}

// Common practice, no source: with bleed reduced, a snare sounds in its own microphones,
// overheads and rooms, and not in kick, toms or spot cymbals.
func TestBleedSaysWhatMicrophonesHear(t *testing.T) {
	for bleed, want := range map[Bleed]string{FullBleed: "kick top bottom tom spot oh room",
		RoomsBleed: "top bottom oh room", NoBleed: "top bottom"} {
		in := insideKit()
		in.Bleed = bleed
		if got := strings.Join(heardIn(&in, "sn"), " "); got != want {
			t.Errorf("bleed %q: the snare is heard in %q, want %q", bleed, got, want)
		}
		// What has no microphone of its own stays in the overheads, or it would be gone.
		if got := heardIn(&in, "rd"); !slices.Contains(got, "oh") {
			t.Errorf("bleed %q: the ride is heard in %q, want the overheads among it", bleed, got)
		}
	}
	in := insideKit()
	in.Microphones[1].BleedOff, in.CloseTrim = true, -6
	in.Voices[0].Heard[3].Trim = -8 // in the floor tom
	level := func(m string) audio.Decibels {
		l, _ := in.Hears(in.Microphone(m), in.Voices[0])
		return l
	}
	if level("tom") != -14 || level("kick") != -6 || level("top") != 0 || level("oh") != 0 {
		t.Errorf("trimmed by −8 dB there and by −6 dB in all close ones the snare is at %s in the tom, %s in the kick, %s "+
			"in "+
			"its own and %s in the overheads; want −14, −6, 0, 0", level("tom"), level("kick"), level("top"), level("oh"))
	}
}

// Settings inside are what an instrument is made of: set again from them it is the same, and
// those of nothing that it has are passed over.
func TestSettingsInsideSetTheInstrumentAnew(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 1))
	for range 300 {
		in, want := insideKit(), map[string]string{}
		set := func(source, attribute, of, value string) {
			if rng.IntN(3) == 0 {
				want[InsideKey(source, attribute, of)] = value
			}
		}
		for _, id := range []string{"sn", "rd", "kick", "bottom", "p1"} {
			set(id, InsideGain, "", fmt.Sprint(-1-rng.IntN(20)))
			set(id, InsidePan, "", fmt.Sprint(1+rng.IntN(100)))
			set(id, InsidePolarity, "", "inverted")
			set(id, InsideOpen, "", "closed")
			set(id, InsideMain, "", "as well")
			set(id, InsideReturn, "plate", []string{"-7.5", "-12 pre"}[rng.IntN(2)])
		}
		set("oh", InsideBleed, "", "off")
		set("rd", InsideTrim, "tom", "-8")
		set("p1", InsideReceives, "", []string{"all", "2:16"}[rng.IntN(2)])
		set("", InsideBleed, "", "rooms")
		set("", InsideTrim, "", "-3")
		set2 := maps.Clone(want)
		set2["gone:gain"], set2["sn:trim gone"] = "-3", "-3"
		got := in.WithInside(set2)
		if back := got.InsideSettings(); !maps.Equal(back, want) {
			t.Fatalf("set from %v it has %v", want, back)
		}
		if err := got.Validate(); err != nil {
			t.Fatalf("%v: %v", want, err)
		}
		if in.Voices[0].Gain != 0 || in.Microphones[0].Inverted {
			t.Fatal("the instrument it was made from has changed")
		}
	}
}

// What is sent to returns is typed as it is shown, with names that end like a tap or a level.
func TestSendsToReturnsAreTyped(t *testing.T) {
	in := insideKit()
	for typed, want := range map[string]string{"": "", "plate": "Plate −12.0 dB",
		"Plate -7,5 before": "Plate −7.5 dB before",
		"hall before":       "Hall Before −12.0 dB",
		"Hall Before -3 dB before, PLATE 0": "Hall Before −3.0 dB before, Plate 0.0 " +
			"dB"} {
		sends, err := in.parseReturns(typed)
		if got := in.returnsText(sends); err != nil || got != want {
			t.Errorf("%q is %q, %v; want %q", typed, got, err, want)
			continue
		}
		if back, err := in.parseReturns(in.returnsText(sends)); err != nil || !slices.Equal(back, sends) {
			t.Errorf("%q is read again as %v, %v", in.returnsText(sends), back, err)
		}
	}
	for _, typed := range []string{"Spring", "Plate 90", "Plate, plate -3"} {
		if sends, err := in.parseReturns(typed); err == nil {
			t.Errorf("%q is taken as %v", typed, sends)
		}
	}
}

func TestInsertsAreTyped(t *testing.T) {
	for typed, want := range map[string]string{"": "", "EQ": "equaliser",
		"compressor Brick (slow, 3 dB), limiter": "compressor " +
			"Brick (slow, 3 dB), limiter", "Tape": "other Tape", "reverb  Hall": "reverberation Hall",
		"other delay":        "other delay",
		"gate (4:1),, delay": "gate (4:1), delay"} {
		got, err := ParseInserts(typed)
		if text := InsertsText(got); err != nil || text != want {
			t.Errorf("%q is %q, %v; want %q", typed, text, err, want)
		}
	}
	for _, typed := range []string{"Brick (slow", "other", "(note)", strings.Repeat("x", 81), "a) b",
		strings.Repeat("gate,", MaxInserts+1)} {
		if got, err := ParseInserts(typed); err == nil {
			t.Errorf("%.20q is taken as %v", typed, got)
		}
	}
	// A limiter comes last (common practice, no source).
	list := WithInsert([]Insert{{Kind: Equaliser}, {Kind: Limiter}}, Insert{Kind: Compressor})
	if got := InsertsText(WithInsert(list, Insert{Kind: Limiter, Name: "Two"})); got !=
		"equaliser, compressor, limiter, limiter Two" {
		t.Errorf("added one after the other the inserts are %q", got)
	}
}

func FuzzParseInserts(f *testing.F) {
	for _, s := range []string{"EQ, compressor Brick (slow)", "other delay", "a(b)c", "((", ",)"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		got, err := ParseInserts(typed)
		if err != nil {
			return
		}
		if back, err := ParseInserts(InsertsText(got)); err != nil || !slices.Equal(back, got) {
			t.Fatalf("%q is %q, read again %q, %v", typed, got, back, err)
		}
	})
}

// A trim is typed with the level at which a bleed is heard; where nothing is said about it, it stays.
func TestTrimsStayWhenLevelsAreTyped(t *testing.T) {
	in := insideKit()
	in.Voices[0].Heard[0].Trim = -8
	set := func(table, column, text string) {
		t.Helper()
		cells := []tabular.Cell{tabular.At("sn", column, text)}
		if _, err := SetCells(table, cells, midi.MiddleC3)(&in); err != nil {
			t.Fatal(err)
		}
	}
	trimmed := func() audio.Decibels { return in.Voices[0].trimIn("kick") }
	for _, c := range []struct {
		table, column, text string
		want                audio.Decibels
	}{{"voices", "heard", "Kick -20, Top", -8}, {"pickup", "kick", "-18", -8}, {"voices", "heard", "Kick -18 trim -3, Top",
		-3},
		{"trims", "kick", "-5", -5}, {"voices", "heard", "Kick -18 trim 0, Top", 0}} {
		if set(c.table, c.column, c.text); trimmed() != c.want {
			t.Errorf("%q typed as %s of the %s, the trim is %s, want %s", c.text, c.column, c.table, trimmed(), c.want)
		}
	}
	cells := []tabular.Cell{tabular.At("sn", "top", "-5")}
	if _, err := SetCells("trims", cells, midi.MiddleC3)(&in); err == nil {
		t.Error("the snare was trimmed in its own microphone, which is not a bleed")
	}
}
