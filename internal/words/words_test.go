package words

import "testing"

func TestNumbersAgreeWithTheirNouns(t *testing.T) {
	for n, want := range map[int]string{0: "0 lanes", 1: "1 lane", 2: "2 lanes", 101: "101 lanes"} {
		if got := Count(n, "lane", "lanes"); got != want {
			t.Errorf("%d: %q, want %q", n, got, want)
		}
	}
}

// A list is cut where that saves something, never to hide one name behind "1 more".
func TestManyNamesAreCut(t *testing.T) {
	names := []string{"A", "B", "C", "D", "E", "F", "G", "H"}
	for n, want := range map[int]string{0: "", 1: "A", 6: "A, B, C, D, E, F", 7: "A, B, C, D, E and 2 more",
		8: "A, B, C, D, E and 3 more"} {
		if got := Few(names[:n]); got != want {
			t.Errorf("%d names: %q, want %q", n, got, want)
		}
	}
}

func TestTextsAreCutByLettersNotBytes(t *testing.T) {
	for _, c := range []struct {
		n    int
		in   string
		want string
	}{{5, "Snare", "Snare"}, {4, "Snare", "Sna…"}, {6, "Größe 1", "Größe…"}, {5, "Kick In", "Kick…"}} {
		if got := Short(c.n, c.in); got != c.want {
			t.Errorf("%q cut to %d: %q, want %q", c.in, c.n, got, c.want)
		}
	}
	for in, want := range map[string]string{"": "", "x": "X", "ärger": "Ärger", "3 lanes": "3 lanes"} {
		if got := Capital(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}
