package check

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var effectsLost = &Rule{
	Code: "effects-lost", Title: "The instrument's own effects do not reach a feed", Severity: Untidy, Step: AtOutputs,
	Doc: "Effects on a group inside the instrument vanish when a feed leaves by an output of its own. Put the effect " +
		"on the bus in the host instead, and mark this as intended.",
	Find: func(g *trace.Graph) (out []Finding) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			if len(pl.Outputs) == 0 {
				continue
			}
			for _, e := range pl.Instrument.Effects {
				var names []string
				for _, f := range g.Feeds {
					if f.Ref.Placed == pl.ID && f.At.State == plan.Assigned && f.At.Output != pl.Outputs[0].Number &&
						slices.Contains(f.Loses, e.Name) {
						names = append(names, f.Name)
					}
				}
				if n := len(names); n > 0 {
					var values []any
					for _, name := range names {
						values = append(values, name)
					}
					if n > 4 {
						names = append(names[:3], fmt.Sprintf("%d more", n-3))
						values = append(values[:3], n-3)
					}
					out = append(out, Finding{Subjects: []plan.Entity{plan.EffectEntity(pl.ID, e.ID)},
						values: values,
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s loses its %s", pl.Instrument.Name, e.Name),
								Reason: "It does not reach " + strings.Join(names, ", ") + ", which have outputs of their own."}
						}})
				}
			}
		}
		return out
	},
}
