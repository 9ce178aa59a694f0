package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var setupOverridden = &Rule{
	Code: "setup-overridden", Title: "An instrument came with its own outputs", Severity: Untidy, Step: AtOutputs,
	Doc: "The instrument was saved with its own output set-up, which is used before your default. Apply the default, " +
		"or mark it as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			runs, err := rig.ParseRuns(pl.DefaultSetup)
			if !pl.OwnSetup || pl.DefaultSetup == "" || err != nil || pl.Instrument.Fixed {
				continue
			}
			if def := rig.Lay(runs, 1); rig.FormatRuns(rig.Runs(pl.Outputs)) != rig.FormatRuns(runs) {
				out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
					values: []any{rig.FormatRuns(rig.Runs(pl.Outputs)), pl.DefaultSetup},
					say: func() Words {
						return Words{Title: pl.Instrument.Name + " came with its own outputs",
							Reason: fmt.Sprintf("It has %s, and your default is %s.", rig.FormatRuns(rig.Runs(pl.Outputs)), pl.DefaultSetup),
							Fix:    "Apply the default"}
					},
					fix: edits.SetOutputs(pl.ID, def, pl.Offset)})
			}
		}
		return out
	},
}
