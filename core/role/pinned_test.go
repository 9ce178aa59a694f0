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
