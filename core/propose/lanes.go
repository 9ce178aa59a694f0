package propose

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// onLanes is the grouping with the lanes that its outputs arrive on.
type onLanes struct {
	*grouped
	bus     *plan.Lane
	busNew  bool
	more    []*plan.Lane // other buses that the house chart has for some of the rows
	closing []plan.Lane  // lanes and buses that nothing arrives on any more
	notes   []string

	own  map[int]*plan.Lane // by row, the lane that stays with it
	kept map[string]bool    // of those, by ID, the ones that were kept empty for it
	free []plan.LaneNumber  // for rows that have none
}

// onLanes gives each row its lane: the one that has most of its feeds already, or
// takes its output, or the next of the free ones; and the lanes their names,
// colours and bus.
func (g *grouped) onLanes() (*onLanes, error) {
	l := &onLanes{grouped: g, notes: slices.Clone(g.told)}
	l.ownLanes()
	l.keptLanes()
	missing := 0
	for i := range l.rows {
		if l.own[i] == nil {
			missing++
		}
	}
	var err error
	if l.free, err = l.freeLanes(missing); err != nil {
		return nil, err
	}
	l.chooseBus(plan.RangesOf(l.free...))
	l.fillRows()
	l.closeBuses()
	l.markChanges()
	l.noteLostEffects()
	l.notePans()
	return l, nil
}

// proposal is what comes of it all.
func (l *onLanes) proposal() *Proposal {
	return &Proposal{Placed: l.placed.ID, Rows: l.rows, Unused: l.unused, Closing: l.closing,
		Bus: l.bus, BusNew: l.busNew, More: l.more, Cost: l.solution.Cost,
		Spare: len(l.outputs) - l.used, Used: l.used, Added: l.added, Notes: l.notes, grouped: l.grouped}
}

// accepted is the instrument as if every row were accepted, to name the lanes by.
func (g *grouped) accepted() *plan.Placed {
	target := *g.placed
	target.Feeds = map[string]plan.Assignment{}
	for _, u := range g.unused {
		target.Feeds[u.ID] = plan.Assignment{State: plan.Off}
	}
	for _, r := range g.rows {
		for _, f := range r.Feeds {
			target.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: r.Output.Number, Side: r.Output.Side,
				Fold: f.At.Fold}
		}
	}
	return &target
}

// fillRows gives each row its lane, with what it is called, its colour and its bus.
func (l *onLanes) fillRows() {
	pl := l.placed
	target := l.accepted()
	namer, loads, now := plan.NewNamer(target), target.Loads(), pl.Loads()
	names, byName := l.namesTaken(), plan.FeedsByName(target.AllFeeds())
	for i := range l.rows {
		row := &l.rows[i]
		feeds := loads[row.jack()]
		was := l.giveLane(i, row, feeds, now)
		row.Lane.Width = row.Output.Width
		// What the user has named and coloured stays as long as it carries the same.
		if row.LaneNew || !sameFeeds(feeds, was) || plan.NamesAnother(row.Lane.Name, feeds, byName) != "" {
			row.Lane.Name = plan.Unique(namer.Name(feeds, row.Output), names)
			row.Lane.Colour = l.project.Chart.Colour(plan.CommonRole(feeds))
		}
		if row.LaneNew {
			row.Lane.Inserts = l.project.Chart.Inserts(plan.CommonRole(feeds))
		}
		names[row.Lane.Name] = true
		bus := l.busFor(plan.CommonRole(feeds), plan.RangesOf(l.free...))
		unrouted := row.Lane.To == plan.MainMix && !l.kept[row.Lane.ID] && !l.aloneUnasked()
		if bus != nil && (row.LaneNew || unrouted) {
			row.Lane.To, row.Lane.AlsoMain = bus.ID, false
		}
	}
}

// giveLane gives a row the lane that stays with it, or the next free one, and tells what
// that lane carried before.
func (l *onLanes) giveLane(i int, row *Row, feeds []rig.Feed, now map[plan.Jack][]rig.Feed) (was []rig.Feed) {
	source := []plan.OutputRef{l.placed.Ref(row.Output)}
	if l.own[i] == nil {
		row.LaneNew = true
		row.Lane = plan.Lane{Number: l.free[0], Kind: plan.Regular, Sources: source}
		l.free = l.free[1:]
		return feeds
	}
	was = feeds
	row.Lane = *l.own[i]
	if len(l.placed.Lanes) > 0 {
		row.Lane.Number, l.free = l.free[0], l.free[1:]
	}
	if len(row.Lane.Sources) > 0 {
		from := row.Lane.Sources[0].Jack()
		was = now[from]
		if from != row.jack() {
			row.Was = from.String()
		}
	}
	row.Lane.Sources, row.Lane.Kept = source, role.Unnamed
	return was
}

