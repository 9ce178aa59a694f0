package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// madeOf lists what is set inside of a feed: its voice or part, and its microphone, by ID.
func madeOf(in *rig.Instrument, f rig.Feed) []string {
	return slices.DeleteFunc(f.Sources(), func(id string) bool {
		_, ok := in.Source(id)
		return !ok
	})
}

// setInside is the edit that sets things inside the instrument of a project.
func setInside(placed, label string, ids []string, set func(rig.SourceRef)) plan.Edit {
	return edits.SetInside(placed, func(in *rig.Instrument) (string, error) {
		for _, id := range ids {
			x, ok := in.Source(id)
			if !ok {
				return "", fmt.Errorf("that voice, microphone or part is no longer in this project")
			}
			set(x)
		}
		return label, nil
	})
}

// markInside is the edit that says that a setting inside stands in the host as planned.
func markInside(label, placed string, keys ...string) plan.Edit {
	return edits.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
		in, ok := s.Instruments[placed]
		pl := p.Find(placed)
		if !ok || pl == nil {
			return fmt.Errorf("that instrument is not loaded in the host")
		}
		want, inside := pl.InsideWanted(), map[string]string{}
		for k, v := range in.Inside {
			inside[k] = v
		}
		for _, k := range keys {
			if inside[k] = want[k]; want[k] == "" {
				delete(inside, k)
			}
		}
		in.Inside = inside
		s.Instruments[placed] = in
		return nil
	})
}

// eachInside goes through the instruments of which it is known how they are set inside in the
// host, and which have a setting of a kind there.
func eachInside(g *trace.Graph, kind string, do func(pl *plan.Placed, have, want map[string]string)) {
	eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
		if !g.Project.Patched.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) {
			return
		}
		for k := range in.Inside {
			if _, attribute, _ := rig.SplitInside(k); attribute == kind {
				do(pl, in.Inside, pl.InsideWanted())
				return
			}
		}
	})
}

// isAssigned reports whether a feed is wanted and has an output.
func isAssigned(f trace.Feed) bool { return f.At.State == plan.Assigned && f.Exists }
