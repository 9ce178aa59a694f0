// Package trace puts into words what package route finds: every signal of a project from its
// feed through output, ports, lane and bus to the main mix, or to where it ends and why. It
// follows nothing itself and judges nothing: that is the work of route and of check.
package trace

import (
	"fmt"
	"strings"
	"sync"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/internal/words"
)

// Graph is what a project wants, or what its host holds, with its connections.
type Graph struct {
	*route.Graph
	Project *plan.Project
	patched bool
	inHost  func() *Graph
	free    func(plan.LaneNumber) func() (plan.LaneNumber, error) // what looks for a lane once
}

// Free is the lowest free lane at or above a number; it is looked for once.
func (g *Graph) Free(from plan.LaneNumber) (plan.LaneNumber, error) {
	return g.free(from)()
}

// InHost is the graph of what is patched; it is made when it is first asked for.
func (g *Graph) InHost() *Graph {
	return g.inHost()
}

// Feed is one feed with where it stands.
type Feed = route.Signal

// New looks the connections of what is planned up.
func New(p *plan.Project) *Graph { return newGraph(p, route.Planned(p), false) }

// Patched looks the connections up of what a host holds: the real one, or the stand-in.
func Patched(p *plan.Project, s *plan.Patched) *Graph {
	return newGraph(p, route.Patched(p, s), true)
}

func newGraph(p *plan.Project, of *route.Graph, patched bool) *Graph {
	var free sync.Map
	return &Graph{Graph: of, Project: p, patched: patched,
		inHost: sync.OnceValue(func() *Graph { return Patched(p, p.Patched) }),
		free: func(from plan.LaneNumber) func() (plan.LaneNumber, error) {
			look, known := free.Load(from)
			if !known {
				look, _ = free.LoadOrStore(from, sync.OnceValues(func() (plan.LaneNumber, error) { return p.Free(1, from) }))
			}
			return look.(func() (plan.LaneNumber, error))
		}}
}

// Numbers gives the numbers of the lanes that are routed to a bus.
func (g *Graph) Numbers(bus string) plan.Ranges { return numbers(g.Into(bus)) }

// SendNumbers gives the numbers of the lanes that send to a bus.
func (g *Graph) SendNumbers(bus string) plan.Ranges { return numbers(g.Senders(bus)) }

func numbers(lanes []*plan.Lane) plan.Ranges {
	var out []plan.LaneNumber
	for _, l := range lanes {
		out = append(out, l.Number)
	}
	return plan.RangesOf(out...)
}

// TakenBy says what a bus takes: "lanes 5–16, sends of 7, 15".
func (g *Graph) TakenBy(bus string) string {
	var out []string
	if from := g.Numbers(bus); len(from) > 0 {
		out = append(out, "lanes "+from.String())
	}
	if from := g.SendNumbers(bus); len(from) > 0 {
		out = append(out, "sends of "+from.String())
	}
	return strings.Join(out, ", ")
}

// StopKind says what kind of thing a path passes.
type StopKind string

// The kinds of stop.
const (
	AtReturn StopKind = "return" // inside the instrument
	AtOutput StopKind = "output"
	AtLane   StopKind = "lane"
	AtBus    StopKind = "bus"
	AtBlock  StopKind = "block"
	AtMain   StopKind = "main"
	DeadEnd  StopKind = "end"
)

// Stop is one thing a path passes, or the place where it ends.
type Stop struct {
	Kind   StopKind
	ID     string // lane ID, output reference, or number of the block
	Title  string
	Detail string
}

// Path is one way a feed takes.
type Path struct {
	Stops []Stop
	route.Path
}

// Why says where and why a path that does not arrive ends.
func (p Path) Why() string {
	if n := len(p.Stops); n > 0 && !p.Reaches {
		return p.Stops[n-1].Title + ": " + p.Stops[n-1].Detail
	}
	return ""
}

// mostPaths is how many paths of one feed are told of.
const mostPaths = 64

