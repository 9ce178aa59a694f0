// Package mapdraw lays out the map of a project: feeds on the left, then
// outputs, lanes, buses and the main mix, with few crossings. It computes
// places and curves; colours, type and themes are the style sheet's.
package mapdraw

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

// Columns of the drawing, in user units (CSS pixels at full size).
const (
	Width      = 940
	FeedRight  = 158 // feed names end here
	FeedDot    = 170
	OutputLeft = 316
	OutputW    = 92
	LaneLeft   = 492
	LaneW      = 42
	LaneName   = 546
	BusLeft    = 742
	BusW       = 108
	MainLeft   = 898
	MainW      = 36

	top       = 44
	feedRow   = 29
	tightRow  = 23 // where there are many
	many      = 30
	outputGap = 29
	busGap    = 56
	groupGap  = 22
)

// Drawing is a laid-out map.
type Drawing struct {
	Height  int
	Feeds   []Feed
	Outputs []Output
	Lanes   []Lane
	Buses   []Lane
	Edges   []Edge
	Ends    []End
	Groups  []Group // instrument names, where there are several
	MainTop int
	MainH   int
	MainMid int
	Spare   int // outputs left out because they carry nothing
}

// Mark says which feeds' paths pass through a thing.
type Mark struct {
	Paths map[int]bool
	Lit   bool
}

// Attr lists the paths for the page's script: "0 3 4".
func (m Mark) Attr() string {
	ids := make([]int, 0, len(m.Paths))
	for i := range m.Paths {
		ids = append(ids, i)
	}
	slices.Sort(ids)
	return strings.Trim(fmt.Sprint(ids), "[]")
}

// Group is a heading over the feeds of one instrument.
type Group struct {
	Y    int
	Name string
}

// Feed is one feed, or a folded family of them.
type Feed struct {
	Mark
	Y      int
	Name   string
	Ref    string
	State  plan.State
	Family string // set on a folded family: the role that unfolds it
}

// Output is one output, or those of a folded family.
type Output struct {
	Mark
	Y     int
	Ref   string
	Label string
	Ports string
}

// Lane is a lane or a bus, or the lanes of a folded family.
type Lane struct {
	Mark
	Y      int
	ID     string
	Number string
	Name   string
	Colour string
	Ink    string // black or white, whichever reads better on Colour
}

// Edge is one curve.
type Edge struct {
	Mark
	D      string // SVG path data
	Colour string
	Double bool // the second way of a lane that arrives twice
	Parked bool
	Heavy  bool // from a bus on
}

// End is a dead-end bar: a path stops here.
type End struct {
	Mark
	X, Y int
	Why  string
}

// Options say how to draw.
type Options struct {
	Fold bool            // fold families of several feeds
	Open map[string]bool // families that stay unfolded
	// Lit names what is chosen: a feed, an output or a lane. Its paths are lit.
	Feed, Output, Lane string
}

// node is a thing on its way to a place: the rows it connects to pull it.
type node struct {
	key  string
	pull float64 // where it would like to stand
	tie  int     // order among equals
	y    int
}

// settle gives nodes places near where they are pulled, at least gap apart, so
// that the sum of squared shifts is least (pooling adjacent violators; Ayer and
// others 1955), in the order of their pulls, which keeps crossings few.
func settle(ns []*node, gap int) {
	slices.SortStableFunc(ns, func(a, b *node) int { return cmp.Or(cmp.Compare(a.pull, b.pull), a.tie-b.tie) })
	type block struct {
		sum   float64
		n     int
		first int
	}
	var blocks []block
	for i, n := range ns {
		blocks = append(blocks, block{n.pull - float64(i*gap), 1, i})
		for len(blocks) > 1 {
			a, b := blocks[len(blocks)-2], blocks[len(blocks)-1]
			if a.sum/float64(a.n) <= b.sum/float64(b.n) {
				break
			}
			blocks = append(blocks[:len(blocks)-2], block{a.sum + b.sum, a.n + b.n, a.first})
		}
	}
	for _, b := range blocks {
		for i := b.first; i < b.first+b.n; i++ {
			ns[i].y = int(max(b.sum/float64(b.n), top+10)) + i*gap
		}
	}
}

// curve is an S from one point to another with level ends.
func curve(x1, y1, x2, y2 int) string {
	bend := (x2 - x1) * 9 / 20
	return fmt.Sprintf("M%d %dC%d %d %d %d %d %d", x1, y1, x1+bend, y1, x2-bend, y2, x2, y2)
}

