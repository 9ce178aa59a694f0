package rig

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// A microphone can send groups of what it hears as feeds of their own.

// SplitRule says by what a microphone is split into groups.
type SplitRule string

// The rules. The zero value splits by the groups named voice by voice.
const (
	ByGroups SplitRule = ""
	ByShells SplitRule = "shells" // cymbals and hats apart from the drums
	ByPieces SplitRule = "pieces" // kick, snare, toms: the families of what is heard
	ByVoices SplitRule = "voices" // each on its own
)

// splitRules lists those that need no names.
var splitRules = []SplitRule{ByShells, ByPieces, ByVoices}

// Split is how a microphone is split. What is in no group stays in the microphone's own feed.
type Split struct {
	By SplitRule         `json:"by,omitempty"`
	Of map[string]string `json:"of,omitempty"` // names of groups, by the ID of the voice or part, where By is empty
}

// maxGroupName bounds the name of a group, in bytes.
const maxGroupName = 80

// Validate refuses rules that are none, and names that are too long.
func (s Split) Validate() error {
	if s.By != ByGroups && !slices.Contains(splitRules, s.By) {
		return fmt.Errorf("microphones cannot be split by %q", s.By)
	}
	for _, name := range s.Of {
		if len(name) > maxGroupName {
			return fmt.Errorf("the name of a group is longer than %d bytes", maxGroupName)
		}
	}
	return nil
}

// Groups reports whether anything is split off.
func (s Split) Groups() bool { return s.By != ByGroups || len(s.Of) > 0 }

// Picked is a voice or a part that a microphone hears in a view.
type Picked struct {
	ID, Name string
	Role     role.Role
	Keys     []midi.Key
}

// group is the group of what is heard: its name, and what its ID ends in; "" for none.
func (s Split) group(h Picked) (name, id string) {
	switch s.By {
	case ByShells:
		name = "shells"
		if h.Role.SplitsOff() {
			name = "cymbals"
		}
	case ByPieces:
		if h.Role == role.Unnamed {
			return "", ""
		}
		family := h.Role.Family()
		id := family.Segments()[len(family.Segments())-1]
		if row := family.Row(); row != nil && row.Label != "" {
			return strings.ToLower(row.Label), id
		}
		return id, id
	case ByVoices:
		return h.Name, h.ID
	default:
		name = strings.TrimSpace(s.Of[h.ID])
	}
	return name, groupID(name)
}

// groupID writes a name as a step of a role; "" of the empty name.
func groupID(name string) string {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9')
	})
	if id := strings.Join(words, "-"); id != "" || name == "" {
		return id
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(name))
	return fmt.Sprintf("g%08x", h.Sum32())
}

// GroupOf is the name of the group that a microphone sends a source in; "" for none.
func (s Split) GroupOf(x Picked) string {
	name, _ := s.group(x)
	return name
}

// GroupFeed is the ID of the feed of a microphone in which what it hears leaves in the view.
func (v View) GroupFeed(microphone string, x Picked) string {
	if _, id := v.Split[microphone].group(x); id != "" {
		return microphone + "." + id
	}
	return microphone
}

// split gives the feeds of a microphone, f whole: one for each group of what it hears, and its own for
// what is in none.
func (s Split) split(f Feed, hears []Picked) []Feed {
	if len(hears) == 0 {
		return []Feed{f}
	}
	var out []Feed
	at := map[string]int{}
	rest := f
	rest.Keys = nil
	whole := false
	for _, h := range hears {
		name, id := s.group(h)
		if id == "" {
			rest.Keys, whole = append(rest.Keys, h.Keys...), true
			continue
		}
		i, known := at[id]
		if !known {
			i = len(out)
			at[id] = i
			g := f
			g.ID, g.Name, g.Keys = f.ID+"."+id, f.Name+" "+name, nil
			if f.Role != role.Unnamed {
				g.Role = f.Role + role.Role("/"+groupID(id))
			}
			out = append(out, g)
		}
		out[i].Keys = append(out[i].Keys, h.Keys...)
	}
	if whole {
		out = append([]Feed{rest}, out...)
	}
	for i := range out {
		out[i].Keys = sortedKeys(out[i].Keys)
	}
	return out
}

// Hearing lists what each microphone hears in the view, by the microphone's ID, as the instrument lists it.
func (in Instrument) Hearing(view View) map[string][]Picked {
	b := newFeedBuilder(&in, view)
	b.sources()
	return b.hears
}
