package plan

import (
	"errors"

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
	guessed := map[string]bool{}
	for _, l := range s.Lanes {
		if p.Lane(l.ID) != nil {
			continue
		}
		d := Doubt{Lane: l}
		r := role.FromName(l.Name).Role
		for _, want := range p.Own() {
			if guessed[want.ID] || s.Lane(want.ID) != nil || want.Kind != l.Kind || r == role.Unnamed {
				continue
			}
			var of role.Role
			for _, s := range want.Sources {
				of = CommonRole(p.FeedsOn(s))
			}
			if of == r || of != role.Unnamed && (of.Under(r) || r.Under(of)) {
				d.Guess, guessed[want.ID] = want.ID, true
				break
			}
		}
		out = append(out, d)
	}
	return out
}

// LeaveToMixer says of a lane in the host that it is not one of the plan: it is an other lane.
func LeaveToMixer(lane string) Edit {
	return SetPatched("leave a lane of the session to the mixer", func(p *Project, s *Patched) error {
		l := s.Lane(lane)
		if l == nil || p.Lane(lane) != nil {
			return errors.New("that lane is matched already or no longer there")
		}
		s.TakeOthers(p, []Lane{*l}, false)
		return nil
	})
}

// TakeOthers writes lanes of the state, which the plan does not have, down as other lanes of
// the document. They get the IDs that they have there. With all, they are all there are.
func (s *Patched) TakeOthers(p *Project, lanes []Lane, all bool) {
	ids := p.keepOthers(lanes, all)
	for i := range s.Lanes {
		l := &s.Lanes[i]
		if id := ids[l.ID]; id != "" {
			s.renameUnknown(l.ID, id)
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

// MatchLane says which planned lane a lane in the host is.
func MatchLane(lane, planned string) Edit {
	return SetPatched("match a lane of the session", func(p *Project, s *Patched) error {
		l, want := s.Lane(lane), p.Lane(planned)
		if l == nil || want == nil || s.Lane(planned) != nil {
			return errors.New("that lane is matched already or no longer there")
		}
		l.ID, l.Number, l.Owner = want.ID, want.Number, ByPlan
		s.renameUnknown(lane, planned)
		for i := range s.Lanes {
			if s.Lanes[i].To == lane {
				s.Lanes[i].To = planned
			}
			if send := s.Lanes[i].SendInto(lane); send != nil {
				send.To = planned
			}
		}
		return nil
	})
}
