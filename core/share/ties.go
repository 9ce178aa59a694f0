package share

import (
	"cmp"
	"slices"

	"hiddenlanes/core/audio"
)

// maxStates bounds the search among equally cheap groupings at one point of the
// chart. Real kits stay far below; past it the best so many are followed.
const maxStates = 20000

// partial is one way to group the blocks up to a point: what is still to come and
// which places are kept.
type partial struct {
	left, total    int   // places in the table of what is still to come, and of all
	kept           needs // whole outputs kept, by width
	keptNeed       needs // the needs of the groups that keep one
	halves, opened int16
	claimed        placeSet // places that a later group might want and may not
}

// placeSet is a set of places, by their numbers in an index.
type placeSet [4]uint64

func (s *placeSet) add(k int)     { s[k/64] |= 1 << (k % 64) }
func (s placeSet) has(k int) bool { return s[k/64]&(1<<(k%64)) != 0 }

func (s *placeSet) remove(other placeSet) {
	for j := range s {
		s[j] &^= other[j]
	}
}

// arrival is the best way found to a partial grouping.
type arrival struct {
	kept  int // items that stay
	from  partial
	start int  // the block that the last group begins with
	place Jack // what the last group keeps, or none
	order int  // in which it was found
}

// tieBreak searches among the cheapest groupings.
type tieBreak struct {
	*solver
	uniform bool         // all outputs that count are of one width
	index   map[Jack]int // of places that items of several blocks are on now: two groups might want one
	closing []placeSet   // places nobody wants from block i on
	points  []map[partial]arrival
	found   int
}

// keepMost chooses among the cheapest groupings: most items stay, then fewest
// ports. It follows the table's tight steps only, keeping for each point the
// best way there for every set of places that later groups could still want.
func (s *solver) keepMost(at []int, cost int64) *Solution {
	t := s.newTieBreak(at)
	for a := range s.blocks {
		for _, w := range pruned(t.points[a]) {
			t.goOn(a, w)
		}
	}
	end := t.best()
	out := t.readBack(end, cost)
	s.placeRest(out)
	return out
}

func (s *solver) newTieBreak(at []int) *tieBreak {
	n := len(s.blocks)
	mixed := s.size[n1]*s.size[n2]+s.size[n2]*s.size[n6]+s.size[n1]*s.size[n6] != 0
	t := &tieBreak{solver: s, uniform: !s.Pairs && !mixed && s.oneWidth(), index: map[Jack]int{},
		closing: make([]placeSet, n+1), points: make([]map[partial]arrival, n+1)}
	last := map[int]int{} // the last block with an item on an output
	for i, b := range s.blocks {
		for _, it := range b.items {
			p := s.Items[it].Now
			if p.Output < 1 || p.Output > len(s.Outputs) {
				continue
			}
			if _, ok := t.index[p]; !ok && len(t.index) < 256 {
				t.index[p] = len(t.index)
			}
			last[p.Output] = i
		}
	}
	for p, k := range t.index {
		for i := last[p.Output] + 1; i <= n; i++ {
			t.closing[i].add(k)
		}
	}
	for i := range t.points {
		t.points[i] = map[partial]arrival{}
	}
	for _, u := range at {
		t.points[0][partial{left: u, total: u}] = arrival{}
	}
	return t
}

// goOn follows every tight step of the table from a partial grouping that ends before
// block a: a group of the blocks a … e-1.
func (t *tieBreak) goOn(a int, w partial) {
	here := t.least[a*t.sum+w.left]
	for e := a + 1; e <= len(t.blocks); e++ {
		c := t.cost[a][e-a]
		if c > here {
			break // longer ones cost more still
		}
		need, counted, ok := t.need(a, e)
		if !ok {
			continue
		}
		left := w.left
		if counted {
			if t.count(left, need) == 0 {
				continue
			}
			left -= t.stride(need)
		}
		if c+t.least[e*t.sum+left] != here {
			continue
		}
		for _, cl := range t.claims(a, e, w) {
			t.arrive(a, e, w, t.after(w, left, need, cl, e), cl)
		}
	}
}

// after is the partial grouping that a group makes, which needs an output of a class and
// claims a place.
func (t *tieBreak) after(w partial, left, need int, cl claim, e int) partial {
	w.left = left
	if cl.place != (Jack{}) && !cl.pinned {
		if k, ok := t.index[cl.place]; ok {
			w.claimed.add(k)
		}
		if !t.uniform {
			t.keep(&w, need, cl)
		}
	}
	w.claimed.remove(t.closing[e])
	return w
}

// keep counts a place that is kept.
func (t *tieBreak) keep(w *partial, need int, cl claim) {
	w.keptNeed[need]++
	if cl.place.Side == Whole {
		w.kept[class(t.Outputs[cl.place.Output-1].Width)]++
		return
	}
	w.halves++
	if cl.opens {
		w.opened++
	}
}

