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

// positions lists the microphone positions from the nearest to the farthest, the ready-made mix last
// (common practice, no source).
var positions = []Position{"close", "spot", "mid", "main", "wide", "overhead", "room", "room/near", "room/far",
	"room/mono",
	"surround", "ambience", "mix"}

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

// NameKind is what a name is the name of. One word means other things on a microphone than on a voice.
type NameKind string

// The kinds.
const (
	Anything     NameKind = ""
	OfVoice      NameKind = "voice" // of a kit or a pad instrument
	OfMicrophone NameKind = "microphone"
	OfPart       NameKind = "part"
	OfReturn     NameKind = "return"
	OfPosition   NameKind = "position" // of microphones in front of a section: only Guess.Mic counts
)

// Kinds lists those that a name can be said to be of.
var Kinds = []NameKind{OfVoice, OfMicrophone, OfPart, OfReturn, OfPosition}

// drums are the words of voices and microphones of kits alike.
const drums NameKind = "drums"

// lexicons are where a kind's words are looked up, its own first.
var lexicons = map[NameKind][]NameKind{Anything: {Anything}, OfVoice: {OfVoice, drums, Anything},
	OfMicrophone: {OfMicrophone, drums, Anything}, OfPart: {OfPart, Anything}, OfReturn: {OfReturn, Anything},
	OfPosition: {OfPosition, OfPart, Anything}}

// word is what one word or phrase of a name says.
type word struct {
	role  Role     // the piece it names
	weak  bool     // only where no other word names one: a range, a family
	marks []mark   // what it adds to a piece
	mic   Position // the microphone position it names
	near  bool     // the position is said of another one, that comes behind: “Close Room” is a room
	noise bool     // understood, but says nothing of the role (left, right, mic)
	quiet []Role   // beside pieces of these it names none: the bell of a ride
	doubt bool     // it may mean something else
}

// mark is a segment that a word adds below a role, or a pitch that chooses a number.
type mark struct {
	under   Role
	segment string
}

// FromName guesses the role from a name in any of the usual spellings: "BD in",
// "Kick_In", "RT2", "Flr Tom Lo", "OH L/R". The longest phrase wins over its
// words, and of several pieces the last one is what the name is of: a bass trombone is a trombone.
func FromName(name string) Guess { return GuessName(name, Anything) }

// ForMicrophone guesses the role of a microphone from its name: one at the side of a snare is no
// stroke on it.
func ForMicrophone(name string) Guess {
	g := GuessName(name, OfMicrophone)
	if row := rows[g.Role]; row != nil && row.Stroke {
		g.Role = g.Role.Parent()
	}
	return g
}

// GuessName guesses what something of a kind is from its name.
func GuessName(name string, kind NameKind) Guess {
	r := reading{kind: kind}
	tokens := Tokens(name)
	for i := 0; i < len(tokens); {
		n := r.next(tokens, i)
		i += n
	}
	return r.guess()
}

// reading is a name as it is read, word by word.
type reading struct {
	kind    NameKind
	words   []word
	numbers []number
	unknown int // words that are not understood, or may mean something else
}

// number is a figure in a name, with how many words stand before it.
type number struct {
	text  string
	after int
	size  bool // it is inches, or a model's
}

// next reads what begins at a token and tells how many tokens that is.
func (r *reading) next(tokens []string, i int) int {
	if w, n := r.longest(tokens[i:]); n > 0 {
		r.take(w)
		return n
	}
	t := tokens[i]
	if n, err := strconv.Atoi(t); err == nil {
		size := n >= leastSize || i+1 < len(tokens) && (tokens[i+1] == "in" || tokens[i+1] == "inch")
		r.numbers = append(r.numbers, number{strings.TrimLeft(t, "0"), len(r.words), size})
		if i+1 < len(tokens) && (tokens[i+1] == "inch" || tokens[i+1] == "in" && size) {
			return 2
		}
		return 1
	}
	if n, ok := romans[t]; ok && (r.kind == OfPart || r.kind == OfPosition) {
		r.numbers = append(r.numbers, number{n, len(r.words), false})
		return 1
	}
	// a plural
	if w, ok := r.lookup(strings.TrimSuffix(t, "s")); ok && len(t) > 3 && !w.noise && strings.HasSuffix(t, "s") {
		r.take(w)
		return 1
	}
	r.unknown++
	r.words = append(r.words, r.likely(t)...)
	return 1
}

