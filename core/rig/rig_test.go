package rig

import (
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
)

// Common practice, no source: sixteen stereo outputs end on ports 31–32; mono,
// stereo and 5.1 take 1, 2 and 6 ports; sixteen ports are six stereo and four mono.
func TestOutputsLieOnConsecutivePorts(t *testing.T) {
	sixteen := Lay([]Run{{Count: 16, Width: audio.Stereo}}, 1)
	if got := sixteen[15].PortNames(0); got != "31–32" {
		t.Errorf("output 16 is on %s", got)
	}
	if got := sixteen[6].PortNames(10); got != "23–24" {
		t.Errorf("the host's number of ports 13–14 with offset 10 is %s", got)
	}
	mixed := Lay([]Run{{Count: 6, Width: audio.Stereo}, {Count: 4, Width: audio.Mono}}, 1)
	if last := mixed[len(mixed)-1]; last.Last() != 16 || last.PortNames(0) != "16" || len(mixed) != 10 {
		t.Errorf("six stereo and four mono end with %+v", last)
	}
	surround := Lay([]Run{{Count: 2, Width: audio.Surround}}, 3)
	if got := surround[1].PortNames(0); got != "9–14" || len(surround[1].Ports()) != 6 {
		t.Errorf("second 5.1 output from port 3 is on %s", got)
	}
}

func TestRunsReadAndWrite(t *testing.T) {
	for in, want := range map[string]string{"16x2": "16x2", " 8X2 + 16x1": "8x2+16x1", "1x6": "1x6", "4×mono": "4x1"} {
		runs, err := ParseRuns(in)
		if err != nil || FormatRuns(runs) != want {
			t.Errorf("%q: %q, %v", in, FormatRuns(runs), err)
		}
		if back := Runs(Lay(runs, 1)); !slices.Equal(back, runs) {
			t.Errorf("%q does not survive being laid out: %v", in, back)
		}
	}
	for _, bad := range []string{"", "16", "x2", "0x2", "-1x2", "16x3", "2x2+", "999999999x2", "4000x2"} {
		if runs, err := ParseRuns(bad); err == nil {
			t.Errorf("%q was taken as %v", bad, runs)
		}
	}
}

func TestFeedsFollowFromVoicesMicrophonesAndParts(t *testing.T) {
	in := Instrument{Name: "Mixed",
		Voices: []Voice{
			{ID: "v1", Name: "Shaker", Role: "percussion/shaker", Keys: []midi.Key{70}},
			{ID: "v2", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36, 35}, Heard: HeardThrough("m1", "m2")},
			{ID: "v3", Name: "Snare", Role: "kit/snare", Keys: []midi.Key{38}, Heard: HeardThrough("m2")},
			{ID: "v4", Name: "Clap", Role: "percussion/clap", Keys: []midi.Key{39}, Slot: 5},
			{ID: "v5", Name: "Snap", Role: "percussion/snap", Keys: []midi.Key{40}, Slot: 5},
		},
		Microphones: []Microphone{{ID: "m2", Name: "Room", Role: "kit/room", Width: audio.Stereo}, {ID: "m1", Name: "Kick In", Role: "kit/kick/in"},
			{ID: "m3", Name: "Close", Role: ""}, {ID: "m4", Name: "Hall", Role: "", Width: audio.Stereo}},
		Parts: []Part{{ID: "p1", Name: "Cello", Role: "strings/cello", Microphones: []string{"m3", "m4"}}, {ID: "p2", Name: "Oboe", Role: "woodwind/oboe"}},
	}
	var names []string
	for _, f := range in.Feeds() {
		names = append(names, f.Name)
		if f.Name == "Room" && !slices.Equal(f.Keys, []midi.Key{35, 36, 38}) {
			t.Errorf("the room hears keys %v", f.Keys)
		}
	}
	// Two voices in one slot of the instrument can only leave together, as what both are: percussion.
	want := []string{"Kick In", "Room", "Clap + Snap", "Shaker", "Cello Close", "Cello Hall", "Oboe"}
	if !slices.Equal(names, want) {
		t.Errorf("feeds %q, want %q", names, want)
	}
	if err := in.Validate(); err != nil {
		t.Error(err)
	}
	in.Parts[1].ID = "v1"
	if in.Validate() == nil {
		t.Error("one ID for a voice and a part was let through")
	}
	if (Instrument{Name: "x", Voices: []Voice{{ID: "a", Role: "drums/kick"}}}).Validate() == nil {
		t.Error("a role outside the tree was let through")
	}
}
