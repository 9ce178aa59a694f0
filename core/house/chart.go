// Package house is the house chart: what a role is called on a lane, where it
// stands among the others, which colour and bus it has and how much it wants an
// output of its own. Beneath a user's chart lies the standard that everyone starts
// from. The package knows the role tree, and nothing of projects.
package house

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Chart is a user's own standard: what they say of roles. A role that is not filled
// in inherits from above, and at last from the standard. The nil chart is the
// standard alone.
type Chart struct {
	Version Version                   `json:"version"`
	Number  int                       `json:"number"` // of the kept version; 0: none kept yet
	Entries map[role.Role]Entry       `json:"entries,omitempty"`
	Order   map[role.Role][]role.Role `json:"order,omitempty"` // the roles right below one, in order
	// Instruments are those whose lanes are ordered or named in a way of their own.
	Instruments []Custom `json:"instruments,omitempty"`
}

// Custom is how the lanes of one instrument are ordered and named.
type Custom struct {
	Instrument string  `json:"instrument"` // its name
	Order      Ordered `json:"order,omitempty"`
	Names      Named   `json:"names,omitempty"`
}

// Ordered says in which order feeds and their lanes stand.
type Ordered string

// The orders.
const (
	ByChart      Ordered = ""
	ByInstrument Ordered = "instrument" // as the instrument lists them
	ByOutputs    Ordered = "outputs"    // as they leave by its outputs
)

// Named says whose names lanes have.
type Named string

// The names.
const (
	ChartNames Named = ""
	OwnNames   Named = "own" // the instrument's
)

// Validate refuses an order or names that there are not.
func (x Custom) Validate() error {
	if !slices.Contains([]Ordered{ByChart, ByInstrument, ByOutputs}, x.Order) {
		return fmt.Errorf("lanes stand as the chart, the instrument or the outputs have them, not by %q", x.Order)
	}
	if x.Names != ChartNames && x.Names != OwnNames {
		return fmt.Errorf("lanes have the house chart's names or the instrument's own, not those of %q", x.Names)
	}
	return nil
}

// CustomOf is how the chart orders and names the lanes of an instrument, by its name.
func (c *Chart) CustomOf(instrument string) Custom {
	if c != nil {
		for _, x := range c.Instruments {
			if strings.EqualFold(x.Instrument, instrument) {
				return x
			}
		}
	}
	return Custom{Instrument: instrument}
}

// SetCustom says how the lanes of an instrument are ordered and named; as the chart has them
// takes it out of the list.
func SetCustom(x Custom) Edit {
	return func(c *Chart) (string, error) {
		x.Instrument = rig.ShortName(x.Instrument)
		if err := x.Validate(); err != nil {
			return "", err
		}
		c.Instruments = slices.DeleteFunc(slices.Clone(c.Instruments), func(y Custom) bool {
			return strings.EqualFold(x.Instrument, y.Instrument)
		})
		if x.Order != ByChart || x.Names != ChartNames {
			c.Instruments = append(c.Instruments, x)
			return "order and name the lanes of " + x.Instrument + " in its own way", nil
		}
		if len(c.Instruments) == 0 {
			c.Instruments = nil
		}
		return "order and name the lanes of " + x.Instrument + " as the chart has them", nil
	}
}

// Entry is what the chart itself says of a role; what is empty is inherited.
type Entry struct {
	Name        string       `json:"name,omitempty"`
	Short       string       `json:"short,omitempty"` // for places that hold no more
	Colour      string       `json:"colour,omitempty"`
	Bus         string       `json:"bus,omitempty"` // MainMix: to no bus
	Width       audio.Width  `json:"width,omitempty"`
	OwnOutput   *int         `json:"wish,omitempty"`
	Keys        []midi.Key   `json:"keys,omitempty"`
	Address     midi.Address `json:"address,omitzero"`
	Microphones []string     `json:"microphones,omitempty"`
	Divider     *bool        `json:"divider,omitempty"` // a rule stands above it in lists of lanes
	Inserts     []rig.Insert `json:"inserts,omitempty"` // what its lanes usually carry
	BusInserts  []rig.Insert `json:"busInserts,omitempty"`
	Habit       Habit        `json:"habit,omitempty"`  // what usually becomes of it
	Useful      []string     `json:"useful,omitempty"` // microphones or their positions, the most useful first
}

// Habit is what usually becomes of the feeds of a role.
type Habit string

// The habits. What the chart says nothing of is used.
const (
	NoHabit       Habit = ""
	UsuallyUsed   Habit = "used" // although what is above it is not
	UsuallyParked Habit = "parked"
	UsuallyOff    Habit = "off"
)