// leastSize is the first number that is a size in inches on a drum, and no ordinal.
const leastSize = 6

var romans = map[string]string{"i": "1", "ii": "2", "iii": "3", "iv": "4"}

func (r *reading) take(w word) {
	r.words = append(r.words, w)
	if w.doubt {
		r.unknown++
	}
}

func (r *reading) vocabulary() *vocabulary {
	if v, ok := vocabularies()[r.kind]; ok {
		return v
	}
	return vocabularies()[Anything]
}

func (r *reading) lookup(phrase string) (word, bool) { return r.vocabulary().lookup(phrase) }

// longest finds the longest phrase of up to three tokens at the start.
func (r *reading) longest(tokens []string) (word, int) {
	for n := min(3, len(tokens)); n > 0; n-- {
		if w, ok := r.lookup(strings.Join(tokens[:n], " ")); ok {
			return w, n
		}
	}
	return word{}, 0
}

// likely reads a token that is no word as one: two words in one, the beginning of a word, or a word
// without its vowels. Nothing where that could be several things.
func (r *reading) likely(t string) []word {
	for i := len(t) - 1; i > 0 && len(t) > 2; i-- {
		a, okA := r.lookup(t[:i])
		b, okB := r.lookup(t[i:])
		if okA && okB && (a.role != Unnamed || a.mic != "") && (i > 1 || len(t) < 5) {
			return []word{a, b}
		}
	}
	if len(t) < 3 {
		return nil
	}
	x := r.vocabulary().pieces()
	if len(t) >= 4 {
		from, _ := slices.BinarySearchFunc(x.sorted, t, func(s spelling, t string) int { return strings.Compare(s.text, t) })
		to := from
		for to < len(x.sorted) && strings.HasPrefix(x.sorted[to].text, t) {
			to++
		}
		if w, ok := common(x.sorted[from:to]); ok {
			return []word{w}
		}
	}
	if !withoutVowels(t) {
		return nil
	}
	var alike []spelling
	for _, full := range x.byLetter[t[0]] {
		if len(full.text) > len(t) && abbreviates(t, full.text) {
			alike = append(alike, full)
		}
	}
	if w, ok := common(alike); ok {
		return []word{w}
	}
	return nil
}

// vocabulary is what is looked up for one kind of name: its words, those of its own first.
type vocabulary struct {
	layers []map[string]word
	pieces func() pieces
}

// pieces are the spellings that name one.
type pieces struct {
	sorted   []spelling
	byLetter map[byte][]spelling // those of one word, by their first letter
}

type spelling struct {
	text string
	role Role
}

// vocabularies are there for every kind when a name is first read; pieces when they are first asked for.
var vocabularies = sync.OnceValue(func() map[NameKind]*vocabulary {
	all, out := lexicon(), map[NameKind]*vocabulary{}
	for kind, layers := range lexicons {
		v := &vocabulary{}
		for _, k := range layers {
			v.layers = append(v.layers, all[k])
		}
		v.pieces = sync.OnceValue(v.list)
		out[kind] = v
	}
	return out
})

func (v *vocabulary) lookup(phrase string) (word, bool) {
	for _, words := range v.layers {
		if w, ok := words[phrase]; ok {
			return w, true
		}
	}
	return word{}, false
}

