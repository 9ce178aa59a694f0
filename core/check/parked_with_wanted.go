package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var parkedWithWanted = &Rule{
	Code:     "parked-with-wanted",
	Title:    "A parked feed sits under a wanted one",
	Severity: Wrong,
	Step:     AtOutputs,
	Doc: "A feed the song does not use is parked on an output that carries a wanted feed. Should it ever sound, it sounds " +
		"there. Park it on a spare output, or switch it off.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			if f.At.State != plan.Parked || !f.Exists {
				continue
			}
			wanted, _ := g.On(f.OutputRef())
			if len(wanted) == 0 {
				continue
			}
			fd := Finding{Title: fmt.Sprintf("%s is parked under %s", f.Name, feedNames(wanted)), Feed: f.Ref,
				Reason: fmt.Sprintf("Both leave by output %d (%s).", f.Output.Number, f.Output.PortNames(0))}
			if n := spareOutput(g, f); n > 0 {
				fd.Mend, fd.mend = fmt.Sprintf("Park it on output %d", n), plan.Decide(f.Ref, plan.Parked, n)
			} else {
				fd.Mend, fd.mend = "Switch it off", plan.Decide(f.Ref, plan.Off, 0)
			}
			out = append(out, fd)
		}
		return out
	},
}
