// Package propose works out where an instrument's feeds should go: which
// outputs they leave by, what shares where outputs are few, which lanes the
// outputs arrive on and which bus takes them. It proposes; the user accepts.
package propose

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/share"
)

// Options are what the user can say beforehand.
type Options struct {
	Placed  string // the instrument in the project
	Bus     string // the bus's name; "" for the house chart's
	NoBus   bool   // leave the lanes on the main mix
	Outputs int    // propose on so many outputs; 0: as many as the project uses
}

// Proposal is a whole suggestion for one placed instrument.
type Proposal struct {
	Placed   string
	Rows     []Row       // outputs with wanted feeds, in chart order
	Unused   []Unused    // feeds that are parked or off
	Closing  []plan.Lane // lanes that nothing arrives on any more
	Bus      *plan.Lane
	BusNew   bool         // the bus would be made
	More     []*plan.Lane // other buses that the house chart has for some of the rows
	Cost     int64
	Spare    int          // outputs that nothing wanted uses
	Used     int          // outputs that something wanted uses
	Added    []rig.Output // outputs that would have to be added for it
	Notes    []string
	project  *plan.Project
	outputs  []rig.Output // those there are and those added
	wanted   []Feed
	problem  share.Problem
	solution *share.Solution
	use      int // the limit that accepting keeps; 0: none
}

// Row is one output with what it would carry and where it would arrive.
type Row struct {
	Output  rig.Output
	Feeds   []Feed
	Lane    plan.Lane
	LaneNew bool
	Was     string // the jack its lane takes now, where that is another
	Cost    int64
	Changed bool // accepting the row would change something
	Now     string
}

// Feed is one wanted feed with the reason for its place.
type Feed struct {
	rig.Feed
	At     plan.Assignment // what is decided and asked of it now
	Wish   int
	Uses   int
	Known  bool // a song told the uses
	Reason string
	Now    string // where it is now, for people
	Moves  bool
}

// Unused is one feed that gets no output of its own, and why.
type Unused struct {
	rig.Feed
	To      plan.Assignment
	Reason  string
	Now     string
	Changed bool
}

// ErrNoOutputs says that an instrument has nothing to assign to.
var ErrNoOutputs = errors.New("the instrument has no outputs yet; set some up first")

// Make works out the proposal for one placed instrument of the project, which
// it leaves as it is. Errors: no outputs, no free block (*plan.NoBlockError),
// wishes that cannot hold at once (*share.ConflictError, *share.TooFewError).
func Make(p *plan.Project, o Options) (*Proposal, error) {
	pl := p.Find(o.Placed)
	if pl == nil {
		return nil, fmt.Errorf("instrument %q is not in this project", o.Placed)
	}
	if len(pl.Outputs) == 0 && o.Outputs == 0 {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, ErrNoOutputs)
	}
	pr := &Proposal{Placed: pl.ID, project: p}
	named := func(err error) error { return fmt.Errorf("%s: %w", pl.Instrument.Name, err) }
	if err := pr.count(pl, o); err != nil {
		return nil, named(err)
	}
	if err := pr.sift(pl); err != nil {
		return nil, named(err)
	}
	if err := pr.group(pl); err != nil {
		return nil, named(err)
	}
	pr.park(pl)
	if err := pr.land(pl, o); err != nil {
		return nil, err
	}
	pr.compare(pl)
	pr.lost()
	return pr, nil
}

// All makes the proposals for several instruments of a project, each as if those
// before it were accepted, so that no two take the same lanes. An instrument that
// cannot be proposed for has an error in its place.
func All(p *plan.Project, options []Options) ([]*Proposal, []error) {
	p = p.Clone()
	out, errs := make([]*Proposal, len(options)), make([]error, len(options))
	for i, o := range options {
		if out[i], errs[i] = Make(p, o); errs[i] != nil {
			continue
		}
		if len(options) > 1 {
			before := p.Clone()
			if _, err := out[i].Accept(out[i].Everything())(p); err != nil && !errors.Is(err, errNothing) {
				errs[i] = err
			}
			out[i].project = before
		}
	}
	return out, errs
}

