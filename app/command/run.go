package command

import (
	"context"
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tabular"
)

// Commands of the run sheet, the kind of host, and the stand-in.

var runCommands = []*Spec{
	runs(Project, "tick", "Mark a step as done", with(blame("step")), Tick.Run),
	runs(Project, "untick", "Mark a step as not done", with(blame("step")), Untick.Run),
	runs(Project, "all-done", "Mark all as done", with(apart), AllDone.Run),
	of[NothingPatched](Project, "not-patched", "Begin the sheet again"),
	of[MatchLane](Project, "match", "Match a lane of the session", blame("to")),
	of[OtherLane](Project, "other", "Leave a lane of the session to the mixer"),
	runs(Project, "profile", "Choose the kind of host", with(blame("profile")), UseProfile.Run),
	runs(Project, "own-profile", "Describe a kind of host", with(blame("name")), OwnProfile.Run),
	of[StandInNext](Project, "practise-next", "Do the next step on the stand-in", form("practise")),
	of[StandInAll](Project, "practise-all", "Do every step on the stand-in", form("practise")),
	of[StandInBreak](Project, "practise-break", "Break something on the stand-in", form("practise")),
	of[StandInAnew](Project, "practise-restart", "Start over on the stand-in", form("practise")),
	of[StandInLoad](Project, "practise-load", "Load an instrument on the stand-in"),
	of[StandInSetup](Project, "practise-setup", "Set outputs up on the stand-in", form("stand-in"), blame("outputs")),
	of[StandInSave](Project, "practise-save", "Save a set-up on the stand-in", form("stand-in")),
	of[StandInReload](Project, "practise-reload", "Reload an instrument on the stand-in", form("stand-in")),
	of[StandInReopen](Project, "practise-reopen", "Reopen the project on the stand-in", form("stand-in")),
	of[StandInAssign](Project, "practise-assign", "Assign a feed on the stand-in", form("assign"), blame("jack")),
	of[StandInSwitch](Project, "practise-switch", "Switch an output on on the stand-in", form("assign"), blame("jack")),
	of[StandInSwitchOff](Project, "practise-switch-off", "Switch an output off on the stand-in", form("assign"),
		blame("jack")),
	of[StandInInside](Project, "practise-inside", "Set something inside an instrument of the stand-in",
		blame("value")),
	of[StandInMute](Project, "practise-mute", "Mute a lane on the stand-in, or not"),
	of[StandInSolo](Project, "practise-solo", "Solo a lane on the stand-in, or not"),
	of[StandInChain](Project, "practise-chain", "Chain a block of lanes on the stand-in, or not"),
	of[StandInLane](Project, "practise-lane", "Make a lane on the stand-in"),
	of[StandInBus](Project, "practise-bus", "Make a bus on the stand-in"),
	of[StandInMainOff](Project, "practise-mainoff", "Take the main mix off a lane on the stand-in"),
	of[StandInClose](Project, "practise-close", "Remove a lane on the stand-in"),
}

// Tick says that a step was done, or of it the parts at some places, from 0.
type Tick struct {
	Step  string   `form:"step"`
	Parts []string `form:"part,optional"`
}

func (c Tick) Run(ctx context.Context, at Target, a RunSheet) (string, error) {
	return "", a.TickStep(ctx, at, c.Step, c.Parts)
}

// Untick says that a step that was marked as done was not.
type Untick struct {
	Step string `form:"step"`
}

func (c Untick) Run(ctx context.Context, at Target, a RunSheet) (string, error) {
	return "", a.UntickStep(ctx, at, c.Step)
}

// AllDone says that everything stands as planned already.
type AllDone struct{}

func (AllDone) Run(ctx context.Context, at Target, a RunSheet) (string, error) {
	return "", a.AllStepsDone(ctx, at)
}

// NothingPatched says that nothing is patched in the host yet.
type NothingPatched struct{}

func (NothingPatched) Edit() plan.Edit { return runsheet.NothingPatched() }

// MatchLane says which planned lane a lane of the session is.
type MatchLane struct {
	Lane string `form:"lane"`
	To   string `form:"to"`
}

func (c MatchLane) Edit() plan.Edit { return edits.MatchLane(c.Lane, c.To) }

// OtherLane says of a lane of the session that it is none of the plan's.
type OtherLane struct {
	Lane string `form:"lane"`
}

func (c OtherLane) Edit() plan.Edit { return edits.LeaveToMixer(c.Lane) }

