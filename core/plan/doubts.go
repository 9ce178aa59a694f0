package plan

import (
	"hiddenlanes/core/role"
)

// Doubt is a lane of the session that the plan does not have by name.
type Doubt struct {
	Lane  Lane
	Guess string // the planned lane it may be; "" where nothing suggests one
}

// Doubts lists the lanes that stand in the host and are not in the plan, each with
// the planned lane of its role that is not there yet.
func (p *Project) Doubts() (out []Doubt) {
	if p.Patched == nil {
		return nil
	}
	return p.DoubtsIn(p.Patched)
}

// DoubtsIn is Doubts of another state.
func (p *Project) DoubtsIn(s *Patched) (out []Doubt) {
	var missing *missingLanes // made when it is needed
	for _, l := range s.Lanes {
		if p.Lane(l.ID) != nil {
			continue
		}
		if missing == nil {
			missing = p.missingIn(s)
		}
		out = append(out, Doubt{Lane: l, Guess: missing.take(l.Kind, role.FromName(l.Name).Role)})
	}
	return out
}

// missingLanes are the lanes of a plan that a state does not have, to be found by what they carry.
type missingLanes struct {
	lanes []*Lane
	taken []bool
	// at are places in lanes, in order: of those that carry a role, and of those that carry one
	// below it.
	at, below map[laneRole][]int
}

type laneRole struct {
	kind LaneKind
	role role.Role
}

func (p *Project) missingIn(s *Patched) *missingLanes {
	loads := p.LaneLoads()
	m := &missingLanes{at: map[laneRole][]int{}, below: map[laneRole][]int{}}
	there := map[string]bool{}
	for _, l := range s.Lanes {
		there[l.ID] = true
	}
	for _, l := range p.OwnLanes() {
		var of role.Role
		for _, s := range l.Sources {
			of = CommonRole(loads[s])
		}
		if there[l.ID] || of == role.Unnamed {
			continue
		}
		k := laneRole{l.Kind, of}
		m.at[k] = append(m.at[k], len(m.lanes))
		for up := of.Parent(); up != role.Unnamed; up = up.Parent() {
			k.role = up
			m.below[k] = append(m.below[k], len(m.lanes))
		}
		m.lanes = append(m.lanes, l)
	}
	m.taken = make([]bool, len(m.lanes))
	return m
}

// take gives the first lane that is left and carries a role, one below it or one above it.
func (m *missingLanes) take(kind LaneKind, r role.Role) string {
	if r == role.Unnamed {
		return ""
	}
	first := -1
	look := func(in map[laneRole][]int, of role.Role) {
		k := laneRole{kind, of}
		for len(in[k]) > 0 && m.taken[in[k][0]] {
			in[k] = in[k][1:]
		}
		if len(in[k]) > 0 && (first < 0 || in[k][0] < first) {
			first = in[k][0]
		}
	}
	look(m.at, r)
	look(m.below, r)
	for up := r.Parent(); up != role.Unnamed; up = up.Parent() {
		look(m.at, up)
	}
	if first < 0 {
		return ""
	}
	m.taken[first] = true
	return m.lanes[first].ID
}

// TakeOthers writes lanes of the state, which the plan does not have, down as other lanes of
// the document. They get the IDs that they have there. With all, they are all there are.
func (s *Patched) TakeOthers(p *Project, lanes []Lane, all bool) {
	ids := p.keepOthers(lanes, all)
	for i := range s.Lanes {
		l := &s.Lanes[i]
		if id := ids[l.ID]; id != "" {
			s.renameUnknown(l.ID, id)
			s.renamePressed(l.ID, id)
			l.ID, l.Number, l.Owner = id, p.Lane(id).Number, Found
		}
		if id := ids[l.To]; id != "" {
			l.To = id
		}
		for k := range l.Sends {
			if id := ids[l.Sends[k].To]; id != "" {
				l.Sends[k].To = id
			}
		}
	}
}
