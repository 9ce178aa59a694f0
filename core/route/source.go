package route

import (
	"slices"
	"strconv"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Source is what a graph is built from.
type Source interface {
	// Instruments lists the instruments of the plan, with what is so of them here.
	Instruments() []Instrument
	// Lanes lists lanes and buses in any order; they are not changed.
	Lanes() []*plan.Lane
	// Song is what plays; nil: there is none. Uses counts its notes that sound in a feed, as
	// far as that is known.
	Song() *plan.Song
	Uses(rig.Feed) (count int, known bool)
	// Sides reports whether a lane can take one side of a stereo output.
	Sides() bool
	// Pan is what the two sides get of a mono lane that is panned.
	Pan(pan float64) (left, right float64)
	// BlockOf is the block that a lane is in, from 1; 0: lanes are in one row.
	BlockOf(plan.LaneNumber) int
	// Chained reports whether a block, from 1, reaches the main mix.
	Chained(block int) bool
	// Quiet is how a lane is switched in the mixer.
	Quiet(lane string) Quiet
}

// Quiet is how a lane is switched in the mixer.
type Quiet struct{ Muted, Soloed bool }

// Instrument is one instrument of a source.
type Instrument struct {
	Placed *plan.Placed
	Jacks  []rig.Output
	// At is where a feed stands, and why nothing leaves there.
	At func(rig.Feed) (plan.Assignment, Reason)
	// Track is the address that a part's track plays, channel 0: all; false: unknown.
	Track func(part rig.Part) (midi.Address, bool)
}

// Planned is what a project wants.
func Planned(p *plan.Project) *Graph { return newGraph(planned{p}) }

// planned is a Source of what is wanted.
type planned struct{ p *plan.Project }

func (s planned) Instruments() (out []Instrument) {
	for i := range s.p.Placed {
		pl := &s.p.Placed[i]
		out = append(out, Instrument{Placed: pl, Jacks: pl.Jacks(),
			At: func(f rig.Feed) (plan.Assignment, Reason) {
				a := pl.Feeds[f.ID]
				switch a.State {
				case plan.Undecided:
					return a, NotDecided
				case plan.Off:
					return a, SwitchedOff
				}
				return a, Open
			},
			Track: func(part rig.Part) (midi.Address, bool) { return part.Address, part.Address.Known() }})
	}
	return out
}

func (s planned) Lanes() []*plan.Lane {
	out := make([]*plan.Lane, len(s.p.Lanes))
	for i := range s.p.Lanes {
		out[i] = &s.p.Lanes[i]
	}
	return out
}

func (s planned) Song() *plan.Song { return s.p.Song }

func (s planned) Sides() bool { return s.p.Host.Sides || s.p.Host.Profile.Name == "" }

func (s planned) Uses(f rig.Feed) (int, bool) { return s.p.Uses(f) }

func (s planned) Pan(pan float64) (left, right float64) { return panOf(s.p, pan) }
func (s planned) BlockOf(n plan.LaneNumber) int         { return s.p.Host.BlockOf(n) }

func (s planned) Chained(int) bool { return true }

func (s planned) Quiet(string) Quiet { return Quiet{} }

// Patched is what a state of the host holds: what is patched, or the stand-in. Faders are no
// part of it: a lane that the plan has too counts with the plan's. So does the inside of an
// instrument of which nobody has told.
func Patched(p *plan.Project, s *plan.Patched) *Graph { return newGraph(patched{p, s.Clone()}) }

// patched is a Source of what a host holds.
type patched struct {
	p *plan.Project
	s *plan.Patched // its own
}

func (s patched) Instruments() (out []Instrument) {
	switched := s.p.Host.Behaviour().Appears == rig.WhenSwitched
	separate := rig.InsideKey("", rig.InsideSeparate, "")
	for i := range s.p.Placed {
		pl := &s.p.Placed[i]
		in, loaded := s.s.Instruments[pl.ID]
		if loaded && s.s.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) {
			set := *pl // as it is set here
			set.Instrument = pl.Instrument.WithInside(in.Inside)
			pl = &set
		}
		asOne := pl.Instrument.Traits.SeparateSwitch && in.Inside[separate] == "" &&
			s.s.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside)
		out = append(out, Instrument{Placed: pl, Jacks: in.Jacks(),
			At: func(f rig.Feed) (plan.Assignment, Reason) {
				label := in.JackOf(f.ID)
				if asOne && label != plan.OffLabel && len(in.Setup) > 0 {
					label = in.Setup[0].Label()
				}
				number, side, err := rig.ParseLabel(label)
				a := plan.Assignment{State: plan.Assigned, Output: number, Side: side}
				switch {
				case !loaded:
					return plan.Assignment{}, NotLoaded
				case label == plan.OffLabel || err != nil:
					return plan.Assignment{State: plan.Off}, SwitchedOff
				case !in.Has(a.At()):
					return a, OutputGone
				case !in.Sees(a.At()):
					return a, NotSeen
				case switched && !in.On[number]:
					return a, NotSwitchedOn
				}
				return a, Open
			},
			Track: func(part rig.Part) (midi.Address, bool) {
				t, ok := s.s.Tracks[plan.TrackRef(pl.ID, part.ID)]
				return t.Address, ok
			}})
	}
	return out
}

