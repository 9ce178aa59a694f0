package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var notSwitchedOn = &Rule{
	Code: "not-switched-on", Title: "An output is not switched on", Severity: Silent, Step: AtLanes,
	Doc: "In this host an output is silent until it is switched on, though a feed is assigned to it and a lane may be " +
		"there. Switch it on.",
	Find: func(g *trace.Graph) (out []Problem) {
		if g.Project.Host.Behaviour().Appears != rig.WhenSwitched {
			return nil
		}
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			for _, o := range in.Jacks() {
				if in.On[o.Number] || !assignedTo(g, pl, in, o.Label()) || patchedLane(g, pl.Ref(o)) == nil {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.OutputEntity(pl.Ref(o))},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Output %s of %s is not switched on", o.Label(), pl.Instrument.Name),
							Reason: "A feed is assigned to it and its lane is there, and it is silent.",
							Fix:    "Mark as switched on"}
					},
					fix: setInHost(fmt.Sprintf("output %s is switched on", o.Label()), pl.ID,
						func(in *plan.InstrumentState) { in.On[o.Number] = true })})
			}
		})
		return out
	},
}

// assignedTo reports whether a wanted feed is assigned to a jack.
func assignedTo(g *trace.Graph, pl *plan.Placed, in plan.InstrumentState, label string) bool {
	for _, f := range pl.AllFeeds() {
		if pl.Feeds[f.ID].State == plan.Assigned && in.JackOf(f.ID) == label {
			return true
		}
	}
	return false
}

func patchedLane(g *trace.Graph, ref plan.OutputRef) *plan.Lane {
	for i, l := range g.Project.Patched.Lanes {
		if slices.Contains(l.Sources, ref) {
			return &g.Project.Patched.Lanes[i]
		}
	}
	return nil
}
