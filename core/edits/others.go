package edits

import (
	"errors"
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
)

// AddOthers writes other lanes down, which are in the mixer already. One that goes to a bus is
// routed to the bus with that name, among them or among those there are.
func AddOthers(lanes []plan.OtherLane) plan.Edit {
	return func(p *plan.Project) (string, error) {
		busy := map[plan.LaneNumber]*plan.Lane{}
		for i := range p.Lanes {
			busy[p.Lanes[i].Number] = &p.Lanes[i]
		}
		from := len(p.Lanes)
		for _, o := range lanes {
			if err := p.CanHold(o.Number); err != nil {
				return "", err
			}
			if l := busy[o.Number]; l != nil {
				return "", fmt.Errorf("lane %d is %s already; move that first, or leave lane %d out", o.Number, l.Name, o.Number)
			}
			name, err := plan.ParseName(o.Name)
			if err != nil {
				return "", fmt.Errorf("lane %d: %w", o.Number, err)
			}
			l := plan.Lane{ID: p.NewID("l"), Number: o.Number, Name: name, Kind: o.Kind, Width: o.Width, Owner: plan.Found,
				Colour: p.Chart.Colour(role.Unnamed)}
			busy[o.Number] = &l
			p.Lanes = append(p.Lanes, l)
		}
		for i, o := range lanes {
			if o.To == "" {
				continue
			}
			bus := p.BusNamed(o.To)
			if bus == nil {
				return "", fmt.Errorf("lane %d %s: there is no bus %q; add it as “%d %s, bus” first or among these", o.Number,
					o.Name, o.To, o.Number+1, o.To)
			}
			if _, err := plan.Route([]string{p.Lanes[from+i].ID}, bus.ID, false)(p); err != nil {
				return "", err
			}
		}
		freeTaken(p, lanes)
		if len(lanes) == 1 {
			return fmt.Sprintf("write down the other lane %d %s", lanes[0].Number, lanes[0].Name), nil
		}
		return fmt.Sprintf("write down %d other lanes", len(lanes)), nil
	}
}

// freeTaken takes numbers off those that are merely taken, since the lanes on them are known.
func freeTaken(p *plan.Project, lanes []plan.OtherLane) {
	known := map[plan.LaneNumber]bool{}
	for _, l := range lanes {
		known[l.Number] = true
	}
	var left []plan.LaneNumber
	for _, r := range p.Host.Taken {
		if r.To-r.From > plan.MostOthers {
			return
		}
		for n := r.From; n <= r.To; n++ {
			if !known[n] {
				left = append(left, n)
			}
		}
	}
	p.Host.Taken = plan.RangesOf(left...)
}

// SetOwner says of lanes whether the plan made them, or they are other lanes of the mixer.
func SetOwner(ids []string, owner plan.Owner) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if owner != plan.ByPlan && owner != plan.Found {
			return "", fmt.Errorf("a lane belongs to the plan or to the mixer, not to %q", owner)
		}
		names, err := p.EachLane(ids, func(l *plan.Lane) error {
			if owner == plan.Found && len(l.Sources) > 0 {
				return fmt.Errorf("lane %d %s takes an output of the plan; clear its input first", l.Number, l.Name)
			}
			l.Owner = owner
			return nil
		})
		if err != nil {
			return "", err
		}
		for _, s := range []*plan.Patched{p.Patched, p.StandIn} {
			if s == nil {
				continue
			}
			for _, id := range ids {
				if l := s.Lane(id); l != nil {
					l.Owner = owner
				} else if owner == plan.ByPlan { // it stands already
					stands := plan.CloneLanes([]plan.Lane{*p.Lane(id)})[0]
					stands.Typed = plan.Typed{}
					s.Lanes = append(s.Lanes, stands)
				}
			}
		}
		if owner == plan.Found {
			return "leave " + plan.JoinNames(names) + " to the mixer", nil
		}
		return "take " + plan.JoinNames(names) + " into the plan", nil
	}
}

// LeaveToMixer says of a lane in the host that it is not one of the plan: it is an other lane.
func LeaveToMixer(lane string) plan.Edit {
	return SetPatched("leave a lane of the session to the mixer", func(p *plan.Project, s *plan.Patched) error {
		l := s.Lane(lane)
		if l == nil || p.Lane(lane) != nil {
			return errors.New("that lane is matched already or no longer there")
		}
		s.TakeOthers(p, []plan.Lane{*l}, false)
		return nil
	})
}

// MatchLane says which planned lane a lane in the host is.
func MatchLane(lane, planned string) plan.Edit {
	return SetPatched("match a lane of the session", func(p *plan.Project, s *plan.Patched) error {
		l, want := s.Lane(lane), p.Lane(planned)
		if l == nil || want == nil || s.Lane(planned) != nil {
			return errors.New("that lane is matched already or no longer there")
		}
		l.Number, l.Owner = want.Number, plan.ByPlan
		s.RenameLane(lane, planned)
		return nil
	})
}
