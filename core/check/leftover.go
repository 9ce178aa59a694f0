package check

import (
	"fmt"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var leftover = &Rule{
	Code: "leftover", Title: "Something unused is still under a wanted feed", Severity: Wrong, Step: AtOutputs,
	Doc: "A feed that the plan parks or switches off stands on an output that carries a wanted one, usually the first, " +
		"where everything begins. Park it or switch it off in the instrument.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			wanted := map[string]string{}
			for _, f := range pl.AllFeeds() {
				if pl.Feeds[f.ID].State == plan.Assigned && host.JackOf(in, f.ID) == pl.FeedLabel(f.ID) {
					wanted[pl.FeedLabel(f.ID)] = f.Name
				}
			}
			for _, f := range pl.AllFeeds() {
				st, want := pl.Feeds[f.ID].State, pl.FeedLabel(f.ID)
				at := host.JackOf(in, f.ID)
				if (st == plan.Parked || st == plan.Off) && at != want && wanted[at] != "" {
					out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: f.ID})},
						values: []any{at},
						say: func() Words {
							return Words{Title: f.Name + " is still under " + wanted[at],
								Reason: fmt.Sprintf("Both stand on output %s.", at),
								Fix:    "It is on " + want + " now"}
						},
						fix: setInHost(f.Name+" is on "+want, pl.ID,
							func(in *plan.InstrumentState) { in.Feeds[f.ID] = want })})
				}
			}
		})
		return out
	},
}