func (s patched) Lanes() []*plan.Lane {
	faders := make(map[string]*plan.Lane, len(s.p.Lanes))
	for i := range s.p.Lanes {
		faders[s.p.Lanes[i].ID] = &s.p.Lanes[i]
	}
	out := make([]*plan.Lane, len(s.s.Lanes))
	for i := range s.s.Lanes {
		l := &s.s.Lanes[i]
		if want := faders[l.ID]; want != nil { // what nobody has typed, or told, counts as planned
			if !want.Typed.Gain || !s.s.Knows(plan.LaneEntity(l.ID), plan.AttrGain) {
				l.Gain = want.Gain
			}
			if !want.Typed.Pan || !s.s.Knows(plan.LaneEntity(l.ID), plan.AttrPan) {
				l.Pan = want.Pan
			}
		}
		out[i] = l
		delete(faders, l.ID)
	}
	for i := range s.p.Lanes { // other lanes that nobody has told of stand as the document says
		if l := &s.p.Lanes[i]; l.IsOther() && faders[l.ID] != nil {
			out = append(out, l)
		}
	}
	return out
}

func (s patched) Song() *plan.Song { return s.p.Song }

func (s patched) Sides() bool { return s.p.Host.Behaviour().Sides }

func (s patched) Uses(f rig.Feed) (int, bool) { return s.p.Uses(f) }

func (s patched) Pan(pan float64) (left, right float64) { return panOf(s.p, pan) }
func (s patched) BlockOf(n plan.LaneNumber) int         { return s.p.Host.BlockOf(n) }

func (s patched) Chained(block int) bool { return s.s.IsChained(block) }

func (s patched) Quiet(lane string) Quiet { return Quiet{s.s.Muted[lane], s.s.Soloed[lane]} }

// panOf pans by the law of a project's kind of host.
func panOf(p *plan.Project, pan float64) (left, right float64) {
	kind := p.Host.Profile
	return kind.PanLaw.Gains(pan, kind.PanCentre)
}

// newGraph builds the graph of a source.
func newGraph(s Source) *Graph {
	b := &builder{s: s, g: &Graph{at: map[nodeKey]ID{}, onto: map[plan.OutputRef][]int{}, place: map[ID]int{},
		pan: s.Pan}}
	b.g.main = b.node(Node{Kind: MainMix, Width: audio.Stereo})
	b.lanes()
	b.instruments()
	b.song()
	b.g.link()
	b.solo()
	b.loops()
	b.g.measure()
	return b.g
}

type builder struct {
	s Source
	g *Graph
}

func (b *builder) node(n Node) ID {
	k := nodeKey{n.Kind, n.Ref}
	if id, ok := b.g.at[k]; ok {
		return id
	}
	id := ID(len(b.g.nodes))
	b.g.nodes = append(b.g.nodes, n)
	b.g.at[k] = id
	return id
}

func (b *builder) edge(e Edge) { b.g.edges = append(b.g.edges, e) }

