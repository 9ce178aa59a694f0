package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var closedFeed = &Rule{
	Code: "closed-feed", Title: "Something wanted is closed inside the instrument", Severity: Silent, Step: AtOutputs,
	Doc: "The feed has an output, and the voice, microphone or part that it is made of is closed inside the " +
		"instrument, by the plan or in the host. Open it there, or switch the feed off.",
	Find: func(g *trace.Graph) (out []Problem) {
		planned := map[plan.FeedRef]bool{}
		for _, f := range g.Feeds {
			if !f.Closed || f.At.State != plan.Assigned {
				continue
			}
			planned[f.Ref] = true
			ids, in := madeOf(&f.Placed.Instrument, f.Feed), f.Placed.Instrument.Name
			out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)}, Silences: 1,
				say: func() Words {
					return Words{Title: f.Name + " is closed inside", Fix: "Open it",
						Reason: fmt.Sprintf("It has an output, and it is closed inside %s.", in)}
				},
				fix: setInside(f.Ref.Placed, "open "+f.Name, ids, func(x rig.SourceRef) { x.Closed = false })})
		}
		eachInside(g, rig.InsideOpen, func(pl *plan.Placed, have, want map[string]string) {
			for _, f := range g.Feeds {
				if f.Ref.Placed != pl.ID || f.At.State != plan.Assigned || planned[f.Ref] {
					continue
				}
				for _, id := range f.Sources() {
					key := rig.InsideKey(id, rig.InsideOpen, "")
					if have[key] == "" || want[key] != "" {
						continue
					}
					out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)}, Silences: 1, values: []any{"host"},
						say: func() Words {
							return Words{Title: f.Name + " is closed in the host", Fix: "Mark as opened",
								Reason: fmt.Sprintf("The plan has it open, and inside %s it is closed.", pl.Instrument.Name)}
						},
						fix: markInside(f.Name+" is open", pl.ID, key)})
					break
				}
			}
		})
		return out
	},
}
