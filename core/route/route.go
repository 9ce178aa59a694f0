// Package route is the one place that follows signals: from a voice or a part through
// microphones, feed, output, lane, buses and block masters to the main mix, or to where it
// ends and why. A graph is built from a source: what is planned, what is patched, or what the
// stand-in holds, by one interface, and does not change. Walks give nodes, edges, gains and
// reasons, never text, and judge nothing: words are made by package trace, problems by check.
package route

import (
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// ID names a node of one graph, from 0.
type ID int32

// None is no node.
const None ID = -1

// NodeKind says what a node is.
type NodeKind uint8

// The kinds of node.
const (
	Voice        NodeKind = iota // or a part; Ref "i1:v3"
	MIDIAddress                  // of the song; Ref "1:10", port and channel
	Track                        // that plays a part; Ref "i1:p2"
	Microphone                   // Ref "i1:room"
	Feed                         // Ref "i1:v3"
	InsideReturn                 // of the instrument's own mixer; Ref "i1:rv"
	Output                       // or one side of it; Ref "i1:3", "i1:3L"
	Lane                         // Ref "l5"; Bus likewise
	Bus
	Insert      // an effect of a lane or bus; Ref "l5/1"
	BlockMaster // of a block of lanes; Ref "2", counted from 1
	MainMix     // Ref ""
)

// Node is one thing that a signal passes. Its Ref names it among its kind.
type Node struct {
	Kind   NodeKind
	Ref    string
	Width  audio.Width
	Lane   *plan.Lane // of lanes and buses
	Output rig.Output // of outputs
	Placed *plan.Placed
}

// EdgeKind says how a signal gets from one node to the next.
type EdgeKind uint8

// The kinds of edge.
const (
	Listens    EdgeKind = iota // an address plays a track, a track a voice or part
	PickUp                     // a microphone hears a voice or part
	Inside                     // a voice, microphone or inside return is a feed
	InsideSend                 // to a return of the instrument
	Assignment                 // a feed leaves by an output
	MainExit                   // and by the main one as well, through the instrument's effects
	Taken                      // by a lane, from an output
	Routed                     // a lane is routed to a bus, or to the main mix
	AlsoMain                   // beside its bus
	Sent                       // a copy beside that, to a bus
	Chain                      // of a block into the main mix
)

// Reason says why an edge is shut, or why a feed is silent; scripts know them by these names.
type Reason string

// The reasons.
const (
	Open          Reason = ""
	NotDecided    Reason = "undecided"      // nobody has said where the feed goes
	Closed        Reason = "closed"         // at its source, inside the instrument
	SwitchedOff   Reason = "off"            // in the instrument
	OutputGone    Reason = "output-gone"    // there is no such output
	NotLoaded     Reason = "not-loaded"     // the instrument is not in the host
	NotSeen       Reason = "not-seen"       // the output was changed and the host has not seen it
	NotSwitchedOn Reason = "not-switched"   // the output is not switched on in the host
	SideNotTaken  Reason = "side-not-taken" // lanes of this host take whole outputs only
	NoLane        Reason = "no-lane"        // no lane takes the output
	ParkedAlone   Reason = "parked"         // no lane listens there, so it does no harm
	BusGone       Reason = "bus-gone"       // the lane is routed to a bus that does not exist
	Loop          Reason = "loop"           // buses feed each other
	Muted         Reason = "muted"
	NotSoloed     Reason = "not-soloed"  // something else is soloed
	NotChained    Reason = "not-chained" // the lane's block does not reach the main mix
	Cancelled     Reason = "cancelled"   // equal paths of opposite polarity
)

// Edge is one way from a node to the next, with what happens to the signal there.
type Edge struct {
	From, To ID
	Kind     EdgeKind
	Gain     audio.Decibels
	Pan      float64 // -1 left to +1 right
	Inverted bool    // polarity
	Pre      bool    // a send that is taken before the fader
	Shut     Reason  // why nothing passes; Open: it does
}

// Signal is one feed of the source, with where it stands.
type Signal struct {
	rig.Feed
	Ref    plan.FeedRef
	Placed *plan.Placed
	At     plan.Assignment
	Output rig.Output // where Exists
	Exists bool       // the output it is assigned to or parked on exists
	Shut   Reason     // why nothing leaves, before any lane is asked
	Uses   int
	Known  bool // a song told the uses
}

// OutputRef is the output the feed is assigned to or parked on.
func (f Signal) OutputRef() plan.OutputRef {
	return plan.OutputRef{Placed: f.Ref.Placed, Output: f.At.Output, Side: f.At.Side}
}

// Graph is a source with its connections. Nobody changes it.
type Graph struct {
	Feeds []Signal // all of them, instrument by instrument, in chart order

	nodes   []Node
	edges   []Edge
	out, in [][]int32  // edges that leave and reach each node
	feeds   []ID       // by their place in Feeds
	place   map[ID]int // of feeds in Feeds
	at      map[nodeKey]ID
	lanes   []*plan.Lane // by number
	onto    map[plan.OutputRef][]int
	down    []transfer // what becomes of a signal between a node and the main mix
	main    ID
	pan     func(pan float64) (left, right float64) // of lanes
}

type nodeKey struct {
	kind NodeKind
	ref  string
}

// Edges is how many edges there are.
func (g *Graph) Edges() int { return len(g.edges) }

// Node gives a node.
func (g *Graph) Node(id ID) Node { return g.nodes[id] }

// Edge gives an edge by its number, as paths and Out have it.
func (g *Graph) Edge(n int32) Edge { return g.edges[n] }

// Out lists the edges that leave a node, In those that reach it.
func (g *Graph) Out(id ID) []int32 { return g.out[id] }

// In lists the edges that reach a node.
func (g *Graph) In(id ID) []int32 { return g.in[id] }

// Find gives the node of a kind with a reference, or None.
func (g *Graph) Find(kind NodeKind, ref string) ID {
	if id, ok := g.at[nodeKey{kind, ref}]; ok {
		return id
	}
	return None
}

// OfLane gives the node of a lane or bus by its ID, or None.
func (g *Graph) OfLane(id string) ID {
	if n := g.Find(Lane, id); n != None {
		return n
	}
	return g.Find(Bus, id)
}

// OfFeed gives the node of a feed, by its place in Feeds.
func (g *Graph) OfFeed(i int) ID { return g.feeds[i] }

// Lanes lists all lanes and buses by number.
func (g *Graph) Lanes() []*plan.Lane { return g.lanes }

// Lane gives the lane with the ID, or nil.
func (g *Graph) Lane(id string) *plan.Lane {
	if n := g.OfLane(id); n != None {
		return g.nodes[n].Lane
	}
	return nil
}

// LanesOf lists the lanes that take an output, by number.
func (g *Graph) LanesOf(ref plan.OutputRef) []*plan.Lane {
	return g.lanesAt(g.Find(Output, ref.String()), g.out, func(e Edge) (ID, bool) { return e.To, e.Kind == Taken })
}

// Into lists the lanes that are routed to a bus, by number.
func (g *Graph) Into(bus string) []*plan.Lane {
	return g.lanesAt(g.Find(Bus, bus), g.in, func(e Edge) (ID, bool) { return e.From, e.Kind == Routed })
}

// Senders lists the lanes that send to a bus beside their own route, by number.
func (g *Graph) Senders(bus string) []*plan.Lane {
	return g.lanesAt(g.Find(Bus, bus), g.in, func(e Edge) (ID, bool) { return e.From, e.Kind == Sent })
}

func (g *Graph) lanesAt(id ID, edges [][]int32, of func(Edge) (ID, bool)) (out []*plan.Lane) {
	if id == None {
		return nil
	}
	for _, n := range edges[id] {
		if to, ok := of(g.edges[n]); ok && to != None && g.nodes[to].Lane != nil {
			out = append(out, g.nodes[to].Lane)
		}
	}
	return out
}

// IsReturn reports whether a bus takes sends alone: it is the return of an effect.
func (g *Graph) IsReturn(bus string) bool {
	return len(g.Into(bus)) == 0 && len(g.Senders(bus)) > 0
}

// On lists the feeds on an output: the wanted ones and the parked ones.
func (g *Graph) On(ref plan.OutputRef) (wanted, parked []Signal) {
	for _, i := range g.onto[ref] {
		if f := g.Feeds[i]; f.At.State == plan.Parked {
			parked = append(parked, f)
		} else {
			wanted = append(wanted, f)
		}
	}
	return wanted, parked
}

// Passes reports whether what leaves a lane comes through a bus on its own route, sends and the
// main mix beside its bus left out.
func (g *Graph) Passes(l *plan.Lane, bus string) bool {
	along := g.Along(l)
	return len(along) > 1 && slices.ContainsFunc(along[1:], func(x *plan.Lane) bool { return x.ID == bus })
}

// Along lists the lanes that what leaves a lane passes on its own route, the lane first: each
// once, sends and the main mix beside its bus left out.
func (g *Graph) Along(l *plan.Lane) (out []*plan.Lane) {
	at := None
	if l != nil {
		at = g.OfLane(l.ID)
	}
	seen := map[ID]bool{}
	for at != None && !seen[at] && g.nodes[at].Lane != nil {
		seen[at] = true
		out = append(out, g.nodes[at].Lane)
		next := None
		for _, n := range g.out[at] {
			if e := g.edges[n]; e.Kind == Routed {
				next = e.To
			}
		}
		at = next
	}
	return out
}

// Beyond lists what is reached from a node, the node first, each once; sends are ways too,
// and it is not asked whether edges are shut.
func (g *Graph) Beyond(from ID) []ID {
	return g.spread(from, g.out, func(e Edge) ID { return e.To })
}

// spread lists what is reached from a node by the edges of each node.
func (g *Graph) spread(from ID, edges [][]int32, next func(Edge) ID) (out []ID) {
	seen := map[ID]bool{None: true}
	for todo := []ID{from}; len(todo) > 0; {
		at := todo[0]
		todo = todo[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		out = append(out, at)
		for _, n := range edges[at] {
			todo = append(todo, next(g.edges[n]))
		}
	}
	return out
}

// InLoop lists the lanes and buses that are routed to themselves, by way of others too.
func (g *Graph) InLoop() (out []*plan.Lane) {
	routed := func(to func(Edge) ID) func(Edge) ID {
		return func(e Edge) ID {
			if e.Kind != Routed {
				return None
			}
			return to(e)
		}
	}
	in := map[ID]bool{}
	for _, e := range g.edges {
		if e.Shut != Loop || e.Kind != Routed || in[e.From] {
			continue
		}
		ahead := map[ID]bool{}
		for _, id := range g.spread(e.To, g.out, routed(func(e Edge) ID { return e.To })) {
			ahead[id] = true
		}
		for _, id := range g.spread(e.From, g.in, routed(func(e Edge) ID { return e.From })) {
			in[id] = in[id] || ahead[id]
		}
	}
	for _, l := range g.lanes {
		if in[g.OfLane(l.ID)] {
			out = append(out, l)
		}
	}
	return out
}

// Ends reports whether the route of a lane is shut for a reason.
func (g *Graph) Ends(l *plan.Lane, why Reason) bool {
	for _, n := range g.out[g.OfLane(l.ID)] {
		if e := g.edges[n]; e.Kind == Routed && e.Shut == why {
			return true
		}
	}
	return false
}

// HeardIn lists the feeds, by their place in Feeds, that a voice or part is heard in.
func (g *Graph) HeardIn(at ID) (out []int) {
	if at == None {
		return nil
	}
	for _, n := range g.out[at] {
		switch e := g.edges[n]; {
		case e.To == None:
		case g.nodes[e.To].Kind == Feed:
			out = append(out, g.place[e.To])
		case e.Kind == PickUp || e.Kind == Inside: // by a microphone, or as one with others
			out = append(out, g.HeardIn(e.To)...)
		}
	}
	return out
}
