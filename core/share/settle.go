package share

import (
	"cmp"
	"slices"

	"hiddenlanes/core/audio"
)

// maxStates bounds the search among equally cheap groupings at one point of the
// chart. Real kits stay far below; past it the best so many are followed.
const maxStates = 20000

// way is one way to group the blocks up to a point: what is still to come and
// which places are kept.
type way struct {
	left, total    int   // places in the table of what is still to come, and of all
	kept           needs // whole outputs kept, by width
	keptNeed       needs // the needs of the groups that keep one
	halves, opened int16
	claimed        [4]uint64 // places that a later group might want and may not
}

type reached struct {
	kept       int // items that stay
	from       way
	start      int
	place      Place // what the last group keeps, or none
	discovered int
}

// settle chooses among the cheapest groupings: most items stay, then fewest
// ports. It follows the table's tight steps only, keeping for each point the
// best way there for every set of places that later groups could still want.
func (s *solver) settle(at []int, cost int64) *Solution {
	n := len(s.blocks)
	// Places that items of several blocks are on now: two groups might want one.
	index, last := map[Place]int{}, map[int]int{}
	for i, b := range s.blocks {
		for _, it := range b.items {
			p := s.Items[it].Now
			if p.Output < 1 || p.Output > len(s.Outputs) {
				continue
			}
			if _, ok := index[p]; !ok && len(index) < 256 {
				index[p] = len(index)
			}
			last[p.Output] = i
		}
	}
	closing := make([][4]uint64, n+1) // places nobody wants after block i
	for p, k := range index {
		for i := last[p.Output] + 1; i <= n; i++ {
			closing[i][k/64] |= 1 << (k % 64)
		}
	}
	uniform := !s.Pairs && s.size[n1]*s.size[n2]+s.size[n2]*s.size[n6]+s.size[n1]*s.size[n6] == 0 && s.oneWidth()
	points := make([]map[way]reached, n+1)
	for i := range points {
		points[i] = map[way]reached{}
	}
	for _, u := range at {
		points[0][way{left: u, total: u}] = reached{}
	}
	seen := 0
	for a := range n {
		for _, w := range pruned(points[a]) {
			r := points[a][w]
			here := s.least[a*s.sum+w.left]
			for e := a + 1; e <= n; e++ {
				c := s.cost[a][e-a]
				if c > here {
					break // longer ones cost more still
				}
				k, counted, ok := s.need(a, e)
				if !ok {
					continue
				}
				left := w.left
				if counted {
					if s.count(left, k) == 0 {
						continue
					}
					left -= s.stride(k)
				}
				if c+s.least[e*s.sum+left] != here {
					continue
				}
				for _, cl := range s.claims(a, e, k, counted, w, index) {
					nw := w
					nw.left = left
					if cl.place != (Place{}) && !cl.pinned {
						if j, ok := index[cl.place]; ok {
							nw.claimed[j/64] |= 1 << (j % 64)
						}
						if !uniform {
							nw.keptNeed[k]++
							if cl.place.Side == Whole {
								nw.kept[class(s.Outputs[cl.place.Output-1].Width)]++
							} else {
								nw.halves++
								if cl.opens {
									nw.opened++
								}
							}
						}
					}
					for j := range nw.claimed {
						nw.claimed[j] &^= closing[e][j]
					}
					if _, ok := s.rest(nw); !uniform && !ok {
						continue
					}
					seen++
					next := reached{kept: r.kept + cl.kept, from: w, start: a, place: cl.place, discovered: seen}
					if old, ok := points[e][nw]; !ok || next.kept > old.kept {
						points[e][nw] = next
					}
				}
			}
		}
	}
	// The end: most kept, then fewest ports, then the first found.
	var end way
	best, ports := reached{kept: -1}, 0
	for w, r := range points[n] {
		p, ok := s.ports(w, uniform)
		if !ok {
			continue
		}
		if c := cmp.Or(cmp.Compare(r.kept, best.kept), cmp.Compare(ports, p), cmp.Compare(best.discovered, r.discovered)); best.kept < 0 || c > 0 {
			end, best, ports = w, r, p
		}
	}
	out := &Solution{Cost: cost, Kept: best.kept}
	for w, e := end, n; e > 0; {
		r := points[e][w]
		g := Group{At: r.place, Cost: s.cost[r.start][e-r.start]}
		for _, b := range s.blocks[r.start:e] {
			g.Items = append(g.Items, b.items...)
		}
		out.Groups = append(out.Groups, g)
		w, e = r.from, r.start
	}
	slices.Reverse(out.Groups)
	s.land(out)
	return out
}

// oneWidth tells whether all outputs that pins leave are of one width.
func (s *solver) oneWidth() bool {
	kinds := 0
	for _, c := range s.pool.free {
		if c > 0 {
			kinds++
		}
	}
	return kinds <= 1 && s.pool.half == 0
}

// pruned lists the ways to go on from a point, the most kept first where there
// are too many.
func pruned(m map[way]reached) []way {
	out := make([]way, 0, len(m))
	for w := range m {
		out = append(out, w)
	}
	slices.SortFunc(out, func(a, b way) int {
		return cmp.Or(cmp.Compare(m[b].kept, m[a].kept), cmp.Compare(m[a].discovered, m[b].discovered))
	})
	return out[:min(len(out), maxStates)]
}

