package command

import (
	"context"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Commands on how an instrument starts, where the run sheet begins, what is kept at its end, and
// how many instances there are.

var startCommands = []*Spec{
	runs(Project, "start", "Say in which state an instrument is loaded", with(blame("start"), seen), SetStart.Run),
	of[SetWay](Project, "way", "Choose the way to the plan", blame("way")),
	of[AskToSave](Project, "save-default", "Save an instrument's set-up as its default at the end"),
	of[AskForTemplate](Project, "keep-template", "Keep the session as a template of the host at the end", blame("name")),
	of[OpenNoTemplate](Project, "no-template", "Begin with an empty session, without the template of the host"),
	of[KeepFree](Project, "keep-free", "Keep outputs free", blame("free")),
	of[OwnPlace](Project, "own-place", "Give a voice a place of its own", blame("voice")),
	of[SetPlayer](Project, "player", "Let an instrument or the host play"),
	of[SwitchStage](Project, "stage", "Switch between writing and mixing", blame("to")),
	of[SwitchStages](Project, "stages", "Switch all instruments between writing and mixing", blame("to")),
	of[Divide](Project, "divide", "Divide an instrument into instances", blame("number"), seen),
	of[Gather](Project, "gather", "Gather the instances of an instrument into one", seen),
	of[GiveTracks](Project, "track", "Give lanes a track to be automated on", form("lanes"), blame("lane")),
	of[TakeTracks](Project, "no-track", "Leave lanes without a track", form("lanes"), blame("lane")),
	of[SetArticulations](Project, "articulations", "Set the articulation set of a part", blame("articulations")),
	runs(Project, "note-step", "Note where to find something in an instrument", with(blame("note")), NoteStep.Run),
}

// SetStart says in which state an instrument is when it is loaded: "" as delivered, "saved",
// "default", or "layout:" and the layout's name.
type SetStart struct {
	Placed string `form:"placed"`
	Start  string `form:"start"`
}

func (c SetStart) Run(ctx context.Context, at Target, a Layouts) (string, error) {
	name, layout := plan.LayoutOf(c.Start)
	if !layout {
		return "", a.EditAt(ctx, at, edits.SetStart(c.Placed, plan.StartKind(c.Start), "", nil))
	}
	l, err := layoutOf(ctx, at, a, c.Placed, name)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edits.SetStart(c.Placed, plan.FromLayout, name, []rig.Layout{l}))
}

// SetWay chooses the way from the start to the plan; "": the one with the fewest settings.
type SetWay struct {
	Placed string `form:"placed"`
	Way    string `form:"way"`
}

func (c SetWay) Edit() plan.Edit { return edits.SetWay(c.Placed, c.Way) }

// AskToSave asks for a step at the end that saves the set-up as the instrument's default.
type AskToSave struct {
	Placed string `form:"placed"`
	On     bool   `form:"on"`
}

func (c AskToSave) Edit() plan.Edit { return edits.AskToSave(c.Placed, c.On) }

// AskForTemplate asks for a step at the end that keeps the session as a template of the host, under a
// name; "": the project's.
type AskForTemplate struct {
	On   bool   `form:"on"`
	Name string `form:"name,optional"`
}

func (c AskForTemplate) Edit() plan.Edit { return edits.AskForTemplate(c.On, c.Name) }

// OpenNoTemplate begins with an empty session instead of the template of the host.
type OpenNoTemplate struct{}

func (OpenNoTemplate) Edit() plan.Edit { return edits.OpenNoTemplate }

// KeepFree asks proposals to leave outputs alone, and so many others empty.
type KeepFree struct {
	Placed string      `form:"placed"`
	Free   plan.Ranges `form:"free,optional"`
	Spare  int         `form:"spare,optional" says:"the number of spare outputs"`
}

func (c KeepFree) Edit() plan.Edit {
	return edits.KeepOutputsFree(c.Placed, plan.OutputNumbers(c.Free), c.Spare)
}

// OwnPlace gives a voice that leaves together with others a place of its own.
type OwnPlace struct {
	Placed string `form:"placed"`
	Voice  string `form:"voice"`
}

func (c OwnPlace) Edit() plan.Edit { return edits.OwnPlace(c.Placed, c.Voice) }

// SetPlayer says who plays an instrument: itself, where own, or the host.
type SetPlayer struct {
	Placed string `form:"placed"`
	Own    bool   `form:"own"`
}

func (c SetPlayer) Edit() plan.Edit { return edits.SetPlayer(c.Placed, c.Own) }

