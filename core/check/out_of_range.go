package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var outOfRange = &Rule{
	Code:     "lane-out-of-range",
	Title:    "A lane is where there is none, or on one that is taken",
	Severity: Silent,
	Step:     AtLanes,
	Doc: "The lane's number lies beyond what the host's mixer has, or on a lane that already belongs to something else. " +
		"Move it to a free number; everything that refers to it follows.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, l := range g.Lanes() {
			fd := Finding{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}}
			h := g.Project.Host
			switch {
			case h.LaneLimit > 0 && l.Number > h.LaneLimit:
				fd.values = []any{h.LaneLimit}
				fd.say = func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s does not exist", l.Number, l.Name),
						Reason: fmt.Sprintf("The host's last lane is %d.", h.LaneLimit)}
				}
			case h.Taken.Contains(l.Number):
				fd.values = []any{h.Taken}
				fd.say = func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s lands on something else", l.Number, l.Name),
						Reason: fmt.Sprintf("Lanes %s are taken in the host.", h.Taken)}
				}
			default:
				continue
			}
			moveAway(g, &fd, l)
			out = append(out, fd)
		}
		return out
	},
}

// moveAway offers the lowest free number for a lane.
func moveAway(g *trace.Graph, fd *Finding, l *plan.Lane) {
	p := g.Project
	n, err := p.Free(1, p.Host.FirstLane)
	if err != nil {
		fd.more(func() string { return sentence(err) })
		return
	}
	fd.more(func() string { return fmt.Sprintf("Lane %d is free.", n) })
	fd.offer(fmt.Sprintf("Move it to lane %d", n), plan.MoveLane(l.ID, n))
}