// AcceptAll is the edit that proposes for several instruments and accepts
// everything, in one go.
func AcceptAll(options []Options) plan.Edit {
	return func(p *plan.Project) (string, error) {
		for _, o := range options {
			pr, err := Make(p, o)
			if err != nil {
				return "", err
			}
			if _, err := pr.Accept(pr.Everything())(p); err != nil && !errors.Is(err, errNothing) {
				return "", err
			}
		}
		return fmt.Sprintf("accept the proposals for %d instruments", len(options)), nil
	}
}

// count finds the outputs there would be: those set up, fewer, or more.
func (pr *Proposal) count(pl *plan.Placed, o Options) error {
	pr.outputs = slices.Clone(pl.Outputs)
	n := cmp.Or(o.Outputs, pl.Use)
	have := len(pl.Outputs)
	if n > 0 && n < have {
		pr.use = n
		return nil
	}
	if n <= have {
		return nil
	}
	if pl.Instrument.Fixed {
		return fmt.Errorf("it has %d outputs and can make no more", have)
	}
	wide := audio.Mono
	for _, f := range pl.AllFeeds() {
		wide = max(wide, f.Width)
	}
	if have > 0 {
		wide = max(wide, pl.Outputs[have-1].Width)
	}
	added, err := rig.AddMissing(pl.Outputs, append(rig.Widths(pl.Outputs), slices.Repeat([]audio.Width{wide}, n-have)...), pl.Ports())
	if err != nil {
		return err
	}
	pr.Added = added
	pr.outputs = append(pr.outputs, added...)
	return nil
}

// sift splits the feeds into wanted ones and unused ones, and refuses wishes for
// those that are set aside.
func (pr *Proposal) sift(pl *plan.Placed) error {
	widest := audio.Mono
	for _, o := range pr.outputs {
		widest = max(widest, o.Width)
	}
	aside := map[string]string{}
	for _, f := range pl.AllFeeds() {
		a := pl.Feeds[f.ID]
		uses, known := pr.project.Uses(f)
		unused := func(reason string) {
			pr.Unused = append(pr.Unused, Unused{Feed: f, Reason: reason, Now: describe(pl, a)})
		}
		switch {
		case a.ByHand && (a.State == plan.Parked || a.State == plan.Off):
			aside[f.ID] = f.Name
			unused("you set it aside")
		case known && uses == 0 && a.Pin == nil:
			unused("the song never plays it")
		case f.Width > widest && a.Pin == nil:
			unused(fmt.Sprintf("%s, and no output is wider than %s; fold it to mono to keep it", f.Width, widest))
		default:
			pr.wanted = append(pr.wanted, Feed{Feed: f, At: a, Wish: pl.Wish(f), Uses: uses, Known: known, Now: describe(pl, a)})
		}
	}
	for _, g := range pl.Together {
		for _, id := range g {
			if name := aside[id]; name != "" {
				return fmt.Errorf("%s is set aside and cannot share an output as well; take it back or free it from its group", name)
			}
		}
	}
	return nil
}

func describe(pl *plan.Placed, a plan.Assignment) string {
	ports := "output " + a.At().String()
	if o, ok := pl.Output(a.At()); ok {
		ports = o.PortNames(0)
	}
	switch a.State {
	case plan.Assigned:
		return ports
	case plan.Parked:
		return "parked on " + ports
	case plan.Off:
		return "off"
	}
	return "nowhere"
}

var sideOf = map[rig.Side]share.Side{rig.Whole: share.Whole, rig.Left: share.Left, rig.Right: share.Right}

