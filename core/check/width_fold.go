package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var widthFold = &Rule{
	Code:     "width-fold",
	Title:    "A stereo feed is on a mono output",
	Severity: Wrong,
	Step:     AtOutputs,
	Doc: "The feed is wider than the output it leaves by, so its sides are folded together or one is lost. " +
		"Assign it to an output of its own width.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.At.State != plan.Assigned || !f.Exists || f.Width.Ports() <= f.Output.Width.Ports() {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
				values: []any{f.Width, f.Output.Label(), f.Output.Width},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s loses its width", f.Name),
						Reason: fmt.Sprintf("It is %s, but output %s is %s.", f.Width, f.Output.Label(), f.Output.Width)}
				}}
			fd.offer(sendSomewhere(g, f))
			out = append(out, fd)
		}
		return out
	},
}