// claim is one place that a group could keep.
type claim struct {
	place  Place
	kept   int
	pinned bool
	opens  bool // the first side kept of its output
}

// claims lists the places the group of blocks a … e-1 could keep, and none.
func (s *solver) claims(a, e, need int, counted bool, w way, index map[Place]int) []claim {
	on := map[Place]int{}
	width, pin := audio.Mono, Place{}
	for _, b := range s.blocks[a:e] {
		width = max(width, b.width)
		if b.pin != (Place{}) {
			pin = b.pin
		}
		for _, it := range b.items {
			if p := s.Items[it].Now; p.Output > 0 && p.Output <= len(s.Outputs) {
				on[p]++
			}
		}
	}
	if pin != (Place{}) {
		return []claim{{place: pin, kept: on[pin], pinned: true}}
	}
	out := []claim{{}}
	for p, k := range on {
		o := s.Outputs[p.Output-1]
		side := p.Side != Whole
		if o.Width < width || side && (!s.Pairs || width > audio.Mono || o.Width != audio.Stereo) {
			continue
		}
		if sides, pinned := s.pinned[p.Output]; pinned && (!side || sides[Whole] || sides[p.Side]) {
			continue
		}
		c := claim{place: p, kept: k, opens: side && s.pinned[p.Output] == nil}
		blocked := false
		for _, other := range [3]Side{Whole, Left, Right} {
			j, ok := index[Place{p.Output, other}]
			if !ok || w.claimed[j/64]&(1<<(j%64)) == 0 {
				continue
			}
			if other == p.Side || other == Whole || !side {
				blocked = true
			}
			c.opens = false
		}
		if !blocked {
			out = append(out, c)
		}
	}
	slices.SortFunc(out, func(x, y claim) int {
		return cmp.Or(cmp.Compare(y.kept, x.kept), cmp.Compare(x.place.Output, y.place.Output), cmp.Compare(x.place.Side, y.place.Side))
	})
	return out
}

// rest is the pool that what is kept leaves.
func (s *solver) rest(w way) (pool, bool) {
	p := s.pool
	for c := range p.free {
		p.free[c] -= w.kept[c]
	}
	p.free[n2] -= int(w.opened)
	p.half += 2*int(w.opened) - int(w.halves)
	return p, p.free[n1] >= 0 && p.free[n2] >= 0 && p.free[n6] >= 0 && p.half >= 0
}

// ports counts the ports a finished way takes; ok is false where what is kept
// leaves no room for the rest within the limit.
func (s *solver) ports(w way, uniform bool) (int, bool) {
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

// land gives the groups that keep nothing the lowest outputs that fit, in chart
// order, the narrow ones to the narrow.
func (s *solver) land(out *Solution) {
	sides := map[int]map[Side]bool{}
	use := func(p Place) {
		if sides[p.Output] == nil {
			sides[p.Output] = map[Side]bool{}
		}
		sides[p.Output][p.Side] = true
	}
	var open []int // groups without a place
	var u needs
	width := func(g Group) audio.Width {
		w := audio.Mono
		for _, it := range g.Items {
			w = max(w, s.Items[it].Width)
		}
		return w
	}
	for i, g := range out.Groups {
		if g.At != (Place{}) {
			use(g.At)
			continue
		}
		open = append(open, i)
		u[class(width(g))]++
	}
	rest := pool{pairs: s.Pairs}
	var halves []Place
	for i, o := range s.Outputs {
		switch used := sides[i+1]; {
		case len(used) == 0:
			rest.free[class(o.Width)]++
		case s.Pairs && o.Width == audio.Stereo && !used[Whole] && len(used) == 1:
			side := Left
			if used[Left] {
				side = Right
			}
			halves = append(halves, Place{i + 1, side})
		}
	}
	rest.half = len(halves)
	limit := -1
	if s.Limit > 0 {
		limit = s.Limit - len(sides)
	}
	f, _ := rest.fill(u, limit)
	// Stereo groups have the first claim on stereo outputs, and the widest on the widest.
	spare := needs{rest.free[n1], rest.free[n2] - f.stereo - f.pairs, rest.free[n6] - u[n6] - (u[n2] - f.stereo)}
	free := func(c int) int {
		for i, o := range s.Outputs {
			if class(o.Width) == c && len(sides[i+1]) == 0 {
				return i + 1
			}
		}
		return 0
	}
	for _, i := range open {
		g := &out.Groups[i]
		switch class(width(*g)) {
		case n6:
			g.At.Output = free(n6)
		case n2:
			if f.stereo > 0 {
				f.stereo--
				g.At.Output = free(n2)
			} else {
				g.At.Output = free(n6)
			}
		default:
			switch {
			case len(halves) > 0:
				g.At, halves = halves[0], halves[1:]
			case f.pairs > 0:
				f.pairs--
				o := free(n2)
				g.At = Place{o, Left}
				halves = append(halves, Place{o, Right})
			default:
				for c := n1; c <= n6 && g.At.Output == 0; c++ {
					if spare[c] > 0 {
						spare[c]--
						g.At.Output = free(c)
					}
				}
			}
		}
		use(g.At)
	}
	out.Ports = 0
	for _, g := range out.Groups {
		w := s.Outputs[g.At.Output-1].Width.Ports()
		if g.At.Side != Whole {
			w = 1
		}
		out.Ports += w
	}
}