// group puts the wanted feeds on outputs in chart order, cheapest first.
func (pr *Proposal) group(pl *plan.Placed) error {
	index := map[int]int{} // places of outputs by number, from 1
	q := share.Problem{Pairs: pl.Pairs, Limit: pr.use}
	for i, o := range pr.outputs {
		q.Outputs = append(q.Outputs, share.Output{Name: o.PortNames(0), Width: o.Width})
		index[o.Number] = i + 1
	}
	at := map[string]int{}
	for i, f := range pr.wanted {
		it := share.Item{Name: f.Name, Role: f.Place(pl.View.Axis), Wish: f.Wish, Width: f.Width}
		if f.At.State == plan.Assigned {
			it.Now = share.Place{Output: index[f.At.Output], Side: sideOf[f.At.Side]}
		}
		if pin := f.At.Pin; pin != nil {
			if index[pin.Output] == 0 {
				return fmt.Errorf("%s is pinned to output %s, and there are only %d; pin it elsewhere", f.Name, pin, len(pr.outputs))
			}
			it.Pin = share.Place{Output: index[pin.Output], Side: sideOf[pin.Side]}
		}
		q.Items = append(q.Items, it)
		at[f.ID] = i
	}
	both := func(ids ...string) (out []int) {
		for _, id := range ids {
			if i, ok := at[id]; ok {
				out = append(out, i)
			}
		}
		return out
	}
	for _, g := range pl.Together {
		if items := both(g...); len(items) > 1 {
			q.Together = append(q.Together, items)
		}
	}
	for _, a := range pl.Apart {
		if items := both(a[:]...); len(items) == 2 {
			q.Apart = append(q.Apart, [2]int{items[0], items[1]})
		}
	}
	best, err := share.Solve(q)
	if err != nil {
		return err
	}
	pr.problem, pr.solution, pr.Cost = q, best, best.Cost
	used := map[int]bool{}
	for _, g := range best.Groups {
		o := pr.outputs[g.At.Output-1]
		used[o.Number] = true
		for name, s := range sideOf {
			if s == g.At.Side && s != share.Whole {
				o = o.Half(name)
			}
		}
		row := Row{Output: o, Cost: g.Cost}
		for _, i := range g.Items {
			row.Feeds = append(row.Feeds, pr.wanted[i])
		}
		for i := range row.Feeds {
			row.Feeds[i].Reason = pr.reason(pl, row, i)
		}
		pr.Rows = append(pr.Rows, row)
	}
	pr.Used = len(used)
	pr.Spare = len(pr.outputs) - pr.Used
	return nil
}

// reason says why a feed is where it is.
func (pr *Proposal) reason(pl *plan.Placed, row Row, i int) string {
	f, ports := row.Feeds[i], row.Output.PortNames(0)
	if row.Output.Side != "" {
		ports += map[rig.Side]string{rig.Left: ", the left of its pair", rig.Right: ", the right of its pair"}[row.Output.Side]
	}
	asked := ""
	if f.At.Pin != nil {
		asked = ", pinned there"
	}
	outputs := len(pr.outputs)
	if pr.use > 0 {
		outputs = pr.use
	}
	if len(row.Feeds) == 1 {
		switch {
		case asked != "":
			return fmt.Sprintf("alone on %s%s", ports, asked)
		case len(pr.wanted) <= outputs || pr.Cost == 0:
			return fmt.Sprintf("alone on %s: there are outputs enough", ports)
		case f.Wish >= house.Never:
			return fmt.Sprintf("alone on %s: it never shares", ports)
		}
		return fmt.Sprintf("alone on %s: sharing it would cost more than any sharing here (wish %d)", ports, f.Wish)
	}
	var others []string
	common := f.Role
	for j, o := range row.Feeds {
		if j != i {
			others = append(others, o.Name)
		}
		common = role.Common(common, o.Role)
	}
	if n := len(others); n > 3 {
		others = append(others[:2], fmt.Sprintf("%d more", n-2))
	}
	with := others[0]
	if n := len(others); n > 1 {
		with = strings.Join(others[:n-1], ", ") + " and " + others[n-1]
	}
	why := "cheapest of the possible groupings"
	switch {
	case pr.joined(pl, row):
		why = "together, as you asked"
	case outputs == 1:
		why = "there is only one output"
	case len(row.Feeds) == 2:
		why = "cheapest of the possible pairs"
	}
	return fmt.Sprintf("shares %s%s with %s: %s %s, %s (cost %d)", ports, asked, with, inWords(len(row.Feeds)), house.Common(common), why, row.Cost)
}

// joined tells whether the user asked for all of a row to be together.
func (pr *Proposal) joined(pl *plan.Placed, row Row) bool {
	return slices.ContainsFunc(pl.Together, func(g []string) bool {
		return !slices.ContainsFunc(row.Feeds, func(f Feed) bool { return !slices.Contains(g, f.ID) })
	})
}

func inWords(n int) string {
	if words := []string{"", "", "two", "three", "four", "five", "six"}; n < len(words) {
		return words[n]
	}
	return fmt.Sprint(n)
}

// jack names a row's output.
func (r Row) jack() plan.Jack { return plan.Jack{Output: r.Output.Number, Side: r.Output.Side} }

