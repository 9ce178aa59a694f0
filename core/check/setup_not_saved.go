package check

import (
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var notSaved = &Rule{
	Code: "setup-not-saved", Title: "A set-up is lost at the next reload", Severity: Wrong, Step: AtOutputs,
	Doc: "This host loses a set-up of outputs that was not saved before the instrument is loaded again. Save it.",
	Find: func(g *trace.Graph) (out []Problem) {
		if !g.Project.Host.Behaviour().SaveFirst {
			return nil
		}
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if !slices.Equal(in.Kept, in.Setup) {
				out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
					say: func() Words {
						return Words{Title: "The set-up of " + pl.Instrument.Name + " is not saved",
							Reason: "The next reload brings the old outputs back.",
							Fix:    "Mark as saved"}
					},
					fix: setInHost("the set-up of "+pl.Instrument.Name+" is saved", pl.ID,
						func(in *plan.InstrumentState) { in.Kept = in.Setup })})
			}
		})
		return out
	},
}
