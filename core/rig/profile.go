package rig

import (
	"fmt"
	"slices"
	"strings"
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
	Sides      bool  `json:"sides,omitempty"` // a lane can take one side of a pair
	After      After `json:"after"`
	SaveFirst  bool  `json:"saveFirst,omitempty"` // a reload forgets a set-up that was not saved
	// Several: a lane can go to several destinations at once, so that the way into a
	// bus leaves the way to the main mix open.
	Several     bool `json:"several,omitempty"`
	AllChannels bool `json:"allChannels,omitempty"` // new tracks play all MIDI channels
	MIDIPorts   int  `json:"midiPorts"`
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

// Profiles are those that ship: between them they show every behaviour.
var Profiles = []Profile{
	{Name: "Lanes made by hand", Lanes: Growing, Appears: ByHand, FirstOnOwn: true, Sides: true, MIDIPorts: 1},
	{Name: "Outputs switched on", Lanes: Growing, Appears: WhenSwitched, FirstOnOwn: true, After: Reload, MIDIPorts: 4,
		AllChannels: true},
	{Name: "Lanes that appear by themselves", Lanes: Growing, Appears: WhenAssigned, Sides: true, MIDIPorts: 1,
		Several: true},
	{Name: "Numbered slots and sends", Lanes: Numbered, Limit: 120, Appears: BySend, After: Reload, SaveFirst: true,
		Several: true, AllChannels: true, MIDIPorts: 8},
	{Name: "Blocks of sixteen", Lanes: Blocks, BlockSize: 16, Appears: ByHand, After: Reopen, FirstOnOwn: true,
		MIDIPorts: 2},
	{Name: "Every port cabled", Lanes: Numbered, Limit: 256, Appears: ByCable, After: Reopen, SaveFirst: true,
		Sides: true, Several: true, MIDIPorts: 16},
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
	case p.Lanes == Blocks && (p.BlockSize < 2 || p.BlockSize > 512):
		return fmt.Errorf("blocks hold 2 to 512 lanes")
	case p.Limit < 0 || p.Limit > 100000 || p.MIDIPorts < 1 || p.MIDIPorts > 64:
		return fmt.Errorf("a host has up to 100000 lanes and 1 to 64 MIDI ports")
	}
	return nil
}

// Sentences tells the behaviour in plain words.
func (p Profile) Sentences() []string {
	lanes := map[LaneStyle]string{Numbered: "lanes are numbered slots", Growing: "lanes are made as needed",
		Blocks: fmt.Sprintf("lanes come in blocks of %d", p.BlockSize)}[p.Lanes]
	if p.Limit > 0 {
		lanes += fmt.Sprintf(" up to %d", p.Limit)
	}
	out := []string{lanes, map[Appears]string{
		WhenAssigned: "an output's lane appears when something is assigned to it",
		WhenSwitched: "an output's lane appears when the output is switched on",
		ByHand:       "a lane is made and pointed at its output",
		BySend:       "a send feeds the lane, its source and destination both chosen",
		ByCable:      "every port is cabled by hand",
	}[p.Appears]}
	if p.FirstOnOwn {
		out = append(out, "the first output arrives on the instrument's own lane")
	} else {
		out = append(out, "the first output needs a lane like the rest")
	}
	if p.Sides {
		out = append(out, "a lane can take one side of a pair")
	}
	change := map[After]string{AtOnce: "changed outputs are seen at once",
		Reload: "changed outputs are seen after a reload",
		Reopen: "changed outputs are seen when the project is reopened"}[p.After]
	if p.SaveFirst {
		change += ", and forgotten unless saved before"
	}
	out = append(out, change)
	if p.Several {
		out = append(out, "a lane sent to a bus still goes to the main mix until that is taken off")
	}
	if p.AllChannels {
		out = append(out, "new tracks play all MIDI channels")
	}
	return out
}
