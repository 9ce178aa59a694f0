package share

import (
	"slices"

	"hiddenlanes/core/audio"
)

// needs counts groups by the width of output they need: mono, stereo, 5.1.
type needs [3]int

const (
	n1 = iota
	n2
	n6
)

func class(w audio.Width) int {
	switch {
	case w >= audio.Surround:
		return n6
	case w >= audio.Stereo:
		return n2
	}
	return n1
}

var widthOf = [3]audio.Width{audio.Mono, audio.Stereo, audio.Surround}

// pool is the outputs that no pin has taken.
type pool struct {
	free  needs // whole outputs by width
	half  int   // single sides left over beside a pinned or kept one
	pairs bool
}

// filling is how groups are laid on a pool.
type filling struct {
	stereo  int // stereo groups on stereo outputs; the rest take wider ones
	pairs   int // stereo outputs opened for mono groups, the last one perhaps for one alone
	outputs int // outputs taken beyond those pinned
	ports   int
}

// fill lays the groups on the pool with at most limit outputs (below 0: any
// number), each on the narrowest that is left, so that the fewest ports carry
// something. Of mono groups in pairs, whole pairs come first.
func (p pool) fill(u needs, limit int) (best filling, ok bool) {
	most := min(u[n2], p.free[n2])
	least := most
	if p.pairs { // a stereo group on a wider output may leave a pair to two mono ones
		least = max(0, u[n2]-p.free[n6])
	}
	for on2 := most; on2 >= least; on2-- {
		f, fits := p.fillWith(u, on2)
		if fits && (limit < 0 || f.outputs <= limit) && (!ok || f.ports < best.ports) {
			best, ok = f, true
		}
	}
	return best, ok
}

func (p pool) fillWith(u needs, on2 int) (f filling, ok bool) {
	left := p.free
	take := func(c, k int) { left[c] -= k; f.outputs += k; f.ports += k * widthOf[c].Ports() }
	f.stereo = on2
	take(n6, u[n6]+u[n2]-on2)
	take(n2, on2)
	if left[n6] < 0 || left[n2] < 0 {
		return f, false
	}
	m := u[n1]
	k := min(m, p.half)
	m, f.ports = m-k, f.ports+k
	if p.pairs {
		k = min(m/2, left[n2])
		left[n2], f.pairs, f.outputs, f.ports, m = left[n2]-k, k, f.outputs+k, f.ports+2*k, m-2*k
	}
	k = min(m, left[n1])
	take(n1, k)
	m -= k
	if p.pairs && m == 1 && left[n2] > 0 {
		left[n2], f.pairs, f.outputs, f.ports, m = left[n2]-1, f.pairs+1, f.outputs+1, f.ports+1, 0
	}
	for c := n2; c <= n6; c++ {
		k = min(m, left[c])
		take(c, k)
		m -= k
	}
	return f, m == 0
}

// solver holds the table of least costs.
type solver struct {
	*prepared
	pool    pool
	used    int // outputs that pins use
	runs    *runNeeds
	size    needs  // counts the table goes up to
	strides [3]int // steps in the table from one count to the next
	least   []int64
	sum     int // length of one position's part of the table
}

// newSolver fills the table: least[i][u] is the least cost of the blocks from i
// on, on u groups of each need. extra outputs of a width may be had beyond those
// there are. Time O(n²·counts), where the counts are one number unless widths
// are mixed.
func newSolver(q *prepared, extra int) *solver {
	s := &solver{prepared: q, used: len(q.pinned), pool: q.unpinned(extra)}
	s.runs = newRunNeeds(q, s.pool.narrowest())
	s.size = s.tableSize()
	s.strides = [3]int{1, s.size[0] + 1, (s.size[0] + 1) * (s.size[1] + 1)}
	s.sum = (s.size[0] + 1) * (s.size[1] + 1) * (s.size[2] + 1)
	s.fillTable()
	return s
}

