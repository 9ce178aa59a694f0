package rig

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// FeedKind says what a feed is made of.
type FeedKind string

// The kinds of feed.
const (
	VoiceFeed      FeedKind = "voice"
	MicrophoneFeed FeedKind = "microphone"
	PartFeed       FeedKind = "part"
	ReturnFeed     FeedKind = "return"
)

// Mode says how a voice or a part becomes feeds.
type Mode string

// The modes. The zero value is the usual one: voices by microphone where any
// hears them, parts through each of their microphones.
const (
	Usual    Mode = ""
	OnItsOwn Mode = "own"  // on its own: one feed, whatever microphones there are
	ByMic    Mode = "mic"  // heard in the feeds of the microphones, with the others
	Each     Mode = "each" // one feed through each of its microphones
)

// Modes lists them.
var Modes = []Mode{Usual, OnItsOwn, ByMic, Each}

// ParseMode reads a mode strictly.
func ParseMode(s string) (Mode, error) {
	if !slices.Contains(Modes, Mode(s)) {
		return "", fmt.Errorf("feeds cannot be made by %q", s)
	}
	return Mode(s), nil
}

// Axis says which of the two trees orders feeds and tells who may share first.
type Axis string

// The axes. The zero value is by instrument.
const (
	ByInstrument Axis = "instrument" // the microphones of one part before two parts
	ByMicrophone Axis = "microphone" // the parts at one microphone before two microphones
)

// View is how a project looks at an instrument: which feeds it maps.
type View struct {
	Voices Mode             `json:"voices,omitempty"`
	Parts  Mode             `json:"parts,omitempty"`
	Of     map[string]Mode  `json:"of,omitempty"`    // single voices and parts that differ, by ID
	Split  map[string]Split `json:"split,omitempty"` // microphones that send groups of what they hear, by ID
	Axis   Axis             `json:"axis,omitempty"`
}

func (v View) mode(id string, usual, fallback Mode) Mode {
	return cmp.Or(v.Of[id], usual, fallback)
}

// Feed is one signal that the instrument can send to an output on its own.
type Feed struct {
	ID         string // unique in the instrument
	Kind       FeedKind
	Name       string
	Role       role.Role
	Width      audio.Width
	Keys       []midi.Key   // the keys that sound in it
	Address    midi.Address // of a part, or of a voice that belongs to one
	Kit        midi.Address // of the kit that it is of, where one was typed
	Program    int          // of a part without an address; -1: none
	Voice      string       // ID of the voice, if it is one
	Part       string
	Microphone string         // ID of the microphone it goes through
	Position   role.Position  // of the microphone, where both axes count
	Gain       audio.Decibels // inside the instrument
	Pan        float64
	Assumed    []midi.Key // of a microphone that nobody has said what is heard through: by its role
	Loses      []string   // names of the group effects it loses away from the first output
	Inside                // as it is set there
}

// Under is where the feed stands in the tree that an axis makes of roles and
// microphone positions: the distance between two places says how ill they share.
// A feed without a microphone of its own stands at its role.
func (f Feed) Under(a Axis) role.Role {
	switch {
	case f.Position == "":
		return f.Role
	case a == ByMicrophone:
		return role.Role("~"+f.Position+"/") + f.Role
	}
	return f.Role + role.Role("/~"+f.Position)
}

// Compare orders feeds as a chart lists them, by one axis and then the other.
func (a Axis) Compare(x, y Feed) int {
	byRole, byMic := role.Compare(x.Role, y.Role), role.ComparePositions(x.Position, y.Position)
	if a == ByMicrophone {
		return cmp.Or(byMic, byRole)
	}
	return cmp.Or(byRole, byMic)
}

// Feeds lists the feeds in the usual view, in chart order.
func (in Instrument) Feeds() []Feed { return in.FeedsIn(View{}) }

// FeedsIn lists the instrument's feeds in a view, in chart order: voices, the
// microphones that hear voices or parts, parts, and returns. Voices of one slot
// are one feed. Feeds of one role stay as the instrument lists them, so that two
// kicks keep their order.
func (in Instrument) FeedsIn(view View) []Feed {
	b := newFeedBuilder(&in, view)
	b.sources()
	unheard := in.unheard()
	for _, m := range in.Microphones {
		if b.heard[m.ID] || unheard[m.ID] {
			b.microphone(m)
		}
	}
	for _, r := range in.Returns {
		b.feeds = append(b.feeds, Feed{ID: r.ID, Kind: ReturnFeed, Name: r.Name, Role: r.Role, Width: r.Width, Program: -1})
	}
	for i := range b.feeds {
		b.feeds[i].Loses = in.loses(b.feeds[i])
		if len(in.Parts) == 0 {
			b.feeds[i].Kit = in.Kit
		}
	}
	sortFeeds(b.feeds, view.Axis)
	return b.feeds
}

