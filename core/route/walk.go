package route

import (
	"math"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
)

// gains is what becomes of the left and right of a signal: out by in. What is mono is on the
// left alone.
type gains [2][2]float64

func (a gains) times(b gains) (out gains) {
	for i := range 2 {
		for j := range 2 {
			out[i][j] = a[i][0]*b[0][j] + a[i][1]*b[1][j]
		}
	}
	return out
}

func (a gains) plus(b gains) gains {
	for i := range 2 {
		for j := range 2 {
			a[i][j] += b[i][j]
		}
	}
	return a
}

func (a gains) squared() gains {
	for i := range 2 {
		for j := range 2 {
			a[i][j] *= a[i][j]
		}
	}
	return a
}

var unity = gains{{1, 0}, {0, 1}}

// through gives what an edge does to a signal. What is mono is panned where it comes to something wider:
// a lane by the law of its kind of host, and what is inside an instrument by that of −3 dB (sine and
// cosine), so that its power stays. What is stereo is balanced; what comes to something mono is the
// half of the sum.
func (g *Graph) through(e Edge) gains {
	level := e.Gain.Linear()
	if e.Inverted {
		level = -level
	}
	from, to := g.nodes[e.From].Width, g.nodes[e.To].Width
	kind := g.nodes[e.From].Kind
	switch {
	case from <= audio.Mono && to <= audio.Mono:
		return gains{{level, 0}, {0, 0}}
	case from <= audio.Mono && (kind == Lane || kind == Bus):
		left, right := g.pan(e.Pan)
		return gains{{level * left, 0}, {level * right, 0}}
	case to <= audio.Mono:
		return gains{{level / 2, level / 2}, {0, 0}}
	}
	left, right := audio.SineCosine.Gains(e.Pan, false)
	if from <= audio.Mono {
		return gains{{level * left, 0}, {level * right, 0}}
	}
	return gains{{level * min(1, left*math.Sqrt2), 0}, {0, level * min(1, right*math.Sqrt2)}}
}

// transfer is what becomes of a signal between a node and the main mix.
type transfer struct {
	times    int    // paths that arrive, effects' returns left out; saturates
	returned int    // paths that arrive by the return of an effect
	same     gains  // the amplitudes of those paths, which are one signal
	effect   gains  // the powers of what effects return
	shut     Reason // why nothing arrives, as the first path has it
}

const mostTimes = 1 << 20

// measure computes the transfers, from the main mix backwards, each edge once.
func (g *Graph) measure() {
	g.down = make([]transfer, len(g.nodes))
	done := make([]bool, len(g.nodes))
	g.down[g.main] = transfer{times: 1, same: unity}
	done[g.main] = true
	type frame struct {
		at   ID
		next int
	}
	for start := range g.nodes {
		stack := []frame{{at: ID(start)}}
		for len(stack) > 0 {
			top := &stack[len(stack)-1]
			if done[top.at] {
				stack = stack[:len(stack)-1]
				continue
			}
			pushed := false
			for ; top.next < len(g.out[top.at]) && !pushed; top.next++ {
				if e := g.edges[g.out[top.at][top.next]]; e.Shut == Open && e.To != None && !done[e.To] {
					stack = append(stack, frame{at: e.To})
					pushed = true
				}
			}
			if !pushed {
				done[top.at] = true
				g.down[top.at] = g.gather(top.at)
				stack = stack[:len(stack)-1]
			}
		}
	}
}

// gather adds up what leaves a node.
func (g *Graph) gather(at ID) (t transfer) {
	for _, n := range g.out[at] {
		e := g.edges[n]
		if e.Shut != Open || e.To == None {
			t.shut = first(t.shut, e.Shut)
			continue
		}
		next, m := g.down[e.To], g.through(e)
		t.shut = first(t.shut, next.shut)
		if g.aside(e) {
			t.returned = min(mostTimes, t.returned+next.times+next.returned)
			t.effect = t.effect.plus(next.same.times(m).squared()).plus(next.effect.times(m.squared()))
			continue
		}
		t.times = min(mostTimes, t.times+next.times)
		t.returned = min(mostTimes, t.returned+next.returned)
		t.same = t.same.plus(next.same.times(m))
		t.effect = t.effect.plus(next.effect.times(m.squared()))
	}
	if len(g.out[at]) == 0 && t.shut == Open && at != g.main {
		t.shut = NoLane
	}
	return t
}

func first(a, b Reason) Reason {
	if a == Open {
		return b
	}
	return a
}

// aside reports whether what an edge brings comes back as another signal, by an effect: a send to
// a return, in the mixer or inside, or the main exit of an instrument.
func (g *Graph) aside(e Edge) bool {
	return e.Kind == InsideSend || e.Kind == MainExit ||
		e.Kind == Sent && e.To != None && g.IsReturn(g.nodes[e.To].Ref)
}