// UseProfile plans for a kind of host that there is.
type UseProfile struct {
	Profile string `form:"profile"`
}

func (c UseProfile) Run(ctx context.Context, at Target, a Profiles) (string, error) {
	p, err := a.ProfileNamed(ctx, c.Profile)
	if err != nil {
		return "", err
	}
	return "", a.EditAt(ctx, at, edits.SetProfile(p))
}

// OwnProfile describes a kind of host, keeps it for every project, and plans for it.
type OwnProfile struct {
	Name        string `form:"name"`
	Lanes       string `form:"lanes"`
	Limit       int    `form:"limit,optional" says:"the last lane"`
	Block       int    `form:"block,optional" says:"the size of a block"`
	Appears     string `form:"appears"`
	After       string `form:"after,optional"`
	Save        bool   `form:"save"`
	First       bool   `form:"first"`
	Sides       bool   `form:"sides"`
	Several     bool   `form:"several"`
	AllChannels bool   `form:"allchannels"`
	SendsSilent bool   `form:"sendssilent"`
	Tracks      string `form:"tracks,optional"`
	Notes       string `form:"notes,optional"`
	Ports       int    `form:"ports,optional,min=1" says:"the number of MIDI ports"`
	PanLaw      string `form:"panlaw,optional"`
	PanCentre   bool   `form:"pancentre"`
	MIDI        string `form:"midi,optional"` // what MIDI addresses count within: "" an instrument, "host"
}

// Profile is the kind of host that is described.
func (c OwnProfile) Profile() rig.Profile {
	return rig.Profile{Name: rig.CleanName(c.Name), Lanes: rig.LaneStyle(c.Lanes), Limit: c.Limit, BlockSize: c.Block,
		Appears: rig.Appears(c.Appears), After: rig.After(c.After), SaveFirst: c.Save, FirstOnOwn: c.First,
		Sides: c.Sides, Several: c.Several, AllChannels: c.AllChannels, MIDIPorts: max(c.Ports, 1),
		SendsSilent: c.SendsSilent, Tracks: rig.TrackStyle(c.Tracks), Notes: rig.NotesPlace(c.Notes),
		MIDI: rig.MIDIScope(c.MIDI), PanLaw: audio.PanLaw(c.PanLaw), PanCentre: c.PanCentre}
}

// Check refuses a description that is none.
func (c OwnProfile) Check() error { return c.Profile().Validate() }

func (c OwnProfile) Run(ctx context.Context, at Target, a Profiles) (string, error) {
	return "", a.UseOwnProfile(ctx, at, c.Profile())
}

// StandInNext, PractiseAll, PractiseBreak and PractiseAnew work the stand-in as a whole.
type (
	StandInNext  struct{}
	StandInAll   struct{}
	StandInBreak struct{}
	StandInAnew  struct{}
)

func (StandInNext) Edit() plan.Edit  { return runsheet.StandInNext() }
func (StandInAll) Edit() plan.Edit   { return runsheet.StandInAll() }
func (StandInBreak) Edit() plan.Edit { return runsheet.StandInBreak() }
func (StandInAnew) Edit() plan.Edit  { return runsheet.StandInAnew() }

// onStandIn are commands inside one instrument of the stand-in.
type onStandIn struct {
	Placed string `form:"placed"`
}

// StandInLoad, PractiseSave, PractiseReload and PractiseReopen work one instrument.
type (
	StandInLoad   onStandIn
	StandInSave   onStandIn
	StandInReload onStandIn
	StandInReopen onStandIn
)

func (c StandInLoad) Edit() plan.Edit { return runsheet.StandInLoad(c.Placed) }
func (c StandInSave) Edit() plan.Edit {
	return runsheet.OnStandIn("save", host.Save{Instrument: c.Placed})
}
func (c StandInReload) Edit() plan.Edit {
	return runsheet.OnStandIn("reload", host.Reload{Instrument: c.Placed})
}
func (c StandInReopen) Edit() plan.Edit { return runsheet.OnStandIn("reopen", host.Reopen{}) }

// StandInSetup sets an instrument's outputs up.
type StandInSetup struct {
	Placed  string    `form:"placed"`
	Outputs []rig.Run `form:"outputs"`
}

func (c StandInSetup) Edit() plan.Edit {
	return runsheet.OnStandIn("setup", host.Setup{Instrument: c.Placed, Outputs: rig.Lay(c.Outputs, 1)})
}

