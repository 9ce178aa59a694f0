package rank

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/internal/glpk"
)

// Condorcet's own example of a majority that is no winner under other rules, as told by
// H. P. Young ("Condorcet's Theory of Voting", APSR 82, 1988), from memory: 60 voters,
// 23 a b c, 17 b c a, 2 b a c, 10 c a b, 8 c b a. The maximum-likelihood (Kemeny) order
// is b, c, a.
func TestYoungsExample(t *testing.T) {
	v := NewVotes(3)
	for order, n := range map[[3]int]int{{0, 1, 2}: 23, {1, 2, 0}: 17, {1, 0, 2}: 2, {2, 0, 1}: 10, {2, 1, 0}: 8} {
		for range n {
			v.Add([]int{order[0]}, []int{order[1]}, []int{order[2]})
		}
	}
	if r := Kemeny(v); !slices.Equal(r.Order, []int{1, 2, 0}) || r.Cost != r.Bound {
		t.Errorf("got %+v; want %v, r.Cost is r.Bound", r, []int{1, 2, 0})
	}
}

func random(rng *rand.Rand, n, voters int) Votes {
	v := NewVotes(n)
	for range voters {
		var order [][]int
		for _, i := range rng.Perm(n)[:1+rng.IntN(n)] { // not every order has every item
			if len(order) > 0 && rng.IntN(6) == 0 {
				order[len(order)-1] = append(order[len(order)-1], i)
			} else {
				order = append(order, []int{i})
			}
		}
		v.Add(order...)
	}
	return v
}

func TestNoOrderContradictsLess(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 150 {
		n := 2 + rng.IntN(6)
		v := random(rng, n, 1+rng.IntN(7))
		r := Kemeny(v)
		least := -1
		var try func(order []int)
		try = func(order []int) {
			if len(order) == n {
				if c := v.Cost(order); least < 0 || c < least {
					least = c
				}
				return
			}
			for i := range n {
				if !slices.Contains(order, i) {
					try(append(slices.Clone(order), i))
				}
			}
		}
		try(nil)
		sorted := slices.Sorted(slices.Values(r.Order))
		if r.Cost != least || r.Cost != r.Bound || r.Cost != v.Cost(r.Order) || len(slices.Compact(sorted)) != n {
			t.Fatalf("%+v, but %d is possible: %v", r, least, v)
		}
	}
}

// The linear ordering problem is given to the solver of the GNU Linear Programming Kit
// as an integer programme; it must find the same cost, and a large knot's bound must
// hold.
func TestTheOrderAgreesWithAnILPSolver(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, n := range []int{5, 9, 12} {
		v := random(rng, n, 9)
		want := solve(t, v)
		if r := Kemeny(v); r.Cost != want || r.Cost != r.Bound {
			t.Errorf("%d items: %+v, the solver has %d", n, r, want)
		}
		all := make([]int, n)
		for i := range all {
			all[i] = i
		}
		if r := v.search(all); r.Bound > want || r.Cost < want || r.Cost != v.Cost(r.Order) {
			t.Errorf("%d items: searched %+v, the solver has %d", n, r, want)
		}
	}
}

func solve(t *testing.T, v Votes) int {
	t.Helper()
	var b strings.Builder
	x := func(i, j int) string { return fmt.Sprintf("x_%d_%d", i, j) }
	b.WriteString("Minimize\n c:")
	for i := range v {
		for j := range v {
			if i != j {
				fmt.Fprintf(&b, " + %d %s", v[j][i], x(i, j))
			}
		}
	}
	b.WriteString("\nSubject To\n")
	for i := range v {
		for j := range v {
			if i < j {
				fmt.Fprintf(&b, " %s + %s = 1\n", x(i, j), x(j, i))
			}
			for k := range v {
				if i != j && j != k && i != k {
					fmt.Fprintf(&b, " %s + %s + %s <= 2\n", x(i, j), x(j, k), x(k, i))
				}
			}
		}
	}
	b.WriteString("Binary\n")
	for i := range v {
		for j := range v {
			if i != j {
				fmt.Fprintln(&b, x(i, j))
			}
		}
	}
	b.WriteString("End\n")
	least, ok := glpk.Optimum(t, b.String())
	if !ok {
		t.Fatal("the solver finds no order at all")
	}
	return int(least)
}

// A knot too large to be solved exactly says how far from the best it can be.
func TestALargeKnotTellsItsGap(t *testing.T) {
	v := NewVotes(21)
	for shift := range 21 { // a circle: everyone is beaten by someone
		var order [][]int
		for k := range 21 {
			order = append(order, []int{(k + shift) % 21})
		}
		v.Add(order...)
	}
	r := Kemeny(v)
	if r.Cost == r.Bound || r.Bound <= 0 || r.Cost <= r.Bound || r.Cost != v.Cost(r.Order) {
		t.Errorf("got %+v; want not r.Cost is r.Bound, r.Bound above 0, r.Cost above %v, r.Cost v.Cost(r.Order)", r, r.Bound)
	}
}
