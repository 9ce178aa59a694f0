package role

import (
	"encoding/csv"
	"os"
	"strings"
	"testing"
)

// readNames reads a list of names with the roles that people mean by them.
func readNames(t testing.TB, file string) [][]string {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows[1:]
}

// isWanted reports whether a role is one of the alternatives: with * what is below it as well.
func isWanted(got, want string) bool {
	for _, w := range strings.Split(want, "|") {
		at, below := strings.CutSuffix(w, "*")
		if got == at || below && (Role(got).Under(Role(at)) || strings.HasPrefix(got, at)) {
			return true
		}
	}
	return false
}

// How engineers write: two samples of names with what they mean. role-names was handed to the project
// from outside; more-names is from memory, common practice, and was written after the rules.

func TestNamesEngineersWriteFindTheirRole(t *testing.T) {
	right, all, wrongSure := map[string]int{}, map[string]int{}, 0
	rows := append(readNames(t, "testdata/role-names.csv"), readNames(t, "testdata/more-names.csv")...)
	for _, row := range rows {
		kind, name, want := NameKind(row[0]), row[1], row[2]
		g := GuessName(name, kind)
		got, of := string(g.Role), "role"
		if kind == OfMicrophone {
			got = string(ForMicrophone(name).Role)
		}
		if kind == OfPosition {
			got, of = string(g.Mic), "position"
		}
		all[of]++
		if isWanted(got, want) {
			right[of]++
			continue
		}
		if g.Sure == Sure {
			wrongSure++
		}
		t.Logf("%s %q is read as %q (%s), and means %s", kind, name, got, g.Sure, want)
	}
	for of, n := range all {
		if 100*right[of] < 95*n {
			t.Errorf("of %d names %d find their %s, %.1f %%; 95 %% are wanted", n, right[of], of,
				100*float64(right[of])/float64(n))
		}
	}
	if wrongSure > 2 {
		t.Errorf("%d names are read wrong although sure; 2 at most", wrongSure)
	}
}

// BenchmarkGuess10000Names reads names of both samples, and as many with a word that nobody knows.
func BenchmarkGuess10000Names(b *testing.B) {
	rows := append(readNames(b, "testdata/role-names.csv"), readNames(b, "testdata/more-names.csv")...)
	for b.Loop() {
		for i := range 10_000 {
			row := rows[i%len(rows)]
			name := row[1]
			if i%2 == 1 {
				name += " Brixlow"
			}
			GuessName(name, NameKind(row[0]))
		}
	}
}
