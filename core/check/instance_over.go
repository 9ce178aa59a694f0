package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var instanceOver = &Rule{
	Code: "instance-over", Title: "An instance holds more than it can", Severity: Wrong, Step: AtOutputs,
	Doc: "The instrument takes only so many parts, MIDI channels or ports in one instance, and the plan puts more into " +
		"it. " +
		"Divide it into several instances; lanes and wishes go along.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			err := pl.FitsParts()
			if err == nil {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)}, values: []any{len(pl.Instrument.Parts)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("%s holds more than one instance can", pl.Instrument.Name),
						Reason: sentence(err)}
				}}
			if n := pl.FewestInstances(); n > 1 {
				fd.offer(fmt.Sprintf("Divide into %d instances", n), edits.DivideInto(pl.ID, n))
			}
			out = append(out, fd)
		}
		return out
	},
}
