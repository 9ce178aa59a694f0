package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var doublePath = &Rule{
	Code:     "double-path",
	Title:    "A lane arrives twice",
	Severity: Wrong,
	Step:     AtBuses, Mark: AtFork,
	Doc: "The lane is routed to its bus and to the main mix, so the same signal arrives by two paths: two equal " +
		"paths add " +
		"6.02 dB, and the bus fader moves only one of them. Route it to the bus alone.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			bus := g.Lane(l.To)
			if !l.AlsoMain || bus == nil {
				continue
			}
			level := g.ArrivalOf(l).Level
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)},
				values: []any{bus.Name, level - l.Gain},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s arrives twice", l.Number, l.Name),
						Reason: fmt.Sprintf(
							"It is routed to the %s bus and to the main mix: %s louder than by the main mix alone, and the "+
								"bus fader moves only part of it.",
							bus.Name, strings.TrimPrefix((level-l.Gain).String(), "+")),
						Fix: "Route to the bus alone"}
				},
				fix: plan.Route([]string{l.ID}, l.To, false)})
		}
		return out
	},
}