// habits lists what can be said.
var habits = []Habit{UsuallyUsed, UsuallyParked, UsuallyOff}

// MainMix stands where a bus would for a role that goes to none.
const MainMix = "main mix"

func (e Entry) empty() bool {
	return e.Name == "" && e.Short == "" && e.Colour == "" && e.Bus == "" && e.Width == 0 && e.OwnOutput == nil &&
		len(e.Keys) == 0 &&
		!e.Address.Known() && len(e.Microphones) == 0 && e.Divider == nil && len(e.Inserts) == 0 && len(e.BusInserts) == 0 &&
		e.Habit == NoHabit && len(e.Useful) == 0
}

func (c *Chart) entry(r role.Role) Entry {
	if c == nil {
		return Entry{}
	}
	return c.Entries[r]
}

// At is what the chart itself says of the role.
func (c *Chart) At(r role.Role) Entry { return c.entry(r) }

// VersionNumber is the kept version, 0 for the standard alone.
func (c *Chart) VersionNumber() int {
	if c == nil {
		return 0
	}
	return c.Number
}

// Clone copies the chart; of the nil chart it is an empty one.
func (c *Chart) Clone() *Chart {
	out := &Chart{Entries: map[role.Role]Entry{}, Order: map[role.Role][]role.Role{}}
	if c == nil {
		return out
	}
	out.Number = c.Number
	maps.Copy(out.Entries, c.Entries)
	for r, o := range c.Order {
		out.Order[r] = slices.Clone(o)
	}
	out.Instruments = slices.Clone(c.Instruments)
	return out
}

// from is the nearest role at or above r whose entry holds something, and whether
// there is one.
func (c *Chart) from(r role.Role, has func(Entry) bool) (role.Role, bool) {
	if c == nil || len(c.Entries) == 0 {
		return r, false
	}
	for {
		if e, ok := c.Entries[r]; ok && has(e) {
			return r, true
		}
		if r == role.Unnamed {
			return r, false
		}
		r = r.Parent()
	}
}

// Colour is the lane colour of a role: its own, or a shade of the nearest colour
// above it, or the standard's.
func (c *Chart) Colour(r role.Role) string {
	if at, ok := c.from(r, func(e Entry) bool { return e.Colour != "" }); ok {
		if at == r {
			return c.Entries[at].Colour
		}
		return shadeOf(c.Entries[at].Colour, lightnessOf(r, at))
	}
	return Colour(r)
}

// BusColour is the colour of the bus of a role's family: a darker shade.
func (c *Chart) BusColour(r role.Role) string {
	if at, ok := c.from(r, func(e Entry) bool { return e.Colour != "" }); ok {
		return shadeOf(c.Entries[at].Colour, busLight)
	}
	return usualBusColour(r)
}

// Bus is the bus that the chart itself names for a role, here or above; "" where it
// names none, and MainMix where it wants none.
func (c *Chart) Bus(r role.Role) string {
	if at, ok := c.from(r, func(e Entry) bool { return e.Bus != "" }); ok {
		return c.Entries[at].Bus
	}
	return ""
}

// FamilyBus is the bus that the chart names for a role, or the standard's of its family.
func (c *Chart) FamilyBus(r role.Role) string { return cmp.Or(c.Bus(r), usualBus(r)) }

// OwnOutput says how much a feed wants an output of its own, 0 to 3.
func (c *Chart) OwnOutput(r role.Role, kind rig.FeedKind) int {
	if at, ok := c.from(r, func(e Entry) bool { return e.OwnOutput != nil }); ok {
		return *c.Entries[at].OwnOutput
	}
	return UsualOwnOutput(r, kind)
}

// Width is the width the chart wants a role's lane to have; 0: it says nothing.
func (c *Chart) Width(r role.Role) audio.Width {
	if at, ok := c.from(r, func(e Entry) bool { return e.Width != 0 }); ok {
		return c.Entries[at].Width
	}
	return 0
}

// listFrom is a list that the chart says for a role, here or above; none: it says nothing.
func listFrom[T any](c *Chart, r role.Role, of func(Entry) []T) []T {
	if at, ok := c.from(r, func(e Entry) bool { return len(of(e)) > 0 }); ok {
		return of(c.Entries[at])
	}
	return nil
}

// Microphones is the set of microphones a role is heard through; none: it says nothing.
func (c *Chart) Microphones(r role.Role) []string {
	return listFrom(c, r, func(e Entry) []string { return e.Microphones })
}

