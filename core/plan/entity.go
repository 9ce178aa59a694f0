package plan

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"hiddenlanes/core/midi"
)

// Entity names a thing of a document: "lane:l5". Forms, files and problems name things so.
type Entity string

// The entities.
func LaneEntity(id string) Entity           { return Entity("lane:" + id) }
func InstrumentEntity(placed string) Entity { return Entity("instrument:" + placed) }
func FeedEntity(r FeedRef) Entity           { return Entity("feed:" + r.String()) }
func OutputEntity(r OutputRef) Entity       { return Entity("output:" + r.String()) }
func TrackEntity(ref string) Entity         { return Entity("track:" + ref) } // as TrackRef names it

// AddressEntity is a MIDI address of the song, EffectEntity an effect inside an instrument.
func AddressEntity(a midi.Address) Entity {
	return Entity(fmt.Sprintf("address:%d:%d", max(a.Port, 1), a.Channel))
}

func EffectEntity(placed, effect string) Entity { return Entity("effect:" + placed + ":" + effect) }

// SendEntity is a lane's send to a bus.
func SendEntity(lane, bus string) Entity { return Entity("send:" + sendRef(lane, bus)) }

// HeardEntity is the whole plan as it is heard.
const HeardEntity Entity = "heard"

func sendRef(lane, bus string) string { return lane + ":" + bus }

// InsideEntity is one setting inside an instrument, as rig.InsideKey names it.
func InsideEntity(placed, key string) Entity { return Entity("inside:" + placed + ":" + key) }

// InsertEntity is an insert of a lane, by its place from 0.
func InsertEntity(lane string, at int) Entity {
	return Entity("insert:" + lane + ":" + strconv.Itoa(at))
}

// BlockEntity is a block of lanes, from 1.
func BlockEntity(block int) Entity { return Entity("block:" + strconv.Itoa(block)) }

// Parts gives the kind of an entity and what names it among its kind.
func (e Entity) Parts() (kind, ref string) {
	kind, ref, _ = strings.Cut(string(e), ":")
	return kind, ref
}

// Attribute is one setting of an entity of what is patched.
type Attribute string

// The attributes, by the entities that have them.
const (
	AttrName     Attribute = "name" // of instruments and lanes
	AttrOutputs  Attribute = "outputs"
	AttrSaved    Attribute = "saved"
	AttrSeen     Attribute = "seen"
	AttrHalved   Attribute = "halved"
	AttrInside   Attribute = "inside" // of instruments: all settings there
	AttrLoaded   Attribute = "loaded"
	AttrVersion  Attribute = "version"
	AttrStart    Attribute = "start"
	AttrDefault  Attribute = "default"
	AttrHome     Attribute = "home"
	AttrTemplate Attribute = "template" // of the whole mixer
	AttrOpened   Attribute = "opened"   // the template that the session was opened from
	AttrOn       Attribute = "on"       // of outputs
	AttrOutput   Attribute = "output"   // of feeds
	AttrNumber   Attribute = "number"   // of lanes, from here
	AttrColour   Attribute = "colour"
	AttrKind     Attribute = "kind"
	AttrWidth    Attribute = "width"
	AttrSources  Attribute = "sources"
	AttrTo       Attribute = "to"
	AttrAlsoMain Attribute = "alsoMain"
	AttrOwner    Attribute = "owner"
	AttrInserts  Attribute = "inserts"
	AttrTap      Attribute = "tap" // of sends
	AttrLevel    Attribute = "level"
	AttrPort     Attribute = "port" // of tracks
	AttrChannel  Attribute = "channel"
	AttrNotes    Attribute = "notes"
	AttrTrack    Attribute = "track"   // of lanes: that there is one
	AttrPlan     Attribute = "plan"    // the one that was heard
	AttrChained  Attribute = "chained" // of blocks of lanes
	AttrMuted    Attribute = "muted"   // of lanes in the mixer
	AttrGain     Attribute = "gain"    // of lanes: the fader, where it is typed
	AttrPan      Attribute = "pan"
	AttrSoloed   Attribute = "soloed"
)

// Key names one setting.
type Key struct {
	Entity    Entity
	Attribute Attribute
}

func (k Key) compare(o Key) int {
	return cmp.Or(cmp.Compare(k.Entity, o.Entity), cmp.Compare(k.Attribute, o.Attribute))
}

// Setting is one value that is set by hand, with the value in short.
type Setting struct {
	Key
	Value string
}

// PartName is what a part is called, by the reference that its track has.
func (p *Project) PartName(track string) string {
	if ref, err := ParseFeedRef(track); err == nil {
		if pl, i, err := p.PartAt(ref); err == nil {
			return pl.Instrument.Parts[i].Name
		}
	}
	return "a part that is gone"
}

// Sayer says keys in words, by what the plan calls things.
func (p *Project) Sayer() func(Key) string {
	lanes := p.ByID()
	return func(k Key) string { return p.say(k, func(id string) *Lane { return lanes[id] }) }
}

func (p *Project) say(k Key, find func(id string) *Lane) string {
	kind, ref := k.Entity.Parts()
	lane := func(id string) string {
		if l := find(id); l != nil {
			return fmt.Sprintf("lane %s %s", p.Host.LaneName(l.Number), l.Name)
		}
		return "a lane that is gone"
	}
	switch kind {
	case "lane":
		return fmt.Sprintf("%s: %s", lane(ref), k.Attribute)
	case "send":
		from, to, _ := strings.Cut(ref, ":")
		text := lane(from) + ": a send"
		if b := find(to); b != nil {
			text = lane(from) + ": the send to " + b.Name
		}
		if l := find(from); l != nil && k.Attribute == AttrLevel {
			if s := l.SendInto(to); s != nil {
				text += " at " + s.Level.String()
			}
		}
		return text
	case "track":
		placed, id, _ := strings.Cut(ref, ":")
		if pl, i, err := p.PartAt(FeedRef{placed, id}); err == nil {
			part := pl.Instrument.Parts[i]
			if k.Attribute == AttrNotes {
				return fmt.Sprintf("the notes of %s: %s", part.Name, part.NotesText())
			}
			return fmt.Sprintf("the track of %s: %s", part.Name, part.Address)
		}
		return "the track of a part that is gone"
	case "instrument":
		if pl := p.Find(ref); pl != nil {
			return fmt.Sprintf("%s: %s", pl.Instrument.Name, k.Attribute)
		}
		return "an instrument that is gone"
	case "output":
		placed, label, _ := strings.Cut(ref, ":")
		pl := p.Find(placed)
		if pl == nil {
			return "an output of an instrument that is gone"
		}
		j, _ := ParseJack(label)
		if o, ok := pl.Output(j); ok {
			label = pl.Named(o)
		}
		text := "output " + label
		if len(p.Placed) > 1 {
			text += " of " + pl.Instrument.Name
		}
		return text
	case "block":
		return fmt.Sprintf("block %s: chained into the main mix", ref)
	case "heard":
		return "every voice played alone and heard on its lane"
	}
	return string(k.Entity)
}
