package role

import (
	"slices"
	"testing"

	"hiddenlanes/core/midi"
)

func TestDistanceDoublesWithEachStepApart(t *testing.T) {
	for _, c := range []struct {
		a, b  Role
		steps int
	}{
		{"kit/room/near", "kit/room/near", 0},
		{"kit/kick/in", "kit/kick/out", 2},
		{"kit/overhead", "kit/overhead/mono", 1},
		{"kit/cymbal/ride", "kit/overhead", 5},
		{"kit/tom/rack/1", "kit/tom/rack/2", 4},
		{"kit/tom/rack/1", "kit/tom/floor/1", 5},
		{"kit/tom", "kit/tom/rack", 0},
		{"kit/kick", "kit/snare", 10},
		{"kit/kick/in", "percussion/clap", 15},
		{"kit/room/near", "kit/room/far", 2},
		{"kit/overhead", "kit/room", 5},
		{"percussion/clap", "percussion/shaker", 2},
		{"strings/violin/1", "strings/violin/2", 2},
		{"strings/violin", "strings/cello", 4},
		{"keys/piano", "strings/cello", 12},
		{Unnamed, "kit/kick", 9},
		// microphone positions, below a role and above one
		{"mallets/steel-pan/lead/~close", "mallets/steel-pan/lead/~room/near", 3},
		{"kit/tom/rack/~close", "kit/tom/rack/~mid", 2},
		{"~close/strings/cello", "~close/strings/viola", 4},
		{"~close/strings/cello", "~room/near/strings/cello", 1 + 6 + 2 + 6},
	} {
		if got := stepsOf(c.a, c.b); got != c.steps || stepsOf(c.b, c.a) != got {
			t.Errorf("%s to %s: %d steps, want %d both ways", c.a, c.b, got, c.steps)
		}
		if want := int64(1) << c.steps; mayShare(c.a, c.b) && Distance(c.a, c.b) != want ||
			!mayShare(c.a, c.b) && Distance(c.a, c.b) < 1<<30 {
			t.Errorf("%s to %s: distance %d", c.a, c.b, Distance(c.a, c.b))
		}
	}
}

func TestChartOrderFollowsTheTreeAndCountsNumbers(t *testing.T) {
	want := []Role{"kit/kick", "kit/kick/in", "kit/kick/sub", "kit/snare/bottom", "kit/hat", "kit/tom/rack/2",
		"kit/tom/rack/10", "kit/tom/floor/1", "kit/cymbal/ride", "kit/overhead", "kit/room/far",
		"percussion/clap", "percussion/jawbone", "keys/piano", "strings/violin/1", "effects/riser", Unnamed}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortFunc(got, Compare)
	if !slices.Equal(got, want) {
		t.Errorf("got %v", got)
	}
}

func TestNamesInManySpellings(t *testing.T) {
	for name, want := range map[string]Role{
		"BD in": "kit/kick/in", "Kick_In": "kit/kick/in", "KickOut": "kit/kick/out", "SubKick": "kit/kick/sub",
		"Bass Drum 2": "kit/kick", "Snr Top": "kit/snare/top", "SNARE BTM": "kit/snare/bottom",
		"Sd-under":   "kit/snare/bottom",
		"Side Stick": "kit/snare/side", "Hi Hat Closed": "kit/hat", "HHOpen": "kit/hat", "hi-hat": "kit/hat",
		"OHH": "kit/hat",
		"RT2": "kit/tom/rack/2", "Rack Tom 1": "kit/tom/rack/1", "Flr Tom Lo": "kit/tom/floor/2",
		"Floor 1": "kit/tom/floor/1",
		"Tom Hi":  "kit/tom/rack/1", "FT2": "kit/tom/floor/2", "Tom": "kit/tom",
		"OH L/R": "kit/overhead", "Overhead Mono": "kit/overhead/mono", "Amb far": "kit/room/far",
		"Room Near": "kit/room/near",
		"RoomMono":  "kit/room/mono", "Ride Bell": "kit/cymbal/ride", "Crash 2 R": "kit/cymbal/crash",
		"Chinese Cymbal": "kit/cymbal/china",
		"Tamb":           "percussion/tambourine", "Hand Clap": "percussion/clap", "Cow Bell": "percussion/cowbell",
		"Cello": "strings/cello", "Violin 2": "strings/violin/2", "Double Bass": "strings/bass",
		"Bass Clarinet": "woodwind/bass-clarinet",
		"Synth Bass 1":  "synth/bass", "Lead Pan": "mallets/steel-pan/lead", "Qwrtz 77": Unnamed, "": Unnamed,
	} {
		if g := FromName(name); g.Role != want {
			t.Errorf("%q: %q (%v), want %q", name, g.Role, g.Sure, want)
		}
	}
}

