package share

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/role"
)

// The product's worked example: nineteen feeds of a kit in chart order.
var kit = []Item{
	{Role: "kit/kick/in", Wish: 2}, {Role: "kit/kick/out", Wish: 2}, {Role: "kit/kick/sub", Wish: 1},
	{Role: "kit/snare/top", Wish: 2}, {Role: "kit/snare/bottom", Wish: 1}, {Role: "kit/hat", Wish: 2},
	{Role: "kit/tom/rack/1", Wish: 2}, {Role: "kit/tom/rack/2", Wish: 2}, {Role: "kit/tom/floor/1", Wish: 2}, {Role: "kit/tom/floor/2", Wish: 2},
	{Role: "kit/cymbal/ride"}, {Role: "kit/overhead", Wish: 1}, {Role: "kit/overhead/mono"},
	{Role: "kit/room/near"}, {Role: "kit/room/far"}, {Role: "kit/room/mono"},
	{Role: "percussion/tambourine"}, {Role: "percussion/shaker"}, {Role: "percussion/clap"},
}

func TestTheWorkedExampleCostsWhatTheRuleSays(t *testing.T) {
	for i, want := range []int64{0, 4, 8, 12, 20, 28, 52, 76, 108, 144, 180, 240, 360, 504} {
		r, err := Best(kit, 19-i)
		if err != nil || r.Cost != want {
			t.Errorf("on %d outputs: cost %d, %v, want %d", 19-i, r.Cost, err, want)
		}
	}
	r, _ := Best(kit, 12)
	var shared []string
	for g := range r.Starts {
		if from, to := r.Range(g); to-from > 1 {
			shared = append(shared, fmt.Sprintf("%d-%d", from, to-1))
		}
	}
	// Kick out + sub, snare top + bottom, both overheads, the rooms, the percussion.
	if got := strings.Join(shared, " "); got != "1-2 3-4 11-12 13-15 16-18" {
		t.Errorf("on 12 outputs the shared ones are %s", got)
	}
}

// exhaustive tries every way to cut the list into k intervals.
func exhaustive(items []Item, k int) (best int64, ok bool) {
	best = infinite
	var cut func(at, left int, cost int64)
	cut = func(at, left int, cost int64) {
		if left == 0 {
			if at == len(items) && cost < best {
				best, ok = cost, true
			}
			return
		}
		for end := at + 1; end <= len(items); end++ {
			sum, allowed := int64(0), true
			for a := at; a < end; a++ {
				for b := a + 1; b < end; b++ {
					if items[a].Wish == 3 || items[b].Wish == 3 {
						allowed = false
						continue
					}
					edges := 0
					x, y := items[a].Role.Segments(), items[b].Role.Segments()
					for edges < len(x) && edges < len(y) && x[edges] == y[edges] {
						edges++
					}
					if edges = len(x) + len(y) - 2*edges; edges == 0 {
						edges = 1
					}
					sum += int64((1+items[a].Wish)*(1+items[b].Wish)) << edges
				}
			}
			if allowed {
				cut(end, left-1, cost+sum)
			}
		}
	}
	cut(0, k, 0)
	return best, ok
}

func generated(rng *rand.Rand, n int) []Item {
	all := role.All()
	items := make([]Item, n)
	at := rng.IntN(len(all))
	for i := range items {
		if rng.IntN(3) > 0 {
			at = (at + rng.IntN(4)) % len(all)
		}
		items[i] = Item{Role: all[at], Wish: rng.IntN(4), Now: rng.IntN(5)}
	}
	return items
}

func TestNoGroupingIsCheaper(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 12))
	for range 600 {
		items := generated(rng, 1+rng.IntN(9))
		k := 1 + rng.IntN(len(items))
		want, possible := exhaustive(items, k)
		r, err := Best(items, k)
		if possible != (err == nil) || err == nil && r.Cost != want {
			t.Fatalf("%v on %d outputs: cost %d, %v; exhaustive search: %d, possible %v", items, k, r.Cost, err, want, possible)
		}
	}
}

func TestTiesStayWhereTheyAre(t *testing.T) {
	// Three equal feeds on two outputs: the pair may be the first or the last two.
	items := []Item{{Role: "percussion/clap", Now: 1}, {Role: "percussion/clap", Now: 2}, {Role: "percussion/clap", Now: 2}}
	if r, err := Best(items, 2); err != nil || r.Starts[1] != 1 {
		t.Errorf("moved a feed without need: %v %v", r.Starts, err)
	}
	items[1].Now = 1
	if r, err := Best(items, 2); err != nil || r.Starts[1] != 2 {
		t.Errorf("moved a feed without need: %v %v", r.Starts, err)
	}
}

func TestNeverShareSaysHowManyOutputsItTakes(t *testing.T) {
	items := []Item{{Wish: 3}, {Wish: 0}, {Wish: 1}, {Wish: 3}, {Wish: 0}}
	_, err := Best(items, 3)
	var few *TooFewError
	if !errors.As(err, &few) || few.Need != 4 {
		t.Fatalf("got %v", err)
	}
	if _, err := Best(items, few.Need); err != nil {
		t.Errorf("the number it named does not do: %v", err)
	}
}

// The optimum of a 24-feed kit against an integer linear program solved by
// glpsol of Debian's glpk-utils: one 0/1 variable for each interval, each feed
// covered once, k intervals.
func TestOptimumAgreesWithAnILPSolver(t *testing.T) {
	if _, err := exec.LookPath("glpsol"); err != nil {
		t.Fatal("glpsol is missing: run ./test, which installs glpk-utils")
	}
	rng := rand.New(rand.NewPCG(24, 1))
	for _, k := range []int{5, 9, 16} {
		items := generated(rng, 24)
		for i := range items {
			items[i].Wish = min(items[i].Wish, 2)
		}
		var objective []string
		cover := make([][]string, len(items))
		var all []string
		for s := range items {
			sum := int64(0)
			for e := s; e < len(items); e++ {
				for a := s; a < e; a++ {
					c, _ := Pair(items[a], items[e])
					sum += c
				}
				name := fmt.Sprintf("x_%d_%d", s, e)
				objective = append(objective, fmt.Sprintf("%d %s", sum, name))
				all = append(all, name)
				for i := s; i <= e; i++ {
					cover[i] = append(cover[i], name)
				}
			}
		}
		var lp strings.Builder
		fmt.Fprintf(&lp, "Minimize\n cost: %s\nSubject To\n", strings.Join(objective, "\n + "))
		for i, c := range cover {
			fmt.Fprintf(&lp, " f%d: %s = 1\n", i, strings.Join(c, "\n + "))
		}
		fmt.Fprintf(&lp, " k: %s <= %d\nBinary\n %s\nEnd\n", strings.Join(all, "\n + "), k, strings.Join(all, "\n "))
		dir := t.TempDir()
		model, report := filepath.Join(dir, "m.lp"), filepath.Join(dir, "m.txt")
		if err := os.WriteFile(model, []byte(lp.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("glpsol", "--lp", model, "-o", report).CombinedOutput(); err != nil {
			t.Fatalf("glpsol: %v\n%s", err, out)
		}
		text, _ := os.ReadFile(report)
		m := regexp.MustCompile(`cost = (\d+) \(MINimum\)`).FindSubmatch(text)
		if m == nil {
			t.Fatalf("no optimum in glpsol's report:\n%.600s", text)
		}
		want, _ := strconv.ParseInt(string(m[1]), 10, 64)
		r, err := Best(items, k)
		if err != nil || r.Cost != want {
			t.Errorf("on %d outputs: cost %d, %v; the solver says %d", k, r.Cost, err, want)
		}
	}
}
