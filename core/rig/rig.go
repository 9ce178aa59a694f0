// Package rig describes what exists: instruments with their voices,
// microphones and parts, the feeds that follow from them, and the outputs an
// instrument sends them by. It knows nothing of projects, lanes or files.
package rig

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// Port is one numbered jack of an instrument or a host, from 1.
type Port int

// Instrument is one multi-output virtual instrument or drum sampler.
type Instrument struct {
	Version     Version      `json:"version"`
	Name        string       `json:"name"`
	Origin      string       `json:"origin"` // where it came from, for people: a file's name and format
	Bank        int          `json:"bank"`
	Program     int          `json:"program"`
	Voices      []Voice      `json:"voices,omitempty"`
	Microphones []Microphone `json:"microphones,omitempty"`
	Parts       []Part       `json:"parts,omitempty"`
	Returns     []Return     `json:"returns,omitempty"`
	Effects     []Effect     `json:"effects,omitempty"`
	Delivered   []Run        `json:"delivered,omitempty"` // the set-up it comes or was saved with; none: not known
	Fixed       bool         `json:"fixed,omitempty"`     // its outputs are as delivered and cannot be made otherwise
	Ports       int          `json:"ports,omitempty"`     // how many ports it makes its outputs from; 0: not known
	Variants    []Variant    `json:"variants,omitempty"`  // versions it comes in
	Pans        bool         `json:"pans,omitempty"`      // it can pan a feed hard, so that a pair carries two
	BaseMiB     float64      `json:"baseMiB,omitempty"`   // memory of one instance with no microphone open
	Layouts     []Layout     `json:"layouts,omitempty"`
	Bleed       Bleed        `json:"bleed,omitempty"`
	// CloseTrim is how much less, in dB, all close microphones hear of other pieces.
	CloseTrim audio.Decibels `json:"closeTrim,omitempty"`
	Traits    Traits         `json:"traits,omitzero"`
	// StepNotes are the user's own: where to find a thing, for each kind of step.
	StepNotes map[StepKind]string `json:"stepNotes,omitempty"`
	// SavedDefaults are the set-ups that were saved on this machine for the instrument to begin with.
	SavedDefaults []SavedDefault `json:"savedDefaults,omitempty"`
	// Kit is the MIDI address of its voices, where it has no parts and one was typed; see KitAddress.
	Kit midi.Address `json:"kitAddress,omitzero"`
}

// Layers groups the parts that have a MIDI address by it, in order: those of one are a layer, and are
// played by one track.
func (in *Instrument) Layers() (out [][]Part) {
	for _, part := range in.Parts {
		a := part.Address.Norm()
		if !a.Known() {
			continue
		}
		i := slices.IndexFunc(out, func(l []Part) bool { return l[0].Address.Norm() == a })
		if i < 0 {
			out = append(out, []Part{part})
		} else {
			out[i] = append(out[i], part)
		}
	}
	return out
}

// LayerName is what the track of parts of one address is called, each by its name: "Oboe + Shawm".
func LayerName(layer []Part, name func(Part) string) string {
	names := make([]string, len(layer))
	for i, part := range layer {
		names[i] = name(part)
	}
	return strings.Join(names, " + ")
}

// KitAddress is the MIDI address on which the voices of a kit listen: the one that was typed, else channel
// 10 of port 1. ok is false for what has parts, which have addresses of their own, or no voices.
func (in *Instrument) KitAddress() (a midi.Address, ok bool) {
	if len(in.Voices)+len(in.Microphones) == 0 || len(in.Parts) > 0 {
		return midi.Address{}, false
	}
	if in.Kit.Known() {
		return in.Kit.Norm(), true
	}
	return midi.Address{Port: 1, Channel: midi.PercussionChannel}, true
}

// Voice is one sound an instrument plays on its keys.
type Voice struct {
	ID    string         `json:"id"`
	Name  string         `json:"name"`
	Role  role.Role      `json:"role"`
	Sure  role.Sureness  `json:"sure"` // how sure the role is
	Keys  []midi.Key     `json:"keys"`
	Width audio.Width    `json:"width"`
	Choke int            `json:"choke,omitempty"` // voices with one number cut each other off; 0: none
	Slot  int            `json:"slot,omitempty"`  // voices in one slot can only leave together; 0: its own
	Gain  audio.Decibels `json:"gain,omitempty"`  // inside the instrument
	Pan   float64        `json:"pan,omitempty"`   // inside the instrument, -1 left to +1 right
	Heard []Heard        `json:"heard,omitempty"` // its row of the pick-up table
	Added bool           `json:"added,omitempty"` // a sample of the user's own, added to the instrument
	Inside
}

// Heard is one entry of the pick-up table: a microphone that hears a voice.
type Heard struct {
	Microphone string         `json:"microphone"`
	Level      audio.Decibels `json:"level"`
	Trim       audio.Decibels `json:"trim,omitempty"` // of the bleed, set inside
}