// Habit is what usually becomes of the feeds of a role, here or above.
func (c *Chart) Habit(r role.Role) Habit {
	if at, ok := c.from(r, func(e Entry) bool { return e.Habit != NoHabit }); ok && c.Entries[at].Habit != UsuallyUsed {
		return c.Entries[at].Habit
	}
	return NoHabit
}

// Useful is the place of a microphone in the order of usefulness that the chart has for a role,
// by the microphone's name or its position: 0 is the most useful. One that is not listed comes
// after all that are; ok is false where the chart has no order.
func (c *Chart) Useful(r role.Role, name string, position role.Position) (place int, ok bool) {
	order := listFrom(c, r, func(e Entry) []string { return e.Useful })
	if len(order) == 0 {
		return 0, false
	}
	for i, u := range order {
		if strings.EqualFold(u, name) || strings.EqualFold(u, string(position)) {
			return i, true
		}
	}
	return len(order), true
}

// Inserts are the effects that a lane of the role usually carries; none: it says nothing.
func (c *Chart) Inserts(r role.Role) []rig.Insert {
	return listFrom(c, r, func(e Entry) []rig.Insert { return e.Inserts })
}

// BusInserts are the effects that the bus of a role's family usually carries.
func (c *Chart) BusInserts(r role.Role) []rig.Insert {
	return listFrom(c, r, func(e Entry) []rig.Insert { return e.BusInserts })
}

// maxShort is how many letters a short name made of a label has at most.
const maxShort = 6

// Short is the role's short name: its own, the standard's where that has one for the
// same label, or its label shortened. Of several roles that would have the same, the first in the
// tree has it, and the others begin with letters of their root.
func (c *Chart) Short(r role.Role) string {
	short := c.shortened(r)
	if c.entry(r).Short != "" || c.firstShort(r, short) {
		return short
	}
	head, tail := []rune(Label(r.Root())), []rune(short)
	out := string(head[:min(len(head), 2)]) + " " + string(tail[:min(len(tail), maxShort-3)])
	for n := 2; !c.firstShort(r, out) && n < 100; n++ {
		mark := strconv.Itoa(n)
		out = string(tail[:min(len(tail), maxShort-1-len(mark))]) + " " + mark
	}
	return out
}

// firstShort reports whether no other role has the short name before this one: by the chart's own
// word, or as the tree stands.
func (c *Chart) firstShort(r role.Role, short string) bool {
	if c != nil {
		for x, e := range c.Entries {
			if x == r {
				continue
			}
			if strings.EqualFold(e.Short, short) {
				return false
			}
			if e.Name != "" && strings.EqualFold(c.shortened(x), short) && role.Compare(x, r) < 0 {
				return false
			}
		}
	}
	for _, x := range usualShorts()[strings.ToLower(short)] {
		if x != r && strings.EqualFold(c.shortened(x), short) && role.Compare(x, r) < 0 {
			return false
		}
	}
	return true
}

// usualShorts are the roles of the tree by what the standard shortens their labels to, in small
// letters.
var usualShorts = sync.OnceValue(func() map[string][]role.Role {
	out := map[string][]role.Role{}
	for _, r := range role.All() {
		key := strings.ToLower((*Chart)(nil).shortened(r))
		out[key] = append(out[key], r)
	}
	return out
})

// shortened is Short for a role alone, whatever others are called.
func (c *Chart) shortened(r role.Role) string {
	if s := c.entry(r).Short; s != "" {
		return s
	}
	label := c.Label(r)
	if row := r.Row(); row != nil && row.Short != "" && label == Label(r) {
		return row.Short
	}
	return Shorten(label)
}

// Shorten cuts a name to six letters, as many as a mixer's small displays show: the
// beginnings of its first and last words.
func Shorten(name string) string {
	runes := []rune(name)
	if len(runes) <= maxShort {
		return name
	}
	words := strings.Fields(name)
	if len(words) < 2 {
		return string(runes[:maxShort-1])
	}
	first, last := []rune(words[0]), []rune(words[len(words)-1])
	return string(first[:min(len(first), 3)]) + " " + string(last[:min(len(last), 2)])
}

// Divides reports whether a rule stands above a role in lists of lanes: where the
// chart says so, and above each root where it says nothing.
func (c *Chart) Divides(r role.Role) bool {
	if d := c.entry(r).Divider; d != nil {
		return *d
	}
	return r != role.Unnamed && r.Parent() == role.Unnamed
}

