// Package propose works out where an instrument's feeds should go: which
// outputs they leave by, what shares where outputs are few, which lanes the
// outputs arrive on and which bus takes them. It proposes; the user accepts.
package propose

import (
	"errors"
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
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
	Placed  string
	Rows    []Row       // outputs with wanted feeds, in chart order
	Unused  []Unused    // feeds that are parked or off
	Closing []plan.Lane // lanes that nothing arrives on any more
	Bus     *plan.Lane
	BusNew  bool         // the bus would be made
	More    []*plan.Lane // other buses that the house chart has for some of the rows
	Cost    int64
	Spare   int          // outputs that nothing wanted uses
	Used    int          // outputs that something wanted uses
	Added   []rig.Output // outputs that would have to be added for it
	Notes   []string
	*grouped
}

// Row is one output with what it would carry and where it would arrive.
type Row struct {
	Output  rig.Output
	Feeds   []FeedRow
	Lane    plan.Lane
	LaneNew bool
	Was     string // the jack its lane takes now, where that is another
	Cost    int64
	Changed bool // accepting the row would change something
	Now     string
}

// FeedRow is one wanted feed with the reason for its place.
type FeedRow struct {
	rig.Feed
	At        plan.Assignment // what is decided and asked of it now
	OwnOutput int
	Uses      int
	Known     bool // a song told the uses
	Reason    string
	Now       string // where it is now, for people
	Moves     bool
}

// Unused is one feed that gets no output of its own, and why.
type Unused struct {
	rig.Feed
	To      plan.Assignment
	Reason  string
	Now     string
	Changed bool
	off     bool // by habit, even where an output is spare
}

// ErrNoOutputs says that an instrument has nothing to assign to.
var ErrNoOutputs = errors.New("the instrument has no outputs yet; set some up first")

// Make works out the proposal for one placed instrument of the project, which
// it leaves as it is: what goes in, how it is grouped on outputs, which lanes those
// arrive on. Errors: no outputs, no free block (*plan.NoBlockError), wishes that
// cannot hold at once (*share.ConflictError, *share.TooFewError).
func Make(p *plan.Project, o Options) (*Proposal, error) {
	pl := p.Find(o.Placed)
	if pl == nil {
		return nil, errors.New("that instrument is not in this project")
	}
	if len(pl.Outputs) == 0 && o.Outputs == 0 {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, ErrNoOutputs)
	}
	in, err := newInput(p, pl, o)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, err)
	}
	g, err := in.group()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", pl.Instrument.Name, err)
	}
	l, err := g.onLanes()
	if err != nil {
		return nil, err
	}
	return l.proposal(), nil
}

// All makes the proposals for several instruments of a project, each as if those
// before it were accepted, so that no two take the same lanes. An instrument that
// cannot be proposed for has an error in its place.
func All(p *plan.Project, options []Options) ([]*Proposal, []error) {
	p = p.Planned()
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
			out[i].rebase(before)
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

// BusName is the bus that a row's lane would go to; "" for the main mix.
func (pr *Proposal) BusName(r Row) string {
	for _, b := range append([]*plan.Lane{pr.Bus, pr.project.Lane(r.Lane.To)}, pr.More...) {
		if b != nil && b.ID == r.Lane.To {
			return b.Name
		}
	}
	return ""
}

// jack names a row's output.
func (r Row) jack() plan.Jack { return plan.Jack{Output: r.Output.Number, Side: r.Output.Side} }