// unpinned is the pool of outputs that no pin has taken, with extra ones.
func (q *prepared) unpinned(extra int) pool {
	p := pool{pairs: q.Pairs}
	for i, o := range q.Outputs {
		sides, pinned := q.pinned[i+1]
		switch {
		case !pinned:
			p.free[class(o.Width)]++
		case len(sides) == 1 && !sides[Whole]:
			p.half++
		}
	}
	p.free[class(q.added())] += extra
	return p
}

// narrowest gives, for each width of a feed, the narrowest width of output that there is
// for it, 3 for none: where all outputs are stereo, mono feeds count as stereo ones and
// one number does.
func (p pool) narrowest() (up [3]int) {
	monoInPairs := p.half > 0 || p.pairs && p.free[n2] > 0
	for c := range up {
		up[c] = c
		for up[c] < 3 && p.free[up[c]] == 0 && !(up[c] == n1 && monoInPairs) {
			up[c]++
		}
	}
	return up
}

// runNeeds says what kind of output a run of blocks needs.
type runNeeds struct {
	*prepared
	up   [3]int
	wide [][]int8  // widest class of each run
	pins [][]int16 // index of the pinned block in each run, plus one
}

func newRunNeeds(q *prepared, up [3]int) *runNeeds {
	n := len(q.blocks)
	r := &runNeeds{prepared: q, up: up, wide: make([][]int8, n), pins: make([][]int16, n)}
	for a := range n {
		wide, pins := make([]int8, n-a+1), make([]int16, n-a+1)
		for e := a + 1; e <= n; e++ {
			last := &q.blocks[e-1]
			wide[e-a] = max(wide[e-a-1], int8(class(last.width)))
			if pins[e-a] = pins[e-a-1]; last.pin != (Jack{}) {
				pins[e-a] = int16(e)
			}
		}
		r.wide[a], r.pins[a] = wide, pins
	}
	return r
}

// need is the class of output that blocks a … e-1 need together. counted is false where a
// pin has taken one for them already, ok where no output would do.
func (r *runNeeds) need(a, e int) (kind int, counted, ok bool) {
	w := int(r.wide[a][e-a])
	k := r.pins[a][e-a]
	if k == 0 {
		return r.up[w], true, r.up[w] < 3
	}
	pin := r.blocks[k-1].pin
	fits := w <= class(r.Outputs[pin.Output-1].Width)
	return 0, false, fits && (pin.Side == Whole || w == n1) // a side has no room for a wide feed
}

// need is what runNeeds says.
func (s *solver) need(a, e int) (class int, counted, ok bool) { return s.runs.need(a, e) }

// tableSize bounds the counts of groups by need: a group has the need of its widest
// member, so there are at most as many groups of one need as blocks of that need, and as
// outputs for it.
func (s *solver) tableSize() (size needs) {
	count := needs{}
	for _, b := range s.blocks {
		if c := s.runs.up[class(b.width)]; b.pin == (Jack{}) && c < 3 {
			count[c]++
		}
	}
	f := s.pool.free
	top := needs{f[n1] + f[n2] + f[n6] + s.pool.half, f[n2] + f[n6], f[n6]}
	if s.Pairs {
		top[n1] += f[n2]
	}
	for c := range size {
		size[c] = min(count[c], top[c])
	}
	return size
}

// fillTable works the table out from the end of the chart.
func (s *solver) fillTable() {
	n := len(s.blocks)
	s.least = make([]int64, (n+1)*s.sum)
	for i := range s.least {
		s.least[i] = infinite
	}
	s.least[n*s.sum] = 0
	for a := n - 1; a >= 0; a-- {
		for e := a + 1; e <= n; e++ {
			if s.cost[a][e-a] >= infinite {
				break // a longer run holds the same forbidden pair
			}
			if k, counted, ok := s.need(a, e); ok && !(counted && s.size[k] == 0) {
				s.relax(a, e, k, counted)
			}
		}
	}
}