// New lays a project out.
func New(g *trace.Graph, o Options) *Drawing {
	b := &builder{g: g, o: o, d: &Drawing{}, outputs: map[string]*node{}, outMarks: map[string]Mark{}, laneMarks: map[string]Mark{}}
	b.feeds()
	b.placeOutputs()
	b.placeLanes()
	b.placeBuses()
	b.connect()
	b.light()
	return b.d
}

type builder struct {
	g *trace.Graph
	o Options
	d *Drawing

	rows      []row // one for each drawn feed row
	outputs   map[string]*node
	outMarks  map[string]Mark
	laneMarks map[string]Mark
	laneNodes map[string]*node
	bottom    int
}

// row is a drawn feed row with the graph's feeds it stands for.
type row struct {
	y     int
	feeds []int
}

func mark(paths ...int) Mark {
	m := Mark{Paths: map[int]bool{}}
	for _, p := range paths {
		m.Paths[p] = true
	}
	return m
}

// feeds stacks the feeds instrument by instrument; families are folded where
// that is asked for.
func (b *builder) feeds() {
	step := feedRow
	if len(b.g.Feeds) > many && !b.o.Fold {
		step = tightRow
	}
	y := top + 12
	last := ""
	var family role.Role
	for i, f := range b.g.Feeds {
		if f.Ref.Placed != last {
			if last != "" {
				y += groupGap
			}
			if len(b.g.Project.Placed) > 1 {
				b.d.Groups = append(b.d.Groups, Group{y, f.Placed.Instrument.Name})
				y += groupGap
			}
			last, family = f.Ref.Placed, "?"
		}
		fold := b.o.Fold && b.foldable(i) && !b.o.Open[string(f.Role.Family())]
		if fold && family == f.Role.Family() && len(b.rows) > 0 {
			r := &b.rows[len(b.rows)-1]
			r.feeds = append(r.feeds, i)
			n := &b.d.Feeds[len(b.d.Feeds)-1]
			n.Paths[i] = true
			continue
		}
		family = "?"
		n := Feed{Mark: mark(i), Y: y, Name: f.Name, Ref: f.Ref.String(), State: f.At.State}
		if fold {
			family = f.Role.Family()
			n.Family = string(family)
		}
		b.d.Feeds = append(b.d.Feeds, n)
		b.rows = append(b.rows, row{y, []int{i}})
		y += step
	}
	for i, r := range b.rows {
		if f := &b.d.Feeds[i]; len(r.feeds) > 1 {
			f.Name = fmt.Sprintf("%s · %d feeds", familyName(role.Role(f.Family)), len(r.feeds))
		} else {
			f.Family = ""
		}
	}
	b.bottom = y
}

// foldable tells whether a feed's whole way is the usual one: assigned, on one
// lane. What is out of the ordinary stays in sight.
func (b *builder) foldable(i int) bool {
	f := b.g.Feeds[i]
	return f.At.State == plan.Assigned && f.Exists && f.Role != role.Unnamed && len(b.g.LanesOf(f.OutputRef())) == 1
}

func familyName(r role.Role) string {
	seg := r.Segments()
	if len(seg) == 0 {
		return "Unnamed"
	}
	s := strings.ReplaceAll(seg[len(seg)-1], "-", " ")
	return strings.ToUpper(s[:1]) + s[1:]
}

// place makes the node for a key, once, in the order of first mention.
func (b *builder) place(key string, pull float64, tie int, into map[string]*node, order *[]*node) *node {
	n := into[key]
	if n == nil {
		n = &node{key: key, pull: pull, tie: tie}
		into[key] = n
		*order = append(*order, n)
	}
	return n
}

func (b *builder) placeOutputs() {
	var order []*node
	pulls := map[string][]float64{}
	for ri, r := range b.rows {
		for _, i := range r.feeds {
			f := b.g.Feeds[i]
			if !f.Exists {
				continue
			}
			key := f.OutputRef().String()
			pulls[key] = append(pulls[key], float64(b.rows[ri].y))
			b.place(key, 0, f.At.Output, b.outputs, &order)
			if b.outMarks[key].Paths == nil {
				b.outMarks[key] = mark()
			}
			b.outMarks[key].Paths[i] = true
		}
	}
	below := float64(b.bottom)
	for pi := range b.g.Project.Placed {
		pl := &b.g.Project.Placed[pi]
		for _, o := range pl.Outputs {
			ref := plan.OutputRef{Placed: pl.ID, Output: o.Number}
			key := ref.String()
			switch {
			case b.outputs[key] != nil:
			case len(b.g.LanesOf(ref)) > 0:
				b.place(key, 0, o.Number, b.outputs, &order)
				b.outMarks[key] = mark()
				pulls[key] = []float64{below}
				below += outputGap
			default:
				b.d.Spare++
				continue
			}
			b.d.Outputs = append(b.d.Outputs, Output{Ref: key, Label: fmt.Sprint(o.Number), Ports: o.PortNames(0)})
		}
	}
	for key, ps := range pulls {
		sum := 0.0
		for _, p := range ps {
			sum += p
		}
		b.outputs[key].pull = sum / float64(len(ps))
	}
	settle(order, outputGap)
	for i := range b.d.Outputs {
		o := &b.d.Outputs[i]
		o.Y, o.Mark = b.outputs[o.Ref].y, b.outMarks[o.Ref]
		b.bottom = max(b.bottom, o.Y+outputGap)
	}
}

