package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var outputNoLane = &Rule{
	Code:     "output-no-lane",
	Title:    "An output has no lane",
	Severity: Silent,
	Step:     AtLanes,
	Doc: "Feeds leave the instrument by an output that no lane of the mixer takes, so all of them are silent. " +
		"Add a lane for it, or let an existing one take it.",
	Find: func(g *trace.Graph) (out []Finding) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, o := range pl.Jacks() {
				ref := pl.Ref(o)
				wanted, _ := g.On(ref)
				if len(wanted) == 0 || len(g.LanesOf(ref)) > 0 {
					continue
				}
				fd := Finding{Subjects: []plan.Entity{plan.OutputEntity(ref)},
					Silences: len(wanted),
					values:   []any{o.Label(), o.PortNames(0)},
					say: func() Words {
						return Words{Title: feedNames(wanted) + plural(wanted, " is silent", " are silent"),
							Reason: fmt.Sprintf("Output %s is assigned, but no lane takes ports %s.", o.Label(), o.PortNames(0))}
					}}
				if n, err := g.Free(nextTo(g, pl, o.Number)); err == nil {
					fd.more(func() string { return fmt.Sprintf("Lane %d is free.", n) })
					fd.offer(fmt.Sprintf("Open lane %d", n), plan.AddLane(ref, n, ""))
				} else {
					fd.more(func() string { return sentence(err) })
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// nextTo is the number after the lane of the output before this one, so that a
// lane opened late stands beside its neighbours.
func nextTo(g *trace.Graph, pl *plan.Placed, output int) plan.LaneNumber {
	at := g.Project.Host.FirstLane
	for _, o := range pl.Jacks() {
		for _, l := range g.LanesOf(pl.Ref(o)) {
			if o.Number < output {
				at = l.Number + 1
			}
		}
	}
	return at
}

func feedNames(fs []trace.Feed) string {
	var names []string
	for i, f := range fs {
		if i == 2 && len(fs) > 3 {
			return fmt.Sprintf("%s and %d more", strings.Join(names, ", "), len(fs)-2)
		}
		names = append(names, f.Name)
	}
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
	return strings.Join(names, "")
}

func plural(fs []trace.Feed, one, many string) string {
	if len(fs) == 1 {
		return one
	}
	return many
}

func sentence(err error) string {
	return words.Capital(err.Error()) + "."
}
