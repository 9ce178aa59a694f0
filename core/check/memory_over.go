package check

import (
	"fmt"

	"hiddenlanes/core/trace"
)

var memoryOver = &Rule{
	Code: "memory-over", Title: "The instruments do not fit in memory", Severity: Wrong, Step: AtOutputs,
	Doc: "Parts times open microphones times their size, plus what each instance takes, are more than the machine's " +
		"budget. Switch microphones off that the song can do without.",
	Find: func(g *trace.Graph) (out []Finding) {
		budget := g.Project.Host.Budget
		if budget <= 0 {
			return nil
		}
		sum, most, biggest := 0.0, "", 0.0
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			m := pl.Memory()
			sum += m
			if m > biggest {
				biggest, most = m, pl.Instrument.Name
			}
		}
		if sum > budget {
			out = append(out, Finding{values: []any{most, biggest},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%.0f MiB are open, %.0f are there", sum, budget),
						Reason: fmt.Sprintf("%s takes most of it, %.0f MiB.", most, biggest)}
				}})
		}
		return out
	},
}