// park gives the unused feeds a spare output, the last one unless they are parked
// on another already, or switches them off where every output carries something
// wanted.
func (pr *Proposal) park(pl *plan.Placed) {
	busy := map[int]bool{}
	for _, r := range pr.Rows {
		busy[r.Output.Number] = true
	}
	var spare plan.Jack
	for _, o := range pr.outputs {
		if !busy[o.Number] {
			spare = plan.Jack{Output: o.Number}
		}
	}
	for i := range pr.Unused {
		u := &pr.Unused[i]
		now := pl.Feeds[u.ID]
		u.To = now
		u.To.State, u.To.Output, u.To.Side = plan.Off, 0, ""
		switch {
		case now.ByHand && now.State == plan.Off:
			u.Reason += "; it stays off"
		case spare != plan.Jack{}:
			u.To.State, u.To.Output = plan.Parked, spare.Output
			if _, ok := pl.Output(now.At()); ok && now.State == plan.Parked && !busy[now.Output] {
				u.To.Output, u.To.Side = now.Output, now.Side
			}
			o := pr.outputs[slices.IndexFunc(pr.outputs, func(o rig.Output) bool { return o.Number == u.To.Output })]
			u.Reason += fmt.Sprintf("; parked on %s, where no lane listens", o.PortNames(0))
		default:
			u.Reason += "; off, since every output carries something wanted"
		}
		u.Changed = u.To.State != now.State || u.To.At() != now.At()
	}
}

// land gives each row its lane: the one that has most of its feeds already, or
// takes its output, or the next of the free ones; and the lanes their names,
// colours and bus.
func (pr *Proposal) land(pl *plan.Placed, o Options) error {
	p := pr.project
	target := *pl // as if every row were accepted, to name the lanes by
	target.Feeds = map[string]plan.Assignment{}
	for _, u := range pr.Unused {
		target.Feeds[u.ID] = plan.Assignment{State: plan.Off}
	}
	for _, r := range pr.Rows {
		for _, f := range r.Feeds {
			target.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: r.Output.Number, Side: r.Output.Side, Fold: f.At.Fold}
		}
	}
	now := pl.Loads()
	own := pr.ownLanes(pl, now)
	kept := pr.keptLanes(own)
	missing := 0
	for i := range pr.Rows {
		if own[i] == nil {
			missing++
		}
	}
	free, err := pr.freeLanes(pl, missing)
	if err != nil {
		return err
	}
	pr.chooseBus(pl, o, own, plan.RangesOf(free...))
	namer, loads := plan.NewNamer(&target), target.Loads()
	names := map[string]bool{}
	for _, l := range p.Lanes {
		if !slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool { return s.Placed == pl.ID }) {
			names[l.Name] = true
		}
	}
	if pr.Bus != nil {
		names[pr.Bus.Name] = true
	}
	for i := range pr.Rows {
		row := &pr.Rows[i]
		ref := pl.Ref(row.Output)
		feeds := loads[row.jack()]
		was := feeds
		if own[i] != nil {
			row.Lane = *own[i]
			if len(row.Lane.Sources) > 0 {
				from := row.Lane.Sources[0].Jack()
				was = now[from]
				if from != row.jack() {
					row.Was = from.String()
				}
			}
			row.Lane.Sources, row.Lane.Kept = []plan.OutputRef{ref}, role.Unnamed
		} else {
			row.LaneNew = true
			row.Lane = plan.Lane{Number: free[0], Kind: plan.Regular, Sources: []plan.OutputRef{ref}}
			free = free[1:]
		}
		row.Lane.Width = row.Output.Width
		// What the user has named and coloured stays as long as it carries the same.
		if row.LaneNew || !sameFeeds(feeds, was) {
			row.Lane.Name = plan.Unique(namer.Name(feeds, row.Output), names)
			row.Lane.Colour = p.Chart.Colour(plan.CommonRole(feeds))
		}
		names[row.Lane.Name] = true
		if bus := pr.busFor(plan.CommonRole(feeds), o, plan.RangesOf(free...)); bus != nil && (row.LaneNew || row.Lane.To == plan.MainMix && !kept[row.Lane.ID]) {
			row.Lane.To, row.Lane.AlsoMain = bus.ID, false
		}
	}
	pr.closeBuses()
	return nil
}

