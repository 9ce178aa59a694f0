// Package midi holds keys, channels and addresses as MIDI 1.0 defines them,
// and the percussion names of General MIDI. It reads no files.
package midi

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

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

// ParseKey reads a key as people write it: its number, its name in the naming
// ("C#1", "Db1"), or both ("37 C#1"), of which the number counts.
func ParseKey(s string, n Naming) (Key, error) {
	bad := fmt.Errorf("%q is not a key; type a number from 0 to 127 or a name such as %s", s, Key(36).Name(n))
	fields := strings.Fields(s)
	if len(fields) == 0 || len(fields) > 2 {
		return 0, bad
	}
	text := strings.ToLower(fields[0])
	if k, err := strconv.Atoi(text); err == nil {
		if k < 0 || k > 127 {
			return 0, bad
		}
		return Key(k), nil
	}
	if len(fields) == 2 {
		return 0, bad
	}
	step := strings.IndexByte("c d ef g a b", text[0])
	if step < 0 || text[0] == ' ' {
		return 0, bad
	}
	rest := text[1:]
	switch {
	case strings.HasPrefix(rest, "#"):
		step, rest = step+1, rest[1:]
	case strings.HasPrefix(rest, "b"):
		step, rest = step-1, rest[1:]
	}
	octave, err := strconv.Atoi(rest)
	if n == MiddleC4 {
		octave--
	}
	if k := 12*(octave+2) + step; err == nil && k >= 0 && k <= 127 {
		return Key(k), nil
	}
	return 0, bad
}

// ParseKeys reads keys and ranges of keys with commas between: "35, 36 C1, 41-45".
func ParseKeys(s string, n Naming) ([]Key, error) {
	var out []Key
	for part := range strings.SplitSeq(strings.NewReplacer("–", "-", ";", ",").Replace(s), ",") {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		from, err := ParseKey(part, n)
		to := from
		if i := strings.LastIndexByte(part, '-'); err != nil && i > 0 && part[i-1] != 'b' {
			if from, err = ParseKey(part[:i], n); err == nil {
				to, err = ParseKey(part[i+1:], n)
			}
		}
		if err != nil {
			return nil, err
		}
		if to < from {
			return nil, fmt.Errorf("keys %q end before they begin", part)
		}
		for k := from; k <= to; k++ {
			if !slices.Contains(out, k) {
				out = append(out, k)
			}
		}
	}
	slices.Sort(out)
	return out, nil
}

// FormatKeys prints keys as ParseKeys reads them, each with its name.
func FormatKeys(keys []Key, n Naming) string {
	var out []string
	for _, k := range keys {
		out = append(out, fmt.Sprintf("%d %s", k, k.Name(n)))
	}
	return strings.Join(out, ", ")
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

// Known reports whether the address names a channel at all.
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

// ParseAddress reads what String writes, and "3" or "2:3" for channel 3 and for
// channel 3 of port 2; "" is no address.
func ParseAddress(s string) (a Address, err error) {
	words := strings.Fields(strings.NewReplacer(":", " ", "port", " ", "ch", " ", "annel",
		" ").Replace(strings.ToLower(s)))
	if len(words) == 0 || strings.ToLower(strings.TrimSpace(s)) == "no channel" {
		return a, nil
	}
	bad := fmt.Errorf("%q is not a MIDI address; type a channel from 1 to 16, or port and channel such as 2:10", s)
	if len(words) > 2 {
		return a, bad
	}
	a.Port = 1
	channel, err := strconv.Atoi(words[len(words)-1])
	if err == nil && len(words) == 2 {
		a.Port, err = strconv.Atoi(words[0])
	}
	a.Channel = Channel(channel)
	if err != nil || !a.Known() || a.Port < 1 || a.Port > 64 {
		return Address{}, bad
	}
	return a, nil
}

// Norm is the address with the port counted from 1, for comparing.
func (a Address) Norm() Address {
	if a.Known() {
		a.Port = max(a.Port, 1)
	}
	return a
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

// FormatKeysInShort prints keys with number and name, long lists summed up: "16 keys, 35 B0
// to 59 B2".
func FormatKeysInShort(keys []Key, n Naming) string {
	if len(keys) <= 4 {
		return FormatKeys(keys, n)
	}
	return fmt.Sprintf("%d keys, %s to %s", len(keys), FormatKeys(keys[:1], n), FormatKeys(keys[len(keys)-1:], n))
}
