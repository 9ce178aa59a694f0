package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var outputTwice = &Rule{
	Code: "output-twice", Title: "Several lanes take one output", Severity: Wrong, Step: AtLanes,
	Doc: "The same signal arrives by each of the lanes, be it through one bus: two equal paths add 6.02 dB, and no " +
		"fader moves all of it. Let one lane take the output, or mark this as intended where it is a parallel path.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, o := range pl.Jacks() {
				ref := pl.Ref(o)
				wanted, _ := g.On(ref)
				lanes := arriving(g, ref)
				if len(lanes) < 2 || len(wanted) == 0 {
					continue
				}
				louder := audio.SumCoherent(make([]audio.Decibels, len(lanes))...)
				fd := Problem{Subjects: []plan.Entity{plan.OutputEntity(ref)}, values: []any{len(lanes)}}
				var names []string
				for _, l := range lanes {
					fd.Subjects = append(fd.Subjects, plan.LaneEntity(l.ID))
					names = append(names, fmt.Sprintf("%d %s", l.Number, l.Name))
				}
				fd.say = func() Words {
					return Words{Title: fmt.Sprintf("%s arrives on %s", words.Capital(outputName(g, ref)),
						words.Count(len(lanes), "lane", "lanes")),
						Reason: fmt.Sprintf("Lanes %s take it, and all arrive at the main mix: up to %s louder.",
							strings.Join(names, ", "), strings.TrimPrefix(louder.String(), "+")),
						Fix: fmt.Sprintf("Keep lane %d alone", lanes[0].Number)}
				}
				fd.fix = takeFrom(ref, lanes[1:])
				out = append(out, fd)
			}
		}
		return out
	},
}

// arriving lists the lanes that take an output and arrive at the main mix.
func arriving(g *trace.Graph, ref plan.OutputRef) (out []*plan.Lane) {
	for _, l := range g.LanesOf(ref) {
		if g.ArrivalOf(l).Times > 0 {
			out = append(out, l)
		}
	}
	return out
}

// takeFrom takes an output from lanes, and removes those that take nothing else.
func takeFrom(ref plan.OutputRef, lanes []*plan.Lane) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label := ""
		for _, was := range lanes {
			l := p.Lane(was.ID)
			if l == nil {
				continue
			}
			label = fmt.Sprintf("take output %s from lane %d", ref.Jack(), l.Number)
			if len(l.Sources) == 1 {
				if _, err := edits.DeleteLane(l.ID)(p); err != nil {
					return "", err
				}
				continue
			}
			var rest []plan.OutputRef
			for _, s := range l.Sources {
				if s != ref {
					rest = append(rest, s)
				}
			}
			l.Sources = rest
		}
		return label, nil
	}
}
