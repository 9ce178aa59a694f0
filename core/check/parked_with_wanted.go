package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var parkedWithWanted = &Rule{
	Code:     "parked-with-wanted",
	Title:    "A parked feed is under a wanted one, or on a lane",
	Version:  1,
	Severity: Wrong,
	Step:     AtOutputs,
	Doc: "A feed the song does not use is parked on an output that carries a wanted feed, or that a lane takes. " +
		"Should it ever sound, it sounds there. Park it on a free output, or switch it off.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.At.State != plan.Parked || !f.Exists {
				continue
			}
			wanted, _ := g.On(f.OutputRef())
			lanes := g.LanesOf(f.OutputRef())
			if len(wanted) == 0 && len(lanes) == 0 {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
				values: []any{f.Output.Label(), f.Output.PortNames(0)},
				say: func() Words {
					if len(wanted) == 0 {
						return Words{Title: fmt.Sprintf("%s is parked where lane %d listens", f.Name, lanes[0].Number),
							Reason: fmt.Sprintf("Output %s (%s) arrives on lane %d %s.", f.Output.Label(), f.Output.PortNames(0),
								lanes[0].Number, lanes[0].Name)}
					}
					return Words{Title: fmt.Sprintf("%s is parked under %s", f.Name, feedNames(wanted)),
						Reason: fmt.Sprintf("Both leave by output %s (%s).", f.Output.Label(), f.Output.PortNames(0))}
				}}
			j := spareOutput(g, f)
			on := plan.OutputRef{Placed: f.Ref.Placed, Output: j.Output, Side: j.Side}
			if j != (plan.Jack{}) && len(g.LanesOf(on)) == 0 {
				fd.offer(fmt.Sprintf("Park it on output %s", j), edits.Decide(f.Ref, plan.Parked, j))
			} else {
				fd.offer("Switch it off", edits.Decide(f.Ref, plan.Off, plan.Jack{}))
			}
			out = append(out, fd)
		}
		return out
	},
}
