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
	guessed := map[string]bool{}
	for _, l := range p.Patched.Lanes {
		if p.Lane(l.ID) != nil {
			continue
		}
		d := Doubt{Lane: l}
		r := role.FromName(l.Name).Role
		for _, want := range p.ByNumber() {
			if guessed[want.ID] || p.Patched.Lane(want.ID) != nil || want.Kind != l.Kind || r == role.Unnamed {
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