// manyFeeds is from how many feeds on roles and positions are compared once each.
const manyFeeds = 256

// sortFeeds puts feeds into the order of Axis.Compare. Very many feeds have few roles, so these and
// positions are compared once each and feeds by their places.
func sortFeeds(feeds []Feed, a Axis) {
	if len(feeds) < manyFeeds {
		slices.SortStableFunc(feeds, a.Compare)
		return
	}
	roles := number(feeds, func(f Feed) role.Role { return f.Role }, role.Compare)
	positions := number(feeds, func(f Feed) role.Position { return f.Position }, role.ComparePositions)
	places := make([][3]int, len(feeds)) // the last: as they came
	for i, f := range feeds {
		places[i] = [3]int{roles[f.Role], positions[f.Position], i}
		if a == ByMicrophone {
			places[i][0], places[i][1] = places[i][1], places[i][0]
		}
	}
	slices.SortFunc(places, func(x, y [3]int) int { return slices.Compare(x[:], y[:]) })
	came := slices.Clone(feeds)
	for i, p := range places {
		feeds[i] = came[p[2]]
	}
}

// number gives what feeds have its places in an order; those that are alike in it share one. They
// are compared as they came, for the order of roles is no order of all with all.
func number[K comparable](feeds []Feed, of func(Feed) K, compare func(a, b K) int) map[K]int {
	var keys []K
	places := map[K]int{}
	for _, f := range feeds {
		k := of(f)
		if _, seen := places[k]; !seen {
			places[k], keys = 0, append(keys, k)
		}
	}
	slices.SortStableFunc(keys, compare)
	for i, k := range keys {
		places[k] = i
		if i > 0 && compare(keys[i-1], k) == 0 {
			places[k] = places[keys[i-1]]
		}
	}
	return places
}

func newFeedBuilder(in *Instrument, view View) *feedBuilder {
	return &feedBuilder{in: in, view: view, slot: map[int]int{}, hears: map[string][]Picked{}, heard: map[string]bool{}}
}

// sources makes the feeds of voices and parts, and finds out what the microphones hear.
func (b *feedBuilder) sources() {
	in, view := b.in, b.view
	partOf := map[string]*Part{}
	whole := map[string]bool{} // voices of parts that leave as one
	for i := range in.Parts {
		p := &in.Parts[i]
		for _, v := range p.Voices {
			partOf[v] = p
		}
		if len(p.Voices) > 0 && (view.mode(p.ID, view.Parts, Usual) == OnItsOwn || len(p.Microphones) > 0) {
			for _, v := range p.Voices {
				whole[v] = true
			}
		}
	}
	for _, v := range in.Voices {
		if !whole[v.ID] {
			b.voice(v, partOf[v.ID])
		}
	}
	for _, p := range in.Parts {
		if len(p.Voices) == 0 || whole[p.Voices[0]] {
			b.part(p)
		}
	}
}

// unheard are the microphones that nothing is said to be heard through, and that sum up no others:
// they sound, of what is not told.
func (in Instrument) unheard() map[string]bool {
	out := map[string]bool{}
	for _, m := range in.Microphones {
		out[m.ID] = len(m.Sums) == 0
	}
	for _, v := range in.Voices {
		for _, h := range v.Heard {
			delete(out, h.Microphone)
		}
	}
	for _, p := range in.Parts {
		for _, m := range p.Microphones {
			delete(out, m)
		}
	}
	return out
}

type feedBuilder struct {
	in    *Instrument
	view  View
	feeds []Feed
	slot  map[int]int         // where the feed of a slot is
	hears map[string][]Picked // what a microphone hears
	heard map[string]bool     // microphones that are feeds
}

