package role

import "strings"

// lexicon holds every spelling. A phrase is found before its words.
var lexicon = map[string]word{}

// spell adds spellings of one meaning.
func spell(names string, w word) {
	for s := range strings.SplitSeq(names, ",") {
		if s = strings.TrimSpace(s); s != "" {
			lexicon[s] = w
		}
	}
}

// learnSpellings adds those of a row of the table.
func learnSpellings(row *Row) {
	spell(row.Names, word{role: row.Role})
	if row.Below != "" {
		seg := row.Role.Segments()
		spell(row.Below, word{mark: seg[len(seg)-1], under: row.Role.Parent()})
	}
}

// otherSpellings are words that name no role of their own: marks that count in several
// places, microphone positions, and words that say nothing of the role.
var otherSpellings = []struct {
	names string
	word
}{
	{"mono", word{mark: "mono", under: "kit"}},
	{"high, hi", word{mark: "high", under: pitchMark}},
	{"mid, medium", word{mark: "mid", under: pitchMark}},
	{"low, lo", word{mark: "low", under: pitchMark}},
	{"oh, ohs, ovh, ovhd, overhead, overheads, over head", word{mic: "overhead"}},
	{"room, rooms, rm, rms", word{mic: "room"}},
	{"amb, ambi, ambience, ambiance, ambient", word{mic: "ambience"}},
	{"close, spot", word{mic: "close", mark: "near", under: "kit/room"}},
	{"l, r, left, right, lr, stereo, st, mic, mics, microphone, hit, drum, drums, kit, acoustic, electric, " +
		"closed, open, pedal, mute, muted, short, long, hand, lead, double", word{noise: true}},
}

// pitchMark is what words of pitch count below: they choose a number, and are no step of
// the tree.
const pitchMark Role = "pitch"
