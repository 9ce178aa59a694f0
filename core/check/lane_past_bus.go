package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var lanePastBus = &Rule{
	Code: "lane-past-bus", Title: "A lane is not routed to the bus of its family", Severity: Wrong, Step: AtBuses,
	Doc: "All other lanes of the family are routed to one bus, and this one is not: the bus fader does not move it, and " +
		"inserts of the bus do not process it. Route it to the bus, or mark this as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range families(g) {
			bus, past := f.outsider(g)
			if past == nil {
				continue
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(past.ID)},
				values: []any{bus.Name, len(f.lanes)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s is not routed to the %s bus", past.Number, past.Name, bus.Name),
						Reason: fmt.Sprintf("The other %d lanes of %s are routed to it.", len(f.lanes)-1, f.name),
						Fix:    "Route to " + bus.Name}
				},
				fix: plan.Route([]string{past.ID}, bus.ID, false)})
		}
		return out
	},
}

// family are the lanes that carry feeds of one family of an instrument.
type family struct {
	name  string
	lanes []*plan.Lane
}

// families lists them: of each instrument the lanes of each family of roles, and where an
// instrument has one family alone, or no more than one lane of each, all of its lanes. Inside
// returns are looked at by another rule, lanes of several instruments by none.
func families(g *trace.Graph) (out []family) {
	for i := range g.Project.Placed {
		pl := &g.Project.Placed[i]
		byRole := map[role.Role]*family{}
		all := &family{name: pl.Instrument.Name}
		var order []role.Role
		seen := map[string]bool{}
		for _, f := range g.Feeds {
			if f.Ref.Placed != pl.ID || f.Kind == rig.ReturnFeed || f.At.State != plan.Assigned || !f.Exists {
				continue
			}
			for _, l := range g.LanesOf(f.OutputRef()) {
				if seen[l.ID] || len(l.Sources) != 1 || l.Owner != plan.ByPlan {
					continue
				}
				seen[l.ID] = true
				all.lanes = append(all.lanes, l)
				root := f.Role.Root()
				if byRole[root] == nil {
					byRole[root] = &family{name: fmt.Sprintf("%s (%s)", pl.Instrument.Name, root)}
					order = append(order, root)
				}
				byRole[root].lanes = append(byRole[root].lanes, l)
			}
		}
		several := 0
		for _, r := range order {
			if len(byRole[r].lanes) >= 3 {
				several++
			}
		}
		if several == 0 || len(order) == 1 {
			out = append(out, *all)
			continue
		}
		for _, r := range order {
			if r != role.Unnamed {
				out = append(out, *byRole[r])
			}
		}
	}
	return out
}

// outsider is the only lane of a family that does not come through the bus which all others,
// two at least, are routed to.
func (f family) outsider(g *trace.Graph) (bus, past *plan.Lane) {
	if len(f.lanes) < 3 {
		return nil, nil
	}
	to := map[string]int{}
	for _, l := range f.lanes {
		to[l.To]++
	}
	for id, n := range to {
		if n == len(f.lanes)-1 && id != plan.MainMix {
			bus = g.Lane(id)
		}
	}
	if bus == nil {
		return nil, nil
	}
	for _, l := range f.lanes {
		if l.To != bus.ID && !g.Passes(l, bus.ID) && !g.Passes(bus, l.To) {
			return bus, l
		}
	}
	return nil, nil
}
