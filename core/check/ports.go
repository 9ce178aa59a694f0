package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

// portFaults finds the faults of one kind in how outputs lie on ports.
func portFaults(kind rig.FaultKind) func(*trace.Graph) []Problem {
	return func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, f := range rig.PortFaults(pl.Outputs, pl.Ports(), pl.Offset) {
				if f.Kind != kind {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.OutputEntity(plan.OutputRef{Placed: pl.ID, Output: f.Output})},
					values: []any{f.To},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Output %d of %s is on the wrong ports", f.Output, pl.Instrument.Name),
							Reason: words.Capital(f.Why) + "."}
					}}
				switch kind {
				case rig.Overlaps:
					other := plan.OutputRef{Placed: pl.ID, Output: f.With}
					fd.Subjects = append(fd.Subjects, plan.OutputEntity(other))
				case rig.Straddles:
					fd.values = []any{f.From, f.To}
				}
				laid := rig.Relay(pl.Outputs, pl.Offset)
				if len(rig.PortFaults(laid, pl.Ports(), pl.Offset)) == 0 && !pl.Instrument.Fixed {
					fd.offer("Place the outputs one after the other", edits.SetOutputs(pl.ID, laid, pl.Offset))
				}
				out = append(out, fd)
			}
		}
		return out
	}
}