// relax lets the run of blocks a … e-1 on one output lower the least costs from a on.
func (s *solver) relax(a, e, k int, counted bool) {
	here, next := s.least[a*s.sum:(a+1)*s.sum], s.least[e*s.sum:(e+1)*s.sum]
	step := 0
	if counted {
		step = s.stride(k)
	}
	end := len(next) - step
	if oneCount := s.sum == max(s.size[0], s.size[1], s.size[2])+1; oneCount { // no more groups than blocks
		end = min(end, len(s.blocks)-e+1)
	}
	c := s.cost[a][e-a]
	for u, rest := range next[:end] {
		t := rest + c
		if t >= here[u+step] {
			continue
		}
		// A step that runs over the end of its count lands on another's; the counts
		// of next are full there only where that is infinite.
		if step == 0 || s.count(u, k) < s.size[k] {
			here[u+step] = t
		}
	}
}

func (s *solver) stride(c int) int { return s.strides[c] }

// count is the number of groups of one need at a place of the table.
func (s *solver) count(u, c int) int { return u / s.strides[c] % (s.size[c] + 1) }

func (s *solver) counts(u int) needs {
	return needs{s.count(u, n1), s.count(u, n2), s.count(u, n6)}
}

// best lists the places of the table that cost least within the limit of
// outputs (0: none).
func (s *solver) best(limit int) (at []int, cost int64) {
	cost = infinite
	if limit > 0 && s.used > limit {
		return nil, cost
	}
	for u := range s.sum {
		c := s.least[u]
		if c >= infinite || c > cost {
			continue
		}
		if _, ok := s.pool.fill(s.counts(u), s.spare(limit)); !ok {
			continue
		}
		if c < cost {
			at, cost = at[:0], c
		}
		at = append(at, u)
	}
	return at, cost
}

// spare is how many outputs a limit leaves beside the pinned ones; below 0: any.
func (s *solver) spare(limit int) int {
	if limit == 0 {
		return -1
	}
	return limit - s.used
}

// Solve finds the cheapest grouping; of the cheapest, one that leaves most items
// where they are, and of those one that takes the fewest ports. Errors:
// *ConflictError, *TooFewError.
func Solve(p Problem) (*Solution, error) {
	if outputs, _ := loosePins(p); len(outputs) > 0 {
		_, s, err := settled(p)
		return s, err
	}
	return solveSettled(p)
}

func solveSettled(p Problem) (*Solution, error) {
	q, err := prepare(p)
	if err != nil {
		return nil, err
	}
	return q.solve()
}

func (q *prepared) solve() (*Solution, error) {
	if len(q.blocks) == 0 {
		return &Solution{}, nil
	}
	s := newSolver(q, 0)
	at, cost := s.best(q.Limit)
	if cost >= infinite {
		return nil, q.tooFew()
	}
	return s.keepMost(at, cost), nil
}

// added is the width of the outputs that are added where there are too few: as
// the last one there is, if that is wide enough.
func (q *prepared) added() audio.Width {
	w := q.widest
	if q.Pairs {
		w = max(w, audio.Stereo)
	}
	if n := len(q.Outputs); n > 0 {
		w = max(w, q.Outputs[n-1].Width)
	}
	return w
}

// tooFew finds how many more outputs it would take.
func (q *prepared) tooFew() error {
	have := len(q.Outputs)
	if q.Limit > 0 {
		have = min(have, q.Limit)
	}
	err := &TooFewError{Have: have, Need: have + len(q.blocks), Width: q.added()}
	for extra := 1; extra <= len(q.blocks); extra++ {
		limit := 0
		if q.Limit > 0 {
			limit = have + extra
		}
		if _, cost := newSolver(q, extra).best(limit); cost < infinite {
			err.Need = have + extra
			break
		}
	}
	// Were all of them wide, would they do? Then it is the wide ones that are short.
	wide := *q
	wide.Outputs = slices.Clone(q.Outputs)
	for i := range wide.Outputs {
		wide.Outputs[i].Width = max(wide.Outputs[i].Width, err.Width)
	}
	_, cost := newSolver(&wide, 0).best(q.Limit)
	err.Wide = cost < infinite
	return err
}
