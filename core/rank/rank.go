// Package rank makes one order of many: the order that contradicts the fewest of the
// single ones, pair by pair. It is the rule of John Kemeny ("Mathematics without
// Numbers", Dædalus 88, 1959; Kemeny and Snell, 1962), also called the median order.
// Orders need not hold every item.
package rank

import (
	"math/bits"
	"slices"
)

// Votes counts for each pair of items how many orders have the first before the second.
type Votes [][]int

// NewVotes is the count of no orders of n items.
func NewVotes(n int) Votes {
	v := make(Votes, n)
	for i := range v {
		v[i] = make([]int, n)
	}
	return v
}

// Add counts one order of some of the items. Items of one group stand side by side and
// say nothing of each other.
func (v Votes) Add(order ...[]int) {
	for g, group := range order {
		for _, later := range order[g+1:] {
			for _, i := range group {
				for _, j := range later {
					v[i][j]++
				}
			}
		}
	}
}

// Cost is how many pairs of the single orders an order contradicts.
func (v Votes) Cost(order []int) (sum int) {
	for k, i := range order {
		for _, j := range order[k+1:] {
			sum += v[j][i]
		}
	}
	return sum
}

// Result is an order, what it contradicts, and what any order must contradict at the least.
type Result struct {
	Order []int
	Cost  int
	Bound int // equal to Cost where the order is known to be best
}

// most is the largest knot that is solved by trying every set of its items.
const most = 16

// Kemeny finds the order. Items between which majorities run in no circle are put in
// order by these (the extended Condorcet criterion, M. Truchon 1998); each knot of
// circles is solved exactly by dynamic programming over its subsets where it holds at
// most 16 items. A larger one is improved by moving single items until none helps, and
// Bound tells how far from the best it can be. Ties go to the lower item.
func Kemeny(v Votes) Result {
	var out Result
	for _, knot := range v.knots() {
		var part Result
		switch {
		case len(knot) == 1:
			part.Order = knot
		case len(knot) <= most:
			part = v.exact(knot)
		default:
			part = v.search(knot)
		}
		out.Order = append(out.Order, part.Order...)
		out.Bound += part.Bound - v.Cost(part.Order)
	}
	out.Cost = v.Cost(out.Order)
	out.Bound += out.Cost
	return out
}

// beats reports whether a majority has i before j.
func (v Votes) beats(i, j int) bool { return v[i][j] > v[j][i] }

// knots gives the strongly connected components of the majorities, those that beat
// others before these, the one with the lowest item first where nothing decides.
func (v Votes) knots() (out [][]int) {
	n := len(v)
	reach := make([][]bool, n)
	for i := range n {
		reach[i] = make([]bool, n)
		stack := []int{i}
		for len(stack) > 0 {
			at := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for j := range n {
				if v.beats(at, j) && !reach[i][j] {
					reach[i][j] = true
					stack = append(stack, j)
				}
			}
		}
	}
	done := make([]bool, n)
	for placed := 0; placed < n; {
		for i := range n {
			if done[i] {
				continue
			}
			var knot []int
			first := true // nothing that is left beats into it from outside
			for j := range n {
				switch {
				case j == i || reach[i][j] && reach[j][i]:
					knot = append(knot, j)
				case !done[j] && reach[j][i]:
					first = false
				}
			}
			if !first {
				continue
			}
			for _, j := range knot {
				done[j] = true
			}
			placed += len(knot)
			out = append(out, knot)
			break
		}
	}
	return out
}

// exact tries every set of a knot as the beginning of its order (Held and Karp's way).
func (v Votes) exact(knot []int) Result {
	n := len(knot)
	cost := make([]int, 1<<n) // of the best order of the set
	last := make([]int8, 1<<n)
	for set := 1; set < 1<<n; set++ {
		cost[set] = -1
		for rest := set; rest != 0; rest &= rest - 1 {
			j := bits.TrailingZeros(uint(rest))
			before := set &^ (1 << j)
			c := cost[before]
			for b := before; b != 0; b &= b - 1 {
				c += v[knot[j]][knot[bits.TrailingZeros(uint(b))]]
			}
			if cost[set] < 0 || c <= cost[set] { // the highest of equals comes last
				cost[set], last[set] = c, int8(j)
			}
		}
	}
	r := Result{Cost: cost[1<<n-1], Bound: cost[1<<n-1]}
	for set := 1<<n - 1; set != 0; set &^= 1 << last[set] {
		r.Order = append(r.Order, knot[last[set]])
	}
	slices.Reverse(r.Order)
	return r
}

// search begins with the items by how often they are before others (J.-C. de Borda) and
// moves single ones while that helps.
func (v Votes) search(knot []int) Result {
	order := slices.Clone(knot)
	score := map[int]int{}
	for _, i := range knot {
		for _, j := range knot {
			score[i] += v[i][j] - v[j][i]
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return score[b] - score[a] })
	for better := true; better; {
		better = false
		for from := range order {
			i := order[from]
			best, to := 0, from
			gain := 0
			for k := from - 1; k >= 0; k-- { // before its neighbours to the left, one by one
				if gain += v[i][order[k]] - v[order[k]][i]; gain > best {
					best, to = gain, k
				}
			}
			gain = 0
			for k := from + 1; k < len(order); k++ {
				if gain += v[order[k]][i] - v[i][order[k]]; gain > best {
					best, to = gain, k
				}
			}
			if to != from {
				order = slices.Insert(slices.Delete(order, from, from+1), to, i)
				better = true
			}
		}
	}
	return Result{Order: order, Cost: v.Cost(order), Bound: v.bound(knot)}
}

// bound is what any order contradicts at the least: of each pair the smaller count, and
// for circles of three that share no pair the smallest majority of each.
func (v Votes) bound(knot []int) (sum int) {
	used := map[[2]int]bool{}
	pair := func(a, b int) [2]int { return [2]int{min(a, b), max(a, b)} }
	for x, i := range knot {
		for _, j := range knot[x+1:] {
			sum += min(v[i][j], v[j][i])
		}
	}
	for _, i := range knot {
		for _, j := range knot {
			if !v.beats(i, j) || used[pair(i, j)] {
				continue
			}
			for _, k := range knot {
				if v.beats(j, k) && v.beats(k, i) && !used[pair(j, k)] && !used[pair(k, i)] {
					sum += min(v[i][j]-v[j][i], v[j][k]-v[k][j], v[k][i]-v[i][k])
					used[pair(i, j)], used[pair(j, k)], used[pair(k, i)] = true, true, true
					break
				}
			}
		}
	}
	return sum
}
