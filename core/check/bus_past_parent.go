package check

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var busPastParent = &Rule{
	Code: "bus-past-parent", Title: "A bus is not routed to the bus above it", Severity: Wrong, Step: AtBuses,
	Doc: "The other buses of the family are routed to one bus above them, and this one is not, so its fader does not " +
		"move all of the family. Route it there, or mark this as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		roots := map[string]role.Role{} // by bus: the family that all lanes routed to it are of
		for _, l := range g.Lanes() {
			if l.Kind != plan.Bus {
				continue
			}
			root, mixed := role.Unnamed, false
			for _, in := range g.Into(l.ID) {
				for _, s := range in.Sources {
					wanted, _ := g.On(s)
					for _, f := range wanted {
						r := f.Role.Root()
						mixed = mixed || root != role.Unnamed && r != root
						root = cmp.Or(root, r)
					}
				}
			}
			if !mixed {
				roots[l.ID] = root
			}
		}
		for _, b := range g.Lanes() {
			root := roots[b.ID]
			if root == role.Unnamed || b.To != plan.MainMix {
				continue
			}
			above := map[string][]*plan.Lane{} // other buses of the family, by the bus they are routed to
			for _, o := range g.Lanes() {
				if o.ID != b.ID && o.To != plan.MainMix && o.To != b.ID && roots[o.ID] == root {
					above[o.To] = append(above[o.To], o)
				}
			}
			if len(above) != 1 {
				continue
			}
			for id, others := range above {
				parent := g.Lane(id)
				if parent == nil || g.Passes(parent, b.ID) {
					continue
				}
				var names []string
				for _, o := range others {
					names = append(names, o.Name)
				}
				slices.Sort(names)
				out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(b.ID)}, values: []any{parent.Name},
					say: func() Words {
						return Words{Title: fmt.Sprintf("The %s bus is not routed to %s", b.Name, parent.Name),
							Reason: fmt.Sprintf("%s of the same family: routed to %s.", namesInWords(names), parent.Name),
							Fix:    "Route to " + parent.Name}
					},
					fix: plan.Route([]string{b.ID}, parent.ID, false)})
			}
		}
		return out
	},
}

func namesInWords(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%s and %d more", names[0], len(names)-1)
	}
	text := ""
	for i, n := range names {
		switch {
		case i > 0 && i == len(names)-1:
			text += " and "
		case i > 0:
			text += ", "
		}
		text += n
	}
	return text
}
