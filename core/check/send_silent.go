package check

import (
	"fmt"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var sendSilent = &Rule{
	Code: "send-silent", Title: "A send in the host is open and silent", Severity: Wrong, Step: AtBuses,
	Doc: "A new send starts silent in this kind of host, and its level was never set: the return has nothing of the " +
		"lane. Set the level that is planned.",
	Find: func(g *trace.Graph) (out []Problem) {
		s := g.Project.Patched
		if s == nil {
			return nil
		}
		for i := range s.Lanes {
			have := &s.Lanes[i]
			if len(have.Sends) == 0 {
				continue
			}
			want := g.Lane(have.ID)
			for _, x := range have.Sends {
				bus := g.Lane(x.To)
				if want == nil || bus == nil || x.Level != audio.Silence || want.SendInto(x.To) == nil ||
					!s.Knows(plan.SendEntity(have.ID, x.To), plan.AttrLevel) {
					continue
				}
				level := want.SendInto(x.To).Level
				out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(have.ID), plan.SendEntity(have.ID, x.To)},
					values: []any{bus.Name, level},
					say: func() Words {
						return Words{Title: fmt.Sprintf("The send of lane %d %s to %s is silent", have.Number, have.Name, bus.Name),
							Reason: fmt.Sprintf("It is open, and its level was not set: nothing of the lane reaches %s. The plan has %s.",
								bus.Name, level),
							Fix: "Mark as set to " + level.String()}
					},
					fix: setLaneInHost(fmt.Sprintf("the send of %s to %s is at %s", have.Name, bus.Name, level), have.ID,
						func(l *plan.Lane) {
							if s := l.SendInto(bus.ID); s != nil {
								s.Level = level
							}
						})})
			}
		}
		return out
	},
}