// Paths follows a feed. It has one path for each lane that takes its output and each fork on
// the way, sends left out; a feed that goes nowhere has one that ends at once.
func (g *Graph) Paths(f Feed) []Path { return g.tell(g.at(f), f, false) }

// AllPaths are Paths with those by way of sends.
func (g *Graph) AllPaths(f Feed) []Path { return g.tell(g.at(f), f, true) }

func (g *Graph) at(f Feed) route.ID { return g.Find(route.Feed, f.Ref.String()) }

func (g *Graph) tell(from route.ID, f Feed, sends bool) (out []Path) {
	for _, p := range g.Graph.Paths(from, mostPaths, sends) {
		out = append(out, Path{g.stops(p, f), p})
	}
	return out
}

// stops puts a path into words.
func (g *Graph) stops(p route.Path, f Feed) (out []Stop) {
	for i, id := range p.Nodes {
		var sent *route.Edge
		if i > 0 {
			if e := g.Edge(p.Edges[i-1]); e.Kind == route.Sent {
				sent = &e
			}
		}
		switch n := g.Node(id); n.Kind {
		case route.InsideReturn:
			out = append(out, Stop{AtReturn, n.Ref, "Return " + g.returnName(n), "inside " + n.Placed.Instrument.Name +
				", by a send"})
		case route.Output:
			if i > 0 && g.Edge(p.Edges[i-1]).Kind == route.MainExit {
				out = append(out, Stop{AtOutput, n.Ref, fmt.Sprintf("Output %s · %s", n.Output.Label(), portsWord(n.Output, 0)),
					"the main output, through the instrument's own effects"})
				continue
			}
			out = append(out, Stop{AtOutput, n.Ref, fmt.Sprintf("Output %s · %s", n.Output.Label(), portsWord(n.Output, 0)),
				g.outputDetail(f)})
		case route.Lane, route.Bus:
			out = append(out, g.laneStop(n.Lane, sent))
		case route.BlockMaster:
			out = append(out, Stop{AtBlock, n.Ref, "Block " + n.Ref, "its master, chained into the main mix"})
		case route.MainMix:
			out = append(out, Stop{Kind: AtMain, Title: "Main mix", Detail: p.Level.String()})
		}
	}
	if !p.Reaches {
		title, detail := g.whyNot(p, f)
		out = append(out, Stop{Kind: DeadEnd, Title: title, Detail: detail})
	}
	return out
}

func (g *Graph) returnName(n route.Node) string {
	ref, err := plan.ParseFeedRef(n.Ref)
	if err != nil {
		return n.Ref
	}
	return n.Placed.Instrument.SourceName(ref.Feed)
}

func (g *Graph) laneStop(l *plan.Lane, sent *route.Edge) Stop {
	st := Stop{AtLane, l.ID, fmt.Sprintf("Lane %d · %s", l.Number, l.Name), g.laneDetail(l)}
	if l.Kind == plan.Bus {
		st.Kind, st.Title = AtBus, fmt.Sprintf("%s bus · lane %d", l.Name, l.Number)
	}
	if sent != nil {
		st.Detail = "by a send · " + st.Detail
	}
	return st
}

// whyNot says where a path ends, and why.
func (g *Graph) whyNot(p route.Path, f Feed) (title, detail string) {
	jack := f.At.At().String()
	switch p.Shut {
	case route.NotDecided:
		return "No output", "not assigned yet"
	case route.Closed:
		return "Closed", "closed inside the instrument"
	case route.SwitchedOff:
		return "Off", "switched off in the instrument"
	case route.OutputGone:
		if g.patched {
			return "No output", "output " + jack + " does not exist in the instrument"
		}
		return "No output", fmt.Sprintf("output %s does not exist; %s has %d", jack, f.Placed.Instrument.Name,
			len(f.Placed.Outputs))
	case route.NotLoaded:
		return "Not loaded", "the instrument is not loaded"
	case route.NotSeen:
		return "Not seen", "the host has not seen output " + jack + " yet"
	case route.NotSwitchedOn:
		return "Not switched on", "output " + jack + " is not switched on"
	case route.SideNotTaken:
		return "No lane", "a lane of this host cannot take one side of a stereo output"
	case route.BusGone:
		return "No bus", "the bus it is routed to does not exist"
	case route.Loop:
		return "Loop", "the buses feed each other"
	case route.Muted:
		return "Muted", g.lastLane(p) + " is muted"
	case route.NotSoloed:
		return "Not soloed", "something else is soloed"
	case route.NotChained:
		return "Not chained", "its block does not reach the main mix"
	}
	if f.At.State == plan.Parked {
		return "Parked", "no lane listens here, so it does no harm"
	}
	return "No lane", "no lane takes output " + jack
}