func (v *vocabulary) list() pieces {
	x := pieces{byLetter: map[byte][]spelling{}}
	for _, words := range v.layers {
		for text := range words {
			if w, _ := v.lookup(text); w.role != Unnamed {
				x.sorted = append(x.sorted, spelling{text, w.role})
			}
		}
	}
	slices.SortFunc(x.sorted, func(a, b spelling) int { return strings.Compare(a.text, b.text) })
	x.sorted = slices.Compact(x.sorted)
	for _, s := range x.sorted {
		if !strings.Contains(s.text, " ") {
			x.byLetter[s.text[0]] = append(x.byLetter[s.text[0]], s)
		}
	}
	return x
}

// common is what spellings have in common; ok is false where they are of several roots.
func common(spellings []spelling) (w word, ok bool) {
	for i, s := range spellings {
		switch r := s.role; {
		case i == 0:
			w.role = r
		case Common(w.role, r) == Unnamed:
			return word{}, false
		default:
			w.role = Common(w.role, r)
		}
	}
	return w, len(spellings) > 0
}

func withoutVowels(t string) bool { return !strings.ContainsAny(t, "aeiou") }

// abbreviates reports whether the letters of a token stand in a word in their order.
func abbreviates(t, full string) bool {
	at := 0
	for i := range len(full) {
		if at < len(t) && full[i] == t[at] {
			at++
		}
	}
	return at == len(t)
}

// guess is what comes of the words.
func (r *reading) guess() Guess {
	var g Guess
	at := -1
	g.Role, at = r.piece()
	near := false
	for _, w := range r.words {
		if w.mic != "" && (g.Mic == "" || near && !w.near) {
			g.Mic, near = w.mic, w.near
		}
	}
	if r.kind == OfPosition {
		g.Mic = r.position()
	}
	if g.Role == Unnamed {
		g.Role = ofPosition(g.Mic)
	}
	if g.Role != Unnamed {
		g.Role = r.marked(g.Role, at)
	}
	switch {
	case g.Role == Unnamed && g.Mic == "":
		g.Sure = NoIdea
	case r.unknown > 0:
		g.Sure = Likely
	default:
		g.Sure = Sure
	}
	return g
}

// piece is what the name is of: the last piece that it names, or the deeper one where one stands
// below another; of a voice or a microphone one of a kit or percussion before all others. at is the
// word that names it, or −1.
func (r *reading) piece() (piece Role, at int) {
	var strong, weak, all []int // words
	for i, w := range r.words {
		switch {
		case w.role == Unnamed || r.isQuiet(i):
			continue
		case w.weak:
			weak = append(weak, i)
		default:
			strong = append(strong, i)
		}
		all = append(all, i)
	}
	for _, words := range [][]int{strong, weak} {
		if r.kind == OfVoice || r.kind == OfMicrophone {
			struck := slices.DeleteFunc(slices.Clone(words), func(i int) bool { return !r.words[i].role.IsStruck() })
			if len(struck) > 0 {
				words = struck
			}
		}
		at = -1
		for _, i := range words {
			if p := r.words[i].role; piece == Unnamed || !piece.Under(p) {
				piece, at = p, i
			}
		}
		if piece == Unnamed {
			continue
		}
		for _, i := range all { // a family and one of it: the one
			if p := r.words[i].role; p != piece && p.Under(piece) {
				piece, at = p, i
			}
		}
		return piece, at
	}
	return Unnamed, -1
}

// isQuiet reports whether a word names no piece beside the others.
func (r *reading) isQuiet(i int) bool {
	w := r.words[i]
	if row := rows[w.role]; row != nil && row.Stroke { // a rim shot on a bongo is one of its strokes
		for j, x := range r.words {
			if j != i && x.role != Unnamed && !x.weak && !x.role.Under(w.role.Parent()) {
				return true
			}
		}
	}
	for _, under := range r.words[i].quiet {
		for j, w := range r.words {
			if j != i && w.role != Unnamed && w.role.Under(under) {
				return true
			}
		}
	}
	return false
}

