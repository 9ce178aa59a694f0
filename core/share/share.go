// Package share finds the cheapest way to put feeds on fewer outputs than
// there are feeds. It is exact: no other grouping of neighbours costs less.
package share

import (
	"fmt"
	"math"

	"hiddenlanes/core/role"
)

// Item is one feed in chart order.
type Item struct {
	Role role.Role
	Wish int // 0 fine to share, 1, 2 alone, 3 never shares
	Now  int // the place it has now, from 1; 0: none. Breaks ties only.
}

// Result is a grouping of neighbours: group g holds the items from
// Starts[g] up to the next start.
type Result struct {
	Starts []int
	Cost   int64
	n      int
}

// Range gives the items of group g as a half-open range.
func (r Result) Range(g int) (from, to int) {
	if g+1 < len(r.Starts) {
		return r.Starts[g], r.Starts[g+1]
	}
	return r.Starts[g], r.n
}

// Pair is the cost of two items on one output: (1+sₐ)(1+s_b)·d(a,b). ok is
// false where one of them never shares.
func Pair(a, b Item) (cost int64, ok bool) {
	if a.Wish >= 3 || b.Wish >= 3 {
		return 0, false
	}
	return int64(1+a.Wish) * int64(1+b.Wish) * role.Distance(a.Role, b.Role), true
}

// TooFewError says that items which never share need more outputs than there are.
type TooFewError struct{ Have, Need int }

func (e *TooFewError) Error() string {
	return fmt.Sprintf("%d outputs are too few: the feeds that never share leave no grouping below %d", e.Have, e.Need)
}

const infinite = math.MaxInt64 / 4

// Best groups the items, which stand in chart order, onto at most k outputs so
// that the sum of Pair over all pairs that share is least; of the cheapest
// groupings it takes one that leaves most items where they are now. With as
// many outputs as items each gets its own. It takes O(n²·k) time.
//
// Only neighbours in chart order share, so the groups are intervals and the
// optimum follows from the best groupings of every beginning of the list.
func Best(items []Item, k int) (Result, error) {
	n := len(items)
	if n == 0 {
		return Result{}, nil
	}
	if k < 1 {
		return Result{}, &TooFewError{k, need(items)}
	}
	k = min(k, n)
	inside := intervalCosts(items)

	// best[g][i]: items before i on exactly g outputs. Splitting a group never
	// costs more, so exactly k is as good as at most k.
	best := make([][]score, k+1)
	from := make([][]int32, k+1)
	for g := range best {
		best[g] = make([]score, n+1)
		from[g] = make([]int32, n+1)
		for i := range best[g] {
			best[g][i] = score{infinite, 0}
		}
	}
	best[0][0] = score{}
	for g := 1; g <= k; g++ {
		for i := g; i <= n-(k-g); i++ {
			moved := 0
			for s := i - 1; s >= g-1; s-- {
				if items[s].Now != 0 && items[s].Now != g {
					moved++
				}
				c := inside[s][i-s]
				if c >= infinite {
					break // a longer group holds the same forbidden pair
				}
				prev := best[g-1][s]
				if prev.cost >= infinite {
					continue
				}
				if t := (score{prev.cost + c, prev.moved + moved}); t.less(best[g][i]) {
					best[g][i], from[g][i] = t, int32(s)
				}
			}
		}
	}
	if best[k][n].cost >= infinite {
		return Result{}, &TooFewError{k, need(items)}
	}
	r := Result{Starts: make([]int, k), Cost: best[k][n].cost, n: n}
	for g, i := k, n; g > 0; g-- {
		i = int(from[g][i])
		r.Starts[g-1] = i
	}
	return r, nil
}

type score struct {
	cost  int64
	moved int
}

func (a score) less(b score) bool {
	return a.cost < b.cost || a.cost == b.cost && a.moved < b.moved
}

// intervalCosts[s][l] is the cost of items s … s+l-1 on one output.
func intervalCosts(items []Item) [][]int64 {
	n := len(items)
	out := make([][]int64, n)
	flat := make([]int64, (n+1)*(n+2)/2)
	for s := range n {
		out[s], flat = flat[:n-s+1], flat[n-s+1:]
	}
	// Adding item s in front of s+1…i adds its pairs with each of them.
	for s := n - 1; s >= 0; s-- {
		withS := int64(0)
		for i := s + 2; i <= n; i++ {
			pair, ok := Pair(items[s], items[i-1])
			if !ok || out[s+1][i-s-1] >= infinite || withS >= infinite {
				out[s][i-s], withS = infinite, infinite
				continue
			}
			withS += pair
			out[s][i-s] = out[s+1][i-s-1] + withS
		}
	}
	return out
}

// need is the fewest outputs any grouping takes: runs of items that may share.
func need(items []Item) int {
	groups, open := 0, false
	for _, it := range items {
		if it.Wish >= 3 {
			groups, open = groups+1, false
		} else if !open {
			groups, open = groups+1, true
		}
	}
	return groups
}
