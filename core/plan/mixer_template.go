package plan

import (
	"fmt"

	"hiddenlanes/internal/words"
)

// MixerTemplate is a session that was kept as a template of the host: sessions that are opened from it
// begin with all that it holds. It is not changed once it is made.
type MixerTemplate struct {
	Name  string   `json:"name"`
	Host  string   `json:"host"` // the kind of host that it is of
	State *Patched `json:"state"`
}

// KeptTemplate is what a state is kept as under a name: all of it, but for what was heard and what
// templates were kept before.
func (s *Patched) KeptTemplate(name, host string) *MixerTemplate {
	state := s.Clone()
	state.Checked, state.Kept = "", nil
	return &MixerTemplate{Name: name, Host: host, State: state}
}

// Text says what a template holds: "1 instrument, 14 lanes, 1 bus".
func (t *MixerTemplate) Text() string {
	lanes, buses := 0, 0
	for _, l := range t.State.Lanes {
		if l.Kind == Bus {
			buses++
		} else {
			lanes++
		}
	}
	return fmt.Sprintf("%s, %s, %s", words.Count(len(t.State.Instruments), "instrument", "instruments"),
		words.Count(lanes, "lane", "lanes"), words.Count(buses, "bus", "buses"))
}

// OpensFrom is the template of the host that a session of the project begins from, where it is of the
// project's kind of host and nothing is patched yet; nil: from none.
func (p *Project) OpensFrom(s *Patched) *MixerTemplate {
	t := p.Opens
	if t == nil || t.Host != p.Host.Behaviour().Name || s != nil && len(s.Instruments) > 0 {
		return nil
	}
	if s != nil {
		for i := range s.Lanes {
			if !s.Lanes[i].IsOther() && s.Lanes[i].Owner != Found {
				return nil
			}
		}
	}
	return t
}

// lastTemplate is the template that the next project from this one begins with: the one that was kept
// of it last, or the one that it began with itself.
func (p *Project) lastTemplate() *MixerTemplate {
	if p.Patched != nil && p.Patched.Kept != nil {
		return p.Patched.Kept
	}
	return p.Opens
}

// keepNoMore takes back what the run sheet is asked to keep where it was kept: the next project from
// this one begins with it.
func (p *Project) keepNoMore(from *Project) {
	p.KeepTemplate = p.KeepTemplate && (from.Patched == nil || from.Patched.Kept == nil)
	for i := range p.Placed {
		pl := &p.Placed[i]
		if from.Patched != nil && from.Patched.Instruments[pl.ID].Default != "" {
			pl.SaveDefault = false
		}
	}
}
