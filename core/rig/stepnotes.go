package rig

import (
	"fmt"
	"maps"
	"slices"
)

// StepKind is a kind of step that is done in an instrument, or with it, for which the user can
// note where to find a thing there.
type StepKind string

// The kinds of steps.
const (
	StepLoad    StepKind = "load"
	StepStart   StepKind = "start"
	StepOutputs StepKind = "outputs"
	StepSave    StepKind = "save"
	StepInside  StepKind = "inside"
	StepAssign  StepKind = "assign"
	StepTracks  StepKind = "tracks"
)

// StepKinds lists the kinds with what they are called, in the order of the run sheet.
var StepKinds = []struct {
	Kind  StepKind
	Title string
}{
	{StepLoad, "Loading it"}, {StepStart, "Spreading feeds, or a prepared layout"}, {StepOutputs, "Adding outputs"},
	{StepSave, "Saving and reloading"}, {StepInside, "Settings inside"}, {StepAssign, "Assigning to outputs"},
	{StepTracks, "MIDI channels and tracks"},
}

// MaxStepNote is how many characters a note of a kind of step has at most.
const MaxStepNote = 300

// SetStepNotes keeps the user's notes for kinds of steps; empty ones are taken away.
func SetStepNotes(notes map[StepKind]string) Edit {
	return func(in *Instrument) (string, error) {
		in.StepNotes = maps.Clone(in.StepNotes)
		if in.StepNotes == nil {
			in.StepNotes = map[StepKind]string{}
		}
		for _, k := range slices.Sorted(maps.Keys(notes)) {
			note := CleanName(notes[k])
			if !knownStep(k) {
				return "", fmt.Errorf("%q is not a kind of step", k)
			}
			if len([]rune(note)) > MaxStepNote {
				return "", fmt.Errorf("a note has up to %d characters", MaxStepNote)
			}
			if delete(in.StepNotes, k); note != "" {
				in.StepNotes[k] = note
			}
		}
		if len(in.StepNotes) == 0 {
			in.StepNotes = nil
		}
		return "note where to find things in " + in.Name, nil
	}
}

func knownStep(k StepKind) bool {
	for _, x := range StepKinds {
		if x.Kind == k {
			return true
		}
	}
	return false
}
