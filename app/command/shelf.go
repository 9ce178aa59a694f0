package command

import (
	"context"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Commands on an instrument of the shelf. Its parts are its tables, its facts and its
// layouts.

var instrumentCommands = []*Spec{
	runs(Instrument, "cells", "Change cells of a table", with(blame("value")), SetCells.Run),
	of[AddRow](Instrument, "add", "Add a row to a table"),
	of[RemoveRows](Instrument, "remove", "Remove rows from a table", blame("row")),
	of[SetFacts](Instrument, "facts", "Set what is known of the instrument", blame("outputs")),
	of[SetTraits](Instrument, "traits", "Say what the instrument can do", blame("outputnames")),
	of[SetStepNotes](Instrument, "step-notes", "Note where to find things in the instrument"),
	of[ForgetDefault](Instrument, "forget-default", "Begin as delivered again"),
	of[SetDeliveredBleed](Instrument, "delivered-bleed", "Set the bleed that an instrument comes with", blame("trim")),
	of[RemoveLayout](Instrument, "remove-layout", "Remove a layout", form("layouts"), blame("layout")),
}

// SetCells types values into cells of a table.
type SetCells struct {
	Cells `form:"*"`
}

// CorrectedRole gives the voice whose role is told, where the command does that and nothing
// else.
func (c SetCells) CorrectedRole() (voice string, ok bool) {
	if c.Table == "voices" && len(c.Rows) == 1 && slices.Contains(c.Columns, "role") {
		return c.Rows[0], true
	}
	return "", false
}

func (c SetCells) Run(ctx context.Context, at Target, a Tables) (string, error) {
	return "", a.SetCells(ctx, at.ID, at.Base, c.Table, c.list())
}

// AddRow adds an empty row to a table.
type AddRow struct {
	Table string `form:"table"`
}

func (c AddRow) Edit(midi.Naming) rig.Edit { return rig.AddRow(c.Table) }

// RemoveRows takes rows out of a table, with what refers to them.
type RemoveRows struct {
	Table string   `form:"table"`
	Rows  []string `form:"row"`
}

func (c RemoveRows) Edit(midi.Naming) rig.Edit { return rig.RemoveRows(c.Table, c.Rows) }

// SetFacts says what is known of the instrument as a whole.
type SetFacts struct {
	Name    string `form:"name"`
	Outputs string `form:"outputs"`
	Ports   int    `form:"ports,optional" says:"the number of ports"`
	Fixed   bool   `form:"fixed"`
	Pans    bool   `form:"pans"`
	Base    string `form:"base,optional"`
}

// Check refuses an amount of memory that cannot be read.
func (c SetFacts) Check() error {
	_, err := c.memory()
	if err != nil {
		return &Fault{Field: "base", Err: err}
	}
	return nil
}

func (c SetFacts) memory() (float64, error) {
	if strings.TrimSpace(c.Base) == "" {
		return 0, nil
	}
	return rig.Number(c.Base)
}

func (c SetFacts) Edit(midi.Naming) rig.Edit {
	base, _ := c.memory() // Check has read it
	return rig.Facts(c.Name, c.Outputs, c.Fixed, c.Ports, c.Pans, base)
}

// SetDeliveredBleed says what the microphones hear of other pieces as the instrument comes.
type SetDeliveredBleed struct {
	Bleed rig.Bleed      `form:"bleed,optional"`
	Trim  audio.Decibels `form:"trim,optional"`
}

func (c SetDeliveredBleed) Edit(midi.Naming) rig.Edit { return rig.SetBleed(c.Bleed, c.Trim) }

// RemoveLayout removes one of the user's own layouts.
type RemoveLayout struct {
	Layout string `form:"layout"`
}

func (c RemoveLayout) Edit(midi.Naming) rig.Edit { return rig.RemoveLayout(c.Layout) }