// SwitchStage brings an instrument to the writing or the mixing stage.
type SwitchStage struct {
	Placed string     `form:"placed"`
	To     plan.Stage `form:"to"`
}

func (c SwitchStage) Edit() plan.Edit { return edits.SwitchStage(c.Placed, c.To) }

// SwitchStages brings all instruments that can be written with to a stage.
type SwitchStages struct {
	To plan.Stage `form:"to"`
}

func (c SwitchStages) Edit() plan.Edit { return edits.SwitchStages(c.To) }

// Divide spreads the parts of an instrument over so many instances; no number: as few as its limits
// need.
type Divide struct {
	Placed string `form:"placed"`
	Number int    `form:"number,optional" says:"the number of instances"`
}

func (c Divide) Edit() plan.Edit { return edits.DivideInto(c.Placed, c.Number) }

// Gather puts the parts of all instances of an instrument into one.
type Gather struct {
	Placed string `form:"placed"`
}

func (c Gather) Edit() plan.Edit { return edits.GatherIntoOne(c.Placed) }

// GiveTracks says of lanes that they are to have a track, TakeTracks that they need none.
type (
	GiveTracks struct {
		Lanes []string `form:"lane"`
	}
	TakeTracks GiveTracks
)

func (c GiveTracks) Edit() plan.Edit { return plan.SetTrack(c.Lanes, true) }
func (c TakeTracks) Edit() plan.Edit { return plan.SetTrack(c.Lanes, false) }

// SetArticulations names the articulation set of a part's notes.
type SetArticulations struct {
	Part plan.FeedRef `form:"part"`
	Set  string       `form:"articulations"`
}

func (c SetArticulations) Edit() plan.Edit { return edits.SetArticulations(c.Part, c.Set) }

// NoteStep keeps the user's note for a kind of step in an instrument, on the shelf too.
type NoteStep struct {
	Placed string       `form:"placed"`
	Kind   rig.StepKind `form:"kind"`
	Note   string       `form:"note"`
}

func (c NoteStep) Run(ctx context.Context, at Target, a RunSheet) (string, error) {
	return "", a.NoteStep(ctx, at, c.Placed, c.Kind, c.Note)
}

// SetTraits says how an instrument of the shelf behaves as a whole.
type SetTraits struct {
	Player   string  `form:"player,optional"`
	Places   bool    `form:"ownplaces"`
	Separate bool    `form:"separate"`
	Fixed    bool    `form:"versionfixed"`
	Kit      bool    `form:"kitreplaces"`
	Order    bool    `form:"order"`
	Each     bool    `form:"each"`
	Defaults string  `form:"defaults,optional"`
	Names    string  `form:"outputnames,optional"`
	Load     float64 `form:"load,optional" says:"the load of an instance"`
	Parts    int     `form:"maxparts,optional" says:"the number of parts"`
	Channels int     `form:"channels,optional" says:"the number of MIDI channels"`
}

func (c SetTraits) traits() (rig.Traits, error) {
	t := rig.Traits{Player: rig.Player(c.Player), OwnPlaces: c.Places, SeparateSwitch: c.Separate, VersionFixed: c.Fixed,
		KitReplaces: c.Kit, Defaults: rig.Defaults(c.Defaults), Load: c.Load, MaxParts: c.Parts, Channels: c.Channels}
	if c.Order {
		t.Spreads = append(t.Spreads, rig.InOrder)
	}
	if c.Each {
		t.Spreads = append(t.Spreads, rig.OneEach)
	}
	var err error
	t.Names, err = rig.ParseOutputRows(c.Names)
	return t, err
}

// Check refuses names of outputs that cannot be read.
func (c SetTraits) Check() error {
	t, err := c.traits()
	if err != nil {
		return &Fault{Field: "outputnames", Err: err}
	}
	return t.Validate()
}

func (c SetTraits) Edit(midi.Naming) rig.Edit {
	t, _ := c.traits() // Check has read it
	return rig.SetTraits(t)
}

// SetStepNotes keeps the user's notes of where to find things in an instrument, by kind of step.
type SetStepNotes struct {
	Notes map[string]string `form:"note-*"`
}

func (c SetStepNotes) Edit(midi.Naming) rig.Edit {
	notes := map[rig.StepKind]string{}
	for k, v := range c.Notes {
		notes[rig.StepKind(k)] = v
	}
	return rig.SetStepNotes(notes)
}

// ForgetDefault lets an instrument begin as delivered again, in a version or in every.
type ForgetDefault struct {
	Version string `form:"version,optional"`
}

func (c ForgetDefault) Edit(midi.Naming) rig.Edit { return rig.ForgetDefault(c.Version) }