func (b *builder) placeLanes() {
	b.laneNodes = map[string]*node{}
	var order []*node
	below := float64(b.bottom)
	for _, l := range b.g.Lanes() {
		b.laneMarks[l.ID] = mark()
	}
	for i, f := range b.g.Feeds {
		for _, p := range b.g.Paths(f) {
			for _, s := range p.Stops {
				if s.Kind == trace.AtLane || s.Kind == trace.AtBus {
					b.laneMarks[s.ID].Paths[i] = true
				}
			}
		}
	}
	for _, l := range b.g.Lanes() {
		if l.Kind == plan.Bus {
			continue
		}
		sum, n := 0.0, 0
		for _, s := range l.Sources {
			if o := b.outputs[s.String()]; o != nil {
				sum, n = sum+float64(o.y), n+1
			}
		}
		if n == 0 {
			sum, n = below, 1
			below += outputGap
		}
		b.place(l.ID, sum/float64(n), int(l.Number), b.laneNodes, &order)
	}
	settle(order, outputGap)
	for _, l := range b.g.Lanes() {
		if l.Kind != plan.Bus {
			b.d.Lanes = append(b.d.Lanes, b.lane(l, b.laneNodes[l.ID].y))
			b.bottom = max(b.bottom, b.laneNodes[l.ID].y+outputGap)
		}
	}
}

func (b *builder) lane(l *plan.Lane, y int) Lane {
	return Lane{Mark: b.laneMarks[l.ID], Y: y, ID: l.ID, Number: fmt.Sprint(l.Number), Name: l.Name, Colour: l.Colour, Ink: InkOn(l.Colour)}
}

func (b *builder) placeBuses() {
	var order []*node
	var inner float64
	for _, l := range b.g.Lanes() {
		if l.Kind != plan.Bus {
			continue
		}
		sum, n := 0.0, 0
		for _, in := range b.g.Into(l.ID) {
			if o := b.laneNodes[in.ID]; o != nil {
				sum, n = sum+float64(o.y), n+1
			}
		}
		if n == 0 {
			inner += busGap
			sum, n = float64(b.bottom)/2+inner, 1
		}
		b.place(l.ID, sum/float64(n), int(l.Number), b.laneNodes, &order)
	}
	settle(order, busGap)
	for _, l := range b.g.Lanes() {
		if l.Kind == plan.Bus {
			b.d.Buses = append(b.d.Buses, b.lane(l, b.laneNodes[l.ID].y))
			b.bottom = max(b.bottom, b.laneNodes[l.ID].y+busGap)
		}
	}
	b.d.Height = b.bottom + 14
	b.d.MainTop, b.d.MainH, b.d.MainMid = top, b.bottom-top, (top+b.bottom)/2
}

const noColour = "#7a7f87"

