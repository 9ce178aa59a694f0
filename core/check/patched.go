package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// eachPatched goes through the instruments that stand in the host.
func eachPatched(g *trace.Graph, do func(*plan.Placed, plan.InstrumentState)) {
	if g.Project.Patched == nil {
		return
	}
	for i := range g.Project.Placed {
		pl := &g.Project.Placed[i]
		if in, ok := g.Project.Patched.Instruments[pl.ID]; ok {
			do(pl, in)
		}
	}
}

// setInHost is the edit that says how an instrument stands now.
func setInHost(label, placed string, set func(*plan.InstrumentState)) plan.Edit {
	return edits.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
		in, ok := s.Instruments[placed]
		if !ok {
			return fmt.Errorf("that instrument is not loaded in the host")
		}
		set(&in)
		s.Instruments[placed] = in
		return nil
	})
}

// eachPatchedLane goes through the lanes that stand in the host.
func eachPatchedLane(g *trace.Graph, do func(*plan.Lane)) {
	if g.Project.Patched == nil {
		return
	}
	for i := range g.Project.Patched.Lanes {
		do(&g.Project.Patched.Lanes[i])
	}
}

// setLaneInHost is the edit that says how a lane stands now.
func setLaneInHost(label, id string, set func(*plan.Lane)) plan.Edit {
	return edits.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
		l := s.Lane(id)
		if l == nil {
			return fmt.Errorf("that lane does not exist in the host")
		}
		set(l)
		return nil
	})
}
