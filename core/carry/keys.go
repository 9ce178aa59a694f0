package carry

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// canPartner reports whether one role can stand in for another: they are the same, one
// stands right below the other, or both belong to one thing, two steps into the tree or
// deeper: two microphones of a kick, two rack toms, two flutes. Where the table says that
// what is below is of different kinds, as cymbals are, it is two things.
func canPartner(a, b role.Role) bool {
	if a == role.Unnamed || b == role.Unnamed {
		return false
	}
	c := role.Common(a, b)
	oneThing := len(c.Segments()) >= 2 && !c.HasKinds()
	return oneThing || role.Close(a, b)
}

// likeness says how much two names have in common, 0 to 16: the words of both over the
// words of either.
func likeness(x, y []string) int64 {
	both := 0
	for _, w := range x {
		if slices.Contains(y, w) {
			both++
		}
	}
	if len(x)+len(y) == 0 {
		return 0
	}
	return int64(16 * both / (len(x) + len(y) - both))
}

// wordsOf are the words of the names of things.
func wordsOf[T any](things []T, name func(T) string) [][]string {
	out := make([][]string, len(things))
	for i, x := range things {
		out[i] = role.Tokens(name(x))
	}
	return out
}

func voiceName(v rig.Voice) string { return v.Name }

// price is what pairing two things costs: their distance in the tree, and below that,
// to decide between equals, their names and then how far apart they stand.
func price(distance, likeness int64, apart int) int64 {
	return min(distance, 1<<30)<<20 + (16-likeness)<<10 + min(int64(max(apart, -apart)), 1023)
}

// distance is how far a feed stands from the one that it takes the place of; nothing from one that
// is the same: of its kind and name, and at its place in the tree.
func distance(a, b rig.Feed, axis rig.Axis) int64 {
	if a.Kind == b.Kind && strings.EqualFold(a.Name, b.Name) && a.Under(axis) == b.Under(axis) {
		return 0
	}
	return role.Distance(a.Under(axis), b.Under(axis))
}

// GeneralMIDI is the percussion key map of General MIDI level 1 as an instrument.
func GeneralMIDI() rig.Instrument {
	in := rig.Instrument{Name: "General MIDI percussion", Origin: "RP-003"}
	for k := midi.FirstPercussionKey; k <= midi.LastPercussionKey; k++ {
		name := midi.PercussionName(k)
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("n%d", k), Name: name,
			Role: role.ForPercussion(name, []midi.Key{k}).Role, Sure: role.Sure,
			Keys: []midi.Key{k}, Width: audio.Stereo})
	}
	return in
}

// HouseKeys is the key map that a house chart itself gives: a voice for each role that
// has keys in it.
func HouseKeys(c *house.Chart) rig.Instrument {
	in := rig.Instrument{Name: "House chart", Origin: "house chart"}
	for _, r := range c.Roles() {
		if keys := c.At(r).Keys; len(keys) > 0 {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("h%d", len(in.Voices)), Name: c.Label(r), Role: r,
				Sure: role.Told, Keys: keys, Width: audio.Stereo})
		}
	}
	return in
}

// KeyMap says which key of one instrument plays what a key of another played.
type KeyMap struct {
	From, To string // the instruments
	Keys     []KeyMove
}

// KeyMove is one key of the first instrument.
type KeyMove struct {
	Key      midi.Key
	Voice    string
	Role     role.Role
	Found    bool // there is a partner
	To       midi.Key
	ToVoice  string
	Distance int64 // in the role tree
	Shared   bool  // another voice plays on the same key there
}

