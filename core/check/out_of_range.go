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
			fd := Finding{Lane: l.ID}
			switch {
			case g.Project.Host.LaneLimit > 0 && l.Number > g.Project.Host.LaneLimit:
				fd.Title = fmt.Sprintf("Lane %d %s does not exist", l.Number, l.Name)
				fd.Reason = fmt.Sprintf("The host's last lane is %d.", g.Project.Host.LaneLimit)
			case g.Project.Host.Taken.Contains(l.Number):
				fd.Title = fmt.Sprintf("Lane %d %s lands on something else", l.Number, l.Name)
				fd.Reason = fmt.Sprintf("Lanes %s are taken in the host.", g.Project.Host.Taken)
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
		fd.Reason += " " + sentence(err)
		return
	}
	fd.Reason += fmt.Sprintf(" Lane %d is free.", n)
	fd.Mend, fd.mend = fmt.Sprintf("Move it to lane %d", n), plan.MoveLane(l.ID, n)
}
