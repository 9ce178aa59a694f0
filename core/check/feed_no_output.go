package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var feedNoOutput = &Rule{
	Code:     "feed-no-output",
	Title:    "A feed has no output",
	Severity: Silent,
	Doc: "The feed is wanted, but nobody has assigned it, or it is assigned to an output that the instrument does not have " +
		"(any more). Voices fire and nothing sounds. Assign it, ask for a proposal, or park it if the song can do without.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			switch {
			case f.At.State == plan.Undecided && (!f.Known || f.Uses > 0):
				fd := Finding{Title: f.Name + " goes nowhere", Reason: f.Placed.Instrument.Name + " sends it to no output, so it is silent.", Feed: f.Ref}
				if n := spareOutput(g, f); n > 0 {
					fd.Mend, fd.mend = fmt.Sprintf("Send it to output %d", n), plan.Decide(f.Ref, plan.Assigned, n)
				}
				out = append(out, fd)
			case f.At.State == plan.Assigned && !f.Exists:
				fd := Finding{Title: f.Name + " is silent", Feed: f.Ref,
					Reason: fmt.Sprintf("It is assigned to output %d, but %s has only %d.", f.At.Output, f.Placed.Instrument.Name, len(f.Placed.Outputs))}
				if n := spareOutput(g, f); n > 0 {
					fd.Mend, fd.mend = fmt.Sprintf("Send it to output %d", n), plan.Decide(f.Ref, plan.Assigned, n)
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// spareOutput is the first output wide enough for the feed that carries nothing, or 0.
func spareOutput(g *trace.Graph, f trace.Feed) int {
	for _, o := range f.Placed.Outputs {
		wanted, parked := g.On(plan.OutputRef{Placed: f.Ref.Placed, Output: o.Number})
		if len(wanted)+len(parked) == 0 && o.Width >= f.Width {
			return o.Number
		}
	}
	return 0
}
