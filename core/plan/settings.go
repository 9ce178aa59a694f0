package plan

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Knows tells whether a setting of what is patched is known.
func (s *Patched) Knows(e Entity, a Attribute) bool { return !s.Unknown[Key{e, a}] }

// Forget lets a setting be unknown.
func (s *Patched) Forget(e Entity, a Attribute) {
	if s.Unknown == nil {
		s.Unknown = map[Key]bool{}
	}
	s.Unknown[Key{e, a}] = true
}

// renameUnknown lets what is unknown of a lane, and of sends from and to it, be so under
// another ID.
func (s *Patched) renameUnknown(from, to string) {
	for k := range s.Unknown {
		kind, ref := k.Entity.Parts()
		lane, bus, _ := strings.Cut(ref, ":")
		e := k.Entity
		switch {
		case kind == "lane" && ref == from:
			e = LaneEntity(to)
		case kind == "send" && lane == from:
			e = SendEntity(to, bus)
		case kind == "send" && bus == from:
			e = SendEntity(lane, to)
		}
		if e != k.Entity {
			delete(s.Unknown, k)
			s.Unknown[Key{e, k.Attribute}] = true
		}
	}
}

// Assume sets the settings that are unknown as the plan wants them, and lists those that
// it could. Others, of what the plan does not have, stay unknown.
func (s *Patched) Assume(p *Project) (keys []Key) {
	if len(s.Unknown) == 0 {
		return nil
	}
	want := p.AsPlanned()
	for _, k := range slices.SortedFunc(maps.Keys(s.Unknown), Key.compare) {
		if s.take(k, want) {
			delete(s.Unknown, k)
			if k.Attribute != AttrPort || p.Host.Behaviour().MIDIPorts > 1 { // there is but one
				keys = append(keys, k)
			}
		}
	}
	slices.SortStableFunc(keys, func(a, b Key) int { return cmp.Compare(p.numberOf(a.Entity), p.numberOf(b.Entity)) })
	return keys
}

// numberOf is the number of the lane that an entity is, or is a send of; of others it is
// past the last.
func (p *Project) numberOf(e Entity) LaneNumber {
	kind, ref := e.Parts()
	id, _, _ := strings.Cut(ref, ":")
	if l := p.Lane(id); l != nil && (kind == "lane" || kind == "send") {
		return l.Number
	}
	return math.MaxInt
}

// take sets one setting as another state has it, and tells whether both have the thing.
func (s *Patched) take(k Key, from *Patched) bool {
	kind, ref := k.Entity.Parts()
	switch kind {
	case "lane":
		return takeLane(s.Lane(ref), from.Lane(ref), k.Attribute)
	case "send":
		lane, bus, _ := strings.Cut(ref, ":")
		have, want := s.Lane(lane), from.Lane(lane)
		if have == nil || want == nil {
			return false
		}
		return takeSend(have.SendInto(bus), want.SendInto(bus), k.Attribute)
	case "instrument":
		have, ok := s.Instruments[ref]
		want, wanted := from.Instruments[ref]
		if !ok || !wanted {
			return false
		}
		s.Instruments[ref] = have.take(want, k.Attribute)
		return true
	case "track":
		have, ok := s.Tracks[ref]
		want, wanted := from.Tracks[ref]
		if !ok || !wanted {
			return false
		}
		if k.Attribute == AttrPort {
			have.Port = want.Port
		} else {
			have.Channel = want.Channel
		}
		s.Tracks[ref] = have
		return true
	case "heard":
		s.Checked = from.Checked
		return true
	}
	return false
}

func takeLane(l, want *Lane, a Attribute) bool {
	if l == nil || want == nil {
		return false
	}
	switch a {
	case AttrName:
		l.Name = want.Name
	case AttrNumber:
		l.Number = want.Number
	case AttrColour:
		l.Colour = want.Colour
	case AttrKind:
		l.Kind = want.Kind
	case AttrWidth:
		l.Width = want.Width
	case AttrSources:
		l.Sources = slices.Clone(want.Sources)
	case AttrTo:
		l.To = want.To
	case AttrAlsoMain:
		l.AlsoMain = want.AlsoMain
	case AttrOwner:
		l.Owner = want.Owner
	}
	return true
}

func takeSend(s, want *Send, a Attribute) bool {
	if s == nil || want == nil {
		return false
	}
	if a == AttrLevel {
		s.Level = want.Level
	} else {
		s.Pre = want.Pre
	}
	return true
}

func (in InstrumentState) take(want InstrumentState, a Attribute) InstrumentState {
	switch a {
	case AttrName:
		in.Name = want.Name
	case AttrOutputs:
		in.Setup = want.Setup
	case AttrSaved:
		in.Kept = want.Kept
	case AttrSeen:
		in.Seen = want.Seen
	case AttrHalved:
		in.Halved = want.Halved
	}
	return in
}