// DividerBetween is the branch whose divider stands between two neighbours of a list in
// chart order: the outermost one that only the second stands under.
func (c *Chart) DividerBetween(a, b role.Role) (role.Role, bool) {
	common := role.Common(a, b)
	for at := common; at != b; {
		at = b.Toward(at)
		if c.Divides(at) {
			return at, true
		}
	}
	return role.Unnamed, false
}

// Compare orders roles as the chart lists them; where it says nothing, as the tree does.
func (c *Chart) Compare(a, b role.Role) int {
	if c == nil || len(c.Order) == 0 || a == b || a == role.Unnamed || b == role.Unnamed {
		return role.Compare(a, b)
	}
	common := role.Common(a, b)
	order := c.Order[common]
	if common == a || common == b || len(order) == 0 {
		return role.Compare(a, b)
	}
	x, y := a.Toward(common), b.Toward(common)
	place := func(r role.Role) int {
		if i := slices.Index(order, r); i >= 0 {
			return i
		}
		return len(order)
	}
	return cmp.Or(cmp.Compare(place(x), place(y)), role.Compare(x, y))
}

// SameColour is the largest CIEDE2000 difference at which two lane colours count as
// one. Side by side most people begin to see a difference at about 1, in small
// patches apart at about 2 (common practice, no source).
const SameColour = 2.0

// ColourDifference is how far apart two colours look, by CIEDE2000 (CIE 142-2001;
// about 1 is just seen). A colour that cannot be read is far from every other.
func ColourDifference(a, b string) float64 {
	if strings.EqualFold(a, b) {
		return 0
	}
	x, errX := colorful.Hex(a)
	y, errY := colorful.Hex(b)
	if errX != nil || errY != nil {
		return 100
	}
	return 100 * x.DistanceCIEDE2000(y)
}

// Roles lists the roles that the chart's page shows: the tree's, those the chart
// has entries for, and those given, in chart order.
func (c *Chart) Roles(more ...role.Role) []role.Role {
	seen := map[role.Role]bool{}
	var out []role.Role
	add := func(r role.Role) {
		for ; r != role.Unnamed && !seen[r]; r = r.Parent() {
			seen[r] = true
			out = append(out, r)
		}
	}
	for _, r := range role.All() {
		add(r)
	}
	if c != nil {
		for r := range c.Entries {
			add(r)
		}
		for _, o := range c.Order {
			for _, r := range o {
				add(r)
			}
		}
	}
	for _, r := range more {
		add(r)
	}
	slices.SortFunc(out, c.Compare)
	return out
}

// Below lists the roles right below one, in chart order, of those that Roles gives.
func (c *Chart) Below(parent role.Role, more ...role.Role) []role.Role {
	return slices.DeleteFunc(c.Roles(more...), func(r role.Role) bool { return r == parent || r.Parent() != parent })
}

// Validate refuses a chart that cannot be computed with.
func (c *Chart) Validate() error {
	if c == nil {
		return nil
	}
	if len(c.Entries) > 5000 {
		return fmt.Errorf("a house chart holds at most 5000 roles")
	}
	for r, e := range c.Entries {
		if _, err := role.Parse(string(r)); err != nil {
			return err
		}
		if e.OwnOutput != nil && (*e.OwnOutput < 0 || *e.OwnOutput > Never) {
			return fmt.Errorf("%s: own output is one of 0 to 3", r)
		}
		if _, err := colorful.Hex(e.Colour); e.Colour != "" && (err != nil || len(e.Colour) != 7) {
			return fmt.Errorf("%s: colour %q is not #rrggbb", r, e.Colour)
		}
		if e.Width < 0 || e.Width > audio.Surround {
			return fmt.Errorf("%s: there is no such width", r)
		}
		if err := cmp.Or(rig.ValidInserts(e.Inserts), rig.ValidInserts(e.BusInserts)); err != nil {
			return fmt.Errorf("%s: %w", r, err)
		}
		if e.Address.Port < 0 || e.Address.Channel < 0 || e.Address.Channel > 16 {
			return fmt.Errorf("%s: a MIDI address is a port from 1 and a channel from 1 to 16", r)
		}
	}
	if len(c.Instruments) > 5000 {
		return fmt.Errorf("a house chart holds at most 5000 instruments")
	}
	for _, x := range c.Instruments {
		if err := x.Validate(); err != nil {
			return err
		}
	}
	for parent, order := range c.Order {
		for _, r := range order {
			if r == parent || r.Parent() != parent {
				return fmt.Errorf("%s is not right below %q", r, parent)
			}
		}
	}
	return nil
}
