package role

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"hiddenlanes/core/midi"
)

// Sureness says how far a guessed role can be trusted.
type Sureness int

// From no idea at all to every word of the name understood.
const (
	NoIdea  Sureness = iota
	KeyOnly          // the name says nothing; the General MIDI key or program does
	Likely           // part of the name is understood
	Sure             // every word is understood
	Told             // the user has said so, here or for this spelling
)

var surenesses = [...]string{"no idea", "from the key", "likely", "sure", "told"}

func (s Sureness) String() string { return surenesses[min(max(s, NoIdea), Told)] }

// MarshalText writes what String says.
func (s Sureness) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads strictly what MarshalText writes.
func (s *Sureness) UnmarshalText(b []byte) error {
	i := slices.Index(surenesses[:], string(b))
	if i < 0 {
		return fmt.Errorf("sureness %q is none of %s", b, strings.Join(surenesses[:], ", "))
	}
	*s = Sureness(i)
	return nil
}

// Guess is what a name or a key tells about a signal.
type Guess struct {
	Role Role
	Mic  Position // the microphone position the name speaks of, if any
	Sure Sureness
}

// Position is a path in the second axis, the small tree of microphone
// positions: close, spot, overhead, room/{near,far,mono}, ambience.
type Position string

// positions lists the microphone positions from the nearest to the farthest
// (common practice, no source).
var positions = []Position{"close", "spot", "mid", "overhead", "room", "room/near", "room/far", "room/mono", "ambience"}

// Positions lists the microphone positions from the nearest to the farthest.
func Positions() []Position { return positions }

// ParsePosition reads a microphone position; "" is none.
func ParsePosition(s string) (Position, error) {
	p := Position(strings.ToLower(strings.TrimSpace(s)))
	if p != "" && !slices.Contains(positions, p) {
		return "", fmt.Errorf("microphone position %q is none of %v", s, positions)
	}
	return p, nil
}

// ComparePositions orders positions from the nearest to the farthest; none comes first.
func ComparePositions(a, b Position) int {
	return cmp.Compare(slices.Index(positions, a), slices.Index(positions, b))
}

// word is what one word or phrase of a name says.
type word struct {
	role  Role     // the piece it names
	under Role     // a mark (in, top, floor) counts only below this role
	mark  string   // the segment a mark adds
	mic   Position // the microphone position it names
	noise bool     // understood, but says nothing of the role (left, right, mic)
}

// FromName guesses the role from a name in any of the usual spellings: "BD in",
// "Kick_In", "RT2", "Flr Tom Lo", "OH L/R". The longest phrase wins over its
// words, and the first piece named is the piece.
func FromName(name string) Guess { return guess(name, Unnamed) }

// ForMicrophone guesses the role of a microphone from its name: one at the side of a snare is no
// stroke on it.
func ForMicrophone(name string) Guess {
	g := FromName(name)
	if row := rows[g.Role]; row != nil && row.Stroke {
		g.Role = g.Role.Parent()
	}
	return g
}

// guess reads a name; where it names several pieces ("Brass Tambourine"), the
// first one below a root in favour wins over the first one.
func guess(name string, favour ...Role) Guess {
	favoured := func(r Role) bool {
		return slices.ContainsFunc(favour, func(f Role) bool { return r != Unnamed && r.Under(f) })
	}
	var g Guess
	var marks []word
	var number string
	tokens := Tokens(name)
	understood, unknown, near := 0, 0, false
	for i := 0; i < len(tokens); {
		w, n := longest(tokens[i:])
		if n == 0 {
			if _, err := strconv.Atoi(tokens[i]); err == nil {
				if number == "" {
					number = strings.TrimLeft(tokens[i], "0")
				}
			} else {
				unknown++
			}
			i++
			continue
		}
		i += n
		understood++
		switch {
		case w.noise:
		case w.mark != "":
			marks = append(marks, w)
		case w.role != Unnamed && (g.Role == Unnamed || w.role.Under(g.Role) || favoured(w.role) && !favoured(g.Role)):
			g.Role = w.role
		}
		if w.mic != "" && (g.Mic == "" || w.mark == "" && near) {
			g.Mic, near = w.mic, w.mark != "" // “Close Room” is a room
		}
	}
	g.Role = place(g, marks, number)
	switch {
	case g.Role == Unnamed:
		g.Sure = NoIdea
	case unknown > 0:
		g.Sure = Likely
	default:
		g.Sure = Sure
	}
	return g
}

// place adds the marks and the number to the piece. A name that speaks of a
// microphone position and no piece is what stands for that position.
func place(g Guess, marks []word, number string) Role {
	r := g.Role
	if r == Unnamed {
		r = ofPosition(g.Mic)
	}
	if r == Unnamed {
		return r
	}
	pitch := ""
	for _, m := range marks {
		switch {
		case m.under == pitchMark:
			pitch = strings.TrimPrefix(pitch+"-"+m.mark, "-")
		case r.Under(m.under) && !strings.Contains(string(r)+"/", "/"+m.mark+"/"):
			r += Role("/" + m.mark)
		}
	}
	return r.numbered(number, pitch)
}

