package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var collision = &Rule{
	Code:     "lane-collision",
	Title:    "Two outputs are on one lane",
	Severity: Wrong,
	Step:     AtLanes,
	Doc: "Two signals that the plan keeps apart arrive on one lane, as when the blocks of two instruments overlap, and " +
		"can no " +
		"longer be told apart. Give the second a lane of its own.",
	Find: func(g *trace.Graph) (out []Finding) {
		byNumber := map[plan.LaneNumber]*plan.Lane{}
		for _, l := range g.Lanes() {
			if first := byNumber[l.Number]; first != nil {
				fd := Finding{Title: fmt.Sprintf("Lane %d is there twice", l.Number), Lane: l.ID,
					Reason: fmt.Sprintf("%s and %s both stand on lane %d.", first.Name, l.Name, l.Number)}
				moveAway(g, &fd, l)
				out = append(out, fd)
			} else {
				byNumber[l.Number] = l
			}
			if len(l.Sources) < 2 {
				continue
			}
			var names []string
			for _, s := range l.Sources {
				names = append(names, outputName(g, s))
			}
			fd := Finding{Title: fmt.Sprintf("Lane %d %s takes %d outputs", l.Number, l.Name, len(l.Sources)), Lane: l.ID,
				Reason: strings.Join(names, " and ") + " arrive together and cannot be mixed apart."}
			p := g.Project
			if n, err := p.Free(1, p.Host.FirstLane); err == nil {
				last := l.Sources[len(l.Sources)-1]
				fd.Mend, fd.mend = fmt.Sprintf("Give %s lane %d", outputName(g, last), n), plan.ArriveOn(last, n)
			} else {
				fd.Reason += " " + sentence(err)
			}
			out = append(out, fd)
		}
		return out
	},
}

func outputName(g *trace.Graph, ref plan.OutputRef) string {
	if len(g.Project.Placed) > 1 {
		if pl := g.Project.Find(ref.Placed); pl != nil {
			return fmt.Sprintf("output %s of %s", ref.Jack(), pl.Instrument.Name)
		}
	}
	return fmt.Sprintf("output %s", ref.Jack())
}
