package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var leftover = &Rule{
	Code: "leftover", Title: "An unused feed is still under a wanted one", Severity: Wrong, Step: AtOutputs,
	Doc: "A feed that the plan parks or switches off is still on an output that carries a wanted one, usually the " +
		"first, where everything begins. Park it or switch it off in the instrument.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			wanted := map[string]string{}
			for _, f := range pl.AllFeeds() {
				if pl.Feeds[f.ID].State == plan.Assigned && in.JackOf(f.ID) == pl.FeedLabel(f.ID) {
					wanted[pl.FeedLabel(f.ID)] = f.Name
				}
			}
			for _, f := range pl.AllFeeds() {
				st, want := pl.Feeds[f.ID].State, pl.FeedLabel(f.ID)
				at := in.JackOf(f.ID)
				if (st == plan.Parked || st == plan.Off) && at != want && wanted[at] != "" {
					out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: f.ID})},
						values: []any{at},
						say: func() Words {
							return Words{Title: f.Name + " is still under " + wanted[at],
								Reason: fmt.Sprintf("Both are on output %s.", at),
								Fix:    "Mark as moved to " + want}
						},
						fix: setInHost(f.Name+" is on "+want, pl.ID,
							func(in *plan.InstrumentState) { in.Feeds[f.ID] = want })})
				}
			}
		})
		return out
	},
}
