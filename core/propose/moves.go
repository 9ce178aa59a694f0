package propose

import (
	"cmp"
	"slices"

	"hiddenlanes/core/plan"
)

// Move is feeds that leave one output for another.
type Move struct {
	Feeds    []string // by name
	From, To plan.Jack
	Why      string // of the first of them
}

// Chain is moves of which each but the first makes room for the one before it.
type Chain []Move

// Chains lists what accepting the proposal would move from one output to another, with what is in
// the way. What stands nowhere yet moves nothing.
func (pr *Proposal) Chains() (out []Chain) {
	var moves []Move
	add := func(feed string, from, to plan.Jack, why string) {
		for i := range moves {
			if moves[i].From == from && moves[i].To == to {
				moves[i].Feeds = append(moves[i].Feeds, feed)
				return
			}
		}
		moves = append(moves, Move{[]string{feed}, from, to, why})
	}
	for _, r := range pr.Rows {
		for _, f := range r.Feeds {
			if f.At.State == plan.Assigned && f.At.At() != r.jack() {
				add(f.Name, f.At.At(), r.jack(), f.Reason)
			}
		}
	}
	for _, u := range pr.Unused {
		now := pr.placed.Feeds[u.ID]
		if now.State == plan.Assigned && u.To.State == plan.Parked && now.At() != u.To.At() {
			add(u.Name, now.At(), u.To.At(), u.Reason)
		}
	}
	slices.SortStableFunc(moves, func(a, b Move) int {
		return cmp.Or(cmp.Compare(a.From.Output, b.From.Output), cmp.Compare(a.To.Output, b.To.Output))
	})
	entered := map[int]bool{} // outputs that something comes to
	for _, m := range moves {
		entered[m.To.Output] = true
	}
	done := make([]bool, len(moves))
	follow := func(i int) {
		var c Chain
		for i >= 0 {
			done[i] = true
			c = append(c, moves[i])
			to := moves[i].To.Output
			i = slices.IndexFunc(moves, func(m Move) bool { return m.From.Output == to })
			for i >= 0 && i < len(moves) && (done[i] || moves[i].From.Output != to) {
				if i++; i == len(moves) {
					i = -1
				}
			}
		}
		out = append(out, c)
	}
	for i, m := range moves { // those that make room for nothing begin chains
		if !done[i] && !entered[m.From.Output] {
			follow(i)
		}
	}
	for i := range moves { // rings, and what else leaves an output that something comes to
		if !done[i] {
			follow(i)
		}
	}
	return out
}
