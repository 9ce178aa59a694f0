package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var pannedTwice = &Rule{
	Code: "panned-twice", Title: "A feed is panned in the instrument and again in the mixer", Severity: Wrong,
	Step: AtLanes,
	Doc: "Mixing happens in the host: a pan inside the instrument and another on the lane add up to a place that " +
		"was never intended. Centre the pan inside the instrument, or that of the lane.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			if f.Pan == 0 || f.At.State != plan.Assigned || !f.Exists {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if l.Pan != 0 {
					out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID)},
						values: []any{f.Pan * 100, f.Placed.Instrument.Name, l.Pan * 100, l.Number},
						say: func() Words {
							return Words{Title: f.Name + " is panned twice",
								Reason: fmt.Sprintf("By %.0f %% inside %s and by %.0f %% on lane %d.", f.Pan*100, f.Placed.Instrument.Name,
									l.Pan*100, l.Number),
								Fix: fmt.Sprintf("Centre lane %d", l.Number)}
						},
						fix: setLane(l.ID, func(l *plan.Lane) { l.Pan = 0 })})
				}
			}
		}
		return out
	},
}