// lanes builds what is behind the outputs.
func (b *builder) lanes() {
	g := b.g
	g.lanes = b.s.Lanes()
	slices.SortStableFunc(g.lanes, func(x, y *plan.Lane) int { return int(x.Number - y.Number) })
	for _, l := range g.lanes {
		kind := Lane
		if l.Kind == plan.Bus {
			kind = Bus
		}
		b.node(Node{Kind: kind, Ref: l.ID, Width: max(l.Width, 1), Lane: l})
	}
	for _, l := range g.lanes {
		at := g.OfLane(l.ID)
		leaves := func(e Edge) { // a lane's polarity is turned before its fader and its sends
			e.Inverted = l.Inverted
			b.edge(e)
		}
		shut := Open
		if b.s.Quiet(l.ID).Muted {
			shut = Muted
		}
		if l.To == plan.MainMix {
			leaves(Edge{From: at, To: b.mainOf(l), Kind: Routed, Gain: l.Gain, Pan: l.Pan, Shut: shut})
		} else {
			e := Edge{From: at, To: g.Find(Bus, l.To), Kind: Routed, Gain: l.Gain, Pan: l.Pan, Shut: shut}
			if e.To == None {
				e.Shut = BusGone
			}
			leaves(e)
			if l.AlsoMain {
				leaves(Edge{From: at, To: b.mainOf(l), Kind: AlsoMain, Gain: l.Gain, Pan: l.Pan, Shut: shut})
			}
		}
		for _, s := range l.Sends {
			e := Edge{From: at, To: g.Find(Bus, s.To), Kind: Sent, Gain: s.Level, Pre: s.Pre, Shut: shut}
			if !s.Pre {
				e.Gain, e.Pan = e.Gain+l.Gain, l.Pan
			}
			if e.To == None {
				e.Shut = BusGone
			}
			leaves(e)
		}
	}
}

// mainOf is where a lane without a bus goes: the main mix, or the master of its block.
func (b *builder) mainOf(l *plan.Lane) ID {
	block := b.s.BlockOf(l.Number)
	if block == 0 {
		return b.g.main
	}
	ref := strconv.Itoa(block)
	if id := b.g.Find(BlockMaster, ref); id != None {
		return id
	}
	id := b.node(Node{Kind: BlockMaster, Ref: ref, Width: audio.Stereo})
	e := Edge{From: id, To: b.g.main, Kind: Chain}
	if !b.s.Chained(block) {
		e.Shut = NotChained
	}
	b.edge(e)
	return id
}

// instruments builds what is before the lanes.
func (b *builder) instruments() {
	g := b.g
	takers := map[plan.OutputRef][]*plan.Lane{}
	for _, l := range g.lanes {
		for _, s := range l.Sources {
			takers[s] = append(takers[s], l)
		}
	}
	for _, in := range b.s.Instruments() {
		pl := in.Placed
		for _, r := range pl.Instrument.Returns {
			ref := plan.FeedRef{Placed: pl.ID, Feed: r.ID}.String()
			b.node(Node{Kind: InsideReturn, Ref: ref, Width: max(r.Width, 1), Placed: pl})
		}
		jacks := make(map[plan.Jack]rig.Output, len(in.Jacks))
		for _, o := range in.Jacks {
			b.output(pl, o)
			if _, twice := jacks[plan.Jack{Output: o.Number, Side: o.Side}]; !twice {
				jacks[plan.Jack{Output: o.Number, Side: o.Side}] = o
			}
		}
		feeds := pl.AllFeeds()
		for _, f := range feeds {
			n := Signal{Feed: f, Ref: plan.FeedRef{Placed: pl.ID, Feed: f.ID}, Placed: pl}
			n.At, n.Shut = in.At(f)
			if f.Closed && n.Shut == Open {
				n.Shut = Closed
			}
			n.Uses, n.Known = b.s.Uses(f)
			if n.At.State == plan.Assigned || n.At.State == plan.Parked {
				n.Output, n.Exists = jacks[n.At.At()]
				if !n.Exists && n.Shut == Open {
					n.Shut = OutputGone
				}
				g.onto[n.OutputRef()] = append(g.onto[n.OutputRef()], len(g.Feeds))
			}
			b.feed(n)
			b.exits(n, in.Jacks)
		}
		b.pickUp(pl, feeds)
	}
	for ref, lanes := range takers {
		from := g.Find(Output, ref.String())
		if from == None {
			from = b.node(Node{Kind: Output, Ref: ref.String(), Width: audio.Stereo}) // one that is gone
		}
		for _, l := range lanes {
			e := Edge{From: from, To: g.OfLane(l.ID), Kind: Taken}
			if ref.Side != rig.Whole && !b.s.Sides() {
				e.Shut = SideNotTaken
			}
			b.edge(e)
		}
	}
}

func (b *builder) output(pl *plan.Placed, o rig.Output) ID {
	ref := pl.Ref(o)
	return b.node(Node{Kind: Output, Ref: ref.String(), Width: max(o.Width, 1), Output: o, Placed: pl})
}

