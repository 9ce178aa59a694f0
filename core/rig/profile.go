package rig

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
)

// Profile describes how a host behaves where a lane gets its signal. It names no
// program: behaviour is all that counts.
type Profile struct {
	Name      string    `json:"name"`
	Lanes     LaneStyle `json:"lanes"`
	Limit     int       `json:"limit,omitempty"`     // the last lane there is; 0: none
	BlockSize int       `json:"blockSize,omitempty"` // lanes in a block, for Blocks
	Appears   Appears   `json:"appears"`
	// FirstOnOwn: the first output arrives on the lane that comes with the instrument.
	FirstOnOwn bool  `json:"firstOnOwn,omitempty"`
	Sides      bool  `json:"sides,omitempty"` // a lane can take one side of a stereo output
	After      After `json:"after"`
	SaveFirst  bool  `json:"saveFirst,omitempty"` // a reload forgets a set-up that was not saved
	// Several: a lane can go to several destinations at once, so that the way into a
	// bus leaves the way to the main mix open.
	Several bool `json:"several,omitempty"`
	// SendsSilent: a new send starts silent, and is heard once its level is set; else at 0 dB.
	SendsSilent bool       `json:"sendsSilent,omitempty"`
	Tracks      TrackStyle `json:"tracks,omitempty"`      // whether a lane has a track, for automation
	Notes       NotesPlace `json:"notes,omitempty"`       // where the notes of an instrument live
	AllChannels bool       `json:"allChannels,omitempty"` // new tracks send on all MIDI channels
	MIDIPorts   int        `json:"midiPorts"`
	MIDI        MIDIScope  `json:"midiScope,omitempty"` // what MIDI addresses count within
	// PanLaw is that of its lanes; with PanCentre the centre is at 0 dB, and not the sides.
	PanLaw    audio.PanLaw `json:"panLaw,omitempty"`
	PanCentre bool         `json:"panCentre,omitempty"`
}

// LaneStyle says how the lanes of a mixer come about.
type LaneStyle string

// The styles of lanes.
const (
	Numbered LaneStyle = "numbered" // slots with numbers up to a limit
	Growing  LaneStyle = "growing"  // as many as are made
	Blocks   LaneStyle = "blocks"   // blocks of a fixed size, chained into one main mix
)

// Appears says how an output gets its lane.
type Appears string

// The ways an output gets its lane.
const (
	WhenAssigned Appears = "assigned" // when something is assigned to it
	WhenSwitched Appears = "switched" // when the output is switched on
	ByHand       Appears = "made"     // a lane is made and pointed at it
	BySend       Appears = "sent"     // a send whose source and destination are both chosen
	ByCable      Appears = "cabled"   // every port is cabled
)

// After says what it takes before the host sees changed outputs.
type After string

// What it takes.
const (
	AtOnce After = ""
	Reload After = "reload" // load the instrument again
	Reopen After = "reopen" // open the project again
)

// TrackStyle says whether a lane has a track, on which its fader can be automated.
type TrackStyle string

// The ways a lane has a track.
const (
	TracksAlways    TrackStyle = ""
	TracksOnRequest TrackStyle = "request" // once one is made
	TracksNever     TrackStyle = "never"
)

// NotesPlace says where the notes live that play an instrument.
type NotesPlace string

// The places of notes.
const (
	NotesOnOwn   NotesPlace = ""      // on the instrument's own track
	NotesOnLanes NotesPlace = "lanes" // on any of its lanes
	NotesOnGroup NotesPlace = "group" // on the folded group of its lanes
)

// MIDIScope says what MIDI addresses are counted within.
type MIDIScope string

// The scopes. Where each instance is sent notes of its own, two of them can have the same address and
// no note plays both.
const (
	WithinInstance MIDIScope = ""     // each instance has its own ports and channels
	WithinHost     MIDIScope = "host" // all instruments share them
)

// Profiles are those that ship: between them they show every behaviour, named by the one
// that tells it from the others. Their figures are round, and are no host's.
var Profiles = []Profile{
	{Name: "Lanes added by hand", Lanes: Growing, Appears: ByHand, FirstOnOwn: true, Sides: true, MIDIPorts: 1,
		Notes: NotesOnGroup},
	{Name: "Outputs switched on one by one", Lanes: Growing, Appears: WhenSwitched, FirstOnOwn: true, After: Reload,
		MIDIPorts: 2, SendsSilent: true, Notes: NotesOnLanes},
	{Name: "Lanes follow the assignment", Lanes: Growing, Appears: WhenAssigned, Sides: true, Several: true,
		MIDIPorts: 1, Tracks: TracksOnRequest},
	{Name: "Lanes fed by sends", Lanes: Numbered, Limit: 100, Appears: BySend, After: Reload, SaveFirst: true,
		Several: true, MIDIPorts: 2, SendsSilent: true, Tracks: TracksNever},
	{Name: "Lanes added in blocks", Lanes: Blocks, BlockSize: 10, Appears: ByHand, After: Reopen, FirstOnOwn: true,
		AllChannels: true, MIDIPorts: 1, SendsSilent: true, Tracks: TracksOnRequest},
	{Name: "Ports connected one by one", Lanes: Numbered, Limit: 200, Appears: ByCable, After: Reopen, SaveFirst: true,
		Sides: true, Several: true, MIDIPorts: 10},
}

// BlockOf is the block that a lane is in, from 1; 0 where lanes are in one row.
func (p Profile) BlockOf(lane int) int {
	if p.Lanes != Blocks || p.BlockSize < 1 {
		return 0
	}
	return (max(lane, 1)-1)/p.BlockSize + 1
}

