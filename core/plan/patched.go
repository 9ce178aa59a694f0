package plan

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Patched is what is in a host: the real one, as far as we have been told or
// have read, or the simulated one.
//
// It is kept as settings, each a value of an attribute of an entity; see PatchedSettings.
type Patched struct {
	Instruments map[string]InstrumentState // by placed ID
	Lanes       []Lane
	Tracks      map[string]Track // of parts, by "placed:part"
	// Chained tells of blocks of lanes, from 2, whether their masters reach the main mix; of
	// those that are not told of, nobody has said otherwise.
	Chained map[int]bool
	// Muted and Soloed are lanes that are so in the mixer. The plan wants none to be.
	Muted, Soloed map[string]bool
	Checked       string         // the plan that was checked by ear, by its fingerprint
	Template      string         // the plan whose mixer was kept as a template of the host, likewise
	Kept          *MixerTemplate // that template
	LastID        int
	// Unknown are settings of things that are there, of which nobody has told how they
	// stand. What the fields above say of them means nothing.
	Unknown map[Key]bool
}

// Track is what the track of a part plays: its MIDI address, channel 0: all, and what belongs
// to its notes, as rig.Part.NotesText says it.
type Track struct {
	midi.Address
	Notes string
}

// InstrumentState is how one instrument stands in the host.
type InstrumentState struct {
	Name   string       // of the instrument
	Setup  []rig.Output // as set in the instrument now
	Kept   []rig.Output // as last saved: what a reload brings back
	Seen   []rig.Output // as the host sees it
	Halved []int
	On     map[int]bool      // outputs switched on, by number
	Feeds  map[string]string // jack of each feed, or "off"; missing: the first output
	// Inside are the settings inside it that are not as most come (rig.InsideSettings).
	Inside  map[string]string
	Version string // that is loaded; "": it comes in none
	Spread  string // the one action that was taken last, as Placed.Spread names it
	Default string // what was saved last as its default, by Placed.DefaultPrint
	Home    string // the ID of the lane it was loaded on; "": nobody has written that down
}

// OffLabel stands where a jack would for a feed that goes nowhere.
const OffLabel = "off"

// Clone copies the whole state.
func (s *Patched) Clone() *Patched {
	if s == nil {
		return &Patched{Instruments: map[string]InstrumentState{}, Tracks: map[string]Track{}}
	}
	out := &Patched{Instruments: map[string]InstrumentState{}, Lanes: CloneLanes(s.Lanes), Tracks: maps.Clone(s.Tracks),
		Chained: maps.Clone(s.Chained), Muted: maps.Clone(s.Muted), Soloed: maps.Clone(s.Soloed),
		Checked: s.Checked, Template: s.Template, Kept: s.Kept, LastID: s.LastID,
		Unknown: maps.Clone(s.Unknown)}
	if out.Tracks == nil {
		out.Tracks = map[string]Track{}
	}
	for id, in := range s.Instruments {
		if in.On = maps.Clone(in.On); in.On == nil {
			in.On = map[int]bool{}
		}
		if in.Feeds = maps.Clone(in.Feeds); in.Feeds == nil {
			in.Feeds = map[string]string{}
		}
		if in.Inside = maps.Clone(in.Inside); in.Inside == nil {
			in.Inside = map[string]string{}
		}
		out.Instruments[id] = in
	}
	return out
}

func (s *Patched) validate() error {
	if s == nil {
		return nil
	}
	if len(s.Lanes) > 20000 {
		return fmt.Errorf("a host holds at most 20000 lanes")
	}
	for _, in := range s.Instruments {
		if err := cmp.Or(rig.ValidOutputs(in.Setup), rig.ValidOutputs(in.Kept), rig.ValidOutputs(in.Seen)); err != nil {
			return fmt.Errorf("what is patched in the host: %w", err)
		}
	}
	return nil
}

// NameInstruments gives instruments whose names are unknown the names they had, by placed
// ID, so that one which the plan no longer has can be asked for by name.
func (s *Patched) NameInstruments(names map[string]string) {
	if s == nil {
		return
	}
	for id, in := range s.Instruments {
		k := Key{InstrumentEntity(id), AttrName}
		if name := names[id]; name != "" && s.Unknown[k] {
			in.Name = name
			s.Instruments[id] = in
			delete(s.Unknown, k)
		}
	}
}

