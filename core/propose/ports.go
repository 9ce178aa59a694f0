package propose

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// FromPorts makes the outputs of an instrument out of a number of ports: the mix
// of 5.1, stereo and mono outputs on which the wanted feeds cost least, with no
// more of them than it takes. Wide outputs come first, so that no pair straddles.
func FromPorts(p *plan.Project, placed string, ports int) ([]rig.Output, error) {
	p = p.Clone()
	pl := p.Find(placed)
	if pl == nil {
		return nil, errors.New("that instrument is not in this project")
	}
	if ports < 1 || ports > rig.MaxPorts {
		return nil, fmt.Errorf("%d ports: an instrument has 1 to %d", ports, rig.MaxPorts)
	}
	pl.Pairs, pl.Use, pl.Halved = false, 0, nil
	var best *mix
	var reason error // why the first mix that will not do, will not
	for _, outputs := range mixes(pl, ports) {
		m, err := try(p, pl, outputs)
		switch {
		case err != nil:
			reason = cmp.Or(reason, err)
		case len(m.rows) == 0: // nothing is wanted
		case best == nil || m.compare(best) < 0:
			best = m
		}
	}
	if best == nil {
		return nil, cmp.Or(reason, fmt.Errorf("%d ports do not carry what is wanted", ports))
	}
	return best.used(), nil
}

// mixes lists the outputs that can be made of ports, no more of a width than there are
// feeds for it.
func mixes(pl *plan.Placed, ports int) (out [][]rig.Output) {
	var count [7]int // feeds by width
	for _, f := range pl.AllFeeds() {
		count[max(f.Width, audio.Mono)]++
	}
	for six := min(count[6], ports/6); six >= 0; six-- {
		rest := ports - 6*six
		for two := min(count[2]+count[6], rest/2); two >= 0; two-- {
			one := min(rest-2*two, count[1]+count[2]+count[6])
			var runs []rig.Run
			for _, r := range []rig.Run{{Count: six, Width: audio.Surround}, {Count: two, Width: audio.Stereo},
				{Count: one, Width: audio.Mono}} {
				if r.Count > 0 {
					runs = append(runs, r)
				}
			}
			if len(runs) > 0 {
				out = append(out, rig.Lay(runs, 1))
			}
		}
	}
	return out
}

// mix is one set of outputs with what the wanted feeds cost on it.
type mix struct{ *grouped }

// try puts the wanted feeds on outputs; a mix that leaves a wide feed out will not do.
func try(p *plan.Project, pl *plan.Placed, outputs []rig.Output) (*mix, error) {
	pl.Outputs = outputs
	in := &input{project: p, placed: pl, outputs: outputs}
	if err := in.sortFeeds(); err != nil {
		return nil, err
	}
	g, err := in.group()
	if err != nil {
		return nil, err
	}
	for _, u := range slices.Backward(in.unused) {
		if uses, known := p.Uses(u.Feed); !(known && uses == 0) && !pl.Feeds[u.ID].ByHand {
			return nil, fmt.Errorf("no output is wide enough for %s", u.Name)
		}
	}
	return &mix{g}, nil
}

// compare orders mixes: the cheaper first, then the one on fewer ports.
func (m *mix) compare(other *mix) int {
	return cmp.Or(cmp.Compare(m.solution.Cost, other.solution.Cost), cmp.Compare(m.solution.Ports, other.solution.Ports))
}

// used are the outputs that carry something, laid one after the other.
func (m *mix) used() []rig.Output {
	busy := map[int]bool{}
	for _, r := range m.rows {
		busy[r.Output.Number] = true
	}
	var runs []rig.Run
	for _, o := range m.outputs {
		if busy[o.Number] {
			runs = append(runs, rig.Run{Count: 1, Width: o.Width})
		}
	}
	return rig.Lay(runs, 1)
}