// namesTaken are the names of lanes that the instrument has nothing to do with.
func (l *onLanes) namesTaken() map[string]bool {
	names := map[string]bool{}
	for _, x := range l.project.Lanes {
		if !slices.ContainsFunc(x.Sources, func(s plan.OutputRef) bool { return s.Placed == l.placed.ID }) {
			names[x.Name] = true
		}
	}
	if l.bus != nil {
		names[l.bus.Name] = true
	}
	return names
}

// ownLanes finds, by row, the lane that stays with it: of the lanes that take one
// output of the instrument and nothing else, the one that carries most of the
// row's feeds now, else the one that takes its output. Lanes that nothing would
// arrive on any more are left over.
func (l *onLanes) ownLanes() {
	lanes := slices.DeleteFunc(l.project.ByNumber(), func(x *plan.Lane) bool {
		return len(x.Sources) != 1 || x.Sources[0].Placed != l.placed.ID
	})
	matches := l.laneMatches(lanes)
	slices.SortStableFunc(matches, func(a, b laneMatch) int {
		return cmp.Or(cmp.Compare(b.shared, a.shared), cmp.Compare(b.same, a.same))
	})
	taken := map[int]bool{}
	l.own = map[int]*plan.Lane{}
	for _, m := range matches {
		if l.own[m.row] == nil && !taken[m.lane] {
			l.own[m.row], taken[m.lane] = lanes[m.lane], true
		}
	}
	for i, x := range lanes {
		if !taken[i] && !l.project.LaneKeptForStage(x) && len(l.project.SecondExits(x.Sources[0])) == 0 {
			l.closing = append(l.closing, *x)
		}
	}
}

// laneMatch is a row and a lane that have something in common: feeds, or the output.
type laneMatch struct{ row, lane, shared, same int }

func (l *onLanes) laneMatches(lanes []*plan.Lane) (out []laneMatch) {
	now := l.placed.Loads()
	for r, row := range l.rows {
		in := map[string]bool{}
		for _, f := range row.Feeds {
			in[f.ID] = true
		}
		for i, x := range lanes {
			m := laneMatch{row: r, lane: i}
			from := x.Sources[0].Jack()
			for _, f := range now[from] {
				if in[f.ID] {
					m.shared++
				}
			}
			if from == row.jack() {
				m.same = 1
			}
			if m.shared+m.same > 0 {
				out = append(out, m)
			}
		}
	}
	return out
}

// keptLanes gives rows that have no lane yet the empty lane that is kept for their
// role, the nearest in the tree first.
func (l *onLanes) keptLanes() {
	l.kept = map[string]bool{}
	empty := slices.DeleteFunc(l.project.ByNumber(), func(x *plan.Lane) bool {
		return x.Kind != plan.Regular || len(x.Sources) > 0 || x.Kept == role.Unnamed
	})
	same := func(row, lane role.Role) bool { return row == lane }
	onOneBranch := func(row, lane role.Role) bool {
		return row != role.Unnamed && (row.Under(lane) || lane.Under(row))
	}
	for _, near := range []func(row, lane role.Role) bool{same, onOneBranch} {
		for i, row := range l.rows {
			r := Common(row.Feeds)
			for _, x := range empty {
				if l.own[i] == nil && !l.kept[x.ID] && near(r, x.Kept) {
					l.own[i], l.kept[x.ID] = x, true
				}
			}
		}
	}
}

// freeLanes gives the lanes for rows that have none: the user's own numbers, or
// what is free from the wished lane on.
func (l *onLanes) freeLanes(n int) ([]plan.LaneNumber, error) {
	p, pl := l.project, l.placed
	if len(pl.Lanes) == 0 {
		return p.FreeLanes(n)
	}
	// The user's own numbers are those of all rows, in their order, also where lanes are there already.
	n = len(l.rows)
	if kept := l.numbersKept(); kept != nil {
		return kept, nil
	}
	var out []plan.LaneNumber
	used := l.usedByOthers()
	for _, r := range pl.Lanes {
		for at := r.From; at <= r.To && len(out) < n; at++ {
			if !used.Contains(at) && (p.Host.LaneLimit == 0 || at <= p.Host.LaneLimit) {
				out = append(out, at)
			}
		}
	}
	if len(out) < n {
		return nil, fmt.Errorf("%s needs %d more lanes, and of those you named (%s) only %d are free; name more",
			pl.Instrument.Name, n, pl.Lanes, len(out))
	}
	return out, nil
}

