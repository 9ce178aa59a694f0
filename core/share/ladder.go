package share

import "slices"

// Step is the cheapest grouping on a number of outputs.
type Step struct {
	Outputs int
	Cost    int64 // meaningless where not Possible
	// Possible is false where wishes, pins and widths leave no grouping on so few.
	Possible bool
	Groups   [][]int // items by index, in chart order
}

// Ladder gives the cheapest grouping for every number of outputs from 1 to the
// number of items; Step i is for i+1 outputs. Up to the number there are it uses
// at most so many of them; above it adds outputs as wide as the widest item.
// Where several groupings cost the same it takes the ones that differ least from
// the step nearer to the solution here, which may be nil. It reads the whole
// ladder off one table.
func Ladder(p Problem, here *Solution) ([]Step, error) {
	if outputs, _ := loosePins(p); len(outputs) > 0 {
		if q, _, err := settled(p); err == nil {
			p = q
		}
	}
	q, err := prepare(p)
	if err != nil || len(q.blocks) == 0 {
		return nil, err
	}
	n := len(p.Items)
	q.Limit = 0
	extra := max(0, n-len(p.Outputs))
	s := newSolver(q, extra)
	steps := make([]Step, n)
	at := make([]int, n)
	for u := range s.sum {
		if s.least[u] >= infinite {
			continue
		}
		need := s.needWith(s.counts(u), extra)
		for k := max(need, 1); k <= n; k++ {
			if st := &steps[k-1]; !st.Possible || s.least[u] < st.Cost {
				st.Possible, st.Cost = true, s.least[u]
				at[k-1] = u
			} else {
				break // every longer one has it as cheap already
			}
		}
	}
	// From the cut outwards, each step is made from its neighbour by joining two
	// groups or parting one, if that is as cheap; else it is read off the table.
	cut := n
	var cuts []int
	if here != nil {
		cut = min(max(1, here.outputs()), n)
		cuts = q.cuts(here.Groups)
	}
	fill := func(from, to, by int, near []int) {
		for k := from; k != to; k += by {
			st := &steps[k-1]
			if st.Outputs = k; !st.Possible {
				continue
			}
			if near = s.beside(near, st.Cost, k, extra, by); near == nil {
				near = s.read(at[k-1])
			}
			st.Groups = q.items(near)
		}
	}
	fill(cut, 0, -1, cuts)
	if steps[cut-1].Groups != nil {
		cuts = q.cutsOf(steps[cut-1].Groups)
	}
	fill(cut+1, n+1, 1, cuts)
	return steps, nil
}

// outputs counts the outputs a solution uses.
func (sol *Solution) outputs() int {
	seen := map[int]bool{}
	for _, g := range sol.Groups {
		seen[g.At.Output] = true
	}
	return len(seen)
}

// beside finds cuts that cost what is asked on k outputs: those given, or those
// less or more some. It gives nil where there are none that near.
func (s *solver) beside(cuts []int, cost int64, k, extra, by int) []int {
	if cuts == nil {
		return nil
	}
	n := len(s.blocks)
	end := func(i int) int {
		if i+1 < len(cuts) {
			return cuts[i+1]
		}
		return n
	}
	now := int64(0)
	for i, a := range cuts {
		now += s.cost[a][end(i)-a]
	}
	fits := func(cuts []int) bool {
		var u needs
		for i, a := range cuts {
			e := n
			if i+1 < len(cuts) {
				e = cuts[i+1]
			}
			c, counted, ok := s.need(a, e)
			if !ok {
				return false
			}
			if counted {
				u[c]++
			}
		}
		return s.needWith(u, extra) <= k
	}
	if now == cost && fits(cuts) {
		return cuts
	}
	for i, a := range cuts {
		if by < 0 && i > 0 {
			b := cuts[i-1]
			if c := s.cost[b][end(i)-b]; c < infinite && now-s.cost[b][a-b]-s.cost[a][end(i)-a]+c == cost {
				if next := slices.Delete(slices.Clone(cuts), i, i+1); fits(next) {
					return next
				}
			}
		}
		for m := a + 1; by > 0 && m < end(i); m++ {
			if now-s.cost[a][end(i)-a]+s.cost[a][m-a]+s.cost[m][end(i)-m] == cost {
				if next := slices.Insert(slices.Clone(cuts), i+1, m); fits(next) {
					return next
				}
			}
		}
	}
	return nil
}

// read takes one cheapest grouping off the table.
func (s *solver) read(u int) (cuts []int) {
	n := len(s.blocks)
	for a := 0; a < n; {
		cuts = append(cuts, a)
		here, next := s.least[a*s.sum+u], n
		for e := a + 1; e <= n; e++ {
			c := s.cost[a][e-a]
			if c > here {
				break // longer ones cost more still
			}
			need, counted, ok := s.need(a, e)
			left := u
			if ok && counted {
				if ok = s.count(u, need) > 0; ok {
					left -= s.stride(need)
				}
			}
			if ok && c+s.least[e*s.sum+left] == here {
				next, u = e, left
				break
			}
		}
		a = next
	}
	return cuts
}

// items lists the items of the groups that begin at the cuts.
func (q *prepared) items(cuts []int) [][]int {
	out := make([][]int, len(cuts))
	for i, a := range cuts {
		e := len(q.blocks)
		if i+1 < len(cuts) {
			e = cuts[i+1]
		}
		for _, b := range q.blocks[a:e] {
			out[i] = append(out[i], b.items...)
		}
	}
	return out
}

// cuts are the blocks that groups begin with.
func (q *prepared) cuts(groups []Load) (out []int) {
	at := 0
	for _, g := range groups {
		out = append(out, at)
		for left := len(g.Items); left > 0; at++ {
			left -= len(q.blocks[at].items)
		}
	}
	return out
}

func (q *prepared) cutsOf(groups [][]int) []int {
	gs := make([]Load, len(groups))
	for i, g := range groups {
		gs[i].Items = g
	}
	return q.cuts(gs)
}

// needWith is the least number of outputs in all on which the groups fit, where
// only the outputs above those there are may be added ones.
func (s *solver) needWith(u needs, extra int) int {
	p := s.pool
	p.free[class(s.added())] -= extra
	if f, ok := p.fill(u, -1); ok {
		need := f.outputs + s.used
		for ; s.Pairs && need > s.used; need-- { // wider ports might do with fewer outputs
			if _, ok := p.fill(u, need-1-s.used); !ok {
				break
			}
		}
		return need
	}
	for add := 1; add <= extra; add++ {
		p.free[class(s.added())]++
		if _, ok := p.fill(u, -1); ok {
			return len(s.Outputs) + add
		}
	}
	return len(s.Outputs) + extra + 1
}
