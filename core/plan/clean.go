package plan

import "hiddenlanes/core/rig"

// CleanNames cleans the names in a project that comes with a file.
func (p *Project) CleanNames(n *rig.Names) {
	n.Clean(&p.Name)
	n.Clean(&p.Host.Profile.Name)
	for i := range p.Placed {
		pl := &p.Placed[i]
		n.Instrument(&pl.Instrument)
		if pl.AsItCame != nil {
			(&rig.Names{}).Instrument(pl.AsItCame)
		}
		n.Clean(&pl.Variant)
	}
	cleanLanes(p.Lanes, n)
	for _, s := range []*Patched{p.Patched, p.StandIn} {
		if s == nil {
			continue
		}
		cleanLanes(s.Lanes, &rig.Names{}) // they are called as planned
		for id, in := range s.Instruments {
			in.Name = rig.ShortName(in.Name)
			s.Instruments[id] = in
		}
	}
	if p.Song != nil {
		n.Clean(&p.Song.Name)
	}
	for k, a := range p.Intended {
		n.Clean(&a.Reason)
		p.Intended[k] = a
	}
	for i := range p.Exceptions {
		n.Clean(&p.Exceptions[i].Reason)
	}
	p.Chart.CleanNames(n)
}

func cleanLanes(lanes []Lane, n *rig.Names) {
	for i := range lanes {
		n.Clean(&lanes[i].Name)
		n.Inserts(lanes[i].Inserts)
	}
}
