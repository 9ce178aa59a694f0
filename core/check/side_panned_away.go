package check

import (
	"fmt"
	"strconv"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var sidePannedAway = &Rule{
	Code: "side-panned-away", Title: "What shares a pair is panned to the other side of it", Severity: Wrong,
	Step: AtOutputs,
	Doc: "Two mono feeds share a stereo output, one on each side, and are kept apart by their pans inside the " +
		"instrument. In the host one is panned to the side of the other, and arrives on the other's lane. Pan it to its " +
		"own side; voices that leave together are panned together.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if !g.Project.Patched.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) {
				return
			}
			for _, f := range pl.AllFeeds() {
				at, err := plan.ParseJack(in.JackOf(f.ID))
				if err != nil || at.Side == rig.Whole {
					continue
				}
				for _, x := range pl.PannedWith(f.ID) {
					out = append(out, pannedAway(pl, in, f, x, at.Side)...)
				}
			}
		})
		return out
	},
}

// pannedAway is the problem of one source of a feed that is patched on a side.
func pannedAway(pl *plan.Placed, in plan.InstrumentState, f rig.Feed, x rig.SourceRef, side rig.Side) []Problem {
	key := rig.InsideKey(x.ID, rig.InsidePan, "")
	pan, err := strconv.ParseFloat(in.Inside[key], 64)
	if err != nil || pan*side.Pan() >= 0 {
		return nil
	}
	return []Problem{{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: f.ID}),
		plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: x.ID})},
		values: []any{string(side), pan},
		say: func() Words {
			with := ""
			if x.ID != f.ID {
				with = ", with which it leaves,"
			}
			return Words{Title: fmt.Sprintf("%s is %s in %s", x.Name, rig.PanText(pan/100), pl.Instrument.Name),
				Reason: fmt.Sprintf("%s%s is on side %s of the pair, so it arrives on the lane of the other side.", f.Name,
					with, side),
				Fix: fmt.Sprintf("Mark %s as %s", x.Name, rig.PanText(side.Pan()))}
		},
		fix: setInHost(x.Name+" is panned to its side", pl.ID, func(in *plan.InstrumentState) {
			in.Inside[key] = plan.HardPan(side)
		})}}
}