// keptLanes gives rows that have no lane yet the empty lane that is kept for their
// role, the nearest in the tree first, and tells which lanes those are.
func (pr *Proposal) keptLanes(own map[int]*plan.Lane) map[string]bool {
	kept := map[string]bool{}
	var empty []*plan.Lane
	for _, l := range pr.project.ByNumber() {
		if l.Kind == plan.Regular && len(l.Sources) == 0 && l.Kept != role.Unnamed {
			empty = append(empty, l)
		}
	}
	for _, near := range []func(row, lane role.Role) bool{
		func(row, lane role.Role) bool { return row == lane },
		func(row, lane role.Role) bool { return row != role.Unnamed && (row.Under(lane) || lane.Under(row)) },
	} {
		for i, row := range pr.Rows {
			r := Common(row.Feeds)
			for _, l := range empty {
				if own[i] == nil && !kept[l.ID] && near(r, l.Kept) {
					own[i], kept[l.ID] = l, true
				}
			}
		}
	}
	return kept
}

// busFor is the bus of a row: the one the house chart names for its role, or the
// instrument's. block are lanes that are about to be taken.
func (pr *Proposal) busFor(r role.Role, o Options, block plan.Ranges) *plan.Lane {
	name := pr.project.Chart.Bus(r)
	if name == "" || o.Bus != "" || o.NoBus || pr.Bus != nil && strings.EqualFold(name, pr.Bus.Name) {
		return pr.Bus
	}
	if name == house.MainMix {
		return nil
	}
	for _, b := range append(pr.project.Buses(), pr.More...) {
		if strings.EqualFold(b.Name, name) {
			return b
		}
	}
	if pr.Bus != nil {
		block = append(block, plan.Range{From: pr.Bus.Number, To: pr.Bus.Number})
	}
	for _, b := range pr.More {
		block = append(block, plan.Range{From: b.Number, To: b.Number})
	}
	for i := range pr.Rows {
		if n := pr.Rows[i].Lane.Number; n > 0 {
			block = append(block, plan.Range{From: n, To: n})
		}
	}
	number, err := pr.project.FreeForBus(block)
	if err != nil {
		return pr.Bus
	}
	b := &plan.Lane{ID: newBus + " " + name, Number: number, Name: name, Kind: plan.Bus, Width: audio.Stereo, Colour: pr.project.Chart.BusColour(r)}
	pr.More = append(pr.More, b)
	pr.Notes = append(pr.Notes, fmt.Sprintf("The house chart sends some of it to a bus of its own: %s, on lane %d.", name, number))
	return b
}

// closeBuses leaves buses over that only left-over lanes go to.
func (pr *Proposal) closeBuses() {
	closing, fed := map[string]bool{}, map[string]bool{}
	for _, l := range pr.Closing {
		closing[l.ID] = true
	}
	for _, r := range pr.Rows {
		fed[r.Lane.To] = true
	}
	for _, b := range pr.project.Buses() {
		left, others := 0, 0
		for _, l := range pr.project.Lanes {
			switch {
			case l.To != b.ID:
			case closing[l.ID]:
				left++
			default:
				others++
			}
		}
		if left > 0 && others == 0 && !fed[b.ID] {
			pr.Closing = append(pr.Closing, *b)
		}
	}
}

// ownLanes gives, by row, the lane that stays with it: of the lanes that take one
// output of the instrument and nothing else, the one that carries most of the
// row's feeds now, else the one that takes its output. Lanes that nothing would
// arrive on any more are left over.
func (pr *Proposal) ownLanes(pl *plan.Placed, now map[plan.Jack][]rig.Feed) map[int]*plan.Lane {
	var lanes []*plan.Lane
	for _, l := range pr.project.ByNumber() {
		if len(l.Sources) == 1 && l.Sources[0].Placed == pl.ID {
			lanes = append(lanes, l)
		}
	}
	type match struct{ row, lane, shared, same int }
	var matches []match
	for r, row := range pr.Rows {
		in := map[string]bool{}
		for _, f := range row.Feeds {
			in[f.ID] = true
		}
		for i, l := range lanes {
			m := match{row: r, lane: i}
			for _, f := range now[l.Sources[0].Jack()] {
				if in[f.ID] {
					m.shared++
				}
			}
			if l.Sources[0].Jack() == row.jack() {
				m.same = 1
			}
			if m.shared+m.same > 0 {
				matches = append(matches, m)
			}
		}
	}
	slices.SortStableFunc(matches, func(a, b match) int {
		return cmp.Or(cmp.Compare(b.shared, a.shared), cmp.Compare(b.same, a.same))
	})
	own, taken := map[int]*plan.Lane{}, map[int]bool{}
	for _, m := range matches {
		if own[m.row] == nil && !taken[m.lane] {
			own[m.row], taken[m.lane] = lanes[m.lane], true
		}
	}
	for i, l := range lanes {
		if !taken[i] {
			pr.Closing = append(pr.Closing, *l)
		}
	}
	return own
}

