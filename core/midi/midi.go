// Package midi holds keys, channels and addresses as MIDI 1.0 defines them,
// and the percussion names of General MIDI. It reads no files.
package midi

import "fmt"

// Key is a MIDI note number, 0 to 127.
type Key int

// Naming says which octave number middle C (key 60) carries.
type Naming int

// The two namings in use. The zero value calls middle C "C3".
const (
	MiddleC3 Naming = iota
	MiddleC4
)

var noteNames = [12]string{"C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"}

// Name gives the note name in the naming, such as "C1" for key 36 under MiddleC3.
func (k Key) Name(n Naming) string {
	octave := int(k)/12 - 2
	if n == MiddleC4 {
		octave++
	}
	return fmt.Sprintf("%s%d", noteNames[k%12], octave)
}

// Channel is a MIDI channel as people count it, 1 to 16. The zero value means
// that none is known.
type Channel int

// PercussionChannel is the channel General MIDI level 1 gives to percussion.
const PercussionChannel Channel = 10

// Address is where notes are sent: a MIDI port from 1 and a channel 1–16.
type Address struct {
	Port    int     `json:"port"`
	Channel Channel `json:"channel"`
}

// Known tells whether the address names a channel at all.
func (a Address) Known() bool { return a.Channel >= 1 && a.Channel <= 16 }

func (a Address) String() string {
	switch {
	case !a.Known():
		return "no channel"
	case a.Port <= 1:
		return fmt.Sprintf("ch %d", a.Channel)
	}
	return fmt.Sprintf("port %d ch %d", a.Port, a.Channel)
}

// First and last key of the General MIDI level 1 percussion key map.
const (
	FirstPercussionKey Key = 35
	LastPercussionKey  Key = 81
)

// PercussionName gives the name of a key in the General MIDI level 1
// percussion key map (RP-003, keys 35–81), or "" outside it. The table is from
// memory of the published document.
func PercussionName(k Key) string {
	if k < FirstPercussionKey || k > LastPercussionKey {
		return ""
	}
	return percussion[k-FirstPercussionKey]
}

var percussion = [...]string{
	"Acoustic Bass Drum", "Bass Drum 1", "Side Stick", "Acoustic Snare", "Hand Clap",
	"Electric Snare", "Low Floor Tom", "Closed Hi-Hat", "High Floor Tom", "Pedal Hi-Hat",
	"Low Tom", "Open Hi-Hat", "Low-Mid Tom", "Hi-Mid Tom", "Crash Cymbal 1",
	"High Tom", "Ride Cymbal 1", "Chinese Cymbal", "Ride Bell", "Tambourine",
	"Splash Cymbal", "Cowbell", "Crash Cymbal 2", "Vibraslap", "Ride Cymbal 2",
	"Hi Bongo", "Low Bongo", "Mute Hi Conga", "Open Hi Conga", "Low Conga",
	"High Timbale", "Low Timbale", "High Agogo", "Low Agogo", "Cabasa",
	"Maracas", "Short Whistle", "Long Whistle", "Short Guiro", "Long Guiro",
	"Claves", "Hi Wood Block", "Low Wood Block", "Mute Cuica", "Open Cuica",
	"Mute Triangle", "Open Triangle",
}