// connect draws the curves and the dead ends.
func (b *builder) connect() {
	for ri, r := range b.rows {
		drawn := map[string]int{}
		for _, i := range r.feeds {
			f := b.g.Feeds[i]
			switch f.At.State {
			case plan.Off:
				continue
			case plan.Undecided:
				b.end(FeedDot+40, r.y, i, "not assigned to an output")
				b.edge(Edge{Mark: mark(i), D: curve(FeedDot, r.y, FeedDot+40, r.y), Colour: noColour})
				continue
			}
			if !f.Exists {
				b.end(OutputLeft-20, r.y, i, fmt.Sprintf("output %d does not exist", f.At.Output))
				b.edge(Edge{Mark: mark(i), D: curve(FeedDot, r.y, OutputLeft-20, r.y), Colour: noColour})
				continue
			}
			key := f.OutputRef().String()
			if e, ok := drawn[key]; ok {
				b.d.Edges[e].Paths[i] = true
				continue
			}
			drawn[key] = len(b.d.Edges)
			colour := noColour
			if ls := b.g.LanesOf(f.OutputRef()); len(ls) > 0 && f.At.State == plan.Assigned {
				colour = ls[0].Colour
			}
			b.edge(Edge{Mark: mark(i), D: curve(FeedDot, b.rows[ri].y, OutputLeft, b.outputs[key].y), Colour: colour, Parked: f.At.State == plan.Parked})
		}
	}
	for _, o := range b.d.Outputs {
		ref, err := plan.ParseOutputRef(o.Ref)
		if err != nil {
			continue
		}
		wanted, _ := b.g.On(ref)
		lanes := b.g.LanesOf(ref)
		for _, l := range lanes {
			b.edge(Edge{Mark: o.Mark, D: curve(OutputLeft+OutputW, o.Y, LaneLeft, b.laneNodes[l.ID].y), Colour: l.Colour})
		}
		if len(lanes) == 0 && len(wanted) > 0 {
			b.edge(Edge{Mark: o.Mark, D: curve(OutputLeft+OutputW, o.Y, LaneLeft-28, o.Y), Colour: noColour})
			b.endMark(End{Mark: o.Mark, X: LaneLeft - 28, Y: o.Y, Why: "no lane takes output " + o.Label})
		}
	}
	for _, l := range b.g.Lanes() {
		from, n := LaneLeft+LaneW, b.laneNodes[l.ID]
		if l.Kind == plan.Bus {
			from = BusLeft + BusW
		}
		m := b.laneMarks[l.ID]
		if bus := b.laneNodes[l.To]; bus != nil && l.To != plan.MainMix {
			straight := BusLeft - 96
			d := curve(straight, n.y, BusLeft, bus.y)
			if l.Kind == plan.Bus { // a bus into a bus loops round on the right
				d = fmt.Sprintf("M%d %dC%d %d %d %d %d %d", from, n.y, from+40, n.y, from+40, bus.y, BusLeft+BusW, bus.y)
			} else {
				d = fmt.Sprintf("M%d %dH%d", from, n.y, straight) + strings.TrimPrefix(d, fmt.Sprintf("M%d %d", straight, n.y))
			}
			b.edge(Edge{Mark: m, D: d, Colour: l.Colour, Heavy: l.Kind == plan.Bus})
			if l.AlsoMain {
				fork := BusLeft - 96
				out := n.y + 20
				b.edge(Edge{Mark: m, D: fmt.Sprintf("M%d %dC%d %d %d %d %d %d", fork, n.y, fork+90, n.y, fork+120, b.clear(out), MainLeft, b.clear(out)), Colour: l.Colour, Double: true})
			}
			continue
		}
		b.edge(Edge{Mark: m, D: fmt.Sprintf("M%d %dH%d", from, n.y, MainLeft), Colour: l.Colour, Heavy: l.Kind == plan.Bus})
	}
}

// clear moves a height out of the way of the buses.
func (b *builder) clear(y int) int {
	for _, bus := range b.d.Buses {
		if y > bus.Y-36 && y < bus.Y+36 {
			y = bus.Y + 40
		}
	}
	return min(y, b.d.MainTop+b.d.MainH-8)
}

func (b *builder) edge(e Edge) { b.d.Edges = append(b.d.Edges, e) }

func (b *builder) end(x, y, feed int, why string) {
	b.endMark(End{Mark: mark(feed), X: x, Y: y, Why: why})
}

func (b *builder) endMark(e End) { b.d.Ends = append(b.d.Ends, e) }

// light lights everything on the paths of what is chosen.
func (b *builder) light() {
	lit := map[int]bool{}
	for i, f := range b.g.Feeds {
		if b.o.Feed != "" && f.Ref.String() == b.o.Feed {
			lit[i] = true
		}
	}
	for k := range b.outMarks[b.o.Output].Paths {
		lit[k] = true
	}
	for k := range b.laneMarks[b.o.Lane].Paths {
		lit[k] = true
	}
	on := func(m *Mark) {
		for p := range m.Paths {
			m.Lit = m.Lit || lit[p]
		}
	}
	for i := range b.d.Feeds {
		on(&b.d.Feeds[i].Mark)
	}
	for i := range b.d.Outputs {
		on(&b.d.Outputs[i].Mark)
	}
	for i := range b.d.Lanes {
		on(&b.d.Lanes[i].Mark)
	}
	for i := range b.d.Buses {
		on(&b.d.Buses[i].Mark)
	}
	for i := range b.d.Edges {
		on(&b.d.Edges[i].Mark)
	}
	for i := range b.d.Ends {
		on(&b.d.Ends[i].Mark)
	}
}

// InkOn is near-black or white, whichever has more contrast on the colour (WCAG
// 2.1 relative luminance).
func InkOn(hex string) string {
	c, err := colorful.Hex(hex)
	if err != nil {
		return "#ffffff"
	}
	r, g, bl := c.LinearRgb()
	if luminance := 0.2126*r + 0.7152*g + 0.0722*bl; luminance > 0.19 {
		return "#101418"
	}
	return "#ffffff"
}