// freeLanes gives the lanes for rows that have none: the user's own numbers, or
// what is free from the wished lane on.
func (pr *Proposal) freeLanes(pl *plan.Placed, n int) ([]plan.LaneNumber, error) {
	p := pr.project
	if n == 0 || len(pl.Lanes) == 0 {
		return p.FreeLanes(n)
	}
	var out []plan.LaneNumber
	used := p.Used()
	for _, r := range pl.Lanes {
		for at := r.From; at <= r.To && len(out) < n; at++ {
			if !used.Contains(at) && (p.Host.LaneLimit == 0 || at <= p.Host.LaneLimit) {
				out = append(out, at)
			}
		}
	}
	if len(out) < n {
		return nil, fmt.Errorf("%s needs %d more lanes, and of those you named (%s) only %d are free; name more", pl.Instrument.Name, n, pl.Lanes, len(out))
	}
	return out, nil
}

func sameFeeds(a, b []rig.Feed) bool {
	return slices.EqualFunc(a, b, func(x, y rig.Feed) bool { return x.ID == y.ID })
}

// newBus stands for a bus that does not exist yet.
const newBus = "new bus"

func (pr *Proposal) chooseBus(pl *plan.Placed, o Options, own map[int]*plan.Lane, block plan.Ranges) {
	if o.NoBus || len(pr.Rows) == 0 {
		return
	}
	name := o.Bus
	if name == "" {
		for i := range pr.Rows { // the bus its lanes go to already
			if l := own[i]; l != nil && l.To != plan.MainMix {
				pr.Bus = pr.project.Lane(l.To)
				return
			}
		}
		name = pl.UsualBus()
	}
	for _, b := range pr.project.Buses() {
		if strings.EqualFold(b.Name, name) {
			pr.Bus = b
			return
		}
	}
	number, err := pr.project.FreeForBus(block)
	if err != nil {
		pr.Notes = append(pr.Notes, fmt.Sprintf("No lane is left for the bus %s, so the lanes go to the main mix.", name))
		return
	}
	if slices.ContainsFunc(pr.project.Lanes, func(l plan.Lane) bool { return strings.EqualFold(l.Name, name) }) {
		name += " Bus"
	}
	pr.BusNew = true
	pr.Bus = &plan.Lane{ID: newBus, Number: number, Name: name, Kind: plan.Bus, Width: audio.Stereo, Colour: pr.project.Chart.BusColour(pl.DominantRole())}
}

// compare marks what accepting each row would change.
func (pr *Proposal) compare(pl *plan.Placed) {
	loads := pl.Loads()
	for i := range pr.Rows {
		row := &pr.Rows[i]
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
		l := pr.project.Lane(row.Lane.ID)
		if l == nil || row.Was != "" || l.Name != row.Lane.Name || l.Colour != row.Lane.Colour || l.To != row.Lane.To || l.Width != row.Lane.Width {
			row.Changed = true
		}
	}
}

