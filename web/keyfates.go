package web

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"hiddenlanes/core/carry"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// keysView is what would become of a song's keys.
type keysView struct {
	Rows      []keyRow // keys that the song plays
	Unmatched []keyRow
	Targets   []rig.Voice // of the new instrument

	moved, kept, left, dropped int // notes
}

type keyRow struct {
	carry.KeyMove // as the map has it
	Notes         int
	Fate          string   // "" as the map has it, "drop", or a key
	Now           midi.Key // the key that plays it unless it is dropped
	On            string   // the voice that sounds there, "" for none
}

// Says sums up what becomes of the notes.
func (v *keysView) Says() string {
	out := fmt.Sprintf("%s to another key, %d stay on theirs", plural(v.moved, "note moves", "notes move"), v.kept)
	if v.left > 0 {
		out += fmt.Sprintf(", %d without a partner stay as they are", v.left)
	}
	if v.dropped > 0 {
		out += fmt.Sprintf(", %d are left out", v.dropped)
	}
	return out
}

// Chosen lists the keys that the user has decided on.
func (v *keysView) Chosen() (out []keyRow) {
	for _, row := range slices.Concat(v.Unmatched, v.Rows) {
		if row.Fate != "" {
			out = append(out, row)
		}
	}
	return out
}

func viewKeys(m *carry.KeyMap, fates map[midi.Key]carry.Fate, played map[midi.Key]int, to rig.Instrument) *keysView {
	v := &keysView{}
	sounds := map[midi.Key]string{}
	for _, voice := range to.Voices {
		if len(voice.Keys) > 0 {
			v.Targets = append(v.Targets, voice)
		}
		for _, k := range voice.Keys {
			sounds[k] = cmp.Or(sounds[k], voice.Name)
		}
	}
	seen := map[midi.Key]bool{}
	add := func(k carry.KeyMove) {
		if seen[k.Key] || played[k.Key] == 0 {
			return
		}
		seen[k.Key] = true
		row := keyRow{KeyMove: k, Notes: played[k.Key], Now: k.To, On: k.ToVoice}
		if !k.Found {
			row.Now, row.On = k.Key, sounds[k.Key]
		}
		if f, ok := fates[k.Key]; ok {
			row.Fate, row.Now, row.On = strconv.Itoa(int(f.To)), f.To, sounds[f.To]
			if f.Drop {
				row.Fate = "drop"
			}
		}
		switch {
		case row.Fate == "drop":
			v.dropped += row.Notes
		case row.Now != k.Key:
			v.moved += row.Notes
		case !k.Found && row.Fate == "":
			v.left += row.Notes
		default:
			v.kept += row.Notes
		}
		if k.Found {
			v.Rows = append(v.Rows, row)
		} else {
			v.Unmatched = append(v.Unmatched, row)
		}
	}
	for _, found := range []bool{true, false} { // a key that two voices have is found if one is
		for _, k := range m.Keys {
			if k.Found == found {
				add(k)
			}
		}
	}
	for k := range midi.Key(128) {
		add(carry.KeyMove{Key: k, Voice: cmp.Or(midi.PercussionName(k), "not on the keys")})
	}
	slices.SortFunc(v.Rows, func(a, b keyRow) int { return int(a.Key - b.Key) })
	return v
}
