package audio

import "strings"

// taps are the words at the end of a send that say where it is taken, the longer first.
var taps = []struct {
	words string
	pre   bool
}{{" before the fader", true}, {" after the fader", false}, {" pre-fader", true}, {" post-fader", false},
	{" pre fader", true}, {" post fader", false}, {" before", true}, {" after", false}, {" pre", true}, {" post", false}}

// CutTap cuts what says where a send is taken off the end of a text: "Plate −6 dB pre", "Plate before the
// fader". said is false where nothing says it; pre is then false.
func CutTap(text string) (rest string, pre, said bool) {
	text = strings.TrimSpace(text)
	for _, t := range taps {
		if n := len(text) - len(t.words); n > 0 && strings.EqualFold(text[n:], t.words) {
			return strings.TrimSpace(text[:n]), t.pre, true
		}
	}
	return text, false, false
}
