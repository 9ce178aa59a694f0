package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var outOfRange = &Rule{
	Code:     "lane-out-of-range",
	Title:    "A lane number does not exist or is taken",
	Severity: Silent,
	Step:     AtLanes,
	Doc: "The lane's number is past the last lane of the host, or belongs to something else. " +
		"Move it to a free number; everything that refers to it follows.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}}
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
					return Words{Title: fmt.Sprintf("Lane %d %s is taken by something else", l.Number, l.Name),
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
func moveAway(g *trace.Graph, fd *Problem, l *plan.Lane) {
	n, err := g.Free(g.Project.Host.FirstLane)
	if err != nil {
		fd.more(func() string { return sentence(err) })
		return
	}
	fd.more(func() string { return fmt.Sprintf("Lane %d is free.", n) })
	fd.offer(fmt.Sprintf("Move to lane %d", n), plan.MoveLane(l.ID, n))
}