func (b *feedBuilder) voice(v Voice, p *Part) {
	f := Feed{ID: v.ID, Kind: VoiceFeed, Name: v.Name, Role: v.Role, Width: v.Width, Keys: slices.Clone(v.Keys),
		Program: -1, Voice: v.ID, Gain: v.Gain, Pan: v.Pan, Inside: v.Inside}
	if p != nil {
		f.Part, f.Address, f.Program = p.ID, p.Address, p.Program
	}
	mode := b.view.mode(v.ID, b.view.Voices, ByMic)
	hears := func() (out []*Microphone) {
		for i := range b.in.Microphones {
			m := &b.in.Microphones[i]
			if _, ok := b.in.Hears(m, v); ok {
				out = append(out, m)
			}
		}
		return out
	}
	var mics []*Microphone
	if mode != OnItsOwn && len(v.Heard) > 0 {
		mics = hears()
	}
	switch {
	case len(mics) > 0 && mode == ByMic:
		for _, m := range mics {
			b.heard[m.ID] = true
			b.hears[m.ID] = append(b.hears[m.ID], Picked{v.ID, v.Name, v.Role, v.Keys})
		}
		return
	case len(mics) > 0:
		for _, m := range mics {
			b.feeds = append(b.feeds, through(f, *m))
		}
		return
	}
	if at, ok := b.slot[v.Slot]; ok && v.Slot != 0 {
		s := &b.feeds[at]
		s.Name += " + " + v.Name
		s.Role = role.Common(s.Role, v.Role)
		s.Keys = append(s.Keys, v.Keys...)
		s.Width = max(s.Width, v.Width)
		return
	}
	b.slot[v.Slot] = len(b.feeds)
	b.feeds = append(b.feeds, f)
}

// through is a feed heard through one microphone alone.
func through(f Feed, m Microphone) Feed {
	f.ID += "." + m.ID
	f.Name += " " + m.Name
	f.Width, f.Microphone, f.Position = m.Width, m.ID, m.Position
	f.Gain += m.Gain
	if m.Pan != 0 {
		f.Pan = m.Pan
	}
	f.Inverted, f.Closed = f.Inverted != m.Inverted, f.Closed || m.Closed
	f.AlsoMain = f.AlsoMain || m.AlsoMain
	f.Returns = slices.Concat(f.Returns, m.Returns)
	return f
}

func (b *feedBuilder) part(p Part) {
	f := Feed{ID: p.ID, Kind: PartFeed, Name: p.Name, Role: p.Role, Width: p.Width, Address: p.Address,
		Program: p.Program, Part: p.ID, Gain: p.Gain, Pan: p.Pan, Inside: p.Inside}
	mode := b.view.mode(p.ID, b.view.Parts, Each)
	if len(p.Microphones) == 0 || mode == OnItsOwn {
		b.feeds = append(b.feeds, f)
		return
	}
	for _, id := range p.Microphones {
		m := b.in.Microphone(id)
		switch {
		case m == nil:
		case mode == ByMic:
			b.heard[id] = true
			b.hears[id] = append(b.hears[id], Picked{ID: p.ID, Name: p.Name, Role: p.Role})
		default:
			b.feeds = append(b.feeds, through(f, *m))
		}
	}
}

func (b *feedBuilder) microphone(m Microphone) {
	f := Feed{ID: m.ID, Kind: MicrophoneFeed, Name: m.Name, Role: m.Role, Width: m.Width, Program: -1, Microphone: m.ID,
		Gain: m.Gain, Pan: m.Pan, Inside: m.Inside}
	if !b.heard[m.ID] {
		if s := m.stands(); s.Assumed {
			f.Assumed = s.Keys
		} else {
			f.Keys = sortedKeys(s.Keys)
		}
	}
	b.feeds = append(b.feeds, b.view.Split[m.ID].split(f, b.hears[m.ID])...)
}

// sortedKeys are the keys in order, each once.
func sortedKeys(keys []midi.Key) []midi.Key {
	return slices.Compact(slices.Sorted(slices.Values(keys)))
}

// Sources are the IDs of what a feed is made of: its voice or part, and its microphone.
func (f Feed) Sources() []string {
	return slices.DeleteFunc([]string{f.Voice, f.Part, f.Microphone}, func(id string) bool { return id == "" })
}

// Carries lists the effects in the channels of what a feed is made of; they leave with it.
func (in *Instrument) Carries(f Feed) (out []Effect) {
	for _, e := range in.Effects {
		if e.InChannel && e.covers(f) {
			out = append(out, e)
		}
	}
	return out
}

// loses lists the group effects a feed passes only on the first output.
func (in *Instrument) loses(f Feed) (out []string) {
	for _, e := range in.Effects {
		if !e.InChannel && e.covers(f) {
			out = append(out, e.Name)
		}
	}
	return out
}
