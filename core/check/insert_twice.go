package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var insertTwice = &Rule{
	Code: "insert-twice", Title: "A signal passes the same insert twice", Severity: Wrong, Step: AtLanes,
	Doc: "The lane carries an insert that stands on it a second time, or on a bus that it is routed to: the signal is " +
		"treated twice. Keep one of the two.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			for i, x := range l.Inserts {
				at, is := secondOf(g, l, i)
				if !is {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID), plan.InsertEntity(l.ID, i)},
					values: []any{x.String(), at.Number},
					say: func() Words {
						where := fmt.Sprintf("again on %s, lane %d, which it is routed to", at.Name, at.Number)
						if at == l {
							where = "a second time behind it"
						}
						return Words{Title: fmt.Sprintf("%s is twice on the signal path of %s", x.Title(), l.Name),
							Reason: fmt.Sprintf("Lane %d has %s, and it stands %s.", l.Number, x, where),
							Fix:    fmt.Sprintf("Remove it from lane %d", l.Number)}
					},
					fix: removeInsert(l.ID, x)}
				if at != l {
					fd.also(fmt.Sprintf("Remove it from %s", at.Name), removeInsert(at.ID, x))
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// secondOf gives the lane on which an insert stands again: behind it on the same one, or on
// those that the lane is routed to. There one without a name may be another of its kind.
func secondOf(g *trace.Graph, l *plan.Lane, i int) (*plan.Lane, bool) {
	x := l.Inserts[i]
	if slices.Contains(l.Inserts[i+1:], x) {
		return l, true
	}
	if x.Name == "" {
		return nil, false
	}
	for _, b := range g.Along(l)[1:] {
		if slices.Contains(b.Inserts, x) {
			return b, true
		}
	}
	return nil, false
}

// removeInsert removes the first of an insert from a lane.
func removeInsert(lane string, x rig.Insert) plan.Edit {
	return func(p *plan.Project) (string, error) {
		l := p.Lane(lane)
		if l == nil {
			return "", fmt.Errorf("that lane is no longer in this project")
		}
		i := slices.Index(l.Inserts, x)
		if i < 0 {
			return "", fmt.Errorf("lane %d %s no longer has that insert", l.Number, l.Name)
		}
		return plan.SetInserts(lane, slices.Delete(slices.Clone(l.Inserts), i, i+1))(p)
	}
}

var effectTwice = &Rule{
	Code: "effect-twice", Title: "The same kind of effect is inside and on the lane", Severity: Untidy, Step: AtLanes,
	Doc: "An effect in the instrument's own channel leaves with the feed, and its lane has one of the same kind. Keep " +
		"one of the two, or mark this as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if !isAssigned(f) {
				continue
			}
			for _, e := range f.Placed.Instrument.Carries(f.Feed) {
				if e.Kind == "" || e.Kind == rig.OtherEffect {
					continue
				}
				for _, l := range g.LanesOf(f.OutputRef()) {
					k := slices.IndexFunc(l.Inserts, func(x rig.Insert) bool { return x.Kind == e.Kind })
					if k < 0 {
						continue
					}
					x := l.Inserts[k]
					out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref), plan.LaneEntity(l.ID),
						plan.EffectEntity(f.Ref.Placed, e.ID)},
						values: []any{e.Name, x.String(), l.Number},
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s passes a %s twice", f.Name, e.Kind),
								Reason: fmt.Sprintf("%s is in its channel of %s, and lane %d has %s.", e.Name, f.Placed.Instrument.Name,
									l.Number, x),
								Fix: fmt.Sprintf("Remove it from lane %d", l.Number)}
						},
						fix: removeInsert(l.ID, x)})
				}
			}
		}
		return out
	},
}