// marked adds the marks and the number to the piece; what is in the word that names it already is not
// added again.
func (r *reading) marked(at Role, piece int) Role {
	pitch := ""
	for i, w := range r.words {
		for _, m := range w.marks {
			switch {
			case m.under == pitchMark:
				pitch = strings.TrimPrefix(pitch+"-"+m.segment, "-")
			case at.Under(m.under) && !strings.Contains(string(at)+"/", "/"+m.segment+"/") && i != piece:
				at += Role("/" + m.segment)
			default:
				continue
			}
			break
		}
	}
	text := ""
	for _, n := range r.numbers {
		if text == "" && !(n.size && at.IsStruck()) && len(n.text) < 3 {
			text = n.text
		}
	}
	return at.numbered(text, pitch)
}

// position is the microphone position that a name in front of a section says: of a place and a
// distance in it the place with the distance, and of several the last.
func (r *reading) position() (p Position) {
	for _, w := range r.words {
		switch {
		case w.mic == "" || p == "room": // a room stays one
		default:
			p = w.mic
		}
	}
	if p == "room" {
		for _, w := range r.words {
			for _, m := range w.marks {
				if at := p + Position("/"+m.segment); m.under == "kit/room" && slices.Contains(positions, at) {
					return at
				}
			}
		}
	}
	return p
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
// key 45) or silent, or speaks of what is in no kit. Keys of one voice may span several; the first
// one counts.
func ForPercussion(name string, keys []midi.Key) Guess { return struck(name, keys, FromKey) }

// ForEffect is ForPercussion for the voices of a set of effects, whose keys stand for others.
func ForEffect(name string, keys []midi.Key) Guess { return struck(name, keys, fromEffectKey) }

// EffectSet is the program, from 0, of the set of effects among the percussion sets of General MIDI 2
// and those before it (from memory).
const EffectSet = 56

// fromEffectKey gives the role of a key in the set of effects of General MIDI 2 (from memory), or
// Unnamed.
func fromEffectKey(k midi.Key) Role {
	if i := int(k) - 39; i >= 0 && i < len(effectKeys) {
		return effectKeys[i]
	}
	return Unnamed
}

const (
	effectHit   Role = "effects/hit"
	effectNoise Role = "effects/noise"
)

// effectKeys are the roles from key 39 on: high Q, slap, two scratches, sticks, a click, the
// metronome, noises of guitar, bass and flute, voices and steps, nature, traffic and guns.
var effectKeys = func() []Role {
	out := []Role{effectHit, effectHit, "percussion/scratch", "percussion/scratch", "percussion/sticks",
		"percussion/click",
		"percussion/click", "percussion/click"}
	for k := 47; k <= 84; k++ {
		switch k {
		case 61:
			out = append(out, "percussion/scratch")
		case 62:
			out = append(out, "percussion/bells")
		case 54, 55, 72, 73, 74, 75:
			out = append(out, effectHit)
		default:
			out = append(out, effectNoise)
		}
	}
	return out
}()

// isPlace reports whether a name is that of a place where any sound may lie, such as "Pad 4" or "Slot B2":
// neither it nor its key says which.
func isPlace(name string) bool {
	tokens := Tokens(name)
	if len(tokens) < 2 || !slices.Contains([]string{"pad", "slot", "cell", "zone", "trigger"}, tokens[0]) {
		return false
	}
	return !slices.ContainsFunc(tokens[1:], func(t string) bool {
		_, err := strconv.Atoi(t)
		return err != nil && len(t) > 1
	})
}

func struck(name string, keys []midi.Key, fromKey func(midi.Key) Role) Guess {
	g := GuessName(name, OfVoice)
	if len(keys) == 0 || isPlace(name) {
		return g
	}
	byKey := fromKey(keys[0])
	switch {
	case byKey != Unnamed && (g.Role == Unnamed || !g.Role.IsStruck() && byKey.Root() != g.Role.Root()):
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