// numbersKept are the numbers that the rows' lanes have, where all of them are among those that the
// user named and stand in the order of the rows; else none.
func (l *onLanes) numbersKept() (out []plan.LaneNumber) {
	for i := range l.rows {
		x := l.own[i]
		if x == nil || !l.placed.Lanes.Contains(x.Number) || i > 0 && x.Number <= out[i-1] {
			return nil
		}
		out = append(out, x.Number)
	}
	return out
}

// usedByOthers are the lane numbers that do not belong to lanes of the rows.
func (l *onLanes) usedByOthers() plan.Ranges {
	own := map[string]bool{}
	for _, x := range l.own {
		own[x.ID] = true
	}
	out := slices.Clone(l.project.Host.Taken)
	for _, x := range l.project.Lanes {
		if !own[x.ID] {
			out = append(out, plan.Range{From: x.Number, To: x.Number})
		}
	}
	return out
}

func sameFeeds(a, b []rig.Feed) bool {
	return slices.EqualFunc(a, b, func(x, y rig.Feed) bool { return x.ID == y.ID })
}

// newBus stands for a bus that does not exist yet.
const newBus = "new bus"

// chooseBus finds the bus of the instrument's lanes: the one that is asked for, the one
// that they go to already, or the house chart's. block are lanes that are about to be
// taken.
func (l *onLanes) chooseBus(block plan.Ranges) {
	if l.noBus() || len(l.rows) == 0 {
		return
	}
	p, name := l.project, l.askedBus()
	if name == "" {
		if l.bus = l.presentBus(); l.bus != nil {
			return
		}
		name = l.placed.UsualBus()
	}
	if l.bus = p.BusNamed(name); l.bus != nil {
		return
	}
	if l.aloneUnasked() {
		l.notes = append(l.notes, "It has one lane, which needs no bus; name one to make it.")
		return
	}
	number, err := l.busNumber(block)
	if err != nil {
		l.notes = append(l.notes, fmt.Sprintf("No lane is left for the bus %s, so the lanes go to the main mix.", name))
		return
	}
	if slices.ContainsFunc(p.Lanes, func(x plan.Lane) bool { return strings.EqualFold(x.Name, name) }) {
		name += " Bus"
	}
	l.busNew = true
	r := l.placed.DominantRole()
	l.bus = &plan.Lane{ID: newBus, Number: number, Name: name, Kind: plan.Bus, Width: audio.Stereo,
		Colour: p.Chart.BusColour(r), Inserts: p.Chart.BusInserts(r)}
}

// askedBus is the bus that was asked for, now or for good; "" where none was.
func (l *onLanes) askedBus() string { return cmp.Or(l.options.Bus, l.placed.Bus.Name) }

// aloneUnasked reports whether there is one lane, and no bus was asked for: none is made for it, and
// where it is on the main mix it stays there.
func (l *onLanes) aloneUnasked() bool { return len(l.rows) == 1 && l.askedBus() == "" }

// noBus reports whether the lanes are to go to no bus.
func (l *onLanes) noBus() bool { return l.options.NoBus || l.options.Bus == "" && l.placed.Bus.None }

// busNumber is the lane of a bus that is made: the one that was asked for, if it is free, or the
// lowest free one above the lanes.
func (l *onLanes) busNumber(block plan.Ranges) (plan.LaneNumber, error) {
	if n := l.placed.Bus.Number; n > 0 {
		if !l.project.Used().Contains(n) && !block.Contains(n) {
			return n, nil
		}
		l.notes = append(l.notes, fmt.Sprintf("Lane %d, which you asked for the bus, is in use; it takes the next free one.",
			n))
	}
	return l.project.FreeForBus(block)
}

// presentBus is the bus that the instrument's lanes go to already, or nil.
func (l *onLanes) presentBus() *plan.Lane {
	for i := range l.rows {
		if x := l.own[i]; x != nil && x.To != plan.MainMix {
			return l.project.Lane(x.To)
		}
	}
	return nil
}

