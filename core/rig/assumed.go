package rig

import (
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// Of a microphone that nothing is said to be heard through, what it is at is assumed from its
// role, by the percussion map of General MIDI, until somebody says it.

// Stands is what a microphone stands at: the voice by name and its keys, as was said, or as its role
// lets assume.
type Stands struct {
	Voice   string
	Keys    []midi.Key
	Assumed bool // the keys, and the voice with them
}

// stands is what the microphone stands at; nothing where its role lets nothing be assumed.
func (m *Microphone) stands() Stands {
	if len(m.Keys) > 0 {
		voice := m.Plays
		if voice == "" {
			voice = midi.PercussionName(m.Keys[0])
		}
		return Stands{voice, m.Keys, false}
	}
	s := Stands{Voice: m.Plays, Keys: role.PercussionKeys(m.Role), Assumed: true}
	if s.Voice == "" && len(s.Keys) > 0 {
		s.Voice = midi.PercussionName(s.Keys[0])
	}
	return s
}

// assumedText ends what a cell shows that nobody has said.
const assumedText = " · assumed"

// standsColumns are the voice and the keys that a microphone stands at; of those that something is
// heard through they are empty, since the voices say it.
func standsColumns() []Column {
	stands := func(key, title string, text func(Sheet, *Microphone) (shown string, assumed bool),
		set func(Sheet, *Microphone, string) error) Column {
		return cell(key, title, func(in Sheet, i int) string {
			m := &in.Microphones[i]
			if len(m.Keys) == 0 && m.Plays == "" && !in.unheard()[m.ID] {
				return ""
			}
			shown, assumed := text(in, m)
			if shown != "" && assumed {
				shown += assumedText
			}
			return shown
		}, func(in Sheet, i int, v string) error {
			if strings.HasSuffix(v, assumedText) {
				return nil
			}
			return set(in, &in.Microphones[i], v)
		})
	}
	return []Column{
		stands("plays", "Voice", func(_ Sheet, m *Microphone) (string, bool) {
			s := m.stands()
			return s.Voice, m.Plays == "" && s.Assumed
		}, func(_ Sheet, m *Microphone, v string) (err error) {
			m.Plays, err = ParseNote(v)
			return err
		}),
		stands("keys", "Keys", func(in Sheet, m *Microphone) (string, bool) {
			s := m.stands()
			return midi.FormatKeys(s.Keys, in.Naming), s.Assumed
		}, func(in Sheet, m *Microphone, v string) error {
			keys, err := midi.ParseKeys(v, in.Naming)
			if err == nil {
				m.Keys = keys
			}
			return err
		}),
	}
}
