package command

import (
	"context"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Commands on the instruments of a project and their outputs.

var placedCommands = []*Spec{
	runs(Project, "place", "Add an instrument", with(blame("outputs")), AddInstrument.Run),
	of[NameInstrument](Project, "name-instrument", "Rename an instrument in the project", blame("name")),
	of[Remove](Project, "remove", "Remove an instrument"),
	of[MoveInstrumentTo](Project, "instrument-to", "Move an instrument to the place of another in the list", blame("to")),
	of[MoveInstrumentUp](Project, "instrument-up", "Move an instrument up in the list"),
	of[MoveInstrumentDown](Project, "instrument-down", "Move an instrument down in the list"),
	of[ScoreOrder](Project, "score-order", "Put the instruments in score order"),
	of[AssignAgain](Project, "assign-again", "Assign feeds again in order, from a port on", blame("port")),
	of[LanesAsTheyAre](Project, "lanes-as-they-are", "Add lanes for the outputs as they are"),
	of[SetOutputs](Project, "outputs", "Set up outputs", blame("outputs")),
	runs(Project, "setup", "Set outputs up as a kept set-up has them", with(form("setup"), blame("setup")), UseSetup.Run),
	of[AddOutputs](Project, "missing", "Add the missing outputs"),
	of[HalveOutput](Project, "halve", "Split a stereo output into two sides", blame("output")),
	of[WholeOutput](Project, "whole", "Join the sides of an output", blame("output")),
	of[SetVariant](Project, "variant", "Choose the version", blame("variant")),
	runs(Project, "layout", "Apply a layout", with(blame("layout"), seen), ApplyLayout.Run),
	runs(Project, "keep-layout", "Keep the layout by name", with(blame("name")), KeepLayout.Run),
	runs(Project, "keep-setup", "Keep the output set-up by name", with(blame("name")), KeepSetup.Run),
	runs(Project, "update", "Update an instrument from the shelf", with(blame("placed"), seen), UpdateFromShelf.Run),
	runs(Project, "replace", "Replace an instrument", with(blame("to"), seen), Replace.Run),
}

// AddInstrument puts an instrument of the shelf into the project with its outputs.
type AddInstrument struct {
	Instrument int64     `form:"instrument,min=1"`
	Outputs    []rig.Run `form:"outputs,optional"`                          // none: its own, or the default set-up
	Port       rig.Port  `form:"port,optional,min=0" says:"the first port"` // 0: as the outputs begin
	Offset     int       `form:"offset,optional,min=-1024" says:"the offset"`
	Start      string    `form:"start,optional"` // "", "delivered", "saved" or "layout:" and a name
}

func (c AddInstrument) Run(ctx context.Context, at Target, a Placer) (string, error) {
	edit, err := a.PlaceFromShelf(ctx, c.Instrument, c.Outputs, c.Port, c.Offset, c.Start)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edit)
}

// NameInstrument renames an instrument in the project; the one on the shelf keeps its name.
type NameInstrument struct {
	Placed string `form:"placed"`
	Name   string `form:"name"`
}

func (c NameInstrument) Edit() plan.Edit { return edits.NameInstrument(c.Placed, c.Name) }

// Remove takes an instrument out of the project.
type Remove struct {
	Placed string `form:"placed"`
}

func (c Remove) Edit() plan.Edit { return edits.Remove(c.Placed) }

// SetOutputs sets an instrument's outputs up.
type SetOutputs struct {
	Placed  string    `form:"placed"`
	Outputs []rig.Run `form:"outputs"`
	Port    rig.Port  `form:"port,optional" says:"the first port"`
	Offset  int       `form:"offset,optional,min=-1024" says:"the offset"`
	Ports   int       `form:"ports,optional"` // how many there are, for the drawing beside it
}

func (c SetOutputs) Edit() plan.Edit {
	return edits.SetOutputs(c.Placed, rig.Lay(c.Outputs, max(c.Port, 1)), c.Offset)
}

// UseSetup sets outputs up as one of the kept set-ups has them.
type UseSetup struct {
	Placed string `form:"placed"`
	Setup  string `form:"setup"`
}

