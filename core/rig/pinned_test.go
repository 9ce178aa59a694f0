package rig

import (
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
)

// Each of these conditions could be broken once without a test noticing.

// A voice through a microphone is inverted where one of the two is, and closed where either is.
func TestAFeedHasThePolarityOfItsVoiceAndItsMicrophone(t *testing.T) {
	for n := range 16 {
		bit := func(i int) bool { return n>>i&1 == 1 }
		in := Instrument{Name: "Kit",
			Voices: []Voice{{ID: "v", Name: "Snare", Role: "kit/snare", Keys: []midi.Key{38}, Heard: HeardThrough("m"),
				Inside: Inside{Inverted: bit(0), Closed: bit(1)}}},
			Microphones: []Microphone{{ID: "m", Name: "Under", Role: "kit/snare/bottom",
				Inside: Inside{Inverted: bit(2), Closed: bit(3)}}},
			Parts: []Part{{ID: "p", Name: "Horn", Role: "brass/horn", Microphones: []string{"m"},
				Inside: Inside{Inverted: bit(0), Closed: bit(1)}}}}
		feeds := in.FeedsIn(View{Voices: Each, Parts: Each})
		if len(feeds) != 2 {
			t.Fatalf("got the feeds %v; want the voice and the part through the microphone", feeds)
		}
		for _, f := range feeds {
			if f.Inverted != (bit(0) != bit(2)) || f.Closed != (bit(1) || bit(3)) {
				t.Errorf("source inverted %v, closed %v, microphone inverted %v, closed %v: %s is inverted %v, closed %v", bit(0),
					bit(1),
					bit(2), bit(3), f.Name, f.Inverted, f.Closed)
			}
		}
	}
}

// A program belongs to the notes of a part only where it is known on which address they arrive.
func TestAProgramIsToldWithAnAddress(t *testing.T) {
	at := midi.Address{Port: 1, Channel: 3}
	for _, c := range []struct {
		part Part
		want string
	}{
		{Part{Program: 0, Address: at}, "program 1"},
		{Part{Program: 40, Address: at, Articulations: "Long"}, "program 41, articulations Long"},
		{Part{Program: 40, Articulations: "Long"}, "articulations Long"},
		{Part{Program: -1, Address: at}, ""},
	} {
		if got := c.part.NotesText(); got != c.want {
			t.Errorf("%+v says %q; want %q", c.part, got, c.want)
		}
	}
}

// A rule for output names is for a width or for numbers; the first port has number 1, the last MaxPorts.
func TestOutputNamesAreForAWidthOrForNumbers(t *testing.T) {
	for _, c := range []struct {
		row OutputRow
		ok  bool
	}{
		{OutputRow{Name: "Main", Width: audio.Stereo}, true},
		{OutputRow{Name: "Main"}, false}, // for no width, and for no number
		{OutputRow{Name: "Main", Width: audio.Width(3)}, false},
		{OutputRow{Name: "Main", From: 1, To: 1}, true}, // numbers need no width
		{OutputRow{Name: "Main", From: 1, To: MaxPorts}, true},
		{OutputRow{Name: "Main", From: 1, To: MaxPorts + 1}, false},
		{OutputRow{Name: "Main", From: -1, To: 3}, false},
		{OutputRow{From: 1, To: 1}, false},
	} {
		if err := (Traits{Names: OutputRows{c.row}}).Validate(); (err == nil) != c.ok {
			t.Errorf("%+v: got %v; want that it is taken: %v", c.row, err, c.ok)
		}
	}
}

// Outputs fill all ports that there can be, and not one more.
func TestOutputsMeetTheLastPort(t *testing.T) {
	for text, ok := range map[string]bool{
		fmt.Sprintf("%dx1", MaxPorts): true, fmt.Sprintf("%dx1", MaxPorts+1): false,
		fmt.Sprintf("%dx2", MaxPorts/2): true, fmt.Sprintf("%dx2", MaxPorts/2+1): false,
		fmt.Sprintf("%dx2+2x1", MaxPorts/2-1): true, fmt.Sprintf("%dx2+3x1", MaxPorts/2-1): false,
		fmt.Sprintf("1x1@%d", MaxPorts): true, fmt.Sprintf("1x1@%d", MaxPorts+1): false,
	} {
		if _, err := ParseRuns(text); (err == nil) != ok {
			t.Errorf("%s: got %v; want that it is taken: %v", text, err, ok)
		}
	}
}

// "Lost unless saved" is said of kinds of host that forget a set-up, and of no others.
func TestAHostThatForgetsSaysSo(t *testing.T) {
	forget := 0
	for _, p := range Profiles {
		said := strings.Contains(strings.Join(p.Sentences(), "; "), "lost unless saved before")
		if said != p.SaveFirst {
			t.Errorf("%s: it forgets %v, and says so %v", p.Name, p.SaveFirst, said)
		}
		if said {
			forget++
		}
	}
	if forget == 0 || forget == len(Profiles) {
		t.Errorf("%d of %d kinds forget; the test shows nothing", forget, len(Profiles))
	}
}
