package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// The limits of a level set at the wrong end, in dB (common practice, no source).
const (
	turnedDown = -3
	liftedUp   = 3
)

var levelWrongEnd = &Rule{
	Code: "level-wrong-end", Title: "A weak signal is raised on the wrong side", Severity: Wrong,
	Step: AtLanes, Version: 1,
	Doc: "The feed is turned down inside the instrument and raised again on its lane, together with the noise " +
		"between. Raise the level inside the instrument and set the lane back to 0 dB.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.Gain > turnedDown || f.At.State != plan.Assigned || !f.Exists {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if l.Gain >= liftedUp {
					fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID)},
						values: []any{f.Gain, f.Placed.Instrument.Name, l.Number, l.Gain},
						say: func() Words {
							return Words{Title: f.Name + " is raised on the wrong side",
								Reason: fmt.Sprintf("It is at %s inside %s, and lane %d raises it by %s.", f.Gain, f.Placed.Instrument.Name,
									l.Number, l.Gain)}
						}}
					fd.offer(raiseInside(g, f, l))
					out = append(out, fd)
				}
			}
		}
		return out
	},
}

// raiseInside lifts a feed inside its instrument by what its lane raises it, and sets the lane
// to 0 dB, so that it sounds as loud as before; where others are on the lane, or the gain inside
// would be too high, the lane is set to 0 dB alone.
func raiseInside(g *trace.Graph, f trace.Feed, l *plan.Lane) (string, plan.Edit) {
	level := setLane(l.ID, func(l *plan.Lane) { l.Gain, l.Typed.Gain = 0, true })
	ids := madeOf(&f.Placed.Instrument, f.Feed)
	x, ok := rig.SourceRef{}, false
	if len(ids) > 0 {
		x, ok = f.Placed.Instrument.Source(ids[0])
	}
	if wanted, _ := g.On(f.OutputRef()); !ok || len(wanted) > 1 || len(l.Sources) > 1 || *x.Gain+l.Gain > rig.MaxGain {
		return fmt.Sprintf("Set lane %d to 0 dB", l.Number), level
	}
	by := l.Gain
	return fmt.Sprintf("Raise it inside by %s, lane %d at 0 dB", by, l.Number), func(p *plan.Project) (string, error) {
		if _, err := level(p); err != nil {
			return "", err
		}
		return setInside(f.Ref.Placed, fmt.Sprintf("raise %s inside by %s", f.Name, by), ids[:1],
			func(x rig.SourceRef) { *x.Gain += by })(p)
	}
}
