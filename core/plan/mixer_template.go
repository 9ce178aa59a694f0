package plan

import (
	"fmt"
	"slices"

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
	if t == nil || t.Host != p.Host.Behaviour().Name {
		return nil
	}
	if s != nil && (len(s.Instruments) > 0 || slices.ContainsFunc(s.Lanes, func(l Lane) bool { return !l.IsOther() })) {
		return nil
	}
	return t
}

// beginFromKept lets a copy of a project begin with what was kept of that: a session of it opens the
// template, and what was saved is not asked for again.
func (p *Project) beginFromKept() {
	if p.Patched == nil {
		return
	}
	if p.Patched.Kept != nil {
		p.Opens, p.KeepTemplate = p.Patched.Kept, false
	}
	for i := range p.Placed {
		if pl := &p.Placed[i]; p.Patched.Instruments[pl.ID].Default != "" {
			pl.SaveDefault = false
		}
	}
}
