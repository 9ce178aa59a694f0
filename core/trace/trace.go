// Package trace follows every signal of a project from its feed through output,
// ports, lane and bus to the main mix, or to where it ends and why. It judges
// nothing: that is the work of package check.
package trace

import (
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// Graph is a project with its connections looked up once.
type Graph struct {
	Project *plan.Project
	Feeds   []Feed // all feeds, instrument by instrument, in chart order
	lanes   map[plan.OutputRef][]*plan.Lane
	byID    map[string]*plan.Lane
	onto    map[plan.OutputRef][]int // feeds assigned or parked there, as indexes
	into    map[string][]*plan.Lane  // lanes that go to a bus
	senders map[string][]*plan.Lane  // lanes that send to it beside their own way
	ordered []*plan.Lane
}

// Feed is one feed with where it stands.
type Feed struct {
	rig.Feed
	Ref    plan.FeedRef
	Placed *plan.Placed
	At     plan.Assignment
	Output rig.Output // where Exists
	Exists bool       // the output it is assigned to or parked on exists
	Uses   int
	Known  bool // a song told the uses
}

// OutputRef is the output the feed is assigned to or parked on.
func (f Feed) OutputRef() plan.OutputRef {
	return plan.OutputRef{Placed: f.Ref.Placed, Output: f.At.Output, Side: f.At.Side}
}

// New looks the project's connections up.
func New(p *plan.Project) *Graph {
	g := &Graph{Project: p, lanes: map[plan.OutputRef][]*plan.Lane{}, byID: map[string]*plan.Lane{},
		onto: map[plan.OutputRef][]int{}, into: map[string][]*plan.Lane{}, senders: map[string][]*plan.Lane{},
		ordered: p.ByNumber()}
	for _, l := range g.ordered {
		g.byID[l.ID] = l
		if l.To != plan.MainMix {
			g.into[l.To] = append(g.into[l.To], l)
		}
		for _, s := range l.Sources {
			g.lanes[s] = append(g.lanes[s], l)
		}
		for _, s := range l.Sends {
			g.senders[s.To] = append(g.senders[s.To], l)
		}
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, f := range pl.AllFeeds() {
			n := Feed{Feed: f, Ref: plan.FeedRef{Placed: pl.ID, Feed: f.ID}, Placed: pl, At: pl.Feeds[f.ID]}
			n.Uses, n.Known = p.Uses(f)
			if n.At.State == plan.Assigned || n.At.State == plan.Parked {
				n.Output, n.Exists = pl.Output(n.At.At())
				g.onto[n.OutputRef()] = append(g.onto[n.OutputRef()], len(g.Feeds))
			}
			g.Feeds = append(g.Feeds, n)
		}
	}
	return g
}

// Lanes lists all lanes and buses by number.
func (g *Graph) Lanes() []*plan.Lane { return g.ordered }

// Lane gives the lane with the ID, or nil.
func (g *Graph) Lane(id string) *plan.Lane { return g.byID[id] }

// LanesOf lists the lanes that take an output.
func (g *Graph) LanesOf(ref plan.OutputRef) []*plan.Lane { return g.lanes[ref] }

// Into lists the lanes that go to a bus.
func (g *Graph) Into(bus string) []*plan.Lane { return g.into[bus] }

// Senders lists the lanes that send to a bus beside their own way.
func (g *Graph) Senders(bus string) []*plan.Lane { return g.senders[bus] }

// IsReturn tells whether a bus takes sends alone: it is the return of an effect.
func (g *Graph) IsReturn(bus string) bool { return len(g.into[bus]) == 0 && len(g.senders[bus]) > 0 }

// Passes tells whether what leaves a lane comes through a bus on its own way.
func (g *Graph) Passes(l *plan.Lane, bus string) bool {
	for hops := 0; l != nil && hops <= len(g.ordered); hops++ {
		if l.To == bus {
			return true
		}
		l = g.byID[l.To]
	}
	return false
}

// Numbers gives the numbers of the lanes that go to a bus.
func (g *Graph) Numbers(bus string) plan.Ranges { return numbers(g.into[bus]) }

// SendNumbers gives the numbers of the lanes that send to a bus.
func (g *Graph) SendNumbers(bus string) plan.Ranges { return numbers(g.senders[bus]) }

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

// On lists the feeds on an output: the wanted ones and the parked ones.
func (g *Graph) On(ref plan.OutputRef) (wanted, parked []Feed) {
	for _, i := range g.onto[ref] {
		if f := g.Feeds[i]; f.At.State == plan.Parked {
			parked = append(parked, f)
		} else {
			wanted = append(wanted, f)
		}
	}
	return wanted, parked
}

// StopKind says what kind of thing a path passes.
type StopKind string

// The kinds of stop.
const (
	AtOutput StopKind = "output"
	AtLane   StopKind = "lane"
	AtBus    StopKind = "bus"
	AtMain   StopKind = "main"
	DeadEnd  StopKind = "end"
)

// Stop is one thing a path passes, or the place where it ends.
type Stop struct {
	Kind   StopKind
	ID     string // lane ID, or output reference
	Title  string
	Detail string
}

// Path is one way a feed takes.
type Path struct {
	Stops   []Stop
	Reaches bool           // it arrives at the main mix
	Level   audio.Decibels // gains along the way added up, in dB
}

// Why says where and why a path that does not arrive ends.
func (p Path) Why() string {
	if n := len(p.Stops); n > 0 && !p.Reaches {
		return p.Stops[n-1].Title + ": " + p.Stops[n-1].Detail
	}
	return ""
}

// Paths follows a feed. It has one path for each lane that takes its output and
// each fork on the way; a feed that goes nowhere has one that ends at once.
func (g *Graph) Paths(f Feed) []Path {
	end := func(title, detail string, before ...Stop) []Path {
		return []Path{{Stops: append(before, Stop{Kind: DeadEnd, Title: title, Detail: detail}), Level: audio.Silence}}
	}
	switch f.At.State {
	case plan.Undecided:
		return end("No output", "nobody has assigned it yet")
	case plan.Off:
		return end("Off", "switched off in the instrument")
	}
	if !f.Exists {
		return end("No output", fmt.Sprintf("output %s does not exist; %s has %d", f.At.At(), f.Placed.Instrument.Name,
			len(f.Placed.Outputs)))
	}
	ref := f.OutputRef()
	out := Stop{Kind: AtOutput, ID: ref.String(), Title: fmt.Sprintf("Output %s · %s", f.Output.Label(),
		portsWord(f.Output, 0)), Detail: g.outputDetail(f)}
	lanes := g.LanesOf(ref)
	if len(lanes) == 0 {
		if f.At.State == plan.Parked {
			return end("Parked", "no lane listens here, so it does no harm", out)
		}
		return end("No lane", "no lane takes this output", out)
	}
	var paths []Path
	for _, l := range lanes {
		paths = append(paths, g.from(l, []Stop{out}, 0)...)
	}
	return paths
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

// from follows a lane on, with a copy of the stops so far for each fork.
func (g *Graph) from(l *plan.Lane, before []Stop, level audio.Decibels) []Path {
	kind := AtLane
	title := fmt.Sprintf("Lane %d · %s", l.Number, l.Name)
	if l.Kind == plan.Bus {
		kind, title = AtBus, fmt.Sprintf("%s bus · lane %d", l.Name, l.Number)
	}
	level += l.Gain
	stops := append(before[:len(before):len(before)], Stop{Kind: kind, ID: l.ID, Title: title, Detail: g.laneDetail(l)})
	main := func() Path {
		s := append(stops[:len(stops):len(stops)], Stop{Kind: AtMain, Title: "Main mix", Detail: level.String()})
		return Path{Stops: s, Reaches: true, Level: level}
	}
	if l.To == plan.MainMix {
		return []Path{main()}
	}
	bus := g.byID[l.To]
	if bus == nil || len(stops) > len(g.ordered)+1 {
		return []Path{{Stops: append(stops, Stop{Kind: DeadEnd, Title: "No bus", Detail: "the bus it goes to is gone"}),
			Level: audio.Silence}}
	}
	paths := g.from(bus, stops, level)
	if l.AlsoMain {
		paths = append(paths, main())
	}
	return paths
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
		if b := g.byID[send.To]; b != nil {
			s += fmt.Sprintf(" · sends to %s at %s", b.Name, send.Level)
		}
	}
	return s
}

// Arrival is the level at which a feed arrives at the main mix over all its
// paths: one and the same signal, so amplitudes add. ok is false where nothing
// arrives.
func Arrival(paths []Path) (level audio.Decibels, ok bool) {
	var levels []audio.Decibels
	for _, p := range paths {
		if p.Reaches {
			levels = append(levels, p.Level)
		}
	}
	return audio.SumCoherent(levels...), len(levels) > 0
}

// PathsOf follows a lane or bus.
func (g *Graph) PathsOf(l *plan.Lane) []Path { return g.from(l, nil, 0) }

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
