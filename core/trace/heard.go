package trace

import (
	"fmt"
	"strings"

	"hiddenlanes/core/route"
)

// Heard tells in a line what comes of a feed that is played alone: the ways it takes to the
// main mix, or where it ends and why; and how many times it arrives, more than once being too
// loud.
func (g *Graph) Heard(f Feed) (text string, arrives int) {
	paths := g.Paths(f)
	if p := paths[0]; len(paths) == 1 && !p.Reaches && p.Shut == route.SwitchedOff {
		return "off", 0
	}
	var ways []string
	for i, p := range paths {
		if p.Reaches {
			arrives++
		}
		ways = append(ways, g.way(p, i > 0 && forks(paths[i-1], p)))
	}
	text = strings.Join(ways, ", and ")
	if arrives == 0 && len(paths[0].Nodes) <= 2 { // it does not even come to a lane
		text = "silent: " + paths[0].Stops[len(paths[0].Stops)-1].Detail
	}
	return text, arrives
}

// forks reports whether a path leaves another behind the same lane, for the main mix.
func forks(before, p Path) bool {
	last := len(p.Edges) - 1
	return last > 0 && len(before.Edges) > last && before.Edges[last-1] == p.Edges[last-1]
}

// way is one path in a line.
func (g *Graph) way(p Path, forks bool) string {
	if forks && p.Reaches {
		return "straight to the main mix as well"
	}
	var stops []string
	for _, s := range p.Stops {
		switch l := g.Lane(s.ID); s.Kind {
		case AtLane, AtBus:
			name := l.Name
			if s.Kind == AtLane {
				name = fmt.Sprintf("lane %d %s", l.Number, l.Name)
			}
			for _, send := range l.Sends {
				if b := g.Lane(send.To); b != nil {
					name += fmt.Sprintf(" (a send to %s)", b.Name)
				}
			}
			stops = append(stops, name)
		case AtBlock:
			stops = append(stops, "block "+s.ID)
		case AtMain:
			stops = append(stops, "main mix")
		case DeadEnd:
			stops = append(stops, s.Detail)
		}
	}
	return strings.Join(stops, " → ")
}
