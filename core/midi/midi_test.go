package midi

import (
	"slices"
	"testing"
)

func TestMiddleCIsC3ToSomeAndC4ToOthers(t *testing.T) {
	for _, c := range []struct {
		key    Key
		c3, c4 string
	}{{60, "C3", "C4"}, {36, "C1", "C2"}, {0, "C-2", "C-1"}, {127, "G8", "G9"}, {61, "C#3", "C#4"}} {
		if got := c.key.Name(MiddleC3); got != c.c3 {
			t.Errorf("key %d: %s, want %s", c.key, got, c.c3)
		}
		if got := c.key.Name(MiddleC4); got != c.c4 {
			t.Errorf("key %d: %s, want %s", c.key, got, c.c4)
		}
	}
}

// End points and landmarks of the General MIDI level 1 percussion key map (RP-003).
func TestPercussionMapStandsWhereTheStandardPutsIt(t *testing.T) {
	for k, want := range map[Key]string{34: "", 35: "Acoustic Bass Drum", 38: "Acoustic Snare", 42: "Closed Hi-Hat",
		49: "Crash Cymbal 1", 56: "Cowbell", 60: "Hi Bongo", 69: "Cabasa", 76: "Hi Wood Block", 81: "Open Triangle", 82: ""} {
		if got := PercussionName(k); got != want {
			t.Errorf("key %d: %q, want %q", k, got, want)
		}
	}
}

func TestAddressPrintsPortOnlyWhenThereIsMoreThanOne(t *testing.T) {
	for a, want := range map[Address]string{{}: "no channel", {1, 10}: "ch 10", {2, 3}: "port 2 ch 3"} {
		if a.String() != want {
			t.Errorf("got %#v: %q; want a.String() %v", a, a.String(), want)
		}
	}
}

func TestKeysAreReadAsPeopleWriteThem(t *testing.T) {
	for s, want := range map[string][]Key{"36": {36}, "C1": {36}, "c#1, 40": {37, 40}, "Db1": {37},
		"36 C1; 41-43": {36, 41, 42, 43}, "C-2": {0}, "G8": {127}, "C1–E1": {36, 37, 38, 39, 40},
		"40, 36, 40": {36, 40}, "": nil} {
		got, err := ParseKeys(s, MiddleC3)
		if err != nil || !slices.Equal(got, want) {
			t.Errorf("%q: %v %v, want %v", s, got, err, want)
		}
		if back, err := ParseKeys(FormatKeys(got, MiddleC4), MiddleC4); err != nil || !slices.Equal(back, got) {
			t.Errorf("%q is printed as %q", s, FormatKeys(got, MiddleC4))
		}
	}
	if k, err := ParseKey("C4", MiddleC4); err != nil || k != 60 {
		t.Errorf("got %d %v; want k 60", k, err)
	}
	for _, bad := range []string{"128", "-1", "H1", "C", "G#8", "40-36", "C1 36", "1 2 3"} {
		if got, err := ParseKeys(bad, MiddleC3); err == nil {
			t.Errorf("%q was taken for %v", bad, got)
		}
	}
}

func TestAddressesAreReadAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]Address{"3": {1, 3}, "ch 3": {1, 3}, "Channel 16": {1, 16}, "2:10": {2, 10},
		"port 2 ch 10": {2, 10}, " 2 10 ": {2, 10}, "": {}, "no channel": {}} {
		if got, err := ParseAddress(text); err != nil || got != want {
			t.Errorf("%q is read as %v, %v", text, got, err)
		}
	}
	for _, a := range []Address{{1, 1}, {1, 16}, {5, 12}, {}} {
		if got, err := ParseAddress(a.String()); err != nil || got != a.Norm() {
			t.Errorf("%s is read back as %v, %v", a, got, err)
		}
	}
	for _, text := range []string{"0", "17", "-1", "1:2:3", "x", "0:4", "65:1", "1.5"} {
		if got, err := ParseAddress(text); err == nil {
			t.Errorf("%q was read as %v", text, got)
		}
	}
}