// arrive remembers a way to a partial grouping that ends before block e, if it keeps more
// than the one known.
func (t *tieBreak) arrive(a, e int, from, to partial, cl claim) {
	if _, ok := t.rest(to); !t.uniform && !ok {
		return
	}
	t.found++
	next := arrival{kept: t.points[a][from].kept + cl.kept, from: from, start: a, place: cl.place, order: t.found}
	if known, ok := t.points[e][to]; !ok || next.kept > known.kept {
		t.points[e][to] = next
	}
}

// best is the whole grouping that keeps most, then takes fewest ports, then was found
// first.
func (t *tieBreak) best() (end partial) {
	best, ports := arrival{kept: -1}, 0
	for w, r := range t.points[len(t.blocks)] {
		p, ok := t.ports(w, t.uniform)
		if !ok {
			continue
		}
		better := cmp.Or(cmp.Compare(r.kept, best.kept), cmp.Compare(ports, p), cmp.Compare(best.order, r.order)) > 0
		if best.kept < 0 || better {
			end, best, ports = w, r, p
		}
	}
	return end
}

// readBack writes the groups down that lead to a whole grouping.
func (t *tieBreak) readBack(end partial, cost int64) *Solution {
	n := len(t.blocks)
	out := &Solution{Cost: cost, Kept: t.points[n][end].kept}
	for w, e := end, n; e > 0; {
		r := t.points[e][w]
		g := Load{At: r.place, Cost: t.cost[r.start][e-r.start]}
		for _, b := range t.blocks[r.start:e] {
			g.Items = append(g.Items, b.items...)
		}
		out.Groups = append(out.Groups, g)
		w, e = r.from, r.start
	}
	slices.Reverse(out.Groups)
	return out
}

// oneWidth reports whether all outputs that pins leave are of one width.
func (s *solver) oneWidth() bool {
	kinds := 0
	for _, c := range s.pool.free {
		if c > 0 {
			kinds++
		}
	}
	return kinds <= 1 && s.pool.half == 0
}

// pruned lists the partial groupings to go on from at a point, the most kept first where there
// are too many.
func pruned(m map[partial]arrival) []partial {
	out := make([]partial, 0, len(m))
	for w := range m {
		out = append(out, w)
	}
	slices.SortFunc(out, func(a, b partial) int {
		return cmp.Or(cmp.Compare(m[b].kept, m[a].kept), cmp.Compare(m[a].order, m[b].order))
	})
	return out[:min(len(out), maxStates)]
}

// claim is one place that a group could keep.
type claim struct {
	place  Jack
	kept   int
	pinned bool
	opens  bool // the first side kept of its output
}

// claims lists the places the group of blocks a … e-1 could keep, and none.
func (t *tieBreak) claims(a, e int, w partial) []claim {
	on := map[Jack]int{} // items that are on a place now
	width, pin := audio.Mono, Jack{}
	for _, b := range t.blocks[a:e] {
		width = max(width, b.width)
		if b.pin != (Jack{}) {
			pin = b.pin
		}
		for _, it := range b.items {
			if p := t.Items[it].Now; p.Output > 0 && p.Output <= len(t.Outputs) {
				on[p]++
			}
		}
	}
	if pin != (Jack{}) {
		return []claim{{place: pin, kept: on[pin], pinned: true}}
	}
	out := []claim{{}}
	for p, k := range on {
		if !t.fits(p, width) {
			continue
		}
		free, alone := t.unclaimed(p, w)
		if free {
			opens := p.Side != Whole && t.pinned[p.Output] == nil && alone
			out = append(out, claim{place: p, kept: k, opens: opens})
		}
	}
	slices.SortFunc(out, func(x, y claim) int {
		return cmp.Or(cmp.Compare(y.kept, x.kept), cmp.Compare(x.place.Output, y.place.Output),
			cmp.Compare(x.place.Side, y.place.Side))
	})
	return out
}

// fits reports whether a group of a width can stand on a place that no pin has taken.
func (s *solver) fits(p Jack, width audio.Width) bool {
	o, side := s.Outputs[p.Output-1], p.Side != Whole
	if o.Width < width || side && (!s.Pairs || width > audio.Mono || o.Width != audio.Stereo) {
		return false
	}
	sides, pinned := s.pinned[p.Output]
	return !pinned || side && !sides[Whole] && !sides[p.Side]
}

// unclaimed reports whether no earlier group has claimed a place, and whether none has
// claimed anything of its output.
func (t *tieBreak) unclaimed(p Jack, w partial) (free, alone bool) {
	free, alone = true, true
	for _, side := range [3]Side{Whole, Left, Right} {
		k, ok := t.index[Jack{p.Output, side}]
		if !ok || !w.claimed.has(k) {
			continue
		}
		alone = false
		if side == p.Side || side == Whole || p.Side == Whole {
			free = false
		}
	}
	return free, alone
}

