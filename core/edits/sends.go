package edits

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
)

// sendByName lets lanes send to the bus with a name, or to a return that is made for it.
func sendByName(name string, ids []string, send plan.Send) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if name = strings.TrimSpace(name); name == "" {
			return "", fmt.Errorf("type the name of a bus, or of the return to make")
		}
		if b := p.BusNamed(name); b != nil {
			send.To = b.ID
			return plan.SendLanes(ids, send)(p)
		}
		return AddReturn(name, ids, send)(p)
	}
}

// AddReturn makes the return of an effect on the lowest free number above the lanes, lets
// lanes send to it, and lets it go to the bus that all of them go to.
func AddReturn(name string, ids []string, send plan.Send) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label, err := AddBus(name, 0, nil)(p)
		if err != nil {
			return "", err
		}
		b := &p.Lanes[len(p.Lanes)-1]
		for i, id := range ids {
			if l := p.Lane(id); l != nil && (i == 0 || l.To == b.To) {
				b.To = l.To
			} else {
				b.To = plan.MainMix
				break
			}
		}
		send.To = b.ID
		said, err := plan.SendLanes(ids, send)(p)
		return label + "; " + said, err
	}
}

// DropSends takes the sends of lanes to a bus away.
func DropSends(ids []string, bus string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		b, err := p.LaneWith(bus)
		if err != nil {
			return "", err
		}
		names, err := p.EachLane(ids, func(l *plan.Lane) error {
			if l.SendInto(bus) == nil {
				return fmt.Errorf("%s has no send to %s", l.Name, b.Name)
			}
			l.DropSend(bus)
			return nil
		})
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("remove the send of %s to %s", plan.JoinNames(names), b.Name), nil
	}
}
