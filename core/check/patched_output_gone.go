package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var patchedGone = &Rule{
	Code: "patched-output-gone", Title: "A feed in the host is on an output that does not exist", Severity: Silent,
	Step: AtOutputs,
	Doc: "In the host the feed is assigned to an output that does not exist yet or any more. " +
		"Set the outputs up first, then assign.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			for _, f := range pl.AllFeeds() {
				l := in.JackOf(f.ID)
				n, side, err := rig.ParseLabel(l)
				if l == plan.OffLabel || err != nil || in.Has(plan.Jack{Output: n, Side: side}) || len(in.Setup) == 0 {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: f.ID})},
					values: []any{l, len(in.Setup)},
					say: func() Words {
						return Words{Title: f.Name + " is on an output that does not exist",
							Reason: fmt.Sprintf("It is assigned to output %s, and the instrument in the host has %d.", l, len(in.Setup))}
					}}
				if want := pl.FeedLabel(f.ID); want != "" && want != l {
					fd.offer("Mark as moved to "+want, setInHost(f.Name+" is on "+want, pl.ID,
						func(in *plan.InstrumentState) { in.Feeds[f.ID] = want }))
				}
				out = append(out, fd)
			}
		})
		return out
	},
}