// lost notes the group effects that feeds lose away from the first output.
func (pr *Proposal) lost() {
	by := map[string][]string{}
	var order []string
	for _, r := range pr.Rows {
		if len(pr.outputs) > 0 && r.Output.Number == pr.outputs[0].Number {
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
		names := by[e]
		if n := len(names); n > 4 {
			names = append(slices.Clone(names[:3]), fmt.Sprintf("%d more", n-3))
		}
		pr.Notes = append(pr.Notes, fmt.Sprintf("The instrument's own %s does not reach feeds that leave by their own output: %s.", e, strings.Join(names, ", ")))
	}
}

// BusName is the bus that a row's lane would go to; "" for the main mix.
func (pr *Proposal) BusName(r Row) string {
	for _, b := range append([]*plan.Lane{pr.Bus, pr.project.Lane(r.Lane.To)}, pr.More...) {
		if b != nil && b.ID == r.Lane.To {
			return b.Name
		}
	}
	return ""
}

// Changes counts the rows, unused feeds and lanes that accepting would change.
func (pr *Proposal) Changes() (n int) {
	for _, r := range pr.Rows {
		if r.Changed {
			n++
		}
	}
	for _, u := range pr.Unused {
		if u.Changed {
			n++
		}
	}
	return n + len(pr.Closing)
}

// Selection says which parts of a proposal are accepted.
type Selection struct {
	Outputs map[string]bool // rows, by the label of their output: "3", "3L"
	Unused  map[string]bool // unused feeds, by feed ID
	Closing map[string]bool // left-over lanes, by ID
}

// Everything selects the whole proposal.
func (pr *Proposal) Everything() Selection {
	s := Selection{map[string]bool{}, map[string]bool{}, map[string]bool{}}
	for _, r := range pr.Rows {
		s.Outputs[r.Output.Label()] = true
	}
	for _, u := range pr.Unused {
		s.Unused[u.ID] = true
	}
	for _, l := range pr.Closing {
		s.Closing[l.ID] = true
	}
	return s
}

var errNothing = errors.New("nothing of the proposal is marked; mark what to accept")

// Accept is the edit that carries out the selected parts, as one change.
func (pr *Proposal) Accept(s Selection) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl := p.Find(pr.Placed)
		if pl == nil {
			return "", fmt.Errorf("the instrument is no longer in this project")
		}
		if pl.Feeds == nil {
			pl.Feeds = map[string]plan.Assignment{}
		}
		var rows []Row
		for _, row := range pr.Rows {
			if s.Outputs[row.Output.Label()] {
				rows = append(rows, row)
			}
		}
		if len(pr.Added) > 0 {
			pl.Outputs = slices.Clone(pr.outputs)
		}
		pl.Use = pr.use
		for _, row := range rows { // sides before feeds, so that what stays behind is taken along first
			if row.Output.Side != "" {
				p.Halve(pl, row.Output.Number)
			} else {
				p.Whole(pl, row.Output.Number)
			}
		}
		for _, row := range rows {
			for _, f := range row.Feeds {
				a := pl.Feeds[f.ID]
				a.State, a.Output, a.Side, a.ByHand = plan.Assigned, row.Output.Number, row.Output.Side, false
				pl.Feeds[f.ID] = a
			}
			l := row.Lane
			if l.To != plan.MainMix && p.Lane(l.To) == nil {
				l.To = pr.busIn(p, l.To)
			}
			if own := p.Lane(l.ID); own != nil && !row.LaneNew {
				*own = l
			} else {
				l.ID = p.NewLaneID()
				p.Lanes = append(p.Lanes, l)
			}
		}
		set := 0
		for _, u := range pr.Unused {
			if s.Unused[u.ID] {
				pl.Feeds[u.ID] = u.To
				set++
			}
		}
		for _, l := range pr.Closing {
			if s.Closing[l.ID] && p.Lane(l.ID) != nil {
				if _, err := plan.DeleteLane(l.ID)(p); err != nil {
					return "", err
				}
				set++
			}
		}
		if len(rows)+set == 0 {
			return "", errNothing
		}
		if len(rows) == len(pr.Rows) && set == len(pr.Unused)+len(pr.Closing) {
			return fmt.Sprintf("accept the proposal for %s", pl.Instrument.Name), nil
		}
		return fmt.Sprintf("accept %d of %d outputs proposed for %s", len(rows), len(pr.Rows), pl.Instrument.Name), nil
	}
}

// busIn gives the project's bus for one of the proposal's, making it where it is new.
func (pr *Proposal) busIn(p *plan.Project, id string) string {
	for _, bus := range append([]*plan.Lane{pr.Bus}, pr.More...) {
		if bus == nil || bus.ID != id {
			continue
		}
		for _, b := range p.Buses() {
			if strings.EqualFold(b.Name, bus.Name) {
				return b.ID
			}
		}
		b := *bus
		b.ID = p.NewLaneID()
		p.Lanes = append(p.Lanes, b)
		return b.ID
	}
	return plan.MainMix
}
