package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var twoExits = &Rule{
	Code: "two-exits", Title: "A feed leaves by the main output as well, and none is planned to", Severity: Wrong,
	Step: AtOutputs, Mark: AtFork,
	Doc: "Inside the instrument the feed goes to its own output and to the main one, so it is heard twice. Take it off " +
		"the main output there, or plan both exits on the page Inside.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachInside(g, rig.InsideMain, func(pl *plan.Placed, have, want map[string]string) {
			if len(pl.Outputs) == 0 {
				return
			}
			for _, f := range g.Feeds {
				if f.Ref.Placed != pl.ID || !isAssigned(f) || f.OutputRef() == pl.Ref(pl.Jacks()[0]) {
					continue
				}
				for _, id := range f.Sources() {
					key := rig.InsideKey(id, rig.InsideMain, "")
					if have[key] == "" || want[key] != "" {
						continue
					}
					fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)}, values: []any{f.At.At().String()},
						say: func() Words {
							return Words{Title: f.Name + " leaves twice", Fix: "Mark as taken off the main output",
								Reason: fmt.Sprintf("Inside %s it goes to output %s and to the main one; the plan has its own alone.",
									pl.Instrument.Name, f.At.At())}
						},
						fix: markInside(f.Name+" leaves by its own output", pl.ID, key)}
					fd.also("Plan both exits", setInside(pl.ID, "let "+f.Name+" leave by its own output and the main one",
						[]string{id}, func(x rig.SourceRef) { x.AlsoMain = true }))
					out = append(out, fd)
					break
				}
			}
		})
		return out
	},
}