// rest is the pool that what is kept leaves.
func (s *solver) rest(w partial) (pool, bool) {
	p := s.pool
	for c := range p.free {
		p.free[c] -= w.kept[c]
	}
	p.free[n2] -= int(w.opened)
	p.half += 2*int(w.opened) - int(w.halves)
	return p, p.free[n1] >= 0 && p.free[n2] >= 0 && p.free[n6] >= 0 && p.half >= 0
}

// ports counts the ports a whole grouping takes; ok is false where what is kept
// leaves no room for the rest within the limit.
func (s *solver) ports(w partial, uniform bool) (int, bool) {
	u := s.counts(w.total)
	if uniform {
		f, ok := s.pool.fill(u, -1)
		return f.ports, ok
	}
	for c := range u {
		u[c] -= w.keptNeed[c]
	}
	p, ok := s.rest(w)
	if !ok {
		return 0, false
	}
	outputs, ports := s.used+int(w.opened), int(w.halves)
	for c, k := range w.kept {
		outputs += k
		ports += k * widthOf[c].Ports()
	}
	limit := -1
	if s.Limit > 0 {
		if limit = s.Limit - outputs; limit < 0 {
			return 0, false
		}
	}
	f, ok := p.fill(u, limit)
	return ports + f.ports, ok
}

// placing gives groups their outputs, one after the other.
type placing struct {
	*solver
	taken  map[int]map[Side]bool // sides in use, by output
	halves []Jack                // sides left over beside others
	fill   filling               // how what is left is to be laid
	spare  needs                 // whole outputs that mono groups may have
}

// placeRest gives the groups that keep nothing the lowest outputs that fit, in chart
// order, the narrow ones to the narrow, and counts the ports.
func (s *solver) placeRest(out *Solution) {
	p := &placing{solver: s, taken: map[int]map[Side]bool{}}
	var open []*Load // without a place
	var u needs
	for i := range out.Groups {
		g := &out.Groups[i]
		if g.At != (Jack{}) {
			p.take(g.At)
			continue
		}
		open = append(open, g)
		u[class(s.width(g))]++
	}
	p.plan(u)
	for _, g := range open {
		g.At = p.next(class(s.width(g)))
		p.take(g.At)
	}
	out.Ports = 0
	for _, g := range out.Groups {
		if g.At.Side != Whole {
			out.Ports++
		} else {
			out.Ports += s.Outputs[g.At.Output-1].Width.Ports()
		}
	}
}

// width is that of a group's widest item.
func (s *solver) width(g *Load) audio.Width {
	w := audio.Mono
	for _, it := range g.Items {
		w = max(w, s.Items[it].Width)
	}
	return w
}

func (p *placing) take(at Jack) {
	if p.taken[at.Output] == nil {
		p.taken[at.Output] = map[Side]bool{}
	}
	p.taken[at.Output][at.Side] = true
}

// plan lays groups, by need, on the outputs that are left.
func (p *placing) plan(u needs) {
	rest := pool{pairs: p.Pairs}
	for i, o := range p.Outputs {
		switch used := p.taken[i+1]; {
		case len(used) == 0:
			rest.free[class(o.Width)]++
		case p.Pairs && o.Width == audio.Stereo && !used[Whole] && len(used) == 1:
			side := Left
			if used[Left] {
				side = Right
			}
			p.halves = append(p.halves, Jack{i + 1, side})
		}
	}
	rest.half = len(p.halves)
	limit := -1
	if p.Limit > 0 {
		limit = p.Limit - len(p.taken)
	}
	p.fill, _ = rest.fill(u, limit)
	// Stereo groups have the first claim on stereo outputs, and the widest on the widest.
	p.spare = needs{rest.free[n1], rest.free[n2] - p.fill.stereo - p.fill.pairs,
		rest.free[n6] - u[n6] - (u[n2] - p.fill.stereo)}
}

// next is the place for the next group of a class.
func (p *placing) next(c int) Jack {
	switch {
	case c == n6:
		return p.lowest(n6)
	case c == n2 && p.fill.stereo > 0:
		p.fill.stereo--
		return p.lowest(n2)
	case c == n2:
		return p.lowest(n6)
	}
	return p.nextMono()
}

func (p *placing) nextMono() (at Jack) {
	switch {
	case len(p.halves) > 0:
		at, p.halves = p.halves[0], p.halves[1:]
		return at
	case p.fill.pairs > 0:
		p.fill.pairs--
		at = Jack{p.lowest(n2).Output, Left}
		p.halves = append(p.halves, Jack{at.Output, Right})
		return at
	}
	for c := n1; c <= n6 && at.Output == 0; c++ {
		if p.spare[c] > 0 {
			p.spare[c]--
			at = p.lowest(c)
		}
	}
	return at
}

// lowest is the first whole output of a class that is not in use.
func (p *placing) lowest(c int) Jack {
	for i, o := range p.Outputs {
		if class(o.Width) == c && len(p.taken[i+1]) == 0 {
			return Jack{Output: i + 1}
		}
	}
	return Jack{}
}
