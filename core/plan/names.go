package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// Namer names the lanes of one instrument by what they carry.
type Namer struct {
	instrument string
	wanted     map[role.Role]int // how many wanted feeds stand under each role
	chart      *house.Chart
	own        bool // lanes have the instrument's own names
}

// NewNamer counts what the instrument's wanted feeds are.
func NewNamer(pl *Placed) Namer { return NamerOf(pl, pl.AllFeeds()) }

// NamerOf is NewNamer for those who have listed AllFeeds already.
func NamerOf(pl *Placed, feeds []rig.Feed) Namer {
	n := Namer{pl.Instrument.Name, map[role.Role]int{}, pl.chart, pl.Names == house.OwnNames}
	for _, f := range feeds {
		if a := pl.Feeds[f.ID]; a.State == Assigned || a.State == Undecided {
			countUp(n.wanted, f.Role)
		}
	}
	return n
}

func countUp(m map[role.Role]int, r role.Role) {
	for ; r != role.Unnamed; r = r.Parent() {
		m[r]++
	}
}

// NamePart is one part of a lane's name: what a chart calls a role, a name as it is,
// or, with both, that name unless the chart has one of its own for the very role.
type NamePart struct {
	Role role.Role `json:"r,omitempty"`
	Name string    `json:"n,omitempty"`
}

func (n NamePart) under(c *house.Chart) string {
	switch {
	case n.Name == "":
		return c.Label(n.Role)
	case n.Role == role.Unnamed:
		return n.Name
	}
	return cmp.Or(c.At(n.Role).Name, n.Name)
}

// Name names the lane that takes an output with these feeds. One feed gives the
// house chart's name for its role, or its own name where it is a part or several
// feeds have that role. Feeds that make up a whole branch of the wanted ones give the
// branch's name ("Rooms"); others are joined ("Ride + Overheads").
func (n Namer) Name(feeds []rig.Feed, o rig.Output) string { return NameOf(n.chart, n.Parts(feeds, o)) }

// Parts is what the name of a lane is made of, whatever a chart calls it.
func (n Namer) Parts(feeds []rig.Feed, o rig.Output) []NamePart {
	if len(feeds) == 0 {
		return []NamePart{{Name: fmt.Sprintf("%s %s", n.instrument, o.PortNames(0))}}
	}
	here := map[role.Role]int{}
	for _, f := range feeds {
		countUp(here, f.Role)
	}
	var parts []NamePart
	for _, f := range feeds {
		part, covers := NamePart{Name: f.Name}, 0
		if n.own {
			parts = append(parts, part)
			continue
		}
		if len(feeds) == 1 && n.keeps(f) {
			return []NamePart{{Role: f.Role, Name: f.Name}}
		}
		for r := f.Role; r != role.Unnamed && here[r] == n.wanted[r]; r = r.Parent() {
			// the tightest branch that takes in most of what is here
			if own := f.Kind == rig.PartFeed && here[r] == 1; here[r] > covers && !own {
				covers, part = here[r], NamePart{Role: r}
			} else if own && r == f.Role {
				part.Role = r
			}
		}
		if !slices.Contains(parts, part) {
			parts = append(parts, part)
		}
	}
	return parts
}

// keeps reports whether a feed that has a lane to itself keeps its own name, unless the chart has one
// for its very role: a return; what is no more than of a family; the only one of what numbers tell
// apart.
func (n Namer) keeps(f rig.Feed) bool {
	if f.Role == role.Unnamed {
		return false
	}
	return f.Kind == rig.ReturnFeed || f.Role.Collective() || f.Role.Counted() && n.wanted[f.Role.Parent()] == 1
}

// NameOf says a lane's name as a chart would.
func NameOf(c *house.Chart, parts []NamePart) string {
	var names []string
	for _, part := range parts {
		name := part.under(c)
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if len(names) > 1 { // "Kick Out + Kick Sub" reads "Kick Out + Sub"
		shared := sharedWords(names)
		for i := range names[1:] {
			names[i+1] = names[i+1][shared:]
		}
	}
	return words.Short(rig.MaxName, JoinNames(names))
}

// NameJoint stands between the parts of a lane's name.
const NameJoint = " + "

// FeedsByName finds feeds by their names in small letters.
func FeedsByName(feeds []rig.Feed) map[string][]rig.Feed {
	out := map[string][]rig.Feed{}
	for _, f := range feeds {
		key := strings.ToLower(f.Name)
		out[key] = append(out[key], f)
	}
	return out
}

// NamesAnother tells which feed of its instrument a lane's name says that the lane does not
// carry; "" where the name is right, or the user's own.
func NamesAnother(name string, carried []rig.Feed, byName map[string][]rig.Feed) string {
	parts := strings.Split(name, NameJoint)
	first := strings.Fields(parts[0])
	for i, part := range parts {
		names := []string{part}
		for n := 1; i > 0 && n < len(first); n++ { // "Kick Out + Sub" is Kick Out and Kick Sub
			names = append(names, strings.Join(first[:n], " ")+" "+part)
		}
		called := func(f rig.Feed) bool {
			return slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, f.Name) })
		}
		if slices.ContainsFunc(carried, called) {
			continue
		}
		for _, n := range names {
			for _, f := range byName[strings.ToLower(n)] {
				related := slices.ContainsFunc(carried,
					func(c rig.Feed) bool { return c.Role.Under(f.Role) || f.Role.Under(c.Role) })
				if !related || len(parts) > 1 {
					return f.Name
				}
			}
		}
	}
	return ""
}

// Unique is the name, or the name with the lowest number after it that is not taken.
func Unique(name string, taken map[string]bool) string {
	for i, n := 2, name; ; i++ {
		if !taken[n] {
			return n
		}
		suffix := fmt.Sprintf(" %d", i)
		n = words.Short(rig.MaxName-len(suffix), name) + suffix
	}
}

// sharedWords is the length of the words that all names begin with; each name
// keeps at least one of its own.
func sharedWords(names []string) (n int) {
	for {
		word, _, more := strings.Cut(names[0][n:], " ")
		for _, name := range names {
			more = more && strings.HasPrefix(name[n:], word+" ")
		}
		if !more {
			return n
		}
		n += len(word) + 1
	}
}

// JoinNames joins names as one reads them, and shortens long lists.
func JoinNames(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%s + %d more", strings.Join(names[:2], NameJoint), len(names)-2)
	}
	return strings.Join(names, NameJoint)
}