// PatchedSettings are how what is patched is written: each setting under its entity; one
// that is not there is unknown.
type (
	PatchedSettings struct {
		Instruments map[string]keptInstrument `json:"instruments,omitempty"` // by placed ID
		Outputs     map[string]keptOutput     `json:"outputs,omitempty"`     // "i1:3"
		Feeds       map[string]keptFeed       `json:"feeds,omitempty"`       // "i1:v3"; missing: on the first output
		Lanes       map[string]keptLane       `json:"lanes,omitempty"`
		Sends       map[string]keptSend       `json:"sends,omitempty"`  // "l3:l9", from a lane to a bus
		Tracks      map[string]keptTrack      `json:"tracks,omitempty"` // "i1:p2"
		Heard       *string                   `json:"heard,omitempty"`  // the plan that was, by its fingerprint
		LastID      int                       `json:"lastId,omitempty"`
	}
	keptInstrument struct {
		Name    *string       `json:"name,omitempty"`
		Outputs *[]rig.Output `json:"outputs,omitempty"` // as set in the instrument now
		Saved   *[]rig.Output `json:"saved,omitempty"`   // what a reload brings back
		Seen    *[]rig.Output `json:"seen,omitempty"`    // as the host sees it
		Halved  *[]int        `json:"halved,omitempty"`
	}
	keptOutput struct {
		On *bool `json:"on,omitempty"`
	}
	keptFeed struct {
		Output *string `json:"output,omitempty"` // a jack, or "off"
	}
	keptLane struct {
		Number   *LaneNumber  `json:"number,omitempty"`
		Name     *string      `json:"name,omitempty"`
		Colour   *string      `json:"colour,omitempty"`
		Kind     *LaneKind    `json:"kind,omitempty"`
		Width    *audio.Width `json:"width,omitempty"`
		Sources  *[]OutputRef `json:"sources,omitempty"`
		To       *string      `json:"to,omitempty"`
		AlsoMain *bool        `json:"alsoMain,omitempty"`
		Owner    *Owner       `json:"owner,omitempty"`
	}
	keptSend struct {
		Tap   *Tap            `json:"tap,omitempty"`
		Level *audio.Decibels `json:"level,omitempty"`
	}
	keptTrack struct {
		Port    *int `json:"port,omitempty"`
		Channel *int `json:"channel,omitempty"` // 0: all
	}
)

// known gives a value to write, or nil where the setting is unknown.
func known[T any](s *Patched, e Entity, a Attribute, v T) *T {
	if !s.Knows(e, a) {
		return nil
	}
	return &v
}

// read gives a value that was written, or lets the setting be unknown.
func read[T any](s *Patched, e Entity, a Attribute, v *T) (out T) {
	if v == nil {
		s.Forget(e, a)
		return out
	}
	return *v
}