// WithoutNames is the state without the names of its instruments, which say nothing of how
// they stand; nil stays nil.
func (s *Patched) WithoutNames() *Patched {
	if s == nil {
		return nil
	}
	out := s.Clone()
	for id, in := range out.Instruments {
		in.Name = ""
		out.Instruments[id] = in
		delete(out.Unknown, Key{InstrumentEntity(id), AttrName})
	}
	return out
}

// Chain says whether a block of lanes reaches the main mix.
func (s *Patched) Chain(block int, chained bool) {
	if s.Chained == nil {
		s.Chained = map[int]bool{}
	}
	s.Chained[block] = chained
}

// IsChained reports whether a block of lanes reaches the main mix, as far as anybody has said.
func (s *Patched) IsChained(block int) bool {
	chained, told := s.Chained[block]
	return chained || !told || block <= 1
}

// Lane gives the lane with the ID, or nil.
func (s *Patched) Lane(id string) *Lane {
	for i := range s.Lanes {
		if s.Lanes[i].ID == id {
			return &s.Lanes[i]
		}
	}
	return nil
}

// JackOf is the jack a feed stands on, or "off": the first output where nobody has moved it.
func (in InstrumentState) JackOf(feed string) string {
	if l, ok := in.Feeds[feed]; ok {
		return l
	}
	if len(in.Setup) > 0 {
		return in.Setup[0].Label()
	}
	return OffLabel
}

// Jacks lists the jacks that the host sees of an instrument.
func (in InstrumentState) Jacks() []rig.Output {
	pl := Placed{Outputs: in.Seen, Halved: in.Halved}
	return pl.Jacks()
}

// Sees reports whether the host sees a jack, or the whole of the output it is a side of.
func (in InstrumentState) Sees(j Jack) bool { return hasJack(in.Seen, j) }

// Has is Sees for the instrument itself, as it is set up now.
func (in InstrumentState) Has(j Jack) bool { return hasJack(in.Setup, j) }

func hasJack(outputs []rig.Output, j Jack) bool {
	return slices.ContainsFunc(outputs, func(o rig.Output) bool {
		return o.Number == j.Output && (j.Side == rig.Whole || o.Width == audio.Stereo)
	})
}

// FeedLabel is where the plan wants a feed: a jack's label, "off", or "" where
// nothing is decided.
func (pl *Placed) FeedLabel(id string) string {
	switch a := pl.Feeds[id]; a.State {
	case Assigned, Parked:
		return a.At().String()
	case Off:
		return OffLabel
	}
	return ""
}

// TrackRef names a part's track.
func TrackRef(placed, part string) string { return placed + ":" + part }

// AsPlanned is the state in which everything stands as the plan wants it.
func (p *Project) AsPlanned() *Patched {
	out := (*Patched)(nil).Clone()
	for i := range p.Placed {
		pl := &p.Placed[i]
		in := InstrumentState{Name: pl.Instrument.Name, Setup: pl.Outputs, Kept: pl.Outputs, Seen: pl.Outputs,
			Halved: pl.Halved, On: map[int]bool{},
			Feeds: map[string]string{}, Inside: pl.InsideWanted(), Version: pl.versionName()}
		for _, f := range pl.AllFeeds() {
			if l := pl.FeedLabel(f.ID); l != "" {
				in.Feeds[f.ID] = l
			}
		}
		for _, part := range pl.Instrument.Parts {
			if part.Address.Known() {
				out.Tracks[TrackRef(pl.ID, part.ID)] = Track{part.Address.Norm(), part.NotesText()}
			}
		}
		out.Instruments[pl.ID] = in
	}
	out.Lanes = CloneLanes(p.Lanes)
	for i := range out.Lanes {
		if b := p.Host.BlockOf(out.Lanes[i].Number); b > 1 && !out.Lanes[i].IsOther() {
			out.Chain(b, true)
		}
		l := &out.Lanes[i]
		if !l.Typed.Gain { // it is the mixer's own
			l.Gain = 0
		}
		if !l.Typed.Pan {
			l.Pan = 0
		}
		for _, s := range out.Lanes[i].Sources {
			if in, ok := out.Instruments[s.Placed]; ok {
				in.On[s.Output] = true
			}
		}
	}
	return out
}
