// Package propose works out where an instrument's feeds should go: which
// outputs they leave by, what shares where outputs are few, which lanes the
// outputs arrive on and which bus takes them. It proposes; the user accepts.
package propose

import (
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
	Placed string // the instrument in the project
	Bus    string // the bus's name; "" for the house chart's
	NoBus  bool   // leave the lanes on the main mix
}

// Proposal is a whole suggestion for one placed instrument.
type Proposal struct {
	Placed  string
	Rows    []Row    // outputs with wanted feeds, in chart order
	Unused  []Unused // feeds that are parked or off
	Bus     *plan.Lane
	BusNew  bool // the bus would be made
	Cost    int64
	Spare   int // outputs that nothing wanted uses
	Notes   []string
	project *plan.Project
	own     map[int]*plan.Lane // by output number: the lane that takes it and nothing else
}

// Row is one output with what it would carry and where it would arrive.
type Row struct {
	Output  rig.Output
	Feeds   []Feed
	Lane    plan.Lane
	LaneNew bool
	Cost    int64
	Changed bool // accepting the row would change something
	Now     string
}

// Feed is one wanted feed with the reason for its place.
type Feed struct {
	rig.Feed
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
// wishes that cannot hold at once (*share.TooFewError).
func Make(p *plan.Project, o Options) (*Proposal, error) {
	pl := p.Find(o.Placed)
	if pl == nil {
		return nil, fmt.Errorf("instrument %q is not in this project", o.Placed)
	}
	if len(pl.Outputs) == 0 {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, ErrNoOutputs)
	}
	pr := &Proposal{Placed: pl.ID, project: p, own: ownLanes(p, pl.ID)}
	wanted := pr.sift(pl)
	if err := pr.group(pl, wanted); err != nil {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, err)
	}
	pr.park(pl)
	if err := pr.land(pl, o); err != nil {
		return nil, err
	}
	pr.compare(pl)
	return pr, nil
}

// sift splits the feeds into wanted ones and unused ones.
func (pr *Proposal) sift(pl *plan.Placed) (wanted []Feed) {
	widest := audio.Mono
	for _, o := range pl.Outputs {
		widest = max(widest, o.Width)
	}
	for _, f := range pl.Instrument.Feeds() {
		a := pl.Feeds[f.ID]
		uses, known := pr.project.Uses(f)
		unused := func(reason string) {
			pr.Unused = append(pr.Unused, Unused{Feed: f, Reason: reason, Now: describe(pl, a)})
		}
		switch {
		case a.ByHand && (a.State == plan.Parked || a.State == plan.Off):
			unused("you set it aside")
		case known && uses == 0:
			unused("the song never plays it")
		case f.Width > widest:
			unused(fmt.Sprintf("%s, and no output is wider than %s", f.Width, widest))
		default:
			wanted = append(wanted, Feed{Feed: f, Wish: pl.Wish(f), Uses: uses, Known: known, Now: describe(pl, a)})
		}
	}
	return wanted
}

