package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var sideNotTaken = &Rule{
	Code: "side-not-taken", Title: "A lane cannot take one side of a stereo output", Severity: Silent, Step: AtLanes,
	Doc: "The stereo output is split into two mono outputs, and lanes of this kind of host take whole outputs only: " +
		"both sides are silent. Give each feed an output of its own, or join the two sides.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, number := range pl.Halved {
				var feeds []trace.Feed
				shut := false
				for _, side := range []rig.Side{rig.Left, rig.Right} {
					ref := plan.OutputRef{Placed: pl.ID, Output: number, Side: side}
					wanted, _ := g.On(ref)
					feeds = append(feeds, wanted...)
					if at := g.Find(route.Output, ref.String()); at != route.None && len(wanted) > 0 {
						for _, n := range g.Out(at) {
							shut = shut || g.Edge(n).Shut == route.SideNotTaken
						}
					}
				}
				if !shut {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.OutputEntity(plan.OutputRef{Placed: pl.ID, Output: number})},
					Silences: len(feeds), values: []any{number},
					say: func() Words {
						return Words{Title: words.Capital(feedNames(feeds)) + plural(feeds, " is silent", " are silent"),
							Reason: fmt.Sprintf("Output %d is split into two sides, and a lane of this host cannot take one of them.",
								number),
							Fix: fmt.Sprintf("Join output %d", number)}
					},
					fix: joinSides(g, pl.ID, number, feeds)})
			}
		}
		return out
	},
}

// joinSides makes a split output whole again: what was on the right side goes to a spare
// output, where there is one, with its lane.
func joinSides(g *trace.Graph, placed string, number int, feeds []trace.Feed) plan.Edit {
	return func(p *plan.Project) (string, error) {
		for _, f := range feeds {
			if to := spareOutput(g, f); f.At.Side == rig.Right && to != (plan.Jack{}) && to.Side == rig.Whole {
				if _, err := moveOutput(placed, f, to)(p); err != nil {
					return "", err
				}
				break // the others go along, or stay
			}
		}
		// One lane takes the whole: two would be the same signal twice.
		whole := plan.OutputRef{Placed: placed, Output: number}
		label, err := edits.HalveOutput(placed, number, false)(p)
		if err != nil {
			return "", err
		}
		if lanes := p.LanesOf(whole); len(lanes) > 1 {
			if _, err := takeFrom(whole, lanes[1:])(p); err != nil {
				return "", err
			}
		}
		return label, nil
	}
}
