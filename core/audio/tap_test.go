package audio

import "testing"

// The words for where a send is taken are common practice; no source.
func TestWhereASendIsTakenIsReadInEveryWord(t *testing.T) {
	for text, want := range map[string]struct {
		rest      string
		pre, said bool
	}{"Plate −6 dB pre": {"Plate −6 dB", true, true}, "Plate before": {"Plate", true, true},
		"Plate -6 before the fader": {"Plate -6", true, true}, "Plate PRE-FADER": {"Plate", true, true},
		"Plate −6 dB post": {"Plate −6 dB", false, true}, "Plate after the fader ": {"Plate", false, true},
		"Plate −6 dB": {"Plate −6 dB", false, false}, "pre": {"pre", false, false}, "Capre": {"Capre", false, false}} {
		rest, pre, said := CutTap(text)
		if rest != want.rest || pre != want.pre || said != want.said {
			t.Errorf("%q is read as %q, before the fader %v, said %v; want %+v", text, rest, pre, said, want)
		}
	}
}
