package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var instrumentTwice = &Rule{
	Code: "instrument-twice", Title: "Two instruments have the same name", Severity: Untidy, Step: AtOutputs,
	Doc: "Steps and sheets name instruments, and it is unclear which of the two is meant. Rename one of them in the " +
		"project; the shelf keeps its name.",
	Find: func(g *trace.Graph) (out []Problem) {
		first := map[string]bool{}
		taken := map[string]bool{}
		for i := range g.Project.Placed {
			taken[g.Project.Placed[i].Instrument.Name] = true
		}
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			key := strings.ToLower(strings.TrimSpace(pl.Instrument.Name))
			if !first[key] {
				first[key] = true
				continue
			}
			better := plan.Unique(pl.Instrument.Name, taken)
			taken[better] = true
			out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
				values: []any{pl.Instrument.Name},
				say: func() Words {
					return Words{Title: "Two instruments are called " + pl.Instrument.Name,
						Reason: "On steps and sheets it is unclear which is meant.",
						Fix:    fmt.Sprintf("Rename the second to %s", better)}
				},
				fix: edits.NameInstrument(pl.ID, better)})
		}
		return out
	},
}
