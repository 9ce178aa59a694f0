package plan

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Knows reports whether a setting of what is patched is known.
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

// Mute and Solo say how a lane is switched in the mixer.
func (s *Patched) Mute(lane string, on bool) { s.Muted = switched(s.Muted, lane, on) }

// Solo says whether a lane is soloed.
func (s *Patched) Solo(lane string, on bool) { s.Soloed = switched(s.Soloed, lane, on) }

func switched(set map[string]bool, lane string, on bool) map[string]bool {
	if !on {
		delete(set, lane)
		return set
	}
	if set == nil {
		set = map[string]bool{}
	}
	set[lane] = true
	return set
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
			if !p.goesWithoutSaying(k) {
				keys = append(keys, k)
			}
		}
	}
	slices.SortStableFunc(keys, func(a, b Key) int { return cmp.Compare(p.numberOf(a.Entity), p.numberOf(b.Entity)) })
	return keys
}

// goesWithoutSaying tells of a setting that is unknown whether nobody need be asked: there is
// but one MIDI port, or the plan has no inserts on a lane.
func (p *Project) goesWithoutSaying(k Key) bool {
	if kind, id := k.Entity.Parts(); kind == "lane" {
		a, l := LaneAttributeNamed(k.Attribute), p.Lane(id)
		return a != nil && a.unasked && (l == nil || a.planned != nil && !a.planned(l) ||
			a.planned == nil && a.same(l, &Lane{}) ||
			k.Attribute == AttrTrack && p.Host.Behaviour().Tracks != rig.TracksOnRequest)
	}
	switch k.Attribute {
	case AttrStart, AttrDefault:
		return true
	case AttrVersion:
		_, placed := k.Entity.Parts()
		pl := p.Find(placed)
		return pl == nil || len(pl.Instrument.Variants) < 2
	case AttrPort:
		return p.Host.Behaviour().MIDIPorts <= 1
	case AttrNotes:
		_, ref := k.Entity.Parts()
		r, _ := ParseFeedRef(ref)
		pl, i, err := p.PartAt(r)
		return err != nil || pl.Instrument.Parts[i].NotesText() == ""
	}
	return false
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

// take sets one setting as another state has it, and reports whether both have the thing.
func (s *Patched) take(k Key, from *Patched) bool {
	kind, ref := k.Entity.Parts()
	switch kind {
	case "lane":
		return takeSetting(patchedLaneAttributes, k.Attribute, s.Lane(ref), from.Lane(ref))
	case "send":
		lane, bus, _ := strings.Cut(ref, ":")
		have, want := s.Lane(lane), from.Lane(lane)
		return have != nil && want != nil &&
			takeSetting(sendAttributes, k.Attribute, have.SendInto(bus), want.SendInto(bus))
	case "instrument":
		return takeIn(s.Instruments, from.Instruments, ref, instrumentAttributes, k.Attribute)
	case "track":
		return takeIn(s.Tracks, from.Tracks, ref, trackAttributes, k.Attribute)
	case "heard":
		s.Checked = from.Checked
		return true
	}
	return false
}

// attribute is one setting of things of a kind: where a thing has it, and where its kept
// form does.
type attribute[T, K any] struct {
	name  Attribute
	write func(t *T, k *K)
	read  func(t *T, k *K) (there bool)
	take  func(to, from *T)
	same  func(a, b *T) bool
}

// attr is an attribute that a thing and its kept form have alike.
func attr[T, K any, V comparable](name Attribute, of func(*T) *V, in func(*K) **V) attribute[T, K] {
	a := anyAttr(name, of, in)
	a.same = func(x, y *T) bool { return *of(x) == *of(y) }
	return a
}

func anyAttr[T, K, V any](name Attribute, of func(*T) *V, in func(*K) **V) attribute[T, K] {
	return attribute[T, K]{name: name,
		write: func(t *T, k *K) { v := *of(t); *in(k) = &v },
		read: func(t *T, k *K) bool {
			v := *in(k)
			if v != nil {
				*of(t) = *v
			}
			return v != nil
		},
		take: func(to, from *T) { *of(to) = *of(from) }}
}

// listAttr is attr for a list, of which none is known to be none.
func listAttr[T, K any, V comparable](name Attribute, of func(*T) *[]V, in func(*K) **[]V) attribute[T, K] {
	a := anyAttr(name, of, in)
	a.write = func(t *T, k *K) {
		v := append([]V{}, *of(t)...)
		*in(k) = &v
	}
	a.take = func(to, from *T) { *of(to) = slices.Clone(*of(from)) }
	a.same = func(x, y *T) bool { return slices.Equal(*of(x), *of(y)) }
	return a
}

// insideAttr are all settings inside an instrument; none at all are known to be as most come.
var insideAttr = func() attribute[InstrumentState, keptInstrument] {
	a := anyAttr(AttrInside, func(t *InstrumentState) *map[string]string { return &t.Inside },
		func(k *keptInstrument) **map[string]string { return &k.Inside })
	a.write = func(t *InstrumentState, k *keptInstrument) {
		v := maps.Clone(t.Inside)
		if v == nil {
			v = map[string]string{}
		}
		k.Inside = &v
	}
	a.take = func(to, from *InstrumentState) { to.Inside = maps.Clone(from.Inside) }
	a.same = func(x, y *InstrumentState) bool { return maps.Equal(x.Inside, y.Inside) }
	return a
}()

// The attributes of each kind of thing. A new one stands here and in the kept form, and is
// kept, read and confirmed.
var (
	instrumentAttributes = []attribute[InstrumentState, keptInstrument]{
		attr(AttrName, func(t *InstrumentState) *string { return &t.Name },
			func(k *keptInstrument) **string { return &k.Name }),
		listAttr(AttrOutputs, func(t *InstrumentState) *[]rig.Output { return &t.Setup },
			func(k *keptInstrument) **[]rig.Output { return &k.Outputs }),
		listAttr(AttrSaved, func(t *InstrumentState) *[]rig.Output { return &t.Kept },
			func(k *keptInstrument) **[]rig.Output { return &k.Saved }),
		listAttr(AttrSeen, func(t *InstrumentState) *[]rig.Output { return &t.Seen },
			func(k *keptInstrument) **[]rig.Output { return &k.Seen }),
		listAttr(AttrHalved, func(t *InstrumentState) *[]int { return &t.Halved },
			func(k *keptInstrument) **[]int { return &k.Halved }),
		insideAttr,
		attr(AttrVersion, func(t *InstrumentState) *string { return &t.Version },
			func(k *keptInstrument) **string { return &k.Version }),
		attr(AttrStart, func(t *InstrumentState) *string { return &t.Spread },
			func(k *keptInstrument) **string { return &k.Spread }),
		attr(AttrDefault, func(t *InstrumentState) *string { return &t.Default },
			func(k *keptInstrument) **string { return &k.Default }),
		{name: AttrHome, // without one it is worked out, so it is never unknown
			write: func(t *InstrumentState, k *keptInstrument) { k.Home = t.Home },
			read:  func(t *InstrumentState, k *keptInstrument) bool { t.Home = k.Home; return true },
			take:  func(to, from *InstrumentState) { to.Home = from.Home },
			same:  func(x, y *InstrumentState) bool { return x.Home == y.Home }},
	}
	sendAttributes = []attribute[Send, keptSend]{
		{name: AttrTap,
			write: func(t *Send, k *keptSend) {
				tap := AfterFader
				if t.Pre {
					tap = BeforeFader
				}
				k.Tap = &tap
			},
			read: func(t *Send, k *keptSend) bool {
				t.Pre = k.Tap != nil && *k.Tap == BeforeFader
				return k.Tap != nil
			},
			take: func(to, from *Send) { to.Pre = from.Pre },
			same: func(x, y *Send) bool { return x.Pre == y.Pre }},
		{name: AttrLevel,
			write: func(t *Send, k *keptSend) {
				if k.Silent = t.Level == audio.Silence; !k.Silent {
					v := t.Level
					k.Level = &v
				}
			},
			read: func(t *Send, k *keptSend) bool {
				switch {
				case k.Silent:
					t.Level = audio.Silence
				case k.Level != nil:
					t.Level = *k.Level
				}
				return k.Silent || k.Level != nil
			},
			take: func(to, from *Send) { to.Level = from.Level },
			same: func(x, y *Send) bool { return x.LevelIs(y.Level) }},
	}
	trackAttributes = []attribute[Track, keptTrack]{
		attr(AttrPort, func(t *Track) *int { return &t.Port }, func(k *keptTrack) **int { return &k.Port }),
		attr(AttrChannel, func(t *Track) *midi.Channel { return &t.Channel },
			func(k *keptTrack) **midi.Channel { return &k.Channel }),
		attr(AttrNotes, func(t *Track) *string { return &t.Notes }, func(k *keptTrack) **string { return &k.Notes }),
	}
)

// takeSetting sets one attribute of a thing as another has it, where there are both.
func takeSetting[T, K any](list []attribute[T, K], name Attribute, to, from *T) bool {
	i := slices.IndexFunc(list, func(a attribute[T, K]) bool { return a.name == name })
	if to == nil || from == nil || i < 0 {
		return false
	}
	list[i].take(to, from)
	return true
}

// takeIn is takeSetting for things that are kept in maps.
func takeIn[T, K any](to, from map[string]T, ref string, list []attribute[T, K], name Attribute) bool {
	have, ok := to[ref]
	want, wanted := from[ref]
	if !ok || !wanted || !takeSetting(list, name, &have, &want) {
		return false
	}
	to[ref] = have
	return true
}

// keep gives the kept form of a thing: the settings of it that are known.
func keep[T, K any](s *Patched, e Entity, list []attribute[T, K], t *T) (k K) {
	for _, a := range list {
		if s.Knows(e, a.name) {
			a.write(t, &k)
		}
	}
	return k
}

// readSettings reads a thing from its kept form; settings that are not there are unknown.
func readSettings[T, K any](s *Patched, e Entity, list []attribute[T, K], t *T, k K) {
	for _, a := range list {
		if !a.read(t, &k) {
			s.Forget(e, a.name)
		}
	}
}

// PatchedSettings are how what is patched is written: each setting under its entity; one
// that is not there is unknown.
type (
	PatchedSettings struct {
		Instruments map[string]keptInstrument `json:"instruments,omitempty"` // by placed ID
		Outputs     map[string]keptOutput     `json:"outputs,omitempty"`     // "i1:3"
		Feeds       map[string]keptFeed       `json:"feeds,omitempty"`       // "i1:v3"; missing: on the first output
		Lanes       map[string]keptLane       `json:"lanes,omitempty"`
		Sends       map[string]keptSend       `json:"sends,omitempty"`    // "l3:l9", from a lane to a bus
		Tracks      map[string]keptTrack      `json:"tracks,omitempty"`   // "i1:p2"
		Blocks      map[string]keptBlock      `json:"blocks,omitempty"`   // from 2; missing: nobody has said otherwise
		Heard       *string                   `json:"heard,omitempty"`    // the plan that was, by its fingerprint
		Template    string                    `json:"template,omitempty"` // whose mixer was kept, likewise
		Kept        *MixerTemplate            `json:"keptTemplate,omitempty"`
		LastID      int                       `json:"lastId,omitempty"`
	}
	keptInstrument struct {
		Name    *string       `json:"name,omitempty"`
		Outputs *[]rig.Output `json:"outputs,omitempty"` // as set in the instrument now
		Saved   *[]rig.Output `json:"saved,omitempty"`   // what a reload brings back
		Seen    *[]rig.Output `json:"seen,omitempty"`    // as the host sees it
		Halved  *[]int        `json:"halved,omitempty"`
		// settings inside it that are not as most come, "v3:gain"
		Inside  *map[string]string `json:"inside,omitempty"`
		Version *string            `json:"version,omitempty"` // that is loaded
		Spread  *string            `json:"spread,omitempty"`  // the one action that was taken last
		Default *string            `json:"default,omitempty"` // what was saved last as its default
		Home    string             `json:"home,omitempty"`    // the lane it was loaded on
	}
	keptOutput struct {
		On *bool `json:"on,omitempty"`
	}
	keptFeed struct {
		Output *string `json:"output,omitempty"` // a jack, or "off"
	}
	keptBlock struct {
		Chained *bool `json:"chained,omitempty"`
	}
	keptSend struct {
		Tap    *Tap            `json:"tap,omitempty"`
		Level  *audio.Decibels `json:"level,omitempty"`
		Silent bool            `json:"silent,omitempty"` // it is open, and its level is none yet
	}
	keptTrack struct {
		Port    *int          `json:"port,omitempty"`
		Channel *midi.Channel `json:"channel,omitempty"` // 0: all
		Notes   *string       `json:"notes,omitempty"`   // what belongs to the notes
	}
)

// MarshalJSON writes the settings that are known.
func (s Patched) MarshalJSON() ([]byte, error) { return json.Marshal(s.settings()) }

// settings are what is patched as it is kept.
func (s Patched) settings() PatchedSettings {
	k := PatchedSettings{Instruments: map[string]keptInstrument{}, Outputs: map[string]keptOutput{},
		Feeds: map[string]keptFeed{}, Lanes: map[string]keptLane{}, Sends: map[string]keptSend{},
		Tracks: map[string]keptTrack{}, LastID: s.LastID, Template: s.Template, Kept: s.Kept}
	if s.Knows(HeardEntity, AttrPlan) {
		k.Heard = &s.Checked
	}
	for id, in := range s.Instruments {
		k.Instruments[id] = keep(&s, InstrumentEntity(id), instrumentAttributes, &in)
		for n, on := range in.On {
			k.Outputs[OutputRef{Placed: id, Output: n}.String()] = keptOutput{&on}
		}
		for f, jack := range in.Feeds {
			k.Feeds[FeedRef{id, f}.String()] = keptFeed{&jack}
		}
	}
	for b, chained := range s.Chained {
		if k.Blocks == nil {
			k.Blocks = map[string]keptBlock{}
		}
		k.Blocks[strconv.Itoa(b)] = keptBlock{&chained}
	}
	for _, l := range s.Lanes {
		kept := keep(&s, LaneEntity(l.ID), patchedLaneAttributes, &l)
		kept.Muted, kept.Soloed = s.Muted[l.ID], s.Soloed[l.ID]
		k.Lanes[l.ID] = kept
		for _, x := range l.Sends {
			k.Sends[sendRef(l.ID, x.To)] = keep(&s, SendEntity(l.ID, x.To), sendAttributes, &x)
		}
	}
	for ref, t := range s.Tracks {
		k.Tracks[ref] = keep(&s, TrackEntity(ref), trackAttributes, &t)
	}
	return k
}

// UnmarshalJSON reads what MarshalJSON writes, and refuses what it does not know.
func (s *Patched) UnmarshalJSON(doc []byte) error {
	var k PatchedSettings
	d := json.NewDecoder(bytes.NewReader(doc))
	d.DisallowUnknownFields()
	if err := d.Decode(&k); err != nil {
		return err
	}
	*s = Patched{Instruments: map[string]InstrumentState{}, Tracks: map[string]Track{}, LastID: k.LastID,
		Template: k.Template, Kept: k.Kept}
	if k.Heard != nil {
		s.Checked = *k.Heard
	} else {
		s.Forget(HeardEntity, AttrPlan)
	}
	for id, kept := range k.Instruments {
		in := InstrumentState{On: map[int]bool{}, Feeds: map[string]string{}, Inside: map[string]string{}}
		readSettings(s, InstrumentEntity(id), instrumentAttributes, &in, kept)
		s.Instruments[id] = in
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
	for ref, kept := range k.Tracks {
		var t Track
		readSettings(s, TrackEntity(ref), trackAttributes, &t, kept)
		s.Tracks[ref] = t
	}
	for ref, kept := range k.Blocks {
		b, err := strconv.Atoi(ref)
		if err != nil || b < 2 {
			return fmt.Errorf("patched block %q is not one after the first", ref)
		}
		if kept.Chained != nil {
			s.Chain(b, *kept.Chained)
		}
	}
	return s.readLanes(k)
}

func (s *Patched) readLanes(k PatchedSettings) error {
	for id, kept := range k.Lanes {
		lane := Lane{ID: id}
		readSettings(s, LaneEntity(id), patchedLaneAttributes, &lane, kept)
		s.Mute(id, kept.Muted)
		s.Solo(id, kept.Soloed)
		if len(lane.Sources) == 0 {
			lane.Sources = nil
		}
		if len(lane.Inserts) == 0 {
			lane.Inserts = nil
		}
		if err := rig.ValidInserts(lane.Inserts); err != nil {
			return fmt.Errorf("patched lane %q: %w", id, err)
		}
		s.Lanes = append(s.Lanes, lane)
	}
	slices.SortFunc(s.Lanes, func(a, b Lane) int {
		if n := cmp.Compare(a.Number, b.Number); n != 0 { // nearly always; the rest takes time
			return n
		}
		return cmp.Or(cmp.Compare(idNumber(a.ID), idNumber(b.ID)), cmp.Compare(a.ID, b.ID))
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
		kept := k.Sends[ref]
		if kept.Tap != nil {
			if _, err := ParseTap(string(*kept.Tap)); err != nil {
				return err
			}
		}
		send := Send{To: to}
		readSettings(s, SendEntity(from, to), sendAttributes, &send, kept)
		l.Sends = append(l.Sends, send)
	}
	return nil
}
