package check

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
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
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			at := nextAfter(g, pl)
			for _, o := range pl.Jacks() {
				ref := pl.Ref(o)
				wanted, _ := g.On(ref)
				if len(wanted) == 0 || len(g.LanesOf(ref)) > 0 {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.OutputEntity(ref)},
					Silences: len(wanted),
					values:   []any{o.Label(), o.PortNames(0)},
					say: func() Words {
						return Words{Title: feedNames(wanted) + plural(wanted, " is silent", " are silent"),
							Reason: fmt.Sprintf("Output %s is assigned, but no lane takes ports %s.", o.Label(), o.PortNames(0))}
					}}
				if n, err := g.Free(at(o.Number)); err == nil {
					fd.more(func() string { return fmt.Sprintf("Lane %d is free.", n) })
					fd.offer(fmt.Sprintf("Open lane %d", n), edits.AddLane(ref, n, ""))
				} else {
					fd.more(func() string { return sentence(err) })
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// nextAfter gives for an output the number after the lane of the output before it, so that a
// lane that is opened for it stands where it belongs.
func nextAfter(g *trace.Graph, pl *plan.Placed) func(output int) plan.LaneNumber {
	type lane struct {
		output int
		after  plan.LaneNumber
	}
	var lanes []lane // in the order of the outputs
	for _, o := range pl.Jacks() {
		for _, l := range g.LanesOf(pl.Ref(o)) {
			lanes = append(lanes, lane{o.Number, l.Number + 1})
		}
	}
	slices.SortStableFunc(lanes, func(a, b lane) int { return a.output - b.output })
	return func(output int) plan.LaneNumber {
		i, _ := slices.BinarySearchFunc(lanes, output, func(l lane, n int) int { return l.output - n })
		if i == 0 {
			return g.Project.Host.FirstLane
		}
		return lanes[i-1].after
	}
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
