package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/edits"
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
	Find: func(g *trace.Graph) (out []Problem) {
		byNumber := map[plan.LaneNumber]*plan.Lane{}
		for _, l := range g.Lanes() {
			if first := byNumber[l.Number]; first != nil {
				if l.IsOther() {
					l, first = first, l // it is the plan's that moves
				}
				fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID), plan.LaneEntity(first.ID)},
					values: []any{first.Name, l.Name, l.Number},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Two lanes have the number %d", l.Number),
							Reason: fmt.Sprintf("%s and %s both have the lane number %d.", first.Name, l.Name, l.Number)}
					}}
				moveAway(g, &fd, l)
				out = append(out, fd)
			} else {
				byNumber[l.Number] = l
			}
			if len(l.Sources) < 2 {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}}
			for _, s := range l.Sources {
				fd.Subjects = append(fd.Subjects, plan.OutputEntity(s))
				fd.values = append(fd.values, s.Jack())
			}
			fd.say = func() Words {
				var names []string
				for _, s := range l.Sources {
					names = append(names, outputName(g, s))
				}
				return Words{Title: fmt.Sprintf("Lane %d %s takes %d outputs", l.Number, l.Name, len(l.Sources)),
					Reason: strings.Join(names, " and ") + " arrive together and cannot be mixed apart."}
			}
			if n, err := g.Free(g.Project.Host.FirstLane); err == nil {
				last := l.Sources[len(l.Sources)-1]
				fd.offer(fmt.Sprintf("Route %s to lane %d", outputName(g, last), n), edits.ArriveOn(last, n))
			} else {
				fd.more(func() string { return sentence(err) })
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
