// Package instances compares one instance of an instrument with several: what each number of them
// takes in memory, load, ports, MIDI addresses, lanes and steps. It knows the plan and the run
// sheet, and changes nothing.
package instances

import (
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
)

// Sum is what a number of instances comes to.
type Sum struct {
	N         int
	MiB       float64
	Load      float64 // percent
	Ports     int     // of all instances together
	Addresses int     // MIDI addresses that are played on
	Lanes     int
	Steps     int    // settings of the run sheet for these instances, from nothing
	Here      bool   // the project has so many
	Why       string // why so many cannot be; "": they can
}

// most bounds how many instances are compared.
const most = 16

// Compare sums up one to most instances for the parts of an instrument of a project, that of the ID
// and its like together; none where there are no parts to share out.
func Compare(p *plan.Project, placed string) (out []Sum) {
	now := len(p.Instances(placed))
	base := p.Planned()
	if now > 1 {
		placed = p.Instances(placed)[0].ID
		if _, err := edits.Gather(placed)(base); err != nil {
			return nil // of voices alone
		}
	}
	first := base.Instances(placed)
	if len(first) == 0 || len(first[0].Instrument.Parts) < 2 {
		return nil
	}
	for n := 1; n <= min(most, len(first[0].Instrument.Parts)); n++ {
		q := base.Planned()
		if n > 1 {
			if _, err := edits.DivideInto(first[0].ID, n)(q); err != nil {
				break
			}
		}
		s := sumOf(q, first[0].ID)
		if s.Here = n == now; s.Here {
			here := sumOf(p, placed) // as it is, however the parts are shared out
			here.Here = true
			s = here
		}
		out = append(out, s)
	}
	return out
}

// sumOf sums the instances of a project up.
func sumOf(p *plan.Project, placed string) Sum {
	s := Sum{}
	addresses, of := map[plan.PlaceOfAddress]bool{}, map[string]bool{}
	alone := &plan.Project{Host: p.Host}
	for _, pl := range p.Instances(placed) {
		s.N++
		s.MiB += pl.Memory()
		s.Load += pl.Instrument.Traits.Load
		s.Ports += rig.PortsOver(pl.Outputs)
		for _, part := range pl.Instrument.Parts {
			if part.Address.Known() {
				addresses[p.At(pl.ID, part.Address)] = true
			}
		}
		if err := pl.FitsOne(); err != nil && s.Why == "" {
			s.Why = err.Error()
		}
		of[pl.ID] = true
		alone.Placed = append(alone.Placed, *pl)
	}
	buses := map[string]bool{}
	for _, l := range p.Lanes {
		for _, src := range l.Sources {
			if of[src.Placed] {
				s.Lanes++
				buses[l.To] = true
				alone.Lanes = append(alone.Lanes, l)
				break
			}
		}
	}
	for _, l := range p.Lanes {
		if buses[l.ID] {
			l.To, l.Sends = plan.MainMix, nil
			alone.Lanes = append(alone.Lanes, l)
		}
	}
	for i := range alone.Lanes {
		alone.Lanes[i].Sends = nil
	}
	s.Addresses = len(addresses)
	alone.Relink()
	s.Steps += runsheet.Settings(runsheet.From(alone, nil))
	return s
}
