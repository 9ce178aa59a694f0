package app

import (
	"fmt"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
)

// ProposalRequest is what a script asks of a proposal, with feeds by name.
type ProposalRequest struct {
	Outputs    []rig.Run // none: made from the ports
	Ports      int       // that the instrument has; 0: any number
	Offset     int
	Host       plan.Host
	Song       *plan.Song
	Bus        string
	NoBus      bool
	Together   [][]string
	Apart      [][]string
	Pins       map[string]plan.Jack
	Park       []string
	Off        []string
	Fold       []string
	OwnOutputs map[string]int
	Pairs      bool
	Free       plan.Ranges // numbers of outputs that are left alone
	Spare      int         // so many more stay empty
	AsUsual    bool        // feeds share as they usually do, by family
	View       rig.View
}

// Propose makes a project of one instrument with all that is asked, and the
// proposal for it.
func Propose(in rig.Instrument, a ProposalRequest) (*propose.Proposal, error) {
	p := &plan.Project{Name: "proposal", Host: a.Host, Song: a.Song}
	outputs := rig.Lay(a.Outputs, 1)
	if faults := rig.PortFaults(outputs, a.Ports, a.Offset); a.Ports > 0 && len(faults) > 0 {
		return nil, fmt.Errorf("the outputs do not lie on the ports: %s", faults[0].Why)
	}
	do := []plan.Edit{edits.AddInstrument(in, outputs, a.Offset)}
	const id = "i1"
	do = append(do, edits.SetView(id, func(v *rig.View) { *v = a.View }), edits.SetPairs(id, a.Pairs))
	for _, e := range do {
		if _, err := e(p); err != nil {
			return nil, err
		}
	}
	pl := p.Find(id)
	if err := a.demand(p, pl); err != nil {
		return nil, err
	}
	if len(a.Outputs) == 0 {
		var err error
		if pl.Outputs, err = propose.FromPorts(p, id, a.Ports); err != nil {
			return nil, err
		}
	}
	if a.AsUsual {
		if _, err := edits.ShareAsUsual(id)(p); err != nil {
			return nil, err
		}
	}
	if len(a.Free) > 0 || a.Spare > 0 {
		if _, err := edits.KeepOutputsFree(id, plan.OutputNumbers(a.Free), a.Spare)(p); err != nil {
			return nil, err
		}
	}
	return propose.Make(p, propose.Options{Placed: id, Bus: a.Bus, NoBus: a.NoBus})
}

// demand asks of the feeds what the request names: together, apart, folded, pinned, parked, off.
func (a ProposalRequest) demand(p *plan.Project, pl *plan.Placed) (err error) {
	id, find := pl.ID, feedFinder(pl)
	several := func(lists [][]string, edit func(string, []string) plan.Edit) {
		for _, names := range lists {
			var ids []string
			for _, n := range names {
				var f string
				if f, err = find(n, err); err == nil {
					ids = append(ids, f)
				}
			}
			if err == nil {
				_, err = edit(id, ids)(p)
			}
		}
	}
	several(a.Together, edits.KeepTogether)
	several(a.Apart, edits.KeepApart)
	if len(a.Fold) > 0 {
		several([][]string{a.Fold}, func(id string, feeds []string) plan.Edit { return edits.SetFold(id, feeds, true) })
	}
	decide := func(name string, set func(*plan.Assignment)) {
		var f string
		if f, err = find(name, err); err == nil {
			x := pl.Feeds[f]
			set(&x)
			pl.Feeds[f] = x
		}
	}
	for name, at := range a.Pins {
		decide(name, func(x *plan.Assignment) { x.Pin = &at })
	}
	for name, w := range a.OwnOutputs {
		decide(name, func(x *plan.Assignment) { x.OwnOutput = &w })
	}
	for _, name := range a.Park {
		decide(name, func(x *plan.Assignment) { x.State, x.ByHand = plan.Parked, true })
	}
	for _, name := range a.Off {
		decide(name, func(x *plan.Assignment) { x.State, x.ByHand = plan.Off, true })
	}
	if err != nil {
		return err
	}
	for name := range a.Pins {
		if f, _ := find(name, nil); pl.Feeds[f].ByHand {
			return fmt.Errorf("%s is pinned to an output and set aside as well; ask for one of them", name)
		}
	}
	return nil
}

// feedFinder finds feeds by name; case and spaces around it do not matter.
func feedFinder(pl *plan.Placed) func(name string, before error) (string, error) {
	feeds := pl.AllFeeds()
	return func(name string, before error) (string, error) {
		if before != nil {
			return "", before
		}
		name = strings.TrimSpace(name)
		var names []string
		for _, f := range feeds {
			if f.ID == name || strings.EqualFold(f.Name, name) {
				return f.ID, nil
			}
			names = append(names, f.Name)
		}
		return "", fmt.Errorf("no feed is called %q; there are: %s", name, strings.Join(names, ", "))
	}
}