// HeardThrough is the row of a voice that all the microphones hear at 0 dB.
func HeardThrough(microphones ...string) (out []Heard) {
	for _, m := range microphones {
		out = append(out, Heard{Microphone: m})
	}
	return out
}

// Microphone is a signal of its own that voices or parts are heard through.
type Microphone struct {
	ID       string        `json:"id"`
	Name     string        `json:"name"`
	Role     role.Role     `json:"role"`
	Position role.Position `json:"position,omitempty"` // how far from the source it stands
	Width    audio.Width   `json:"width"`
	MiB      float64       `json:"mib,omitempty"` // memory it takes when open, with full bleed
	// what it takes with bleed in overheads and rooms only, and with none; 0: not known, as with
	// the more there is
	MiBRooms float64        `json:"mibRooms,omitempty"`
	MiBNone  float64        `json:"mibNone,omitempty"`
	BleedOff bool           `json:"ownOnly,omitempty"` // it hears its own piece alone, without bleed
	Splits   bool           `json:"splits,omitempty"`  // it can send shells and cymbals separately
	Gain     audio.Decibels `json:"gain,omitempty"`
	Pan      float64        `json:"pan,omitempty"`
	Note     string         `json:"note,omitempty"` // the user's own, on sheets
	Sums     []string       `json:"sums,omitempty"` // of a ready-made mix: the microphones that are in it
	// what it is at, where nothing is said to be heard through it; see Stands
	Plays string     `json:"plays,omitempty"`
	Keys  []midi.Key `json:"keys,omitempty"`
	Inside
}

// Part is one melodic sound, or a kit of voices, with a MIDI address of its own.
// With microphones it gives one feed for each of them.
type Part struct {
	ID          string         `json:"id"`
	Name        string         `json:"name"`
	Role        role.Role      `json:"role"`
	Width       audio.Width    `json:"width"`
	Address     midi.Address   `json:"address"`
	Program     int            `json:"program"` // the program that calls it up where it has no address; -1: none
	Voices      []string       `json:"voices,omitempty"`
	Microphones []string       `json:"microphones,omitempty"`
	Gain        audio.Decibels `json:"gain,omitempty"`
	Pan         float64        `json:"pan,omitempty"`
	AllChannels bool           `json:"allChannels,omitempty"` // it receives on all, whatever its address
	// Articulations is the name of the articulation set of its notes.
	Articulations string `json:"articulations,omitempty"`
	Inside
}

// Return is a return of the instrument's own mixer: sends inside it feed an
// effect that leaves by an output of its own.
type Return struct {
	ID       string      `json:"id"`
	Name     string      `json:"name"`
	Role     role.Role   `json:"role"`
	Width    audio.Width `json:"width"`
	PreFader bool        `json:"preFader,omitempty"`
}

// Variant is a version the instrument comes in, with its own port count.
type Variant struct {
	Name  string `json:"name"`
	Ports int    `json:"ports"`
}

// Layout is a way to lay the feeds on outputs, kept by name: the factory's or
// the user's own.
type Layout struct {
	Name    string             `json:"name"`
	Factory bool               `json:"factory,omitempty"`
	Kit     string             `json:"kit,omitempty"` // the kit or preset that it comes with
	Outputs []Output           `json:"outputs"`
	Feeds   map[string]Placing `json:"feeds"` // by feed ID
}

// SavedDefault is a set-up that the instrument begins with on this machine.
type SavedDefault struct {
	Version string `json:"version,omitempty"` // that it is for; "": every version
	Since   string `json:"since"`             // the day it was saved, "2026-11-26"
	Layout  Layout `json:"layout"`
	// Inside are the settings inside it that it was saved with, as InsideSettings names them; nil:
	// nobody has kept them. Saved names what was saved.
	Inside map[string]string `json:"inside,omitempty"`
	Saved  string            `json:"saved,omitempty"`
}

// DefaultFor is the default that is saved for a version, or for every version; ok is false where none is.
func (in *Instrument) DefaultFor(version string) (d SavedDefault, ok bool) {
	for _, x := range in.SavedDefaults {
		if x.Version == version || x.Version == "" && !ok {
			d, ok = x, true
		}
	}
	return d, ok
}

// LoadedOutputs are the outputs that an instrument has when it is loaded on this machine: those of the
// default that was saved for its version, or for some where that is not known, else those it comes with;
// nil: nobody knows.
func (in *Instrument) LoadedOutputs(version string) []Run {
	d, ok := in.DefaultFor(version)
	if n := len(in.SavedDefaults); !ok && version == "" && n > 0 {
		d, ok = in.SavedDefaults[0], true
	}
	if ok {
		return Runs(d.Layout.Outputs)
	}
	return in.Delivered
}

