package share

import (
	"slices"

	"hiddenlanes/core/audio"
)

// A feed that is pinned to a stereo output without a side may stand on its left, on its right or, with
// others, on the whole of it. Which of them is the cheapest is tried.

// mostTried bounds how many ways of standing are tried at once; of more outputs each is tried by
// itself, one after the other.
const mostTried = 64

// loosePins lists, by output, the items that are pinned to a stereo output without a side, where
// outputs may be split.
func loosePins(p Problem) (outputs []int, items map[int][]int) {
	items = map[int][]int{}
	for i, it := range p.Items {
		at := it.Pin.Output
		if !p.Pairs || at < 1 || at > len(p.Outputs) || it.Pin.Side != Whole || it.whole ||
			p.Outputs[at-1].Width != audio.Stereo || it.Width > audio.Mono {
			continue
		}
		if items[at] == nil {
			outputs = append(outputs, at)
		}
		items[at] = append(items[at], i)
	}
	return outputs, items
}

// standings lists the ways in which so many items may stand on an output: all on the whole of it, or
// each on a side.
func standings(n int) (out [][]Side) {
	out = append(out, nil) // the whole
	for bits := range 1 << min(n, 4) {
		sides := make([]Side, n)
		for i := range sides {
			if sides[i] = Left; bits>>min(i, 3)&1 == 1 {
				sides[i] = Right
			}
		}
		out = append(out, sides)
	}
	return out
}

// stand lets items stand as one of the standings says.
func stand(p *Problem, items []int, sides []Side) {
	for k, i := range items {
		if p.Items[i].whole = sides == nil; sides != nil {
			p.Items[i].Pin.Side = sides[k]
		} else {
			p.Items[i].Pin.Side = Whole
		}
	}
}

// better reports whether a solution is better than another, which may be nil.
func better(a, b *Solution) bool {
	switch {
	case b == nil:
		return true
	case a.Cost != b.Cost:
		return a.Cost < b.Cost
	case a.Kept != b.Kept:
		return a.Kept > b.Kept
	}
	return a.Ports < b.Ports
}

// tryAll tries every combination of ways, and leaves in chosen the last that was better.
func tryAll(ways [][][]Side, all int, chosen []int, attempt func(pick []int) bool) {
	pick := make([]int, len(ways))
	for range all {
		if attempt(pick) {
			copy(chosen, pick)
		}
		for k := range pick { // the next combination
			if pick[k]++; pick[k] < len(ways[k]) {
				break
			}
			pick[k] = 0
		}
	}
}

// tryInTurn begins with every pin on its left, and then tries each output by itself.
func tryInTurn(ways [][][]Side, chosen []int, attempt func(pick []int) bool) {
	for k := range ways {
		chosen[k] = min(1, len(ways[k])-1)
	}
	attempt(chosen)
	for k := range ways {
		pick := slices.Clone(chosen)
		for w := range ways[k] {
			pick[k] = w
			if attempt(pick) {
				chosen[k] = w
			}
		}
	}
}

// settled is the problem with a side, or the whole, for each pin that has none: those of the cheapest
// solution, which comes along. Where there is none, it is the error of the first way that was tried.
func settled(p Problem) (Problem, *Solution, error) {
	outputs, items := loosePins(p)
	p.Items = slices.Clone(p.Items)
	var best *Solution
	var first error
	try := func(q Problem) bool {
		s, err := solveSettled(q)
		if err != nil {
			if first == nil {
				first = err
			}
			return false
		}
		if !better(s, best) {
			return false
		}
		best = s
		return true
	}
	ways := make([][][]Side, len(outputs))
	all := 1
	for k, o := range outputs {
		ways[k] = standings(len(items[o]))
		all = min(all*len(ways[k]), mostTried+1)
	}
	chosen := make([]int, len(outputs))
	apply := func(pick []int) {
		for k, o := range outputs {
			stand(&p, items[o], ways[k][pick[k]])
		}
	}
	attempt := func(pick []int) bool {
		apply(pick)
		return try(p)
	}
	if all <= mostTried {
		tryAll(ways, all, chosen, attempt)
	} else {
		tryInTurn(ways, chosen, attempt)
	}
	apply(chosen)
	if best == nil {
		return p, nil, first
	}
	return p, best, nil
}
