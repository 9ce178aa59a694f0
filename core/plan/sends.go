package plan

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
)

// Send is a copy of a lane's signal to a bus, beside the lane's own way: to the return
// of an effect, or to a parallel bus.
type Send struct {
	To    string         `json:"to"`              // ID of a bus
	Pre   bool           `json:"pre,omitempty"`   // taken before the lane's fader
	Level audio.Decibels `json:"level,omitempty"` // of the copy, in dB
}

// Tap says where a send is taken from its lane.
type Tap string

// The taps.
const (
	AfterFader  Tap = "after"
	BeforeFader Tap = "before"
)

// ParseTap reads a tap; empty, it is after the fader.
func ParseTap(s string) (Tap, error) {
	if s == "" {
		return AfterFader, nil
	}
	switch rest, pre, said := audio.CutTap("send " + strings.TrimSpace(s)); {
	case said && rest == "send" && pre:
		return BeforeFader, nil
	case said && rest == "send":
		return AfterFader, nil
	}
	return "", fmt.Errorf("a send is taken before or after the fader, not %q", s)
}

// Tap is where the copy is taken, for people.
func (s Send) Tap() string {
	if s.Pre {
		return "before the fader"
	}
	return "after the fader"
}

// MaxSend is the highest level of a send.
const MaxSend audio.Decibels = 12

// hasLevel reports whether the send has a level that there is.
func (s Send) hasLevel() bool { return s.Level > audio.Silence && s.Level <= MaxSend }

// HasSend reports whether the lane has a send to the same bus, taken at the same place and at
// the same level, as close as a host shows it.
func (l *Lane) HasSend(s Send) bool {
	have := l.SendInto(s.To)
	return have != nil && have.Pre == s.Pre && s.LevelIs(have.Level)
}

// LevelIs reports whether the send has a level, as close as a host shows it.
func (s Send) LevelIs(level audio.Decibels) bool {
	return s.Level == level || math.Abs(float64(level-s.Level)) < 0.05
}

// SendInto gives the lane's send to a bus, or nil.
func (l *Lane) SendInto(bus string) *Send {
	if i := slices.IndexFunc(l.Sends, func(s Send) bool { return s.To == bus }); i >= 0 {
		return &l.Sends[i]
	}
	return nil
}

// SendLanes lets lanes send to a bus; one that does so already gets the new level and tap.
func SendLanes(ids []string, send Send) Edit {
	return func(p *Project) (string, error) {
		b, err := p.LaneWith(send.To)
		if err != nil {
			return "", err
		}
		if b.Kind != Bus {
			return "", fmt.Errorf("lane %d %s is not a bus; sends lead to buses", b.Number, b.Name)
		}
		if !send.hasLevel() {
			return "", fmt.Errorf("a send goes from any level below up to %s", MaxSend)
		}
		names, err := p.EachLane(ids, func(l *Lane) error {
			if l.ID == b.ID {
				return fmt.Errorf("%s cannot feed itself", l.Name)
			}
			if old := l.SendInto(b.ID); old != nil {
				*old = send
			} else {
				l.Sends = append(l.Sends, send)
			}
			return nil
		})
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("send %s to %s at %s, %s", JoinNames(names), b.Name, send.Level, send.Tap()), nil
	}
}

// SetSends gives a lane these sends and no others.
func SetSends(id string, sends []Send) Edit {
	return OnLane(id, func(p *Project, l *Lane) (_ string, err error) {
		l.Sends = nil
		for _, s := range sends {
			if l.SendInto(s.To) != nil {
				return "", fmt.Errorf("%s has two sends to %s; keep one", l.Name, p.Lane(s.To).Name)
			}
			if _, err := SendLanes([]string{id}, s)(p); err != nil {
				return "", err
			}
		}
		if len(sends) == 0 {
			return fmt.Sprintf("remove the sends of lane %d %s", l.Number, l.Name), nil
		}
		return fmt.Sprintf("set the sends of lane %d %s to %s", l.Number, l.Name, p.ByID().SendsText(l)), nil
	})
}

// DropSend takes the lane's send to a bus away, if it has one.
func (l *Lane) DropSend(bus string) {
	if l.Sends = slices.DeleteFunc(l.Sends, func(s Send) bool { return s.To == bus }); len(l.Sends) == 0 {
		l.Sends = nil
	}
}

// EachLane does something to each of the lanes and gives their names.
func (p *Project) EachLane(ids []string, do func(*Lane) error) (names []string, err error) {
	for _, id := range ids {
		l, err := p.LaneWith(id)
		if err != nil {
			return nil, err
		}
		if err := do(l); err != nil {
			return nil, err
		}
		names = append(names, l.Name)
	}
	if len(names) == 0 {
		return nil, ErrNoLane
	}
	return names, nil
}

// ErrNoLane says that an edit of lanes was given none.
var ErrNoLane = errors.New("no lane is selected; select some first")

// Reaches reports whether what is on one lane comes to another, by its own way or by sends.
func (p *Project) Reaches(from, to string) bool {
	lanes := make(map[string]*Lane, len(p.Lanes))
	for i := range p.Lanes {
		lanes[p.Lanes[i].ID] = &p.Lanes[i]
	}
	seen := map[string]bool{}
	next := []string{from}
	for len(next) > 0 {
		id := next[len(next)-1]
		next = next[:len(next)-1]
		l := lanes[id]
		if id == to {
			return true
		}
		if l == nil || seen[id] {
			continue
		}
		seen[id] = true
		next = append(next, l.To)
		for _, s := range l.Sends {
			next = append(next, s.To)
		}
	}
	return false
}

// CloneLanes copies lanes with all they hold.
func CloneLanes(lanes []Lane) []Lane {
	out := slices.Clone(lanes)
	for i := range out {
		out[i].Sources, out[i].Sends = slices.Clone(out[i].Sources), slices.Clone(out[i].Sends)
		out[i].Inserts = slices.Clone(out[i].Inserts)
	}
	return out
}

// feedsItself finds a bus whose signal comes back to it, by its own way or by sends, or
// gives nil.
func feedsItself(order []Lane, lanes map[string]*Lane) *Lane {
	const onTheWay, done = 1, 2
	seen := map[string]int{}
	var returnsTo func(id string) *Lane
	returnsTo = func(id string) *Lane {
		l := lanes[id]
		switch {
		case l == nil || seen[id] == done:
			return nil
		case seen[id] == onTheWay:
			return l
		}
		seen[id] = onTheWay
		if back := returnsTo(l.To); back != nil {
			return back
		}
		for _, s := range l.Sends {
			if back := returnsTo(s.To); back != nil {
				return back
			}
		}
		seen[id] = done
		return nil
	}
	for _, l := range order {
		if back := returnsTo(l.ID); back != nil {
			return back
		}
	}
	return nil
}
