// Package draw lays out what is drawn: the map of a project, the ladder of a proposal and
// outputs on their ports. It computes places and curves; colours, type and themes are the
// style sheet's. It knows the core alone, so that pages, the command and files share it.
package draw

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

// Columns of the drawing, in user units (CSS pixels at full size).
const (
	Width      = 940
	FeedRight  = 158 // feed names end here
	FeedDot    = 170
	OutputLeft = 300
	OutputW    = 92
	LaneLeft   = 462
	LaneW      = 46
	LaneName   = 518
	BusLeft    = 742
	BusW       = 108
	MainLeft   = 898
	MainW      = 36
	MasterLeft = 862 // of blocks of lanes, between buses and main mix
	MasterW    = 22
	laneEnd    = 668 // lane names end here, and the way to a bus begins to bend

	top       = 44
	feedRow   = 29
	tightRow  = 23 // where there are many
	many      = 30
	outputGap = 29
	busGap    = 56
	groupGap  = 22
)

// Map is a laid-out map.
type Map struct {
	Height  int
	Feeds   []FeedNode
	Outputs []Output
	Lanes   []Lane
	Buses   []Lane
	Masters []Master // of blocks of lanes, where the mixer has such
	Edges   []Edge
	Ends    []End
	Groups  []Heading // instrument names, where there are several
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

// Heading is a heading over the feeds of one instrument.
type Heading struct {
	Y    int
	Name string
}

// FeedNode is one feed, or a folded family of them.
type FeedNode struct {
	Mark
	Y      int
	Name   string
	Ref    string
	State  plan.State
	Family string // set on a folded family: what unfolds it
	Bus    string // set on a folded bus: the ID of its lane
}

// Output is one output, or those of a folded family.
type Output struct {
	Mark
	Y      int
	Ref    string
	Label  string
	Ports  string
	Host   string // its ports as the host numbers them, where that differs
	Family string
	Bus    string
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
	Family string
	Bus    string
	Other  bool // the plan did not make it
}

// Master is the master of a block of lanes.
type Master struct {
	Mark
	Y    int
	Name string
}

// Edge is one curve.
type Edge struct {
	Mark
	D      string // SVG path data
	Colour string
	Parked bool
	State  LineState
	Heavy  bool // from a bus on
	Bundle bool // several lines of a folded family
	Send   bool // a copy, beside the lane's own way
	Other  bool // of a lane that the plan did not make
}

// LineState is what a line's style says.
type LineState string

// The states of a line.
const (
	Planned LineState = "planned" // wanted, not yet in the host
	Patched LineState = "patched" // it stands in the host
	Waiting LineState = "waiting" // changed, and the host has not seen it yet
)

// Style is the line's class: its state, or parked.
func (e Edge) Style() string {
	switch {
	case e.Parked:
		return "parked"
	case e.State == "":
		return string(Planned)
	}
	return string(e.State)
}

// End is a dead-end bar: a path stops here.
type End struct {
	Mark
	X, Y int
	Why  string
}

// MapOptions say how to draw.
type MapOptions struct {
	Fold bool            // fold families of several feeds
	Open map[string]bool // families that stay unfolded, "i1:kit/tom"
	// What is chosen: feeds, an output or a lane. Its paths are lit.
	Feeds        []string
	Output, Lane string
}

// node is a thing on its way to a place: the rows it connects to pull it.
type node struct {
	key  string
	pull float64 // where it would like to stand
	tie  int     // order among equals
	y    int
}

// spread gives nodes places near where they are pulled, at least gap apart, so
// that the sum of squared shifts is least (pooling adjacent violators; Ayer and
// others 1955), in the order of their pulls, which keeps crossings few.
func spread(ns []*node, gap int) {
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

// loop goes from one height to another and back to where it began from the left.
func loop(x, y1, y2, reach int) string {
	return fmt.Sprintf("M%d %dC%d %d %d %d %d %d", x, y1, x+reach, y1, x+reach, y2, x, y2)
}

// New lays a project out.
func NewMap(g *trace.Graph, o MapOptions) *Map {
	b := &builder{g: g, o: o, d: &Map{}, folds: map[int]*fold{}, foldOut: map[string]*fold{}, foldOn: map[string]*fold{},
		nodes: map[string]*node{}, marks: map[string]Mark{}}
	b.feeds()
	b.placeOutputs()
	b.placeLanes()
	b.placeMasters()
	b.connect()
	b.light()
	return b.d
}

type builder struct {
	g *trace.Graph
	o MapOptions
	d *Map

	folds   map[int]*fold    // by feed
	foldOut map[string]*fold // by output reference
	foldOn  map[string]*fold // by lane ID
	rows    []row            // one for each drawn feed row
	nodes   map[string]*node // outputs, lanes and buses by key
	marks   map[string]Mark  // the same
	masters map[int]*node    // of blocks of lanes
	bottom  int
}

// fold is a family, or what an instrument has on one bus, drawn as one: its feeds, outputs and lanes.
type fold struct {
	key     string
	label   string
	family  role.Role
	bus     string // the ID of the bus's lane; "": it is a family
	feeds   []int
	outputs []rig.Output
	lanes   []*plan.Lane
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

// foldBuses finds what arrives at buses that the project has folded, instrument by instrument. What
// is out of the ordinary stays in sight: lanes with several outputs, and those that go to the main
// mix as well.
func (b *builder) foldBuses() {
	groups := map[string]*fold{}
	for i, f := range b.g.Feeds {
		if f.At.State != plan.Assigned || !f.Exists {
			continue
		}
		ref := f.OutputRef()
		lanes := b.g.LanesOf(ref)
		if len(lanes) != 1 || len(lanes[0].Sources) != 1 || lanes[0].AlsoMain {
			continue
		}
		bus := b.g.Lane(lanes[0].To)
		if bus == nil || !bus.Folded {
			continue
		}
		key := f.Ref.Placed + ":" + bus.ID
		fd := groups[key]
		if fd == nil {
			fd = &fold{key: key, label: bus.Name, bus: bus.ID}
			groups[key] = fd
		}
		fd.feeds = append(fd.feeds, i)
		if b.foldOut[ref.String()] == nil {
			fd.outputs, fd.lanes = append(fd.outputs, f.Output), append(fd.lanes, lanes[0])
		}
		b.folds[i], b.foldOut[ref.String()], b.foldOn[lanes[0].ID] = fd, fd, fd
	}
	for _, l := range b.g.Lanes() { // those that carry no feed, such as other lanes
		bus := b.g.Lane(l.To)
		if bus == nil || !bus.Folded || l.Kind == plan.Bus || len(l.Sources) > 0 || l.AlsoMain {
			continue
		}
		fd := groups[bus.ID]
		if fd == nil {
			fd = &fold{key: bus.ID, label: bus.Name, bus: bus.ID}
			groups[bus.ID] = fd
		}
		fd.lanes = append(fd.lanes, l)
		b.foldOn[l.ID] = fd
	}
}

// opens says what unfolds a fold: its family, or the lane of its bus.
func (fd *fold) opens() (family, bus string) {
	if fd.bus != "" {
		return "", fd.bus
	}
	return fd.key, ""
}

// fold finds the families that can be drawn as one: several feeds whose outputs
// carry nothing else, on lanes that take nothing else and all go one way. What
// is out of the ordinary stays in sight.
func (b *builder) fold() {
	b.foldBuses()
	if !b.o.Fold {
		return
	}
	families := map[string]*fold{}
	var order []*fold
	for i, f := range b.g.Feeds {
		if b.folds[i] != nil {
			continue
		}
		key := f.Ref.Placed + ":" + string(f.Role.Family())
		if f.At.State != plan.Assigned || !f.Exists || f.Role == role.Unnamed || b.o.Open[key] {
			continue
		}
		if families[key] == nil {
			families[key] = &fold{key: key, label: house.Label(f.Role.Family()), family: f.Role.Family()}
			order = append(order, families[key])
		}
		families[key].feeds = append(families[key].feeds, i)
	}
	for _, fd := range order {
		if len(fd.feeds) > 1 && b.uniform(fd) {
			for _, i := range fd.feeds {
				b.folds[i] = fd
				b.foldOut[b.g.Feeds[i].OutputRef().String()] = fd
			}
			for _, l := range fd.lanes {
				b.foldOn[l.ID] = fd
			}
		}
	}
}

// uniform collects a family's outputs and lanes, and reports whether they are its
// own and all go one way.
func (b *builder) uniform(fd *fold) bool {
	seen := map[plan.OutputRef]bool{}
	for _, i := range fd.feeds {
		f := b.g.Feeds[i]
		ref := f.OutputRef()
		if seen[ref] {
			continue
		}
		seen[ref] = true
		fd.outputs = append(fd.outputs, f.Output)
		wanted, parked := b.g.On(ref)
		lanes := b.g.LanesOf(ref)
		if len(parked) > 0 || len(lanes) != 1 || len(lanes[0].Sources) != 1 || lanes[0].AlsoMain {
			return false
		}
		for _, w := range wanted {
			if w.Role.Family() != fd.family {
				return false
			}
		}
		fd.lanes = append(fd.lanes, lanes[0])
	}
	return !slices.ContainsFunc(fd.lanes, func(l *plan.Lane) bool { return l.To != fd.lanes[0].To })
}

// feeds stacks the feeds instrument by instrument.
func (b *builder) feeds() {
	b.fold()
	step := feedRow
	if len(b.g.Feeds) > many && len(b.folds) == 0 {
		step = tightRow
	}
	y := top + 12
	last := ""
	drawn := map[*fold]bool{}
	for i, f := range b.g.Feeds {
		fd := b.folds[i]
		if fd != nil && drawn[fd] {
			continue
		}
		if f.Ref.Placed != last {
			if last != "" {
				y += groupGap
			}
			if len(b.g.Project.Placed) > 1 {
				b.d.Groups = append(b.d.Groups, Heading{y, f.Placed.Instrument.Name})
				y += groupGap
			}
			last = f.Ref.Placed
		}
		n := FeedNode{Mark: mark(i), Y: y, Name: f.Name, Ref: f.Ref.String(), State: f.At.State}
		r := row{y, []int{i}}
		if fd != nil {
			drawn[fd] = true
			n.Mark, r.feeds = mark(fd.feeds...), fd.feeds
			n.Family, n.Bus = fd.opens()
			n.Name = fmt.Sprintf("%s · %s", fd.label, words.Count(len(fd.feeds), "feed", "feeds"))
		}
		b.d.Feeds = append(b.d.Feeds, n)
		b.rows = append(b.rows, r)
		y += step
	}
	b.bottom = y
}

// outputKey and laneKey name the node a thing is drawn as.
func (b *builder) outputKey(ref plan.OutputRef) string {
	if fd := b.foldOut[ref.String()]; fd != nil {
		return "outputs of " + fd.key
	}
	return ref.String()
}

func (b *builder) laneKey(l *plan.Lane) string {
	if fd := b.foldOn[l.ID]; fd != nil {
		return "lanes of " + fd.key
	}
	return l.ID
}

// place makes the node for a key, once, in the order of first mention.
func (b *builder) place(key string, tie int, order *[]*node) *node {
	n := b.nodes[key]
	if n == nil {
		n = &node{key: key, tie: tie}
		b.nodes[key] = n
		b.marks[key] = mark()
		*order = append(*order, n)
	}
	return n
}

// pulls is the mean place of what a node hangs on.
type pulls map[string][2]float64

func (p pulls) add(key string, y int) {
	v := p[key]
	p[key] = [2]float64{v[0] + float64(y), v[1] + 1}
}

// setHeights gives each node its pull, or the next place below for what hangs on
// nothing, and then its height.
func (b *builder) setHeights(order []*node, p pulls, gap int) {
	below := float64(b.bottom)
	for _, n := range order {
		if v := p[n.key]; v[1] > 0 {
			n.pull = v[0] / v[1]
		} else {
			n.pull = below
			below += float64(gap)
		}
	}
	spread(order, gap)
	for _, n := range order {
		b.bottom = max(b.bottom, n.y+gap)
	}
}

func (b *builder) placeOutputs() {
	var order []*node
	p := pulls{}
	for _, r := range b.rows {
		for _, i := range r.feeds {
			if f := b.g.Feeds[i]; f.Exists {
				key := b.outputKey(f.OutputRef())
				b.place(key, f.At.Output, &order)
				b.marks[key].Paths[i] = true
				p.add(key, r.y)
				if exit, ok := b.g.SecondExit(i); ok {
					key := b.outputKey(exit)
					b.place(key, exit.Output, &order)
					b.marks[key].Paths[i] = true
				}
			}
		}
	}
	for pi := range b.g.Project.Placed {
		pl := &b.g.Project.Placed[pi]
		for _, o := range pl.Jacks() {
			ref := pl.Ref(o)
			key := b.outputKey(ref)
			switch {
			case b.nodes[key] != nil:
			case len(b.g.LanesOf(ref)) > 0:
				b.place(key, o.Number, &order)
			default:
				b.d.Spare++
				continue
			}
			out := Output{Ref: key, Label: o.Label(), Ports: o.PortNames(0)}
			if pl.Offset != 0 {
				out.Host = "→ " + o.PortNames(pl.Offset) // the host's number of it
			}
			if fd := b.foldOut[ref.String()]; fd != nil {
				if slices.ContainsFunc(b.d.Outputs, func(x Output) bool { return x.Ref == key }) {
					continue
				}
				out.Label, out.Ports = numbers(fd.outputs, func(o rig.Output) int { return o.Number }), ""
				out.Family, out.Bus = fd.opens()
				if len(fd.outputs) == 1 {
					out.Ports = o.PortNames(0)
				}
			}
			b.d.Outputs = append(b.d.Outputs, out)
		}
	}
	b.setHeights(order, p, outputGap)
	for i := range b.d.Outputs {
		o := &b.d.Outputs[i]
		o.Y, o.Mark = b.nodes[o.Ref].y, b.marks[o.Ref]
	}
}

// numbers sums up the numbers of several things: "3–5, 8".
func numbers[T any](things []T, of func(T) int) string {
	var ns []plan.LaneNumber
	for _, t := range things {
		ns = append(ns, plan.LaneNumber(of(t)))
	}
	return plan.RangesOf(ns...).String()
}

func (b *builder) placeLanes() {
	var order []*node
	p := pulls{}
	for _, l := range b.g.Lanes() {
		if l.Kind == plan.Bus {
			continue
		}
		key := b.laneKey(l)
		b.place(key, int(l.Number), &order)
		for _, s := range l.Sources {
			if o := b.nodes[b.outputKey(s)]; o != nil {
				p.add(key, o.y)
			}
		}
	}
	b.setHeights(order, p, outputGap)
	b.placeBuses()
	for i, f := range b.g.Feeds {
		for _, path := range b.g.Paths(f) {
			for _, s := range path.Stops {
				if s.Kind == trace.AtLane || s.Kind == trace.AtBus {
					b.marks[b.laneKey(b.g.Lane(s.ID))].Paths[i] = true
				}
			}
		}
	}
	for _, l := range b.g.Lanes() {
		for _, s := range l.Sends {
			b.spread(b.marks[b.laneKey(l)], s.To)
		}
	}
	drawn := map[string]bool{}
	for _, l := range b.g.Lanes() {
		key := b.laneKey(l)
		if drawn[key] {
			continue
		}
		drawn[key] = true
		n := Lane{Mark: b.marks[key], Y: b.nodes[key].y, ID: l.ID, Number: b.g.Project.Host.LaneName(l.Number), Name: l.Name,
			Colour: l.Colour, Ink: inkOn(l.Colour), Other: l.IsOther()}
		if fd := b.foldOn[l.ID]; fd != nil {
			n.Number = numbers(fd.lanes, func(l *plan.Lane) int { return int(l.Number) })
			n.Family, n.Bus = fd.opens()
			if len(fd.lanes) > 1 {
				n.Name = fmt.Sprintf("%s · %d lanes", fd.label, len(fd.lanes))
			}
		}
		if l.Kind == plan.Bus {
			b.d.Buses = append(b.d.Buses, n)
		} else {
			b.d.Lanes = append(b.d.Lanes, n)
		}
	}
	b.d.Height = b.bottom + 14
	b.d.MainTop, b.d.MainH, b.d.MainMid = top, b.bottom-top, (top+b.bottom)/2
}

// spread marks a bus with the paths that a send brings there, and what comes after it.
func (b *builder) spread(m Mark, bus string) {
	at := b.g.OfLane(bus)
	if at == route.None {
		return
	}
	for _, id := range b.g.Beyond(at) {
		if l := b.g.Node(id).Lane; l != nil {
			for path := range m.Paths {
				b.marks[l.ID].Paths[path] = true
			}
		}
	}
}

func (b *builder) placeBuses() {
	var order []*node
	p := pulls{}
	for _, l := range b.g.Lanes() {
		if l.Kind != plan.Bus {
			continue
		}
		b.place(l.ID, int(l.Number), &order)
		from := b.g.Into(l.ID)
		if len(from) == 0 {
			from = b.g.Senders(l.ID)
		}
		for _, in := range from {
			if o := b.nodes[b.laneKey(in)]; o != nil && o.y > 0 { // a bus further on has no place yet
				p.add(l.ID, o.y)
			}
		}
		if p[l.ID][1] == 0 {
			p.add(l.ID, b.bottom/2)
		}
	}
	b.setHeights(order, p, busGap)
}

const noColour = "#7a7f87"

// connect draws the curves and the dead ends.
func (b *builder) connect() {
	for _, r := range b.rows {
		b.fromFeeds(r)
	}
	for _, o := range b.d.Outputs {
		b.fromOutput(o)
	}
	drawn := map[string]bool{}
	for _, l := range b.g.Lanes() {
		if key := b.laneKey(l); !drawn[key] {
			drawn[key] = true
			b.fromLane(l, b.nodes[key], b.marks[key])
		}
		for _, s := range l.Sends {
			if way := b.laneKey(l) + " sends to " + s.To; !drawn[way] && b.nodes[s.To] != nil {
				drawn[way] = true
				b.send(l, s)
			}
		}
	}
}

// send draws a copy: thin, from the end of the lane to the bus.
func (b *builder) send(l *plan.Lane, s plan.Send) {
	key := b.laneKey(l)
	from, to := b.nodes[key].y, b.nodes[s.To].y
	d := curve(sendX, from, BusLeft, to+sendIn)
	if l.Kind == plan.Bus {
		d = loop(BusLeft+BusW, from-sendIn, to+sendIn, 30)
	}
	state := Planned
	if st := b.g.Project.Patched; st != nil {
		if have := st.Lane(l.ID); have != nil && have.HasSend(s) {
			state = Patched
		}
	}
	b.edge(Edge{Mark: b.marks[key], D: d, Colour: l.Colour, Bundle: b.several(l), State: state, Send: true})
}

// sendX is where a send leaves its lane, sendIn how far below a bus's middle it arrives.
const sendX, sendIn = laneEnd - 16, 12

func (b *builder) fromFeeds(r row) {
	drawn := map[string]bool{}
	for _, i := range r.feeds {
		f := b.g.Feeds[i]
		m := mark(i)
		if b.folds[i] != nil {
			m = mark(r.feeds...)
		}
		switch {
		case f.At.State == plan.Off:
		case f.At.State == plan.Undecided:
			b.stop(m, FeedDot, FeedDot+40, r.y, "not assigned to an output")
		case !f.Exists:
			b.stop(m, FeedDot, OutputLeft-20, r.y, fmt.Sprintf("output %s does not exist", f.At.At()))
		default:
			key := b.outputKey(f.OutputRef())
			if drawn[key] {
				continue
			}
			drawn[key] = true
			colour := noColour
			if ls := b.g.LanesOf(f.OutputRef()); len(ls) > 0 && f.At.State == plan.Assigned {
				colour = ls[0].Colour
			}
			b.edge(Edge{Mark: m, D: curve(FeedDot, r.y, OutputLeft, b.nodes[key].y), Colour: colour,
				Parked: f.At.State == plan.Parked, Bundle: b.folds[i] != nil, State: b.feedState(f)})
			b.secondExit(r, i, m, colour, drawn)
		}
	}
}

// secondExit draws the fork that is meant: from a feed to the main output, through the effects
// of the instrument, beside its own.
func (b *builder) secondExit(r row, i int, m Mark, colour string, drawn map[string]bool) {
	exit, ok := b.g.SecondExit(i)
	key := b.outputKey(exit)
	if !ok || drawn[key] || b.nodes[key] == nil {
		return
	}
	drawn[key] = true
	f := b.g.Feeds[i]
	state := Planned
	if s := b.g.Project.Patched; s != nil && s.Knows(plan.InstrumentEntity(f.Ref.Placed), plan.AttrInside) {
		for _, id := range f.Sources() {
			if s.Instruments[f.Ref.Placed].Inside[rig.InsideKey(id, rig.InsideMain, "")] != "" {
				state = Patched
			}
		}
	}
	b.edge(Edge{Mark: m, D: curve(FeedDot, r.y, OutputLeft, b.nodes[key].y), Colour: colour, Bundle: b.folds[i] != nil,
		State: state})
}

// feedState reports whether a feed stands in the host where it is planned.
func (b *builder) feedState(f trace.Feed) LineState {
	s := b.g.Project.Patched
	if s == nil {
		return Planned
	}
	in, ok := s.Instruments[f.Ref.Placed]
	switch {
	case !ok || in.JackOf(f.ID) != f.Placed.FeedLabel(f.ID):
		return Planned
	case !in.Sees(f.At.At()):
		return Waiting
	}
	return Patched
}

// laneState reports whether a lane stands in the host with what it takes, or, for a
// nil source, with where it goes.
func (b *builder) laneState(l *plan.Lane, source *plan.OutputRef) LineState {
	s := b.g.Project.Patched
	if s == nil {
		return Planned
	}
	have := s.Lane(l.ID)
	switch {
	case have == nil:
		return Planned
	case source != nil && !slices.Contains(have.Sources, *source):
		return Planned
	case source != nil:
		if in := s.Instruments[source.Placed]; !in.Sees(source.Jack()) {
			return Waiting
		}
		return Patched
	case have.To != l.To || have.AlsoMain != l.AlsoMain:
		return Planned
	}
	return Patched
}

// stop draws a level line that ends at a bar.
func (b *builder) stop(m Mark, from, to, y int, why string) {
	b.edge(Edge{Mark: m, D: fmt.Sprintf("M%d %dH%d", from, y, to), Colour: noColour})
	b.d.Ends = append(b.d.Ends, End{Mark: m, X: to, Y: y, Why: why})
}

func (b *builder) fromOutput(o Output) {
	drawn := map[string]bool{}
	for pi := range b.g.Project.Placed {
		pl := &b.g.Project.Placed[pi]
		for _, out := range pl.Jacks() {
			ref := pl.Ref(out)
			if b.outputKey(ref) != o.Ref {
				continue
			}
			lanes := b.g.LanesOf(ref)
			for _, l := range lanes {
				if key := b.laneKey(l); !drawn[key] {
					drawn[key] = true
					b.edge(Edge{Mark: o.Mark, D: curve(OutputLeft+OutputW, o.Y, LaneLeft, b.nodes[key].y), Colour: l.Colour,
						Bundle: b.several(l), State: b.laneState(l, &ref)})
				}
			}
			if wanted, _ := b.g.On(ref); len(lanes) == 0 && len(wanted) > 0 {
				b.stop(o.Mark, OutputLeft+OutputW, LaneLeft-24, o.Y, "no lane takes output "+o.Label)
			}
		}
	}
}

func (b *builder) fromLane(l *plan.Lane, n *node, m Mark) {
	from := LaneLeft + LaneW
	if l.Kind == plan.Bus {
		from = BusLeft + BusW
	}
	bus := b.nodes[l.To]
	if bus == nil || l.To == plan.MainMix {
		d := fmt.Sprintf("M%d %dH%d", from, n.y, MainLeft)
		if master := b.masterOf(l); master != nil {
			d = curve(from, n.y, MasterLeft, master.y)
			if l.Kind != plan.Bus {
				bend := strings.TrimPrefix(curve(laneEnd, n.y, MasterLeft, master.y), fmt.Sprintf("M%d %d", laneEnd, n.y))
				d = fmt.Sprintf("M%d %dH%d%s", from, n.y, laneEnd, bend)
			}
		}
		b.edge(Edge{Mark: m, Other: l.IsOther(), D: d, Colour: l.Colour, Heavy: l.Kind == plan.Bus,
			Bundle: b.several(l), State: b.laneState(l, nil)})
		return
	}
	if l.Kind == plan.Bus { // a bus into a bus loops round on the right
		b.edge(Edge{Mark: m, Other: l.IsOther(), D: loop(from, n.y, bus.y, 40), Colour: l.Colour, Heavy: true,
			State: b.laneState(l, nil)})
	} else {
		bend := strings.TrimPrefix(curve(laneEnd, n.y, BusLeft, bus.y), fmt.Sprintf("M%d %d", laneEnd, n.y))
		b.edge(Edge{Mark: m, Other: l.IsOther(), D: fmt.Sprintf("M%d %dH%d%s", from, n.y, laneEnd, bend), Colour: l.Colour,
			Bundle: b.several(l),
			State:  b.laneState(l, nil)})
	}
	if l.AlsoMain {
		y, end := b.clear(n.y+20), MainLeft
		if master := b.masterOf(l); master != nil {
			y, end = master.y, MasterLeft
		}
		b.edge(Edge{Mark: m, Other: l.IsOther(), D: fmt.Sprintf("M%d %dC%d %d %d %d %d %d", ForkX, n.y, ForkX+80, n.y, ForkX+
			110, y, end,
			y), Colour: l.Colour, State: b.laneState(l, nil)})
	}
}

// placeMasters gives the masters of blocks their places, near what is routed to them, and
// draws their chain into the main mix.
func (b *builder) placeMasters() {
	b.masters = map[int]*node{}
	var order []*node
	p := pulls{}
	block := map[string]int{}
	for _, l := range b.g.Lanes() {
		k := b.g.Project.Host.BlockOf(l.Number)
		if k == 0 || l.To != plan.MainMix && !l.AlsoMain {
			continue
		}
		key := fmt.Sprintf("block %d", k)
		if b.masters[k] == nil {
			b.masters[k] = &node{key: key, tie: k}
			order = append(order, b.masters[k])
			block[key] = k
			b.marks[key] = mark()
		}
		if n := b.nodes[b.laneKey(l)]; n != nil {
			p.add(key, n.y)
		}
		for path := range b.marks[b.laneKey(l)].Paths {
			b.marks[key].Paths[path] = true
		}
	}
	if len(order) == 0 {
		return
	}
	b.setHeights(order, p, 28)
	for _, n := range order {
		k := block[n.key]
		b.d.Masters = append(b.d.Masters, Master{b.marks[n.key], n.y, fmt.Sprint(k)})
		state := Planned
		if s := b.g.Project.Patched; s != nil && s.IsChained(k) {
			state = Patched
		}
		b.edge(Edge{Mark: b.marks[n.key], D: fmt.Sprintf("M%d %dH%d", MasterLeft+MasterW, n.y, MainLeft), Colour: noColour,
			Heavy: true, State: state})
	}
}

// masterOf is the master of the block that a lane is in, or nil.
func (b *builder) masterOf(l *plan.Lane) *node { return b.masters[b.g.Project.Host.BlockOf(l.Number)] }

// several reports whether a lane is drawn as one with others.
func (b *builder) several(l *plan.Lane) bool {
	fd := b.foldOn[l.ID]
	return fd != nil && len(fd.lanes) > 1
}

// ForkX is where the second way of a lane that arrives twice leaves the first.
const ForkX = laneEnd - 4

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

// light lights everything on the paths of what is chosen.
func (b *builder) light() {
	lit := map[int]bool{}
	for i, f := range b.g.Feeds {
		lit[i] = slices.Contains(b.o.Feeds, f.Ref.String())
	}
	for _, key := range []string{b.o.Output, b.o.Lane} {
		for k := range b.marks[key].Paths {
			lit[k] = true
		}
	}
	relight(lit, b.d.Feeds, func(x *FeedNode) *Mark { return &x.Mark })
	relight(lit, b.d.Outputs, func(x *Output) *Mark { return &x.Mark })
	relight(lit, b.d.Lanes, func(x *Lane) *Mark { return &x.Mark })
	relight(lit, b.d.Buses, func(x *Lane) *Mark { return &x.Mark })
	relight(lit, b.d.Masters, func(x *Master) *Mark { return &x.Mark })
	relight(lit, b.d.Edges, func(x *Edge) *Mark { return &x.Mark })
	relight(lit, b.d.Ends, func(x *End) *Mark { return &x.Mark })
}

func relight[T any](lit map[int]bool, things []T, of func(*T) *Mark) {
	for i := range things {
		m := of(&things[i])
		for p := range m.Paths {
			m.Lit = m.Lit || lit[p]
		}
	}
}

// darkInk is the relative luminance of #101418.
const darkInk = 0.0069

// inkOn is near-black or white, whichever has more contrast on the colour (WCAG
// 2.1 relative luminance).
func inkOn(hex string) string {
	c, err := colorful.Hex(hex)
	if err != nil {
		return "#ffffff"
	}
	r, g, bl := c.LinearRgb()
	on := 0.2126*r + 0.7152*g + 0.0722*bl + 0.05
	if on/(darkInk+0.05) > (1+0.05)/on {
		return "#101418"
	}
	return "#ffffff"
}
