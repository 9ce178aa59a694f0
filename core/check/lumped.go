package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var lumped = &Rule{
	Code: "lumped", Title: "Feeds share an output while others are free", Severity: Wrong, Step: AtOutputs,
	Doc: "Several feeds leave by one output although another that would fit carries nothing, as when a factory layout " +
		"puts all toms on one. " +
		"They cannot be mixed apart. Assign one of them to the free output, or keep them Together.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			if pl.Use > 0 {
				continue // the user wants some outputs left alone
			}
			for _, o := range pl.Jacks() {
				wanted, _ := g.On(pl.Ref(o))
				if len(wanted) < 2 || together(pl, wanted) {
					continue
				}
				// Only neighbours in chart order share, so the first or the last can leave.
				for _, f := range []trace.Feed{wanted[len(wanted)-1], wanted[0]} {
					j := spareOutput(g, f)
					if j == (plan.Jack{}) || pl.Feeds[f.ID].Pin != nil || asked(pl, f.ID) {
						continue
					}
					out = append(out, Problem{Subjects: []plan.Entity{plan.OutputEntity(pl.Ref(o))},
						values: []any{o.Label(), j},
						say: func() Words {
							return Words{Title: feedNames(wanted) + " share an output",
								Reason: fmt.Sprintf("They share output %s, while output %s carries nothing.", o.Label(), j),
								Fix:    fmt.Sprintf("Assign %s to output %s", f.Name, j)}
						},
						fix: edits.Decide(f.Ref, plan.Assigned, j)})
					break
				}
			}
		}
		return out
	},
}

// asked reports whether the user asked for a feed to share.
func asked(pl *plan.Placed, feed string) bool {
	return slices.ContainsFunc(pl.Together, func(g plan.FeedGroup) bool { return g.Holds(feed) })
}

// together reports whether the user asked for all the feeds to share.
func together(pl *plan.Placed, feeds []trace.Feed) bool {
	return slices.ContainsFunc(pl.Together, func(g plan.FeedGroup) bool {
		return !slices.ContainsFunc(feeds, func(f trace.Feed) bool { return !g.Holds(f.ID) })
	})
}