// SaveDefault keeps a set-up as what the instrument begins with, for its version or, where
// version is empty, for all.
func SaveDefault(d SavedDefault) Edit {
	return func(in *Instrument) (string, error) {
		kept := slices.DeleteFunc(slices.Clone(in.SavedDefaults), func(x SavedDefault) bool {
			return x.Version == d.Version || d.Version == ""
		})
		in.SavedDefaults = append(kept, d)
		return "begin " + in.Name + " with the set-up saved on " + d.Since, nil
	}
}

// ForgetDefault takes a saved set-up away, by the version that it is for.
func ForgetDefault(version string) Edit {
	return func(in *Instrument) (string, error) {
		n := len(in.SavedDefaults)
		in.SavedDefaults = slices.DeleteFunc(slices.Clone(in.SavedDefaults), func(x SavedDefault) bool {
			return x.Version == version
		})
		if len(in.SavedDefaults) == n {
			return "", fmt.Errorf("%s has no such default", in.Name)
		}
		if len(in.SavedDefaults) == 0 {
			in.SavedDefaults = nil
		}
		return "begin " + in.Name + " as delivered", nil
	}
}

// Placing is where a layout puts a feed.
type Placing struct {
	Output int    `json:"output,omitempty"` // 0: off
	Side   string `json:"side,omitempty"`   // "L" or "R" of a pair
	Parked bool   `json:"parked,omitempty"`
	Pinned bool   `json:"pinned,omitempty"` // proposals leave it there
}

// Layout finds a layout by name.
func (in *Instrument) Layout(name string) *Layout {
	for i := range in.Layouts {
		if strings.EqualFold(in.Layouts[i].Name, name) {
			return &in.Layouts[i]
		}
	}
	return nil
}

// VersionFor is the smallest of the instrument's versions that has so many ports, or the
// largest where none has; ok is false where it comes in none.
func (in Instrument) VersionFor(ports int) (v Variant, ok bool) {
	for _, x := range in.Variants {
		fits, more := x.Ports >= ports, v.Ports >= ports
		if !ok || fits && (!more || x.Ports < v.Ports) || !fits && !more && x.Ports > v.Ports {
			v, ok = x, true
		}
	}
	return v, ok
}

// PortCount is how many ports the instrument has in a version, or at the most where it may
// still be any of them (""); 0 where that is not known.
func (in Instrument) PortCount(variant string) int {
	if v, ok := in.VersionFor(math.MaxInt); ok && variant == "" {
		return v.Ports
	}
	for _, v := range in.Variants {
		if v.Name == variant && variant != "" {
			return v.Ports
		}
	}
	if in.Fixed {
		return PortsOver(Lay(in.Delivered, 1))
	}
	return in.Ports
}

// Microphone gives the microphone with the ID, or nil.
func (in *Instrument) Microphone(id string) *Microphone {
	for i := range in.Microphones {
		if in.Microphones[i].ID == id {
			return &in.Microphones[i]
		}
	}
	return nil
}

// Bleeds reports whether a microphone hears a voice only as bleed: it stands at
// another piece. Overheads, rooms and microphones of no piece hear all as their own.
func (m Microphone) Bleeds(v Voice) bool {
	r := m.Role
	if r == role.Unnamed || r.HearsAll() || r.HasPieces() {
		return false
	}
	c := role.Common(r, v.Role)
	return !c.Under(r.Family())
}

// Hears gives the level at which a microphone hears a voice; ok is false where
// it does not, or only as bleed that it is told to leave out.
func (in *Instrument) Hears(m *Microphone, v Voice) (level audio.Decibels, ok bool) {
	for _, h := range v.Heard {
		if h.Microphone != m.ID {
			continue
		}
		level, bleeds := h.Level, m.Bleeds(v)
		switch {
		case bleeds && (m.BleedOff || in.Bleed != FullBleed),
			in.Bleed == NoBleed && (m.Role.HearsAll() || m.Role.HasPieces()) && in.hasOwnMicrophone(v):
			return level, false
		case bleeds:
			level += h.Trim + in.CloseTrim
		default:
			level += h.Trim
		}
		return level, true
	}
	return audio.Silence, false
}

// hasOwnMicrophone reports whether a microphone stands at the piece that a voice is of.
func (in *Instrument) hasOwnMicrophone(v Voice) bool {
	return slices.ContainsFunc(v.Heard, func(h Heard) bool {
		m := in.Microphone(h.Microphone)
		return m != nil && m.Role != role.Unnamed && !m.Role.HearsAll() && !m.Role.HasPieces() && !m.Bleeds(v)
	})
}