func (c UseSetup) Run(ctx context.Context, at Target, a Setups) (string, error) {
	runs, first, err := a.SetupNamed(ctx, c.Setup)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edits.UseSetup(c.Placed, c.Setup, rig.Lay(runs, first)))
}

// AddOutputs adds the fewest outputs so that every wanted feed has one of its own.
type AddOutputs struct {
	Placed string `form:"placed"`
}

func (c AddOutputs) Edit() plan.Edit { return edits.AddOutputs(c.Placed) }

// HalveOutput splits a stereo output into its sides, WholeOutput joins them again.
type (
	HalveOutput struct {
		Placed string    `form:"placed"`
		Output plan.Jack `form:"output"`
	}
	WholeOutput HalveOutput
)

func (c HalveOutput) Edit() plan.Edit { return edits.HalveOutput(c.Placed, c.Output.Output, true) }
func (c WholeOutput) Edit() plan.Edit { return edits.HalveOutput(c.Placed, c.Output.Output, false) }

// SetVariant says which version is loaded; "" is the smallest that fits.
type SetVariant struct {
	Placed  string `form:"placed"`
	Variant string `form:"variant"`
}

func (c SetVariant) Edit() plan.Edit { return edits.SetVariant(c.Placed, c.Variant) }

// ApplyLayout lays an instrument out as one of its layouts says.
type ApplyLayout struct {
	Placed string `form:"placed"`
	Layout string `form:"layout"`
}

func (c ApplyLayout) Run(ctx context.Context, at Target, a Layouts) (string, error) {
	l, err := layoutOf(ctx, at, a, c.Placed, c.Layout)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edits.ApplyLayout(c.Placed, l))
}

// layoutOf is a layout of an instrument of a project, by its name.
func layoutOf(ctx context.Context, at Target, a Layouts, placed, name string) (rig.Layout, error) {
	pl, err := a.PlacedIn(ctx, at.ID, placed)
	if err != nil {
		return rig.Layout{}, err
	}
	return a.LayoutNamed(ctx, pl, name)
}

// KeepLayout keeps how an instrument is laid out among its layouts.
type KeepLayout struct {
	Placed string `form:"placed"`
	Name   string `form:"name"`
	Kit    string `form:"kit,optional"` // the kit or preset that it comes with
	// Factory: the instrument comes so, as it was read off its own pages.
	Factory bool `form:"factory"`
}

func (c KeepLayout) Run(ctx context.Context, at Target, a Layouts) (string, error) {
	return "", a.KeepLayout(ctx, at.ID, at.Base, rig.Layout{Name: c.Name, Kit: c.Kit, Factory: c.Factory}, c.Placed)
}

// KeepSetup keeps how an instrument's outputs are set up, for every project.
type KeepSetup struct {
	Placed  string `form:"placed"`
	Name    string `form:"name"`
	Default bool   `form:"default"`
}

func (c KeepSetup) Run(ctx context.Context, at Target, a Setups) (string, error) {
	return "", a.KeepSetupOf(ctx, at, c.Placed, c.Name, c.Default)
}

// UpdateFromShelf takes up what changed on the shelf in an instrument of the project.
type UpdateFromShelf struct {
	Placed string `form:"placed"`
}

func (c UpdateFromShelf) Run(ctx context.Context, at Target, a Shelf) (string, error) {
	pl, err := a.PlacedIn(ctx, at.ID, c.Placed)
	if err != nil {
		return "", err
	}
	in, err := a.OnShelf(ctx, pl)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edits.TakeUp(c.Placed, in))
}

// Replacement is an instrument of the shelf in the place of one of the project, with the
// user's own pairs of feeds, and what becomes of the song's keys.
type Replacement struct {
	Placed string            `form:"placed"`
	To     int64             `form:"to,min=1" says:"the instrument to choose"`
	Hand   map[string]string `form:"hand-*"`
	Keys   map[string]string `form:"key-*"`
	Song   string            `form:"song,optional"`
	// the song's channels to rewrite, where it is in doubt which play the instrument
	Channels []string `form:"channel,optional"`
}

// FollowSong is what Song says where the song is to be rewritten.
const FollowSong = "follow"

// Replace carries a replacement out.
type Replace Replacement

func (c Replace) Run(ctx context.Context, at Target, a Replacer) (string, error) {
	return "", a.Replace(ctx, at, Replacement(c))
}
