package check

import (
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var separateOff = &Rule{
	Code: "separate-off", Title: "Separate outputs are not switched on", Severity: Silent, Step: AtOutputs,
	Doc: "Feeds are assigned to outputs of their own, and the instrument sends everything by the first output until its " +
		"separate outputs are switched on. Switch them on inside it.",
	Find: func(g *trace.Graph) (out []Problem) {
		key := rig.InsideKey("", rig.InsideSeparate, "")
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			known := g.Project.Patched.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside)
			if !pl.Instrument.Traits.SeparateSwitch || !known || !pl.LeavesApart() || in.Inside[key] != "" ||
				len(in.Setup) == 0 {
				return
			}
			first := in.Setup[0].Label()
			assigned := slices.ContainsFunc(pl.AllFeeds(), func(f rig.Feed) bool {
				at := in.JackOf(f.ID)
				return at != first && at != plan.OffLabel
			})
			if !assigned {
				return // nothing has been assigned yet: the run sheet comes to it
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
				say: func() Words {
					return Words{Title: "The separate outputs of " + pl.Instrument.Name + " are not switched on",
						Reason: "Until they are, everything leaves by output " + pl.Named(in.Setup[0]) + ", whatever is assigned.",
						Fix:    "Mark as switched on"}
				},
				fix: markInside("the separate outputs of "+pl.Instrument.Name+" are on", pl.ID, key)})
		})
		return out
	},
}