func (g *Graph) lastLane(p route.Path) string {
	name := "the lane"
	for _, id := range p.Nodes {
		if l := g.Node(id).Lane; l != nil {
			name = fmt.Sprintf("lane %d %s", l.Number, l.Name)
		}
	}
	return name
}

func portsWord(o rig.Output, offset int) string {
	if o.Width == audio.Mono {
		return "port " + o.PortNames(offset)
	}
	return "ports " + o.PortNames(offset)
}

func (g *Graph) outputDetail(f Feed) string {
	var parts []string
	if f.Placed.Offset != 0 {
		parts = append(parts, "host "+portsWord(f.Output, f.Placed.Offset))
	}
	var others []string
	wanted, parked := g.On(f.OutputRef())
	for _, o := range append(wanted, parked...) {
		if o.Ref != f.Ref {
			others = append(others, o.Name)
		}
	}
	if len(others) > 0 {
		parts = append(parts, "shared with "+strings.Join(others, ", "))
	} else {
		parts = append(parts, "to itself")
	}
	return strings.Join(parts, " · ")
}

func (g *Graph) laneDetail(l *plan.Lane) string {
	pan := "centre"
	if l.Pan < 0 {
		pan = fmt.Sprintf("%.0f %% left", -l.Pan*100)
	} else if l.Pan > 0 {
		pan = fmt.Sprintf("%.0f %% right", l.Pan*100)
	}
	s := fmt.Sprintf("%s · %s · %s", l.Width, l.Gain, pan)
	switch {
	case l.AlsoMain && l.To != plan.MainMix:
		s += " · goes two ways"
	case l.To != plan.MainMix:
		s += " · only to its bus"
	}
	for _, send := range l.Sends {
		if b := g.Lane(send.To); b != nil {
			s += fmt.Sprintf(" · sends to %s at %s", b.Name, send.Level)
		}
	}
	if says := l.SaysBeside(); says != "" {
		s += " · " + says
	}
	return s
}

// Arrival is how a feed arrives at the main mix over all its paths.
func (g *Graph) Arrival(f Feed) route.Arrival { return g.Arrives(g.at(f)) }

// ArrivalOf is how what a lane carries arrives at the main mix over all its paths.
func (g *Graph) ArrivalOf(l *plan.Lane) route.Arrival { return g.Arrives(g.OfLane(l.ID)) }

// Brief sums up a feed's first path: the lane it arrives on, what follows or why it does
// not arrive, and whether it arrives.
func (g *Graph) Brief(f Feed) (lane, then string, arrives bool) {
	paths := g.Paths(f)
	path := paths[0]
	var after []string
	for _, s := range path.Stops {
		switch l := g.Lane(s.ID); s.Kind {
		case AtLane:
			lane = fmt.Sprintf("%d %s", l.Number, l.Name)
		case AtBus:
			after = append(after, l.Name)
		case AtBlock:
			after = append(after, "block "+s.ID)
		case AtMain:
			after = append(after, "main mix")
		}
	}
	if !path.Reaches {
		return lane, path.Why(), false
	}
	then = "→ " + strings.Join(after, " → ")
	if n := len(paths) - 1; n > 0 {
		then += ", and by " + words.Count(n, "other way", "other ways")
	}
	return lane, then, true
}
