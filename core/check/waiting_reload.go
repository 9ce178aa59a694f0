package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var waitingReload = &Rule{
	Code: "waiting-reload", Title: "Changed outputs that the host does not see", Severity: Silent, Step: AtOutputs,
	Doc: "The instrument's outputs were changed since the host last looked at them. Voices fire and nothing sounds. " +
		"Reload the instrument or open the project again, as the host needs it.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if slices.Equal(in.Seen, in.Setup) {
				return
			}
			how := "reload the instrument"
			if g.Project.Host.Behaviour().After == rig.Reopen {
				how = "open the project again"
			}
			out = append(out, Finding{Title: pl.Instrument.Name + " waits to be seen",
				Output: plan.OutputRef{Placed: pl.ID, Output: 1}, Silences: len(in.Feeds),
				Reason: fmt.Sprintf("It has %d outputs and the host sees %d; %s.", len(in.Setup), len(in.Seen), how),
				Mend:   "It is done", mend: setInHost("the host sees the outputs of "+pl.Instrument.Name, pl.ID,
					func(in *plan.InstrumentState) { in.Seen, in.Kept = in.Setup, in.Setup })})
		})
		return out
	},
}
