package rig

import (
	"fmt"
	"strings"
	"unicode"

	"hiddenlanes/internal/words"
)

// MaxName is how long a name is at most, in characters, by every way it comes in.
const MaxName = 80

// CleanName takes control characters out of a name, and those that turn the direction of
// writing, and puts single spaces between its words.
func CleanName(s string) string {
	if isClean(s) {
		return s
	}
	s = strings.Map(func(c rune) rune {
		switch {
		case unicode.IsSpace(c):
			return ' '
		case unicode.IsControl(c), c >= 0x202a && c <= 0x202e, c >= 0x2066 && c <= 0x2069, c == 0xfeff,
			c == unicode.ReplacementChar:
			return -1
		}
		return c
	}, s)
	return strings.Join(strings.Fields(s), " ")
}

// isClean tells cheaply of most names that there is nothing to clean.
func isClean(s string) bool {
	last := byte(' ')
	for i := range len(s) {
		c := s[i]
		if c < ' ' || c >= 0x7f || c == ' ' && last == ' ' {
			return false
		}
		last = c
	}
	return last != ' ' || s == ""
}

// ParseName cleans a name that was typed, and refuses one that is empty or too long; what
// says what it names: "a layout".
func ParseName(what, s string) (string, error) {
	s = CleanName(s)
	if n := len([]rune(s)); n == 0 || n > MaxName {
		return "", fmt.Errorf("%s needs a name of 1 to %d characters", what, MaxName)
	}
	return s, nil
}

// ShortName cleans a name that comes with a file, and shortens one that is too long.
func ShortName(s string) string { return words.Short(MaxName, CleanName(s)) }

// Names cleans the names that come with a file, and shortens those that are too long.
type Names struct{ Shortened []string }

// Clean cleans one name in place.
func (n *Names) Clean(s *string) {
	clean := CleanName(*s)
	if *s = ShortName(clean); *s != clean {
		n.Shortened = append(n.Shortened, *s)
	}
}

// Said says what was shortened, or "".
func (n *Names) Said() string {
	if len(n.Shortened) == 0 {
		return ""
	}
	return fmt.Sprintf("%s shortened to %d characters: %s",
		words.Count(len(n.Shortened), "name was", "names were"), MaxName, words.Few(n.Shortened))
}

// Inserts cleans the names and notes of inserts.
func (n *Names) Inserts(list []Insert) {
	for i := range list {
		n.Clean(&list[i].Name)
		n.Clean(&list[i].Note)
	}
}

// Instrument cleans the names of an instrument and of all in it.
func (n *Names) Instrument(in *Instrument) {
	n.Clean(&in.Name)
	for i := range in.Voices {
		n.Clean(&in.Voices[i].Name)
	}
	for i := range in.Microphones {
		n.Clean(&in.Microphones[i].Name)
		n.Clean(&in.Microphones[i].Note)
	}
	for i := range in.Parts {
		n.Clean(&in.Parts[i].Name)
		n.Clean(&in.Parts[i].Articulations)
	}
	for i := range in.Returns {
		n.Clean(&in.Returns[i].Name)
	}
	for i := range in.Effects {
		n.Clean(&in.Effects[i].Name)
	}
	for i := range in.Variants {
		n.Clean(&in.Variants[i].Name)
	}
	for i := range in.Layouts {
		n.Clean(&in.Layouts[i].Name)
	}
}