func TestSurenessTellsHowMuchOfTheNameWasUnderstood(t *testing.T) {
	for name, want := range map[string]Sureness{"Kick In": Sure, "Grumpf Kick": Likely, "Grumpf": NoIdea} {
		if g := FromName(name); g.Sure != want {
			t.Errorf("%q: %v, want %v", name, g.Sure, want)
		}
	}
	for s := NoIdea; s <= Sure; s++ {
		var back Sureness
		text, _ := s.MarshalText()
		if err := back.UnmarshalText(text); err != nil || back != s {
			t.Errorf("%v came back as %v, %v", s, back, err)
		}
		if back.UnmarshalText([]byte("certain")) == nil {
			t.Error("decoded what is not a sureness")
		}
	}
	if g := ForPercussion("Grumpf", []midi.Key{38}); g.Role != "kit/snare" || g.Sure != KeyOnly {
		t.Errorf("a nameless snare key gave %+v", g)
	}
	if g := ForPercussion("Tom", []midi.Key{45}); g.Role != "kit/tom/rack/4" {
		t.Errorf("the key did not say which tom: %+v", g)
	}
	if g := ForPercussion("Brass Tambourine", []midi.Key{54}); g.Role != "percussion/tambourine" {
		t.Errorf("what it is made of was taken for what it is: %+v", g)
	}
	if g := ForPercussion("Cowbell", []midi.Key{38}); g.Role != "percussion/cowbell" {
		t.Errorf("the key overrode the name: %+v", g)
	}
}

// Every key of the General MIDI level 1 percussion map (RP-003) has a role; the
// families are the standard's own words for the sounds.
func TestEveryGeneralMIDIPercussionKeyHasARole(t *testing.T) {
	want := map[midi.Key]Role{35: "kit/kick", 36: "kit/kick", 37: "kit/snare/side", 38: "kit/snare", 39: "percussion/clap",
		40: "kit/snare", 41: "kit/tom/floor/2", 42: "kit/hat", 43: "kit/tom/floor/1", 44: "kit/hat", 45: "kit/tom/rack/4",
		46: "kit/hat", 47: "kit/tom/rack/3", 48: "kit/tom/rack/2", 49: "kit/cymbal/crash", 50: "kit/tom/rack/1",
		51: "kit/cymbal/ride", 52: "kit/cymbal/china", 53: "kit/cymbal/ride", 54: "percussion/tambourine",
		55: "kit/cymbal/splash", 56: "percussion/cowbell", 57: "kit/cymbal/crash", 59: "kit/cymbal/ride",
		60: "percussion/bongo", 62: "percussion/conga", 70: "percussion/maracas", 76: "percussion/woodblock",
		81: "percussion/triangle"}
	for k := midi.FirstPercussionKey; k <= midi.LastPercussionKey; k++ {
		got := FromKey(k)
		if w, ok := want[k]; ok && got != w {
			t.Errorf("key %d %s: %q, want %q", k, midi.PercussionName(k), got, w)
		}
		if !got.Under("kit") && !got.Under("percussion") || got == Unnamed {
			t.Errorf("key %d %s has role %q", k, midi.PercussionName(k), got)
		}
	}
}

// The microphone position is a second axis beside the piece.
func TestNamesTellTheMicrophonePositionToo(t *testing.T) {
	for name, want := range map[string]Position{"Kick Room": "room", "Snr OH": "overhead", "Cello Close": "close",
		"Amb far": "ambience", "Kick In": ""} {
		if g := FromName(name); g.Mic != want {
			t.Errorf("%q: %q, want %q", name, g.Mic, want)
		}
	}
	if g := FromName("Kick Room"); g.Role != "kit/kick" {
		t.Errorf("the room took the kick's place: %+v", g)
	}
}

func TestParseRefusesWhatIsNotInTheTree(t *testing.T) {
	for _, bad := range []string{"drums/kick", "kit//in", "kit/Kick", "kit/kick/", "/kit", "kit/a b"} {
		if r, err := Parse(bad); err == nil {
			t.Errorf("%q was taken as %q", bad, r)
		}
	}
	if r, err := Parse("kit/cowl/3"); err != nil || r != "kit/cowl/3" {
		t.Errorf("the tree must be able to grow below its roots: %q, %v", r, err)
	}
}

// A room microphone that stands close is a room, before the far one; a microphone at the side of a
// snare is no side stick, and a voice of that name is one (common practice, no source).
func TestMicrophonesThatSoundLikeSomethingElse(t *testing.T) {
	for name, want := range map[string]Role{"Close Room": "kit/room/near", "Room Far": "kit/room/far",
		"Snare Side": "kit/snare", "Snare Top": "kit/snare/top", "Side Address Hat": "kit/hat"} {
		if got := ForMicrophone(name).Role; got != want {
			t.Errorf("the microphone %s is %s, want %s", name, got, want)
		}
	}
	if Compare("kit/room/near", "kit/room/far") >= 0 {
		t.Error("the far room comes before the close one")
	}
	if got := FromName("Side Stick").Role; got != "kit/snare/side" {
		t.Errorf("the voice Side Stick is %s", got)
	}
	if got := FromName("Cello Close").Mic; got != "close" {
		t.Errorf("the position of Cello Close is %q", got)
	}
}