func (b *builder) feed(n Signal) {
	g := b.g
	id := b.node(Node{Kind: Feed, Ref: n.Ref.String(), Width: max(n.Width, 1), Placed: n.Placed})
	g.place[id] = len(g.Feeds)
	g.Feeds, g.feeds = append(g.Feeds, n), append(g.feeds, id)
	e := Edge{From: id, To: None, Kind: Assignment, Gain: n.Gain, Pan: n.Pan, Inverted: n.Inverted, Shut: n.Shut}
	if n.At.State == plan.Assigned || n.At.State == plan.Parked {
		e.To = g.Find(Output, n.OutputRef().String())
		if e.To == None && e.Shut == Open {
			e.Shut = OutputGone
		}
	}
	b.edge(e)
}

// exits builds what a feed gives beside its own output: to the main one, and to the returns of
// the instrument. Where it is closed neither gets any of it.
func (b *builder) exits(n Signal, jacks []rig.Output) {
	id := b.g.Find(Feed, n.Ref.String())
	shut := Open
	if n.Closed {
		shut = Closed
	}
	if n.AlsoMain && len(jacks) > 0 && n.OutputRef() != n.Placed.Ref(jacks[0]) {
		b.edge(Edge{From: id, To: b.output(n.Placed, jacks[0]), Kind: MainExit, Gain: n.Gain, Pan: n.Pan,
			Inverted: n.Inverted,
			Shut:     shut})
	}
	for _, s := range n.Returns {
		e := Edge{From: id, To: b.g.Find(InsideReturn, plan.FeedRef{Placed: n.Ref.Placed, Feed: s.Return}.String()),
			Kind: InsideSend, Gain: s.Level, Pre: n.Placed.Instrument.TakesBefore(s), Inverted: n.Inverted, Shut: shut}
		if !e.Pre {
			e.Gain += n.Gain
		}
		if e.To == None {
			e.Shut = BusGone
		}
		b.edge(e)
	}
}

// pickUp builds what is inside an instrument: voices and parts, what hears them, and which
// feed each is.
func (b *builder) pickUp(pl *plan.Placed, feeds []rig.Feed) {
	in := &pl.Instrument
	ref := func(id string) string { return plan.FeedRef{Placed: pl.ID, Feed: id}.String() }
	for _, r := range in.Returns {
		b.inside(b.node(Node{Kind: InsideReturn, Ref: ref(r.ID), Width: max(r.Width, 1), Placed: pl}), ref(r.ID))
	}
	groups := map[string][]string{} // the feeds of a microphone, one for each group of what it hears
	for _, f := range feeds {
		if f.Kind == rig.MicrophoneFeed {
			groups[f.Microphone] = append(groups[f.Microphone], f.ID)
		}
	}
	for _, m := range in.Microphones {
		ids := groups[m.ID]
		if len(ids) == 0 {
			ids = []string{m.ID}
		}
		for _, id := range ids {
			b.inside(b.node(Node{Kind: Microphone, Ref: ref(id), Width: max(m.Width, 1), Placed: pl}), ref(id))
		}
	}
	lead := map[int]string{} // of the voices that can only leave together
	for _, v := range in.Voices {
		if lead[v.Slot] == "" {
			lead[v.Slot] = v.ID
		}
	}
	for _, v := range in.Voices {
		voice := b.node(Node{Kind: Voice, Ref: ref(v.ID), Width: max(v.Width, 1), Placed: pl})
		alone := b.inside(voice, ref(v.ID))
		if lead := lead[v.Slot]; v.Slot != 0 && lead != v.ID {
			alone = b.inside(voice, ref(lead)) || alone // they leave together, by the first of them
		}
		for i := range in.Microphones {
			m := &in.Microphones[i]
			if level, ok := in.Hears(m, v); ok && !alone && !b.inside(voice, ref(v.ID+"."+m.ID)) {
				if to := b.g.Find(Microphone, ref(pl.View.GroupFeed(m.ID, rig.Picked{ID: v.ID, Name: v.Name,
					Role: v.Role}))); to != None {
					b.edge(Edge{From: voice, To: to, Kind: PickUp, Gain: level + v.Gain})
				}
			}
		}
	}
	for _, p := range in.Parts {
		part := b.node(Node{Kind: Voice, Ref: ref(p.ID), Width: max(p.Width, 1), Placed: pl})
		alone := b.inside(part, ref(p.ID))
		for _, m := range p.Microphones {
			to := b.g.Find(Microphone, ref(pl.View.GroupFeed(m, rig.Picked{ID: p.ID, Name: p.Name, Role: p.Role})))
			if to != None && !alone && !b.inside(part, ref(p.ID+"."+m)) {
				b.edge(Edge{From: part, To: to, Kind: PickUp, Gain: p.Gain})
			}
		}
		for _, v := range p.Voices {
			if from := b.g.Find(Voice, ref(v)); from != None {
				b.edge(Edge{From: from, To: part, Kind: Inside}) // they leave as one
			}
		}
	}
}

