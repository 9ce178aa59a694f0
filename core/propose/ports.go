package propose

import (
	"cmp"
	"fmt"

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
		return nil, fmt.Errorf("instrument %q is not in this project", placed)
	}
	if ports < 1 || ports > rig.MaxPorts {
		return nil, fmt.Errorf("%d ports: an instrument has 1 to %d", ports, rig.MaxPorts)
	}
	var count [7]int // feeds by width
	for _, f := range pl.AllFeeds() {
		count[max(f.Width, audio.Mono)]++
	}
	pl.Pairs, pl.Use, pl.Halved = false, 0, nil
	var best []rig.Output
	var bestCost, bestPorts int64
	var reason error
	for six := min(count[6], ports/6); six >= 0; six-- {
		rest := ports - 6*six
		for two := min(count[2]+count[6], rest/2); two >= 0; two-- {
			one := min(rest-2*two, count[1]+count[2]+count[6])
			var runs []rig.Run
			for _, r := range []rig.Run{{Count: six, Width: audio.Surround}, {Count: two, Width: audio.Stereo}, {Count: one, Width: audio.Mono}} {
				if r.Count > 0 {
					runs = append(runs, r)
				}
			}
			pl.Outputs = rig.Lay(runs, 1)
			if len(pl.Outputs) == 0 {
				continue
			}
			probe := &Proposal{Placed: placed, project: p, outputs: pl.Outputs}
			err := probe.sift(pl)
			if err == nil {
				err = probe.group(pl)
			}
			if err != nil {
				reason = cmp.Or(reason, err)
				continue
			}
			for _, u := range probe.Unused { // a mix that leaves a wide feed out is none
				if uses, known := p.Uses(u.Feed); u.To.State == "" && !(known && uses == 0) && !pl.Feeds[u.ID].ByHand {
					err = fmt.Errorf("no output is wide enough for %s", u.Name)
				}
			}
			if err != nil {
				reason = cmp.Or(reason, err)
				continue
			}
			if c, n := probe.Cost, int64(probe.solution.Ports); best == nil || cmp.Or(cmp.Compare(c, bestCost), cmp.Compare(n, bestPorts)) < 0 {
				bestCost, bestPorts = c, n
				best = nil
				busy := map[int]bool{}
				for _, r := range probe.Rows {
					busy[r.Output.Number] = true
				}
				var used []rig.Run
				for _, o := range pl.Outputs {
					if busy[o.Number] {
						used = append(used, rig.Run{Count: 1, Width: o.Width})
					}
				}
				best = rig.Lay(used, 1)
			}
		}
	}
	if best == nil {
		return nil, cmp.Or(reason, fmt.Errorf("%d ports do not carry what is wanted", ports))
	}
	return best, nil
}
