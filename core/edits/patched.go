package edits

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// SetPatched says that something stands in the host now.
func SetPatched(label string, change func(p *plan.Project, s *plan.Patched) error) plan.Edit {
	return func(p *plan.Project) (string, error) {
		s := p.WithOthers(p.Patched)
		if err := change(p, s); err != nil {
			return "", err
		}
		for id, in := range s.Instruments {
			if pl := p.Find(id); pl != nil {
				in.Name = pl.Instrument.Name // it is asked for when the plan no longer has it
				s.Instruments[id] = in
			}
		}
		p.Patched = s
		return label, nil
	}
}

// SetProfile chooses how the host behaves; its limits become the plan's.
func SetProfile(profile rig.Profile) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if err := profile.Validate(); err != nil {
			return "", err
		}
		if old := p.Host.Profile.Limit; old > 0 && p.Host.LaneLimit == plan.LaneNumber(old) {
			p.Host.LaneLimit = 0 // it was the other kind's
		}
		p.Host.Profile = profile
		p.Host.Sides = profile.Sides
		p.Host.BlockSize = 0
		if profile.Lanes == rig.Blocks {
			p.Host.BlockSize = plan.LaneNumber(profile.BlockSize)
		}
		if profile.Limit > 0 {
			p.Host.LaneLimit = plan.LaneNumber(profile.Limit)
		}
		return "plan for a host of the kind " + profile.Name, nil
	}
}

// MarkIntended marks a problem as intended, with the reason; AcceptNot takes that back.
func MarkIntended(key, reason, cause string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		reason, err := plan.ParseName(reason)
		if err != nil {
			return "", fmt.Errorf("type the reason why it is intended")
		}
		if p.Intended == nil {
			p.Intended = map[string]plan.Intended{}
		}
		p.Intended[key] = plan.Intended{Reason: reason, Cause: cause}
		return "mark as intended: " + reason, nil
	}
}

// UnmarkIntended counts a problem again that was marked as intended.
func UnmarkIntended(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if _, ok := p.Intended[key]; !ok {
			return "", fmt.Errorf("that problem is not marked as intended")
		}
		delete(p.Intended, key)
		return "count a problem again", nil
	}
}