// MapKeys maps the keys of one instrument onto another's through their roles. Voices are
// paired at the least total distance; of equals a key that both have decides, then the
// names, and then how near the keys are. A voice that is left over shares the key of the
// nearest that can stand in for it. A key that its partner has as well stays.
func MapKeys(from, to rig.Instrument) *KeyMap {
	out := &KeyMap{From: from.Name, To: to.Name}
	a, b := playable(from), playable(to)
	wordsA, wordsB := wordsOf(a, voiceName), wordsOf(b, voiceName)
	cost := make([][]int64, len(a))
	for i, x := range a {
		cost[i] = make([]int64, len(b))
		for j, y := range b {
			if cost[i][j] = forbidden; canPartner(x.Role, y.Role) {
				cost[i][j] = price(role.Distance(x.Role, y.Role), likeness(wordsA[i], wordsB[j]), int(x.Keys[0]-y.Keys[0]))
				if !slices.ContainsFunc(x.Keys, func(k midi.Key) bool { return slices.Contains(y.Keys, k) }) {
					cost[i][j] += 1 << 18 // no key in common: more than any difference of names, less than any distance
				}
			}
		}
	}
	pair := assign(cost)
	for i, x := range a {
		j, shared := pair[i], false
		if j < 0 {
			for k := range b {
				if c := cost[i][k]; c != forbidden && (j < 0 || c < cost[i][j]) {
					j, shared = k, true
				}
			}
		}
		for n, key := range x.Keys {
			m := KeyMove{Key: key, Voice: x.Name, Role: x.Role}
			if j >= 0 {
				y := b[j]
				m.Found, m.ToVoice, m.Distance, m.Shared = true, y.Name, role.Distance(x.Role, y.Role), shared
				if m.To = key; !slices.Contains(y.Keys, key) {
					m.To = y.Keys[min(n, len(y.Keys)-1)]
				}
			}
			out.Keys = append(out.Keys, m)
		}
	}
	slices.SortStableFunc(out.Keys, func(a, b KeyMove) int { return int(a.Key - b.Key) })
	return out
}

func playable(in rig.Instrument) (out []rig.Voice) {
	for _, v := range in.Voices {
		if len(v.Keys) > 0 {
			out = append(out, v)
		}
	}
	return out
}

// Fate says what becomes of a key.
type Fate struct {
	Drop bool
	To   midi.Key // where it goes unless it is dropped
}

// Rule gives for each key what it becomes; keys that are not in it stay. fates are the
// user's own decisions and go before the map; rest is what becomes of other keys
// without a partner.
func (m *KeyMap) Rule(fates map[midi.Key]Fate, dropRest bool) map[midi.Key]Fate {
	out := map[midi.Key]Fate{}
	for _, k := range m.Keys {
		if _, twice := out[k.Key]; twice && !k.Found {
			continue
		}
		switch {
		case k.Found:
			out[k.Key] = Fate{To: k.To}
		case dropRest:
			out[k.Key] = Fate{Drop: true}
		default:
			out[k.Key] = Fate{To: k.Key}
		}
	}
	for k, f := range fates {
		out[k] = f
	}
	return out
}

// Doubt lists the addresses of a song of which nobody can report whether they play the instrument's
// voices: where these have no address of their own and no notes are on the percussion channel, all
// that have notes may be meant, and some may be melodies. Else none.
func Doubt(in rig.Instrument, song *plan.Song) (out []plan.SongChannel) {
	if slices.ContainsFunc(in.Parts, func(p rig.Part) bool { return len(p.Voices) > 0 && p.Address.Known() }) {
		return nil
	}
	for _, c := range song.Channels {
		if c.Notes() == 0 {
			continue
		}
		if c.Channel == midi.PercussionChannel {
			return nil
		}
		out = append(out, c)
	}
	return out
}

// Hears tells on which addresses of a song the instrument's voices are played: those of
// the parts they belong to, where these have one, else the percussion channel, or where that is in
// doubt those that somebody chose.
func Hears(in rig.Instrument, song *plan.Song, chosen ...midi.Address) func(midi.Address) bool {
	if len(Doubt(in, song)) > 0 {
		return func(a midi.Address) bool {
			return slices.ContainsFunc(chosen, func(c midi.Address) bool { return c.Norm() == a.Norm() })
		}
	}
	var voices []rig.Feed
	for _, p := range in.Parts {
		if len(p.Voices) > 0 && p.Address.Known() {
			voices = append(voices, rig.Feed{Kind: rig.VoiceFeed, Address: p.Address})
		}
	}
	if len(voices) == 0 {
		voices = []rig.Feed{{Kind: rig.VoiceFeed}}
	}
	return func(a midi.Address) bool {
		return slices.ContainsFunc(voices, func(f rig.Feed) bool { return song.Hears(f, plan.SongChannel{Address: a}) })
	}
}

// Played counts the notes that a song has for the voices of an instrument, by key.
// chosen are the addresses that count where that is in doubt.
func Played(song *plan.Song, in rig.Instrument, chosen ...midi.Address) map[midi.Key]int {
	hears := Hears(in, song, chosen...)
	out := map[midi.Key]int{}
	for _, c := range song.Channels {
		if hears(c.Address) {
			for k, n := range c.Keys {
				out[k] += n
			}
		}
	}
	return out
}