func orEmpty[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// MarshalJSON writes the settings that are known.
func (s Patched) MarshalJSON() ([]byte, error) {
	k := PatchedSettings{Instruments: map[string]keptInstrument{}, Outputs: map[string]keptOutput{},
		Feeds: map[string]keptFeed{}, Lanes: map[string]keptLane{}, Sends: map[string]keptSend{},
		Tracks: map[string]keptTrack{}, Heard: known(&s, HeardEntity, AttrPlan, s.Checked), LastID: s.LastID}
	for id, in := range s.Instruments {
		e := InstrumentEntity(id)
		k.Instruments[id] = keptInstrument{known(&s, e, AttrName, in.Name), known(&s, e, AttrOutputs, orEmpty(in.Setup)),
			known(&s, e, AttrSaved, orEmpty(in.Kept)), known(&s, e, AttrSeen, orEmpty(in.Seen)),
			known(&s, e, AttrHalved, orEmpty(in.Halved))}
		for n, on := range in.On {
			k.Outputs[OutputRef{Placed: id, Output: n}.String()] = keptOutput{&on}
		}
		for f, jack := range in.Feeds {
			k.Feeds[FeedRef{id, f}.String()] = keptFeed{&jack}
		}
	}
	for _, l := range s.Lanes {
		e := LaneEntity(l.ID)
		k.Lanes[l.ID] = keptLane{known(&s, e, AttrNumber, l.Number), known(&s, e, AttrName, l.Name),
			known(&s, e, AttrColour, l.Colour), known(&s, e, AttrKind, l.Kind), known(&s, e, AttrWidth, l.Width),
			known(&s, e, AttrSources, orEmpty(l.Sources)), known(&s, e, AttrTo, l.To),
			known(&s, e, AttrAlsoMain, l.AlsoMain), known(&s, e, AttrOwner, l.Owner)}
		for _, x := range l.Sends {
			tap := AfterFader
			if x.Pre {
				tap = BeforeFader
			}
			e := SendEntity(l.ID, x.To)
			k.Sends[sendRef(l.ID, x.To)] = keptSend{known(&s, e, AttrTap, tap), known(&s, e, AttrLevel, x.Level)}
		}
	}
	for ref, t := range s.Tracks {
		e := TrackEntity(ref)
		k.Tracks[ref] = keptTrack{known(&s, e, AttrPort, t.Port), known(&s, e, AttrChannel, int(t.Channel))}
	}
	return json.Marshal(k)
}

// UnmarshalJSON reads what MarshalJSON writes, and refuses what it does not know.
func (s *Patched) UnmarshalJSON(doc []byte) error {
	var k PatchedSettings
	d := json.NewDecoder(bytes.NewReader(doc))
	d.DisallowUnknownFields()
	if err := d.Decode(&k); err != nil {
		return err
	}
	*s = Patched{Instruments: map[string]InstrumentState{}, Tracks: map[string]midi.Address{}, LastID: k.LastID}
	s.Checked = read(s, HeardEntity, AttrPlan, k.Heard)
	for id, in := range k.Instruments {
		e := InstrumentEntity(id)
		s.Instruments[id] = InstrumentState{Name: read(s, e, AttrName, in.Name), Setup: read(s, e, AttrOutputs, in.Outputs),
			Kept: read(s, e, AttrSaved, in.Saved), Seen: read(s, e, AttrSeen, in.Seen),
			Halved: read(s, e, AttrHalved, in.Halved), On: map[int]bool{}, Feeds: map[string]string{}}
	}
	for ref, o := range k.Outputs {
		r, err := ParseOutputRef(ref)
		in, ok := s.Instruments[r.Placed]
		if err != nil || !ok {
			return fmt.Errorf("patched output %q is not one of a loaded instrument", ref)
		}
		if o.On != nil {
			in.On[r.Output] = *o.On
		}
	}
	for ref, f := range k.Feeds {
		r, err := ParseFeedRef(ref)
		in, ok := s.Instruments[r.Placed]
		if err != nil || !ok {
			return fmt.Errorf("patched feed %q is not one of a loaded instrument", ref)
		}
		if f.Output != nil {
			in.Feeds[r.Feed] = *f.Output
		}
	}
	for ref, t := range k.Tracks {
		e := TrackEntity(ref)
		s.Tracks[ref] = midi.Address{Port: read(s, e, AttrPort, t.Port),
			Channel: midi.Channel(read(s, e, AttrChannel, t.Channel))}
	}
	return s.readLanes(k)
}

func (s *Patched) readLanes(k PatchedSettings) error {
	for id, l := range k.Lanes {
		e := LaneEntity(id)
		lane := Lane{ID: id, Number: read(s, e, AttrNumber, l.Number), Name: read(s, e, AttrName, l.Name),
			Colour: read(s, e, AttrColour, l.Colour), Kind: read(s, e, AttrKind, l.Kind),
			Width: read(s, e, AttrWidth, l.Width), Sources: read(s, e, AttrSources, l.Sources),
			To: read(s, e, AttrTo, l.To), AlsoMain: read(s, e, AttrAlsoMain, l.AlsoMain),
			Owner: read(s, e, AttrOwner, l.Owner)}
		if len(lane.Sources) == 0 {
			lane.Sources = nil
		}
		s.Lanes = append(s.Lanes, lane)
	}
	slices.SortFunc(s.Lanes, func(a, b Lane) int {
		return cmp.Or(cmp.Compare(a.Number, b.Number), cmp.Compare(idNumber(a.ID), idNumber(b.ID)), cmp.Compare(a.ID, b.ID))
	})
	at := make(map[string]*Lane, len(s.Lanes))
	for i := range s.Lanes {
		at[s.Lanes[i].ID] = &s.Lanes[i]
	}
	for _, ref := range slices.Sorted(maps.Keys(k.Sends)) {
		from, to, ok := strings.Cut(ref, ":")
		l := at[from]
		if !ok || l == nil {
			return fmt.Errorf("patched send %q is not one of a lane", ref)
		}
		e, x := SendEntity(from, to), k.Sends[ref]
		tap, err := ParseTap(string(read(s, e, AttrTap, x.Tap)))
		if err != nil {
			return err
		}
		l.Sends = append(l.Sends, Send{To: to, Pre: tap == BeforeFader, Level: read(s, e, AttrLevel, x.Level)})
	}
	return nil
}