// ofPosition is the role that a microphone position named alone stands for, or Unnamed.
func ofPosition(p Position) Role {
	for i := range Table {
		if slices.Contains(Table[i].Positions, p) {
			return Table[i].Role
		}
	}
	return Unnamed
}

// numbered adds the number that a name gives, as a figure or by pitch, where the role
// counts by numbers.
func (r Role) numbered(number, pitch string) Role {
	if !r.is(func(row *Row) bool { return row.Numbered }) {
		return r
	}
	if row := r.nearest(Unnamed, func(row *Row) bool { return row.Pitches != nil }); row != nil && number == "" {
		number = row.Pitches[pitch]
	}
	if number == "" {
		return r
	}
	if row := rows[r]; row != nil && row.NumbersFrom != "" {
		r += Role("/" + row.NumbersFrom)
	}
	return r + Role("/"+number)
}

// longest finds the longest phrase of up to three tokens at the start.
func longest(tokens []string) (word, int) {
	for n := min(3, len(tokens)); n > 0; n-- {
		if w, ok := lexicon[strings.Join(tokens[:n], " ")]; ok {
			return w, n
		}
	}
	return word{}, 0
}

// Tokens splits a name into small-letter words and numbers: at spaces and
// punctuation, between letters and digits, and inside camel case.
func Tokens(name string) []string {
	var out []string
	var cur []rune
	flush := func() {
		if len(cur) > 0 {
			out = append(out, strings.ToLower(string(cur)))
			cur = cur[:0]
		}
	}
	rs := []rune(name)
	for i, r := range rs {
		switch {
		case !unicode.IsLetter(r) && !unicode.IsDigit(r):
			flush()
			continue
		case len(cur) == 0:
		case unicode.IsDigit(r) != unicode.IsDigit(cur[len(cur)-1]):
			flush()
		case unicode.IsUpper(r) && unicode.IsLower(cur[len(cur)-1]):
			flush()
		case unicode.IsUpper(r) && i+1 < len(rs) && unicode.IsLower(rs[i+1]) && unicode.IsUpper(cur[len(cur)-1]) &&
			len(cur) > 1:
			flush() // the last capital of a run begins the next word: "BDIn" is "bd in"
		}
		cur = append(cur, r)
	}
	flush()
	return out
}

// FromKey gives the role the General MIDI percussion map stands for at a key, or the
// table's for keys beside that map, or Unnamed.
func FromKey(k midi.Key) Role {
	if name := midi.PercussionName(k); name != "" {
		return FromName(name).Role
	}
	for i := range Table {
		if slices.Contains(Table[i].Keys, k) {
			return Table[i].Role
		}
	}
	return Unnamed
}

// PercussionKeys are the keys on which the General MIDI percussion map has what a microphone of the
// role stands at, the usual one first; none where it hears all, or where the map has nothing like it.
func PercussionKeys(r Role) []midi.Key {
	if r == Unnamed || r.HearsAll() {
		return nil
	}
	for at := r; at != at.Root(); at = at.Parent() {
		if keys := percussionKeys()[at]; len(keys) > 0 {
			return keys
		}
	}
	return nil
}

// percussionKeys are the keys of the map by the roles they stand for, and by those above.
var percussionKeys = sync.OnceValue(func() map[Role][]midi.Key {
	out := map[Role][]midi.Key{}
	for k := midi.FirstPercussionKey; k <= midi.LastPercussionKey; k++ {
		for at := FromKey(k); at != Unnamed; at = at.Parent() {
			out[at] = append(out[at], k)
		}
	}
	for r, keys := range out { // a plain name is the usual one: Bass Drum 1 before Acoustic Bass Drum
		slices.SortStableFunc(keys, func(a, b midi.Key) int { return unusual(a, r) - unusual(b, r) })
	}
	return out
})

// unusual is 0 for the keys that people play first, and 1 for others of the role (common practice,
// no source).
func unusual(k midi.Key, r Role) int {
	if FromKey(k) == r && slices.Contains([]midi.Key{36, 38, 42, 49, 51}, k) {
		return 0
	}
	return 1
}

// ForPercussion joins what the name and the General MIDI key say: the name
// rules, the key fills in where the name is vaguer on the same branch ("Tom" on
// key 45) or silent. Keys of one voice may span several; the first one counts.
func ForPercussion(name string, keys []midi.Key) Guess {
	g := guess(name, struckRoots()...)
	if len(keys) == 0 {
		return g
	}
	byKey := FromKey(keys[0])
	switch {
	case g.Role == Unnamed && byKey != Unnamed:
		g.Role, g.Sure = byKey, KeyOnly
	case g.Role != Unnamed && byKey != g.Role && byKey.Under(g.Role):
		g.Role = byKey
	}
	return g
}

// FromProgram gives the role of a General MIDI level 1 program, 0–127, or Unnamed.
func FromProgram(program int) Role {
	for i := range Table {
		for _, p := range Table[i].Programs {
			if program >= p.First && program <= p.Last {
				return Table[i].Role
			}
		}
	}
	return Unnamed
}