// ProfileNamed finds a profile among all there are.
func ProfileNamed(all []Profile, name string) (Profile, error) {
	var names []string
	for _, p := range all {
		if strings.EqualFold(p.Name, strings.TrimSpace(name)) {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return Profile{}, fmt.Errorf("there is no host profile %q; there are: %s", name, strings.Join(names, ", "))
}

// NewSend is the level that a new send starts at.
func (p Profile) NewSend() audio.Decibels {
	if p.SendsSilent {
		return audio.Silence
	}
	return 0
}

// Validate refuses a profile that says nothing sensible.
func (p Profile) Validate() error {
	switch {
	case strings.TrimSpace(p.Name) == "" || len([]rune(p.Name)) > MaxName:
		return fmt.Errorf("a host profile needs a name of up to %d characters", MaxName)
	case !slices.Contains([]LaneStyle{Numbered, Growing, Blocks}, p.Lanes):
		return fmt.Errorf("lanes are numbered, growing or blocks, not %q", p.Lanes)
	case !slices.Contains([]Appears{WhenAssigned, WhenSwitched, ByHand, BySend, ByCable}, p.Appears):
		return fmt.Errorf("a lane is assigned, switched, made, sent or cabled, not %q", p.Appears)
	case !slices.Contains([]After{AtOnce, Reload, Reopen}, p.After):
		return fmt.Errorf("changed outputs are seen at once, after a reload or when reopened, not %q", p.After)
	case !slices.Contains([]TrackStyle{TracksAlways, TracksOnRequest, TracksNever}, p.Tracks):
		return fmt.Errorf("a lane has a track always, on request or never, not %q", p.Tracks)
	case !slices.Contains([]NotesPlace{NotesOnOwn, NotesOnLanes, NotesOnGroup}, p.Notes):
		return fmt.Errorf("notes live on the instrument's own track, its lanes or their group, not on %q", p.Notes)
	case p.Lanes == Blocks && (p.BlockSize < 2 || p.BlockSize > 512):
		return fmt.Errorf("blocks hold 2 to 512 lanes")
	case !slices.Contains(audio.PanLaws, p.PanLaw):
		return fmt.Errorf("a pan law is sine and cosine, root or linear, not %q", p.PanLaw)
	case p.MIDI != WithinInstance && p.MIDI != WithinHost:
		return fmt.Errorf("MIDI addresses count within each instrument or the whole host, not %q", p.MIDI)
	case p.Limit < 0 || p.Limit > 100000 || p.MIDIPorts < 1 || p.MIDIPorts > 64:
		return fmt.Errorf("a host has up to 100000 lanes and 1 to 64 MIDI ports")
	}
	return nil
}

// panText says by what law lanes are panned; "" by the usual one.
func (p Profile) panText() string {
	law := map[audio.PanLaw]string{audio.SineCosine: "3", audio.RootLaw: "4.5", audio.LinearLaw: "6"}[p.PanLaw]
	switch {
	case p.PanCentre:
		return "a mono lane at a side is " + law + " dB louder than in the middle"
	case p.PanLaw != audio.SineCosine:
		return "a mono lane in the middle is " + law + " dB down on each side"
	}
	return ""
}

// Sentences tells the behaviour in plain words.
func (p Profile) Sentences() []string {
	lanes := map[LaneStyle]string{Numbered: "all lanes are there from the start", Growing: "lanes are added as needed",
		Blocks: fmt.Sprintf("lanes are added in blocks of %d", p.BlockSize)}[p.Lanes]
	if p.Limit > 0 {
		lanes += fmt.Sprintf(" up to %d", p.Limit)
	}
	out := []string{lanes, map[Appears]string{
		WhenAssigned: "the lane of an output appears when a feed is assigned to it",
		WhenSwitched: "the lane of an output appears when the output is switched on",
		ByHand:       "a lane is added, then given its output",
		BySend:       "a send feeds the lane; its source and destination are both set",
		ByCable:      "every port is connected by hand",
	}[p.Appears]}
	if p.FirstOnOwn {
		out = append(out, "the first output arrives on the instrument's lane")
	} else {
		out = append(out, "the first output needs a lane like the rest")
	}
	if p.Sides {
		out = append(out, "a lane can take one side of a stereo output")
	}
	change := map[After]string{AtOnce: "changed outputs are seen at once",
		Reload: "changed outputs are seen after a reload",
		Reopen: "changed outputs are seen when the project is reopened"}[p.After]
	if p.SaveFirst {
		change += ", and lost unless saved before"
	}
	out = append(out, change)
	if p.Several {
		out = append(out, "a lane routed to a bus stays routed to the main mix until that is removed")
	}
	if p.SendsSilent {
		out = append(out, "a new send is silent until its level is set")
	} else {
		out = append(out, "a new send starts at 0 dB")
	}
	switch p.Tracks {
	case TracksOnRequest:
		out = append(out, "a lane has no track until one is made")
	case TracksNever:
		out = append(out, "lanes have no tracks")
	default:
		out = append(out, "every lane has a track")
	}
	out = append(out, map[NotesPlace]string{NotesOnOwn: "notes live on the instrument's own track",
		NotesOnLanes: "notes live on any lane of the instrument",
		NotesOnGroup: "notes live on the folded group of its lanes"}[p.Notes])
	if p.AllChannels {
		out = append(out, "new tracks send on all MIDI channels")
	}
	if text := p.panText(); text != "" {
		out = append(out, text)
	}
	if p.MIDI == WithinHost {
		out = append(out, "all instruments share the MIDI channels")
	} else {
		out = append(out, "each instrument has its own MIDI channels")
	}
	return out
}
