package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var outputGone = &Rule{
	Code:     "output-gone",
	Title:    "A feed is assigned to an output that does not exist",
	Severity: Silent,
	Step:     AtOutputs, Unassigned: true,
	Doc: "The feed is assigned to an output that the instrument does not have yet, or does not have any more since its " +
		"outputs were set up again. " +
		"Notes play and nothing is heard. Add the output, or assign the feed to an existing one.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.At.State != plan.Assigned || f.Exists {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
				Silences: 1,
				values:   []any{f.At.At(), f.Placed.Instrument.Name, len(f.Placed.Outputs)},
				say: func() Words {
					return Words{Title: f.Name + " is silent",
						Reason: fmt.Sprintf("It is assigned to output %s, but %s has only %d.", f.At.At(), f.Placed.Instrument.Name,
							len(f.Placed.Outputs))}
				}}
			fd.offer(sendSomewhere(g, f))
			out = append(out, fd)
		}
		return out
	},
}