// inside lets a node be a feed, where there is such a feed in the project's view.
func (b *builder) inside(from ID, feed string) bool {
	to := b.g.Find(Feed, feed)
	if to != None {
		b.edge(Edge{From: from, To: to, Kind: Inside})
	}
	return to != None
}

// song builds what plays the parts: addresses and tracks.
func (b *builder) song() {
	song := b.s.Song()
	if song == nil {
		return
	}
	for _, c := range song.Channels {
		b.node(Node{Kind: MIDIAddress, Ref: addressRef(c.Address)})
	}
	for _, in := range b.s.Instruments() {
		for _, part := range in.Placed.Instrument.Parts {
			ref := plan.TrackRef(in.Placed.ID, part.ID)
			track := b.node(Node{Kind: Track, Ref: ref, Placed: in.Placed})
			if to := b.g.Find(Voice, ref); to != None {
				b.edge(Edge{From: track, To: to, Kind: Listens})
			}
			if a, ok := in.Track(part); ok {
				if from := b.g.Find(MIDIAddress, addressRef(a)); from != None {
					b.edge(Edge{From: from, To: track, Kind: Listens})
				}
			}
		}
	}
}

func addressRef(a midi.Address) string {
	return strconv.Itoa(max(a.Port, 1)) + ":" + strconv.Itoa(int(a.Channel))
}

// link finds the edges of each node, those that lead nowhere left out of In.
func (g *Graph) link() {
	g.out, g.in = make([][]int32, len(g.nodes)), make([][]int32, len(g.nodes))
	for i, e := range g.edges {
		g.out[e.From] = append(g.out[e.From], int32(i))
		if e.To != None {
			g.in[e.To] = append(g.in[e.To], int32(i))
		}
	}
	// Lanes are told by number, whatever order their outputs came in.
	number := func(id ID) int {
		if l := g.nodes[id].Lane; l != nil {
			return int(l.Number)
		}
		return 0
	}
	for id := range g.out {
		if g.nodes[id].Kind == Output {
			slices.SortStableFunc(g.out[id], func(a, b int32) int { return number(g.edges[a].To) - number(g.edges[b].To) })
		}
	}
}

// solo shuts what is not heard while something is soloed: lanes that neither are soloed, nor
// pass or feed something that is.
func (b *builder) solo() {
	g := b.g
	var soloed []ID
	for _, l := range g.lanes {
		if b.s.Quiet(l.ID).Soloed {
			soloed = append(soloed, g.OfLane(l.ID))
		}
	}
	if len(soloed) == 0 {
		return
	}
	heard := map[ID]bool{}
	for _, at := range soloed {
		for _, id := range g.Beyond(at) {
			heard[id] = true
		}
		for _, id := range g.spread(at, g.in, func(e Edge) ID { return e.From }) {
			heard[id] = true
		}
	}
	for i := range g.edges {
		if e := &g.edges[i]; g.nodes[e.From].Lane != nil && !heard[e.From] && e.Shut == Open {
			e.Shut = NotSoloed
		}
	}
}

// loops shuts the edges by which buses feed themselves.
func (b *builder) loops() {
	g := b.g
	const fresh, open, done = 0, 1, 2
	state := make([]uint8, len(g.nodes))
	type frame struct {
		at   ID
		next int
	}
	for start := range g.nodes {
		if g.nodes[start].Lane == nil || state[start] != fresh {
			continue
		}
		stack := []frame{{at: ID(start)}}
		state[start] = open
		for len(stack) > 0 {
			top := &stack[len(stack)-1]
			if top.next == len(g.out[top.at]) {
				state[top.at] = done
				stack = stack[:len(stack)-1]
				continue
			}
			e := &g.edges[g.out[top.at][top.next]]
			top.next++
			switch {
			case e.To == None:
			case state[e.To] == open:
				e.Shut = Loop
			case state[e.To] == fresh:
				state[e.To] = open
				stack = append(stack, frame{at: e.To})
			}
		}
	}
}
