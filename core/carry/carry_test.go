package carry

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/glpk"
)

// total sums up an assignment: how many pairs, at which cost.
func total(cost [][]int64, pair []int) (pairs int, sum int64) {
	for i, j := range pair {
		if j >= 0 {
			pairs++
			sum += cost[i][j]
		}
	}
	return pairs, sum
}

// drawn gives two sets of roles and what pairing them costs.
func drawn(rng *rand.Rand, n, m int) [][]int64 {
	roles := role.All()
	some := func(k int) (out []role.Role) {
		for range k {
			out = append(out, roles[rng.IntN(40)])
		}
		return out
	}
	a, b := some(n), some(m)
	cost := make([][]int64, n)
	for i := range a {
		cost[i] = make([]int64, m)
		for j := range b {
			if cost[i][j] = forbidden; canPartner(a[i], b[j]) {
				cost[i][j] = role.Distance(a[i], b[j])
			}
		}
	}
	return cost
}

// The assignment is given to the solver of the GNU Linear Programming Kit as a linear
// programme: as many pairs as can be, then the least distance.
func TestTheMatchingAgreesWithAnOutsideSolver(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 12 {
		cost := drawn(rng, 1+rng.IntN(16), 1+rng.IntN(16))
		pair := assign(cost)
		seen := map[int]bool{}
		for _, j := range pair {
			if j >= 0 && seen[j] {
				t.Fatalf("column %d is given twice", j)
			}
			seen[j] = true
		}
		pairs, sum := total(cost, pair)
		const reward = 1 << 20
		if want := solve(t, cost, reward); int64(pairs)*reward-sum != want {
			t.Errorf("%d pairs at %d, the solver has %d", pairs, sum, want)
		}
	}
}

// Among very many the nearest go first, and there are no fewer pairs than there can be.
func TestTheNearestFirstLeavesNobodyOutWhoCanBePaired(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	for range 200 {
		cost := drawn(rng, 1+rng.IntN(20), 1+rng.IntN(20))
		want, _ := total(cost, leastCost(cost))
		if got, _ := total(cost, nearestFirst(cost)); got != want {
			t.Fatalf("%d pairs of %v; there can be %d", got, cost, want)
		}
	}
	cost := make([][]int64, 400)
	for i := range cost {
		cost[i] = make([]int64, 400)
		for j := range cost[i] {
			cost[i][j] = int64(max(i-j, j-i))
		}
	}
	for i, j := range assign(cost) {
		if i != j {
			t.Fatalf("row %d is paired with %d; want the nearest", i, j)
		}
	}
}

func solve(t *testing.T, cost [][]int64, reward int64) int64 {
	t.Helper()
	var b strings.Builder
	b.WriteString("Maximize\n c: 0 nothing")
	rows, columns := map[int][]string{}, map[int][]string{}
	for i := range cost {
		for j, c := range cost[i] {
			if c != forbidden {
				x := fmt.Sprintf("x_%d_%d", i, j)
				fmt.Fprintf(&b, " + %d %s", reward-c, x)
				rows[i], columns[j] = append(rows[i], x), append(columns[j], x)
			}
		}
	}
	b.WriteString("\nSubject To\n nothing = 0\n")
	for _, of := range []map[int][]string{rows, columns} {
		for _, xs := range of {
			fmt.Fprintf(&b, " %s <= 1\n", strings.Join(xs, " + "))
		}
	}
	b.WriteString("End\n")
	v, ok := glpk.Optimum(t, b.String())
	if !ok {
		t.Fatal("the solver finds no pairing at all")
	}
	return v
}

func voices(list ...rig.Voice) rig.Instrument {
	for i := range list {
		list[i].ID = fmt.Sprintf("v%d", i)
		list[i].Role = role.ForPercussion(list[i].Name, list[i].Keys).Role
	}
	return rig.Instrument{Name: "Kit", Voices: list}
}

// What each key becomes on a kit laid out otherwise: common practice, no source.
func TestKeysAreMappedThroughRoles(t *testing.T) {
	to := voices(rig.Voice{Name: "Kick", Keys: []midi.Key{24, 36}}, rig.Voice{Name: "Snare", Keys: []midi.Key{26}},
		rig.Voice{Name: "Rim", Keys: []midi.Key{27}},
		rig.Voice{Name: "Hats Open", Keys: []midi.Key{30}}, rig.Voice{Name: "Hats Closed", Keys: []midi.Key{29}},
		rig.Voice{Name: "Rack 1", Keys: []midi.Key{40}}, rig.Voice{Name: "Ride", Keys: []midi.Key{50}})
	got := map[midi.Key]KeyMove{}
	for _, m := range MapKeys(GeneralMIDI(), to).Keys {
		got[m.Key] = m
	}
	for key, want := range map[midi.Key]midi.Key{36: 36, 35: 24, 38: 26, 37: 27, 42: 29, 46: 30, 51: 50} {
		if m := got[key]; !m.Found || m.To != want {
			t.Errorf("key %d %s becomes %d (found %v), want %d", key, m.Voice, m.To, m.Found, want)
		}
	}
	for _, key := range []midi.Key{54, 56, 70, 49, 75} { // nothing there can stand in for a tambourine
		if m := got[key]; m.Found {
			t.Errorf("key %d %s becomes %d %s", key, m.Voice, m.To, m.ToVoice)
		}
	}
	rule := MapKeys(GeneralMIDI(), to).Rule(map[midi.Key]Fate{54: {To: 26}, 38: {To: 60}}, true)
	if rule[54] != (Fate{To: 26}) || rule[38] != (Fate{To: 60}) || !rule[56].Drop || rule[42] != (Fate{To: 29}) {
		t.Errorf("got %v; want rule[54] (Fate{To: 26}), rule[38] (Fate{To: 60}), rule[56].Drop, rule[42] (Fate{To: 29})",
			rule)
	}
}

func TestAKeyMapOntoItselfChangesNothing(t *testing.T) {
	for _, m := range MapKeys(GeneralMIDI(), GeneralMIDI()).Keys {
		if m.Key != m.To || !m.Found || m.Shared {
			t.Errorf("got %+v; want m.Key %v, m.Found, not m.Shared", m, m.To)
		}
	}
}

func TestWhoCanStandInForWhom(t *testing.T) {
	for _, c := range []struct {
		a, b role.Role
		want bool
	}{{"kit/kick/in", "kit/kick", true}, {"kit/kick/in", "kit/kick/out", true}, {"kit/kick", "kit/snare", false},
		{"woodwind/flute", "woodwind/oboe", false},
		{"woodwind/flute/1", "woodwind/flute/2", true}, {"kit/tom/rack/1", "kit/tom/floor/2", true},
		{"strings", "strings/cello", true}, {"kit", "kit/kick/in", false}, {"", "kit", false}} {
		if canPartner(c.a, c.b) != c.want || canPartner(c.b, c.a) != c.want {
			t.Errorf("%s and %s: %v", c.a, c.b, !c.want)
		}
	}
	if p := assign([][]int64{{5, 1}, {1, forbidden}}); !slices.Equal(p, []int{1, 0}) {
		t.Errorf("got %v; want %v", p, []int{1, 0})
	}
}
