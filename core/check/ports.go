package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// portFaults finds the faults of one kind in how outputs lie on ports.
func portFaults(kind rig.FaultKind) func(*trace.Graph) []Finding {
	return func(g *trace.Graph) (out []Finding) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, f := range rig.PortFaults(pl.Outputs, pl.Ports(), pl.Offset) {
				if f.Kind != kind {
					continue
				}
				fd := Finding{Title: fmt.Sprintf("Output %d of %s lies badly", f.Output, pl.Instrument.Name),
					Output: plan.OutputRef{Placed: pl.ID, Output: f.Output},
					Reason: strings.ToUpper(f.Why[:1]) + f.Why[1:] + "."}
				laid := rig.Relay(pl.Outputs, pl.Offset)
				if len(rig.PortFaults(laid, pl.Ports(), pl.Offset)) == 0 && !pl.Instrument.Fixed {
					fd.Mend, fd.mend = "Lay the outputs out one after the other", plan.SetOutputs(pl.ID, laid, pl.Offset)
				}
				out = append(out, fd)
			}
		}
		return out
	}
}
