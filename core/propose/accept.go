package propose

import (
	"errors"
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
)

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

var errNothing = errors.New("no row of the proposal is selected; select what to accept")

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
		if len(pr.Added) > 0 {
			pl.Outputs = slices.Clone(pr.outputs)
		}
		pl.Use = pr.limit
		rows := slices.DeleteFunc(slices.Clone(pr.Rows), func(r Row) bool { return !s.Outputs[r.Output.Label()] })
		pr.acceptRows(p, pl, rows)
		rest, err := pr.acceptRest(p, pl, s)
		if err != nil {
			return "", err
		}
		switch {
		case len(rows)+rest == 0:
			return "", errNothing
		case len(rows) == len(pr.Rows) && rest == len(pr.Unused)+len(pr.Closing):
			return fmt.Sprintf("accept the proposal for %s", pl.Instrument.Name), nil
		}
		return fmt.Sprintf("accept %d of %d outputs proposed for %s", len(rows), len(pr.Rows), pl.Instrument.Name), nil
	}
}

// Accept is the edit that works a proposal out again and accepts what is chosen of it.
func Accept(o Options, choose func(*Proposal) Selection) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pr, err := Make(p, o)
		if err != nil {
			return "", err
		}
		return pr.Accept(choose(pr))(p)
	}
}

// acceptRows puts the feeds of rows on their outputs, and their lanes there.
func (pr *Proposal) acceptRows(p *plan.Project, pl *plan.Placed, rows []Row) {
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
}

// acceptRest sets the selected unused feeds aside, closes the selected lanes, and counts
// both.
func (pr *Proposal) acceptRest(p *plan.Project, pl *plan.Placed, s Selection) (n int, err error) {
	for _, u := range pr.Unused {
		if s.Unused[u.ID] {
			pl.Feeds[u.ID] = u.To
			n++
		}
	}
	for _, l := range pr.Closing {
		if s.Closing[l.ID] && p.Lane(l.ID) != nil {
			if _, err := edits.DeleteLane(l.ID)(p); err != nil {
				return n, err
			}
			n++
		}
	}
	return n, nil
}

// busIn gives the project's bus for one of the proposal's, making it where it is new.
func (pr *Proposal) busIn(p *plan.Project, id string) string {
	for _, bus := range append([]*plan.Lane{pr.Bus}, pr.More...) {
		if bus == nil || bus.ID != id {
			continue
		}
		if b := p.BusNamed(bus.Name); b != nil {
			return b.ID
		}
		b := *bus
		b.ID = p.NewLaneID()
		p.Lanes = append(p.Lanes, b)
		return b.ID
	}
	return plan.MainMix
}

// rebase lets the proposal look at another copy of its project from now on.
func (pr *Proposal) rebase(p *plan.Project) {
	in := *pr.input
	in.project = p
	g := *pr.grouped
	g.input = &in
	pr.grouped = &g
}