// StandInAssign sends a feed to an output, or off.
type StandInAssign struct {
	Placed string `form:"placed"`
	Feed   string `form:"feed"`
	Jack   string `form:"jack"`
}

func (c StandInAssign) Edit() plan.Edit {
	return runsheet.OnStandIn("assign", host.Assign{Instrument: c.Placed, Feed: c.Feed, Jack: c.Jack})
}

// StandInSwitch switches an output on.
type StandInSwitch struct {
	Placed string `form:"placed"`
	Jack   string `form:"jack"`
}

func (c StandInSwitch) Edit() plan.Edit {
	return runsheet.OnStandIn("switch", host.Switch{Instrument: c.Placed, Jack: c.Jack})
}

// StandInSwitchOff switches an output off.
type StandInSwitchOff StandInSwitch

func (c StandInSwitchOff) Edit() plan.Edit {
	return runsheet.OnStandIn("switch off", host.Switch{Instrument: c.Placed, Jack: c.Jack, Off: true})
}

// StandInInside sets something inside an instrument: a column of the table of the inside.
type StandInInside struct {
	Placed string `form:"placed"`
	Source string `form:"source"`
	Column string `form:"column"`
	Value  string `form:"value,optional"`
}

func (c StandInInside) Edit() plan.Edit {
	return runsheet.StandInInside(c.Placed, c.Source, c.Column, c.Value)
}

// StandInMute mutes a lane that is not, and the other way round; PractiseSolo solos it.
type (
	StandInMute StandInMainOff
	StandInSolo StandInMainOff
)

func (c StandInMute) Edit() plan.Edit { return runsheet.StandInMute(c.Lane) }
func (c StandInSolo) Edit() plan.Edit { return runsheet.StandInSolo(c.Lane) }

// StandInChain chains a block into the main mix, or takes it out.
type StandInChain struct {
	Block int `form:"block"`
}

func (c StandInChain) Edit() plan.Edit { return runsheet.StandInChain(c.Block) }

// StandInLane makes a lane, PractiseBus a bus.
type (
	StandInLane struct{}
	StandInBus  struct{}
)

func (StandInLane) Edit() plan.Edit { return runsheet.OnStandIn("make", host.MakeLane{}) }
func (StandInBus) Edit() plan.Edit  { return runsheet.OnStandIn("bus", host.MakeLane{Bus: true}) }

// practise types texts into cells of the stand-in host's mixer: what a lane takes,
// where it is routed to, and what is inserted on it.
func (c Cells) practise() plan.Edit {
	return func(p *plan.Project) (string, error) {
		label := ""
		for i, lane := range c.Rows {
			mixer := *p
			mixer.Lanes = p.StandIn.Clone().Lanes
			typed := strings.TrimSpace(c.Values[i])
			var edit plan.Edit
			switch c.Columns[i] {
			case "takes":
				ref, err := p.OutputLabelled(typed)
				if err != nil {
					return "", &tabular.Error{Row: lane, Column: "takes", Value: typed, Err: err}
				}
				a := host.Point{Lane: lane}
				if ref != (plan.OutputRef{}) {
					a.Sources = []plan.OutputRef{ref}
				}
				edit = runsheet.OnStandIn("point", a)
			case "to":
				bus, _, err := mixer.Destination(typed)
				if err != nil {
					return "", &tabular.Error{Row: lane, Column: "to", Value: typed, Err: err}
				}
				edit = runsheet.OnStandIn("route", host.Route{Lane: lane, To: bus})
			case "inserts":
				inserts, err := rig.ParseInserts(typed)
				if err != nil {
					return "", &tabular.Error{Row: lane, Column: "inserts", Value: typed, Err: err}
				}
				edit = runsheet.OnStandIn("insert", host.SetInserts{Lane: lane, Inserts: inserts})
			default:
				return "", fmt.Errorf("the mixer of the stand-in host has no column %q to type into", c.Columns[i])
			}
			var err error
			if label, err = edit(p); err != nil {
				return "", err
			}
		}
		return label, nil
	}
}

// StandInMainOff takes the main mix off a lane, PractiseClose takes a lane away.
type (
	StandInMainOff struct {
		Lane string `form:"lane"`
	}
	StandInClose StandInMainOff
)

func (c StandInMainOff) Edit() plan.Edit {
	return runsheet.OnStandIn("mainoff", host.MainOff{Lane: c.Lane})
}

func (c StandInClose) Edit() plan.Edit {
	return runsheet.OnStandIn("close", host.CloseLane{Lane: c.Lane})
}
