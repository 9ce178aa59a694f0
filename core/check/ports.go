package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var portsOverlap = &Rule{
	Code: "ports-overlap", Title: "Two outputs are on one port", Severity: Wrong, Step: AtOutputs,
	Doc:  "Two outputs of an instrument share a port, so what leaves by one is heard on the other as well. Lay them out one after the other.",
	Find: portFaults("are both on port"),
}

var pairStraddles = &Rule{
	Code: "pair-straddles", Title: "A stereo output straddles two pairs", Severity: Wrong, Step: AtOutputs,
	Doc: "The output begins on an even port, as the instrument or the host counts, so its sides belong to two different pairs of the host: " +
		"left arrives on the right of one, right on the left of the next. Begin it on an odd port.",
	Find: portFaults("straddles"),
}

var portsPastEnd = &Rule{
	Code: "ports-past-end", Title: "An output lies past the last port", Severity: Silent, Step: AtOutputs,
	Doc:  "The loaded plug-in format has fewer ports than the set-up asks for; what leaves by the outputs past the end is silent. Use fewer or narrower outputs, or a format with more ports.",
	Find: portFaults("and there are only", "ports count from 1"),
}

// portFaults finds what rig.PortFaults says in certain words.
func portFaults(words ...string) func(*trace.Graph) []Finding {
	return func(g *trace.Graph) (out []Finding) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, f := range rig.PortFaults(pl.Outputs, pl.Ports(), pl.Offset) {
				for _, w := range words {
					if !strings.Contains(f.Why, w) {
						continue
					}
					fd := Finding{Title: fmt.Sprintf("Output %d of %s lies badly", f.Output, pl.Instrument.Name), Output: plan.OutputRef{Placed: pl.ID, Output: f.Output},
						Reason: strings.ToUpper(f.Why[:1]) + f.Why[1:] + "."}
					laid := rig.Relay(pl.Outputs, pl.Offset)
					if len(rig.PortFaults(laid, pl.Ports(), pl.Offset)) == 0 && !pl.Instrument.Fixed {
						fd.Mend, fd.mend = "Lay the outputs out one after the other", plan.SetOutputs(pl.ID, laid, pl.Offset)
					}
					out = append(out, fd)
					break
				}
			}
		}
		return out
	}
}