// Arrival is how a signal arrives at the main mix, over all its paths.
type Arrival struct {
	Times    int            // by how many paths, returns of effects left out
	Returned int            // by how many through the return of an effect
	Level    audio.Decibels // the power over all channels, relative to the signal's own
	Left     audio.Decibels // the gain to each side
	Right    audio.Decibels
	Silent   Reason // why nothing arrives; Open: something does
}

// Arrives tells how what is at a node arrives at the main mix. Paths of one signal add as
// amplitudes, what each send brings to an effect comes back as a power of its own.
func (g *Graph) Arrives(at ID) Arrival {
	t := g.down[at]
	a := Arrival{Times: t.times, Returned: t.returned}
	a.Level, a.Left, a.Right = levels(t.same, t.effect, g.nodes[at].Width)
	switch {
	case t.times == 0 && t.returned == 0:
		a.Silent = first(t.shut, NoLane)
	case math.IsInf(float64(a.Level), -1) || a.Level < inaudible:
		a.Silent, a.Level, a.Left, a.Right = Cancelled, audio.Silence, audio.Silence, audio.Silence
	}
	return a
}

// inaudible is what is left of equal paths of opposite polarity by rounding, in dB.
const inaudible audio.Decibels = -200

// levels gives the power over all channels relative to a signal of a width, and the gain to
// each side.
func levels(same, effect gains, w audio.Width) (level, left, right audio.Decibels) {
	power := same.squared().plus(effect)
	l, r, own := power[0][0]+power[0][1], power[1][0]+power[1][1], 1.0
	if w > audio.Mono {
		own = 2
	}
	db := func(p float64) audio.Decibels { return audio.FromLinear(math.Sqrt(p)) }
	return db((l + r) / own), db(l), db(r)
}

// Path is one way that a signal takes.
type Path struct {
	Nodes    []ID
	Edges    []int32 // between them; where it does not reach, the one that is shut comes last
	Level    audio.Decibels
	Left     audio.Decibels
	Right    audio.Decibels
	Inverted bool
	Reaches  bool
	Returned bool   // it goes through the return of an effect, and adds as power
	Shut     Reason // where it does not reach
}

// Paths lists the ways of what is at a node, at most so many; sends are ways too where they
// are asked for.
func (g *Graph) Paths(from ID, most int, sends bool) []Path {
	w := &walker{g: g, most: most, sends: sends, width: g.nodes[from].Width}
	w.visit(from, Path{Nodes: []ID{from}}, unity)
	return w.paths
}

type walker struct {
	g     *Graph
	most  int
	sends bool
	width audio.Width
	paths []Path
}

func (w *walker) visit(at ID, p Path, m gains) {
	if len(w.paths) >= w.most {
		return
	}
	end := func(why Reason) {
		p.Shut, p.Level, p.Left, p.Right = why, audio.Silence, audio.Silence, audio.Silence
		w.paths = append(w.paths, p)
	}
	if at == w.g.main {
		p.Reaches = true
		p.Level, p.Left, p.Right = levels(m, gains{}, w.width)
		w.paths = append(w.paths, p)
		return
	}
	if len(w.g.out[at]) == 0 {
		end(NoLane)
		return
	}
	for _, n := range w.g.out[at] {
		e := w.g.edges[n]
		if (e.Kind == Sent || e.Kind == InsideSend) && !w.sends {
			continue
		}
		next := p
		next.Edges = append(p.Edges[:len(p.Edges):len(p.Edges)], n)
		if e.Shut != Open || e.To == None {
			if w.g.aside(e) || e.Kind == Sent {
				continue
			}
			if len(w.paths) < w.most {
				next.Shut, next.Level, next.Left, next.Right = e.Shut, audio.Silence, audio.Silence, audio.Silence
				w.paths = append(w.paths, next)
			}
			continue
		}
		next.Nodes = append(p.Nodes[:len(p.Nodes):len(p.Nodes)], e.To)
		next.Inverted = p.Inverted != e.Inverted
		next.Returned = p.Returned || w.g.aside(e)
		w.visit(e.To, next, w.g.through(e).times(m))
	}
}

// SecondExit is the output by which a feed, by its place in Feeds, leaves beside its own: the
// main one, where it is open.
func (g *Graph) SecondExit(feed int) (plan.OutputRef, bool) {
	for _, n := range g.out[g.feeds[feed]] {
		if e := g.edges[n]; e.Kind == MainExit && e.Shut == Open && e.To != None {
			o := g.nodes[e.To]
			return o.Placed.Ref(o.Output), true
		}
	}
	return plan.OutputRef{}, false
}
