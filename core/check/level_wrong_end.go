package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// The limits of a level set at the wrong end, in dB (common practice, no source).
const (
	turnedDown = -6
	liftedUp   = 6
)

var levelWrongEnd = &Rule{
	Code: "level-wrong-end", Title: "A weak signal is raised on the wrong side", Severity: Wrong, Step: AtLanes,
	Doc: "The feed is turned down inside the instrument and raised again on its lane, together with the noise " +
		"between. Raise the level inside the instrument and set the lane back to 0 dB.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			if f.Gain > turnedDown || f.At.State != plan.Assigned || !f.Exists {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if l.Gain >= liftedUp {
					out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID)},
						values: []any{f.Gain, f.Placed.Instrument.Name, l.Number, l.Gain},
						say: func() Words {
							return Words{Title: f.Name + " is raised on the wrong side",
								Reason: fmt.Sprintf("It is at %s inside %s, and lane %d raises it by %s.", f.Gain, f.Placed.Instrument.Name,
									l.Number, l.Gain),
								Fix: fmt.Sprintf("Set lane %d to 0 dB", l.Number)}
						},
						fix: setLane(l.ID, func(l *plan.Lane) { l.Gain = 0 })})
				}
			}
		}
		return out
	},
}