// busFor is the bus of a row: the one the house chart names for its role, or the
// instrument's. block are lanes that are about to be taken.
func (l *onLanes) busFor(r role.Role, block plan.Ranges) *plan.Lane {
	p, name := l.project, l.project.Chart.Bus(r)
	asked := l.askedBus() != "" || l.noBus()
	if name == "" || asked || l.bus != nil && strings.EqualFold(name, l.bus.Name) {
		return l.bus
	}
	if name == house.MainMix {
		return nil
	}
	for _, b := range append(p.Buses(), l.more...) {
		if strings.EqualFold(b.Name, name) {
			return b
		}
	}
	if l.bus != nil {
		block = append(block, plan.Range{From: l.bus.Number, To: l.bus.Number})
	}
	for _, b := range l.more {
		block = append(block, plan.Range{From: b.Number, To: b.Number})
	}
	for i := range l.rows {
		if n := l.rows[i].Lane.Number; n > 0 {
			block = append(block, plan.Range{From: n, To: n})
		}
	}
	number, err := p.FreeForBus(block)
	if err != nil {
		return l.bus
	}
	b := &plan.Lane{ID: newBus + " " + name, Number: number, Name: name, Kind: plan.Bus, Width: audio.Stereo,
		Colour: p.Chart.BusColour(r), Inserts: p.Chart.BusInserts(r)}
	l.more = append(l.more, b)
	l.notes = append(l.notes, fmt.Sprintf("The house chart routes some of it to a bus of its own: %s, on lane %d.",
		name, number))
	return b
}

// closeBuses leaves buses over that only left-over lanes go to.
func (l *onLanes) closeBuses() {
	closing, fed := map[string]bool{}, map[string]bool{}
	for _, x := range l.closing {
		closing[x.ID] = true
	}
	for _, r := range l.rows {
		fed[r.Lane.To] = true
	}
	for _, b := range l.project.Buses() {
		left, others := 0, 0
		for _, x := range l.project.Lanes {
			switch {
			case x.To != b.ID:
			case closing[x.ID]:
				left++
			default:
				others++
			}
		}
		if left > 0 && others == 0 && !fed[b.ID] {
			l.closing = append(l.closing, *b)
		}
	}
}

// markChanges marks what accepting each row would change.
func (l *onLanes) markChanges() {
	loads := l.placed.Loads()
	for i := range l.rows {
		row := &l.rows[i]
		stays := map[string]bool{}
		for j := range row.Feeds {
			f := &row.Feeds[j]
			f.Moves = f.At.State != plan.Assigned || f.At.At() != row.jack()
			stays[f.ID] = true
			row.Changed = row.Changed || f.Moves
		}
		var now []string
		for _, f := range loads[row.jack()] {
			name := f.Name
			if !stays[f.ID] {
				name += " (moves away)"
			}
			now = append(now, name)
		}
		row.Now = strings.Join(now, ", ")
		row.Changed = row.Changed || row.Was != "" || laneChanges(l.project.Lane(row.Lane.ID), &row.Lane)
	}
}

func laneChanges(now, then *plan.Lane) bool {
	return now == nil || len(now.Sources) == 0 || now.Number != then.Number || now.Name != then.Name ||
		now.Colour != then.Colour || now.To != then.To || now.Width != then.Width
}

// notePans notes what is panned inside although it gets an output to itself.
func (l *onLanes) notePans() {
	var names []string
	target := l.accepted()
	for _, id := range target.PannedAlone() {
		names = append(names, target.Instrument.SourceName(id))
	}
	if len(names) > 0 {
		l.notes = append(l.notes, fmt.Sprintf("Panned inside, with an output to themselves: %s. Centre them on the page "+
			"Inside, and pan the lanes.", short(names, ", ")))
	}
}

// noteLostEffects notes the group effects that feeds lose away from the first output.
func (l *onLanes) noteLostEffects() {
	by := map[string][]string{}
	var order []string
	for _, r := range l.rows {
		if len(l.outputs) > 0 && r.Output.Number == l.outputs[0].Number {
			continue
		}
		for _, f := range r.Feeds {
			for _, e := range f.Loses {
				if by[e] == nil {
					order = append(order, e)
				}
				by[e] = append(by[e], f.Name)
			}
		}
	}
	for _, e := range order {
		l.notes = append(l.notes,
			fmt.Sprintf("The instrument's own %s does not reach feeds that leave by their own output: %s.",
				e, short(by[e], ", ")))
	}
}
