package rig

import (
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// Of a microphone that nothing is said to be heard through, what it stands at is assumed from its
// role, by the percussion map of General MIDI, until somebody says it.

// Stands is what a microphone stands at: the voice by name and its keys, as was said, or as its role
// lets assume.
type Stands struct {
	Voice   string
	Keys    []midi.Key
	Assumed bool // the keys, and the voice with them
}

// Stands is what the microphone stands at; nothing where its role lets nothing be assumed.
func (m *Microphone) Stands() Stands {
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
	show := func(text func(s Stands, n midi.Naming) (shown string, assumed bool)) func(*Instrument, int, midi.Naming) string {
		return func(in *Instrument, i int, n midi.Naming) string {
			m := &in.Microphones[i]
			if len(m.Keys) == 0 && m.Plays == "" && !in.unheard()[m.ID] {
				return ""
			}
			shown, assumed := text(m.Stands(), n)
			if shown != "" && assumed {
				shown += assumedText
			}
			return shown
		}
	}
	return []Column{
		{Key: "plays", Title: "Voice",
			get: func(in *Instrument, i int, n midi.Naming) string {
				return show(func(s Stands, _ midi.Naming) (string, bool) {
					return s.Voice, in.Microphones[i].Plays == "" && s.Assumed
				})(in, i, n)
			},
			set: func(in *Instrument, i int, v string, _ midi.Naming) (err error) {
				if strings.HasSuffix(v, assumedText) {
					return nil
				}
				in.Microphones[i].Plays, err = ParseNote(v)
				return err
			}},
		{Key: "keys", Title: "Keys",
			get: show(func(s Stands, n midi.Naming) (string, bool) { return midi.FormatKeys(s.Keys, n), s.Assumed }),
			set: func(in *Instrument, i int, v string, n midi.Naming) error {
				if strings.HasSuffix(v, assumedText) {
					return nil
				}
				keys, err := midi.ParseKeys(v, n)
				if err == nil {
					in.Microphones[i].Keys = keys
				}
				return err
			}},
	}
}
