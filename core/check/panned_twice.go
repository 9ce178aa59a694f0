package check

import (
	"fmt"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var pannedTwice = &Rule{
	Code: "panned-twice", Title: "A feed is panned in the instrument and again in the mixer", Severity: Wrong,
	Step: AtLanes, Version: 1,
	Doc: "Mixing happens in the host: a pan inside the instrument and another on the lane add up to a place that " +
		"was never intended. Centre the pan inside the instrument, or that of the lane.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.Pan == 0 || f.At.State != plan.Assigned || !f.Exists || f.Width > audio.Mono {
				continue // what is stereo keeps its sides
			}
			if wanted, _ := g.On(f.OutputRef()); len(wanted) > 1 {
				continue // they share a stereo lane, and are spread inside
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if l.Pan != 0 {
					fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID)},
						values: []any{f.Pan * 100, f.Placed.Instrument.Name, l.Pan * 100, l.Number},
						say: func() Words {
							return Words{Title: f.Name + " is panned twice",
								Reason: fmt.Sprintf("It is %s inside %s and %s on lane %d.", rig.PanText(f.Pan),
									f.Placed.Instrument.Name, rig.PanText(l.Pan), l.Number)}
						}}
					lane := setLane(l.ID, func(l *plan.Lane) { l.Pan, l.Typed.Pan = 0, true })
					if ids := madeOf(&f.Placed.Instrument, f.Feed); len(ids) > 0 {
						fd.offer("Centre it inside", setInside(f.Ref.Placed, "centre "+f.Name+" inside", ids,
							func(x rig.SourceRef) { *x.Pan = 0 }))
						fd.also(fmt.Sprintf("Centre lane %d", l.Number), lane)
					} else {
						fd.offer(fmt.Sprintf("Centre lane %d", l.Number), lane)
					}
					out = append(out, fd)
				}
			}
		}
		return out
	},
}