// Memory is what one instance takes in MiB: parts × open microphones × their
// size, plus the fixed cost. open tells which microphones are; nil: all.
func (in Instrument) Memory(open func(microphone string) bool) float64 {
	sum := in.BaseMiB
	for _, m := range in.Microphones {
		if open != nil && !open(m.ID) {
			continue
		}
		parts := 0
		for _, p := range in.Parts {
			if slices.Contains(p.Microphones, m.ID) {
				parts++
			}
		}
		sum += float64(max(1, parts)) * m.Size(in.Bleed)
	}
	return sum
}

// Size is the memory that the microphone takes in one part, in MiB, with a bleed.
func (m Microphone) Size(bleed Bleed) float64 {
	if m.BleedOff {
		bleed = NoBleed
	}
	size := m.MiB
	if bleed != FullBleed && m.MiBRooms > 0 {
		size = m.MiBRooms
	}
	if bleed == NoBleed && m.MiBNone > 0 {
		size = m.MiBNone
	}
	return size
}

// NotesText is what belongs to the notes of the part, wherever they live: the program that is
// called up and the articulation set. "" where it has neither.
func (p Part) NotesText() string {
	var out []string
	if p.Program >= 0 && p.Address.Known() {
		out = append(out, fmt.Sprintf("program %d", p.Program+1))
	}
	if p.Articulations != "" {
		out = append(out, "articulations "+p.Articulations)
	}
	return strings.Join(out, ", ")
}

// Validate refuses an instrument that the rest of the core could not name: no
// name, IDs that are empty or used twice, roles outside the tree, or references
// to what is not there.
func (in Instrument) Validate() error {
	if strings.TrimSpace(in.Name) == "" {
		return fmt.Errorf("an instrument needs a name")
	}
	seen := map[string]string{}
	check := func(id, kind, name string, r role.Role) error {
		if _, err := role.Parse(string(r)); err != nil {
			return fmt.Errorf("%s: %s %s: %w", in.Name, kind, name, err)
		}
		if id == "" || seen[id] != "" || strings.ContainsAny(id, ":. /,|") {
			return fmt.Errorf("%s: %s %s has the ID %q, which is empty, used twice, or holds a mark that IDs may not", in.Name,
				kind, name, id)
		}
		seen[id] = kind
		return nil
	}
	var err error
	first := func(e error) {
		if err == nil {
			err = e
		}
	}
	first(in.Traits.Validate())
	for _, v := range in.Voices {
		first(check(v.ID, "voice", v.Name, v.Role))
	}
	for _, m := range in.Microphones {
		first(check(m.ID, "microphone", m.Name, m.Role))
	}
	for _, p := range in.Parts {
		first(check(p.ID, "part", p.Name, p.Role))
	}
	for _, r := range in.Returns {
		first(check(r.ID, "return", r.Name, r.Role))
	}
	for _, e := range in.Effects {
		first(check(e.ID, "effect", e.Name, role.Unnamed))
	}
	in.validateInside(seen, first)
	for _, e := range in.Effects {
		if e.Kind != "" && !slices.Contains(EffectKinds, e.Kind) {
			first(fmt.Errorf("%s: effect %s is of the kind %q, which there is not", in.Name, e.Name, e.Kind))
		}
	}
	if !slices.Contains(BleedModes, in.Bleed) {
		first(fmt.Errorf("%s: there is no bleed %q", in.Name, in.Bleed))
	}
	first(withinGain("the instrument", in.CloseTrim))
	return err
}

// validateInside is Validate for what voices, microphones and parts name, and what is set of them;
// kinds are of what there is, by ID.
func (in Instrument) validateInside(kinds map[string]string, first func(error)) {
	refers := func(what, id, kind string) {
		if kinds[id] != kind {
			first(fmt.Errorf("%s: %s names a %s that is not there: %q", in.Name, what, kind, id))
		}
	}
	set := func(what string, x Inside, gain audio.Decibels, pan float64) {
		for _, s := range x.Returns {
			refers(what, s.Return, "return")
			first(withinGain(what, s.Level))
		}
		first(withinGain(what, gain))
		if !(pan >= -1 && pan <= 1) {
			first(fmt.Errorf("%s: %s has a pan beyond left or right", in.Name, what))
		}
	}
	for _, v := range in.Voices {
		set("voice "+v.Name, v.Inside, v.Gain, v.Pan)
		for _, h := range v.Heard {
			refers("voice "+v.Name, h.Microphone, "microphone")
			first(withinGain("voice "+v.Name, h.Trim))
		}
	}
	for _, m := range in.Microphones {
		set("microphone "+m.Name, m.Inside, m.Gain, m.Pan)
		for _, id := range m.Sums {
			refers("microphone "+m.Name, id, "microphone")
		}
	}
	for _, p := range in.Parts {
		set("part "+p.Name, p.Inside, p.Gain, p.Pan)
		for _, v := range p.Voices {
			refers("part "+p.Name, v, "voice")
		}
		for _, m := range p.Microphones {
			refers("part "+p.Name, m, "microphone")
		}
	}
}
