package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var waitingReload = &Rule{
	Code: "waiting-reload", Title: "The host does not see changed outputs", Severity: Silent, Step: AtOutputs,
	Doc: "The outputs of the instrument were changed, and the host needs a reload to see them. Notes play and nothing " +
		"is heard. " +
		"Reload the instrument or open the project again, as the host needs it.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if slices.Equal(in.Seen, in.Setup) {
				return
			}
			how := "reload the instrument"
			if g.Project.Host.Behaviour().After == rig.Reopen {
				how = "open the project again"
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
				Silences: len(in.Feeds),
				values:   []any{len(in.Setup), len(in.Seen)},
				say: func() Words {
					return Words{Title: pl.Instrument.Name + " needs a reload",
						Reason: fmt.Sprintf("It has %d outputs and the host sees %d; %s.", len(in.Setup), len(in.Seen), how),
						Fix:    "Mark as reloaded"}
				},
				fix: setInHost("the host sees the outputs of "+pl.Instrument.Name, pl.ID,
					func(in *plan.InstrumentState) { in.Seen, in.Kept = in.Setup, in.Setup })})
		})
		return out
	},
}
