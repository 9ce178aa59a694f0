package role

import "testing"

// Toms are several that numbers tell apart, and so are rack and floor toms; a numbered tom is one.
func TestTomsAreCountedByNumbers(t *testing.T) {
	for r, want := range map[Role]struct{ collective, counted bool }{
		"kit/tom": {true, false}, "kit/tom/rack": {true, false}, "kit/tom/floor": {true, false},
		"kit/tom/rack/1": {false, true}, "kit/tom/floor/2": {false, true},
		"kit/kick": {false, false}, "kit/snare/top": {false, false}, "kit": {true, false}, "kit/cymbal": {true, false},
	} {
		if got := r.Collective(); got != want.collective {
			t.Errorf("%s stands for several: %v; want %v", r, got, want.collective)
		}
		if got := r.Counted(); got != want.counted {
			t.Errorf("%s is counted: %v; want %v", r, got, want.counted)
		}
	}
}

// Where one of two is Unnamed, or stands above the other, a score says nothing, and they stand as they
// do elsewhere.
func TestAScoreOrdersFamiliesAlone(t *testing.T) {
	for _, pair := range [][2]Role{{Unnamed, "strings/cello"}, {"brass/horn", Unnamed}, {"strings", "strings/cello"},
		{"woodwind/flute", "woodwind"}, {"brass", "brass"}, {Unnamed, Unnamed}} {
		if got, want := CompareScore(pair[0], pair[1]), Compare(pair[0], pair[1]); got != want {
			t.Errorf("%q and %q are ordered %d; want %d", pair[0], pair[1], got, want)
		}
	}
	if CompareScore("woodwind/flute", "strings/cello") >= 0 || CompareScore("brass/horn", "woodwind/flute") <= 0 {
		t.Error("in a score woodwind stands above brass, and both above the strings")
	}
}

// Feeds are known by a root that more than half of them have: half is not enough.
func TestHalfIsNotMost(t *testing.T) {
	for _, c := range []struct {
		roles []Role
		want  Role
	}{
		{[]Role{"strings/cello", "strings/viola", "brass/horn"}, "strings"},
		{[]Role{"strings/cello", "strings/viola", "brass/horn", "brass/tuba"}, Unnamed},
		{[]Role{"strings/cello", "brass/horn"}, Unnamed},
		{[]Role{"brass/horn"}, "brass"}, {nil, Unnamed}, {[]Role{Unnamed, Unnamed, Unnamed}, Unnamed},
	} {
		if got := Dominant(c.roles); got != c.want {
			t.Errorf("%v are known by %q; want %q", c.roles, got, c.want)
		}
	}
}