func describe(pl *plan.Placed, a plan.Assignment) string {
	ports := fmt.Sprintf("output %d", a.Output)
	if o, ok := pl.Output(a.Output); ok {
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

// group puts the wanted feeds on outputs in chart order, cheapest first.
func (pr *Proposal) group(pl *plan.Placed, wanted []Feed) error {
	outputs := pl.Outputs
	// A feed may leave only by an output that is as wide as itself. Where the
	// set-up mixes widths, the wide outputs that the widest feeds need count.
	if fits := widthsThatFit(outputs, wanted); len(fits) > 0 {
		outputs = fits
	}
	items := make([]share.Item, len(wanted))
	for i, f := range wanted {
		items[i] = share.Item{Role: f.Role, Wish: f.Wish}
		if a := pl.Feeds[f.ID]; a.State == plan.Assigned {
			items[i].Now = 1 + slices.IndexFunc(outputs, func(o rig.Output) bool { return o.Number == a.Output })
		}
	}
	best, err := share.Best(items, len(outputs))
	if err != nil {
		return err
	}
	pr.Cost = best.Cost
	pr.Spare = len(pl.Outputs) - len(best.Starts)
	for g := range best.Starts {
		from, to := best.Range(g)
		row := Row{Output: outputs[g], Feeds: wanted[from:to]}
		for a := from; a < to; a++ {
			for b := a + 1; b < to; b++ {
				c, _ := share.Pair(items[a], items[b])
				row.Cost += c
			}
		}
		for i := range row.Feeds {
			row.Feeds[i].Reason = reason(row, i, len(wanted) <= len(outputs), len(outputs))
		}
		pr.Rows = append(pr.Rows, row)
	}
	return nil
}

// widthsThatFit keeps the outputs every wanted feed fits on.
func widthsThatFit(outputs []rig.Output, wanted []Feed) []rig.Output {
	need := audio.Mono
	for _, f := range wanted {
		need = max(need, f.Width)
	}
	return slices.DeleteFunc(slices.Clone(outputs), func(o rig.Output) bool { return o.Width < need })
}

func reason(row Row, i int, enough bool, outputs int) string {
	f, ports := row.Feeds[i], row.Output.PortNames(0)
	if len(row.Feeds) == 1 {
		switch {
		case enough:
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
	case outputs == 1:
		why = "there is only one output"
	case len(row.Feeds) == 2:
		why = "cheapest of the possible pairs"
	}
	return fmt.Sprintf("shares %s with %s: %s %s, %s (cost %d)", ports, with, inWords(len(row.Feeds)), house.Common(common), why, row.Cost)
}

func inWords(n int) string {
	if words := []string{"", "", "two", "three", "four", "five", "six"}; n < len(words) {
		return words[n]
	}
	return fmt.Sprint(n)
}

// park gives the unused feeds the last spare output, or switches them off where
// every output carries something wanted.
func (pr *Proposal) park(pl *plan.Placed) {
	busy := map[int]bool{}
	for _, r := range pr.Rows {
		busy[r.Output.Number] = true
	}
	spare := 0
	for _, o := range pl.Outputs {
		if !busy[o.Number] {
			spare = o.Number
		}
	}
	for i := range pr.Unused {
		u := &pr.Unused[i]
		now := pl.Feeds[u.ID]
		u.To = plan.Assignment{State: plan.Off, ByHand: now.ByHand, Wish: now.Wish}
		switch {
		case now.ByHand && now.State == plan.Off:
			u.Reason += "; it stays off"
		case spare != 0:
			o, _ := pl.Output(spare)
			u.To.State, u.To.Output = plan.Parked, spare
			u.Reason += fmt.Sprintf("; parked on %s, where no lane listens", o.PortNames(0))
		default:
			u.Reason += "; off, since every output carries something wanted"
		}
		u.Changed = u.To.State != now.State || u.To.Output != now.Output
	}
}

// land gives each row its lane: the one that takes its output already, or the
// next of a free block; and the lanes their names, colours and bus.
func (pr *Proposal) land(pl *plan.Placed, o Options) error {
	p := pr.project
	target := *pl // as if every row were accepted, to name the lanes by
	target.Feeds = map[string]plan.Assignment{}
	for _, u := range pr.Unused {
		target.Feeds[u.ID] = plan.Assignment{State: plan.Off}
	}
	for _, r := range pr.Rows {
		for _, f := range r.Feeds {
			target.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: r.Output.Number}
		}
	}
	missing := 0
	for _, r := range pr.Rows {
		if pr.own[r.Output.Number] == nil {
			missing++
		}
	}
	next := plan.LaneNumber(0)
	var block plan.Ranges
	if missing > 0 {
		var err error
		if next, err = p.Free(missing, p.Host.FirstLane); err != nil {
			return err
		}
		block = plan.Ranges{{From: next, To: next + plan.LaneNumber(missing) - 1}}
	}
	pr.chooseBus(pl, o, block)
	namer, loads, now := plan.NewNamer(&target), target.Loads(), pl.Loads()
	names := map[string]bool{}
	for _, l := range p.Lanes {
		if !slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool { return s.Placed == pl.ID }) {
			names[l.Name] = true
		}
	}
	for i := range pr.Rows {
		row := &pr.Rows[i]
		ref := plan.OutputRef{Placed: pl.ID, Output: row.Output.Number}
		feeds := loads[row.Output.Number]
		if own := pr.own[row.Output.Number]; own != nil {
			row.Lane = *own
		} else {
			row.LaneNew = true
			row.Lane = plan.Lane{Number: next, Kind: plan.Regular, Sources: []plan.OutputRef{ref}}
			next++
		}
		row.Lane.Width = row.Output.Width
		// What the user has named and coloured stays as long as it carries the same.
		if row.LaneNew || !sameFeeds(feeds, now[row.Output.Number]) {
			row.Lane.Name = unique(namer.Name(feeds, row.Output), names)
			row.Lane.Colour = house.Colour(plan.CommonRole(feeds))
		}
		names[row.Lane.Name] = true
		if pr.Bus != nil && (row.LaneNew || row.Lane.To == plan.MainMix) {
			row.Lane.To, row.Lane.AlsoMain = pr.Bus.ID, false
		}
	}
	return nil
}

// ownLanes gives, by output number, the first lane that takes an output of the
// instrument and nothing else.
func ownLanes(p *plan.Project, placed string) map[int]*plan.Lane {
	own := map[int]*plan.Lane{}
	for _, l := range p.ByNumber() {
		if len(l.Sources) == 1 && l.Sources[0].Placed == placed && own[l.Sources[0].Output] == nil {
			own[l.Sources[0].Output] = l
		}
	}
	return own
}

func unique(name string, taken map[string]bool) string {
	for i, n := 2, name; ; i++ {
		if !taken[n] {
			return n
		}
		n = fmt.Sprintf("%s %d", name, i)
	}
}

func sameFeeds(a, b []rig.Feed) bool {
	return slices.EqualFunc(a, b, func(x, y rig.Feed) bool { return x.ID == y.ID })
}

// newBus stands for a bus that does not exist yet.
const newBus = "new bus"

func (pr *Proposal) chooseBus(pl *plan.Placed, o Options, block plan.Ranges) {
	if o.NoBus || len(pr.Rows) == 0 {
		return
	}
	name := o.Bus
	if name == "" {
		for _, r := range pr.Rows { // the bus its lanes go to already
			if l := pr.own[r.Output.Number]; l != nil && l.To != plan.MainMix {
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
	pr.BusNew = true
	pr.Bus = &plan.Lane{ID: newBus, Number: number, Name: name, Kind: plan.Bus, Width: audio.Stereo, Colour: house.BusColour(pl.DominantRole())}
}

// compare marks what accepting each row would change.
func (pr *Proposal) compare(pl *plan.Placed) {
	loads := pl.Loads()
	for i := range pr.Rows {
		row := &pr.Rows[i]
		for j := range row.Feeds {
			a := pl.Feeds[row.Feeds[j].ID]
			row.Feeds[j].Moves = a.State != plan.Assigned || a.Output != row.Output.Number
			row.Changed = row.Changed || row.Feeds[j].Moves
		}
		var now []string
		for _, f := range loads[row.Output.Number] {
			now = append(now, f.Name)
		}
		row.Now = strings.Join(now, ", ")
		if own := pr.own[row.Output.Number]; own == nil || own.Name != row.Lane.Name || own.Colour != row.Lane.Colour || own.To != row.Lane.To {
			row.Changed = true
		}
	}
}

// Changes counts the rows and unused feeds that accepting would change.
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
	return n
}

// Selection says which parts of a proposal are accepted.
type Selection struct {
	Outputs map[int]bool    // rows, by the output's number
	Unused  map[string]bool // unused feeds, by feed ID
}

// Everything selects the whole proposal.
func (pr *Proposal) Everything() Selection {
	s := Selection{map[int]bool{}, map[string]bool{}}
	for _, r := range pr.Rows {
		s.Outputs[r.Output.Number] = true
	}
	for _, u := range pr.Unused {
		s.Unused[u.ID] = true
	}
	return s
}

// Accept is the edit that carries out the selected parts, as one change.
func (pr *Proposal) Accept(s Selection) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl := p.Find(pr.Placed)
		if pl == nil {
			return "", fmt.Errorf("the instrument is no longer in this project")
		}
		bus := ""
		rows := 0
		for _, row := range pr.Rows {
			if !s.Outputs[row.Output.Number] {
				continue
			}
			rows++
			for _, f := range row.Feeds {
				pl.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: row.Output.Number, Wish: pl.Feeds[f.ID].Wish}
			}
			l := row.Lane
			if l.To == newBus {
				if bus == "" {
					b := *pr.Bus
					b.ID = p.NewLaneID()
					p.Lanes, bus = append(p.Lanes, b), b.ID
				}
				l.To = bus
			}
			if row.LaneNew {
				l.ID = p.NewLaneID()
				p.Lanes = append(p.Lanes, l)
			} else if own := p.Lane(l.ID); own != nil {
				*own = l
			}
		}
		set := 0
		for _, u := range pr.Unused {
			if s.Unused[u.ID] {
				pl.Feeds[u.ID] = u.To
				set++
			}
		}
		if rows+set == 0 {
			return "", fmt.Errorf("nothing of the proposal is marked; mark what to accept")
		}
		if rows == len(pr.Rows) && set == len(pr.Unused) {
			return fmt.Sprintf("accept the proposal for %s", pl.Instrument.Name), nil
		}
		return fmt.Sprintf("accept %d of %d outputs proposed for %s", rows, len(pr.Rows), pl.Instrument.Name), nil
	}
}
