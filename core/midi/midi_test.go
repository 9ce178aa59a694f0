package midi

import "testing"

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
			t.Errorf("%#v: %q", a, a.String())
		}
	}
}
