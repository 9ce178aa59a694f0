package command

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/tables"
)

// Commands on lanes, buses and sends, and on the project as a whole.

var laneCommands = []*Spec{
	of[RenameProject](Project, "rename", "Rename the project", blame("name")),
	of[SetHost](Project, "host", "Set what the host has", blame("taken")),
	of[RemoveSong](Project, "no-song", "Remove the song"),
	of[SetProjectCells](Project, "cells", "Change cells of a table", blame("value")),
	of[NameLane](Project, "name", "Rename a lane", blame("name")),
	of[ColourLane](Project, "colour", "Colour a lane", blame("colour")),
	of[MoveLane](Project, "move", "Move a lane to another number", blame("number")),
	of[OpenLane](Project, "open", "Open a lane", blame("output")),
	of[PointLane](Project, "point", "Point a lane at an output", blame("output")),
	of[ArriveOn](Project, "arrive", "Let an output arrive on a lane", blame("number")),
	of[Arrivals](Project, "arrivals", "Let outputs arrive on lanes", blame("lane-*")),
	of[AddOthers](Project, "others", "Write down other lanes of the mixer", blame("text")),
	of[LeaveToMixer](Project, "to-mixer", "Leave lanes to the mixer", form("lanes"), blame("lane")),
	of[TakeIntoPlan](Project, "to-plan", "Take lanes into the plan", form("lanes"), blame("lane")),
	of[CloseLane](Project, "close", "Remove a lane"),
	of[FoldBus](Project, "fold-bus", "Fold a bus with its lanes"),
	of[UnfoldBus](Project, "unfold-bus", "Unfold a bus and its lanes"),
	of[Route](Project, "route", "Route lanes to a bus or the main mix", form("lanes"), blame("to")),
	of[AddBus](Project, "bus", "Add a bus for lanes", form("lanes"), blame("name")),
	of[ColourLanes](Project, "colours", "Colour lanes", form("lanes"), blame("colour")),
	of[MoveLanes](Project, "move-block", "Move lanes as a block to a number", form("lanes"), blame("number-to")),
	of[MoveLanesUp](Project, "up", "Move lanes past the one above", form("lanes"), blame("lane")),
	of[MoveLanesDown](Project, "down", "Move lanes past the one below", form("lanes"), blame("lane")),
	of[NumberLanes](Project, "number-lanes", "Number lanes in order", form("lanes"), blame("number-to")),
	of[RenameLanes](Project, "pattern", "Rename lanes by a pattern", form("lanes"), blame("pattern")),
	of[SetLaneWidths](Project, "widths", "Set the width of lanes", form("lanes"), blame("width")),
	of[SetPans](Project, "pans", "Pan lanes", form("lanes"), blame("pan")),
	of[AddDividers](Project, "divider", "Add a divider before lanes", form("lanes"), blame("lane")),
	of[RemoveDividers](Project, "no-divider", "Remove the divider before lanes", form("lanes"), blame("lane")),
	of[RemoveLanes](Project, "remove-lanes", "Remove lanes", form("lanes"), blame("lane")),
	of[AddSend](Project, "send", "Add a send to a bus, or to a return made for it", form("lanes"), blame("sendto")),
	of[AddInsert](Project, "insert", "Add an insert to lanes", form("lanes"), blame("insert")),
	of[FollowAdvice](Project, "advice", "Follow an advice about inserts"),
	of[SetAddress](Project, "address", "Set the MIDI address of a part", blame("address")),
	of[SetKitAddress](Project, "kit-address", "Set the MIDI address of a kit", blame("address")),
}

// RenameProject names the project.
type RenameProject struct {
	Name string `form:"name"`
}

func (c RenameProject) Edit() plan.Edit { return edits.Rename(c.Name) }

// SetHost says how many lanes the host has, which are taken and where to begin.
type SetHost struct {
	First  plan.LaneNumber `form:"first,optional"`
	Taken  plan.Ranges     `form:"taken,optional"`
	Limit  plan.LaneNumber `form:"limit,optional" says:"the host's last lane"`
	Block  plan.LaneNumber `form:"block,optional" says:"the size of a block"`
	Memory float64         `form:"memory,optional" says:"the memory for instruments"`
	Sides  bool            `form:"sides"`
}

// Host is the host that is described.
func (c SetHost) Host() plan.Host {
	return plan.Host{LaneLimit: c.Limit, FirstLane: max(c.First, 1), BlockSize: c.Block, Taken: c.Taken,
		Sides: c.Sides, Budget: c.Memory}
}

func (c SetHost) Edit() plan.Edit { return edits.SetHost(c.Host()) }

// RemoveSong takes the project's song away.
type RemoveSong struct{}

func (RemoveSong) Edit() plan.Edit { return edits.SetSong(nil) }

// SetProjectCells types texts into cells of a table of the project.
type SetProjectCells struct {
	Cells `form:"*"`
}

func (c SetProjectCells) Edit() plan.Edit {
	if c.Table == standIn {
		return c.practise()
	}
	return tables.SetCells(c.Table, c.list())
}

// standIn is the table that is the mixer of the stand-in host.
const standIn = "stand-in"

// NameLane names a lane or bus.
type NameLane struct {
	Lane string `form:"lane"`
	Name string `form:"name"`
}

func (c NameLane) Edit() plan.Edit { return plan.NameLane(c.Lane, c.Name) }

// ColourLane colours a lane or bus.
type ColourLane struct {
	Lane   string `form:"lane"`
	Colour string `form:"colour"`
}

func (c ColourLane) Edit() plan.Edit { return plan.ColourLane(c.Lane, c.Colour) }

// MoveLane gives a lane another number; others make room.
type MoveLane struct {
	Lane   string          `form:"lane"`
	Number plan.LaneNumber `form:"number" says:"the lane number"`
}

func (c MoveLane) Edit() plan.Edit { return plan.MoveLane(c.Lane, c.Number) }

// OpenLane makes a lane for an output, or an empty one.
type OpenLane struct {
	Output plan.OutputRef `form:"output,optional"`
	Name   string         `form:"name,optional"`
}

func (c OpenLane) Edit() plan.Edit { return edits.AddLane(c.Output, 0, c.Name) }

// PointLane makes a lane take an output, or nothing.
type PointLane struct {
	Lane   string         `form:"lane"`
	Output plan.OutputRef `form:"output,optional"`
}

func (c PointLane) Edit() plan.Edit { return plan.PointLane(c.Lane, c.Output) }

// ArriveOn says on which lane an output arrives; number 0: on none.
type ArriveOn struct {
	Output plan.OutputRef  `form:"output"`
	Number plan.LaneNumber `form:"number,optional" says:"the lane number"`
}

func (c ArriveOn) Edit() plan.Edit { return edits.ArriveOn(c.Output, c.Number) }

// Arrivals says on which lanes outputs arrive, by what they are referred to as; "" is none.
// What stands there already, several lanes of one output among it, stays.
type Arrivals struct {
	Lanes map[string]string `form:"lane-*"`
}

// Check refuses outputs and lanes that cannot be read.
func (c Arrivals) Check() error {
	for _, ref := range slices.Sorted(maps.Keys(c.Lanes)) {
		if _, err := plan.ParseOutputRef(ref); err != nil {
			return &Fault{Field: "lane-" + ref, Err: err}
		}
	}
	return nil
}

func (c Arrivals) Edit() plan.Edit {
	return func(p *plan.Project) (string, error) {
		label := ""
		for _, text := range slices.Sorted(maps.Keys(c.Lanes)) {
			ref, _ := plan.ParseOutputRef(text) // Check has read it
			var now []plan.LaneNumber
			for _, l := range p.LanesOf(ref) {
				now = append(now, l.Number)
			}
			typed := strings.TrimSpace(c.Lanes[text])
			if typed == plan.RangesOf(now...).String() || typed == numbers(now) {
				continue
			}
			n := 0
			if typed != "" {
				var err error
				if n, err = wholeNumber(typed, 1, "the lane number"); err != nil {
					return "", &Fault{Field: "lane-" + text, Err: err}
				}
			}
			said, err := edits.ArriveOn(ref, plan.LaneNumber(n))(p)
			if err != nil {
				return "", &Fault{Field: "lane-" + text, Err: err}
			}
			label = said
		}
		if label == "" {
			return "", errors.New("no lane number is different. Type another one, or none")
		}
		return label, nil
	}
}

func numbers(list []plan.LaneNumber) string {
	var out []string
	for _, n := range list {
		out = append(out, fmt.Sprint(n))
	}
	return strings.Join(out, ", ")
}

// AddOthers writes lanes down that are in the mixer already, as plan.ParseOthers reads them.
type AddOthers struct {
	Text string `form:"text"`
}

// Check refuses what cannot be read.
func (c AddOthers) Check() error {
	_, err := plan.ParseOthers(c.Text)
	return err
}

func (c AddOthers) Edit() plan.Edit {
	lanes, _ := plan.ParseOthers(c.Text) // Check has read it
	return edits.AddOthers(lanes)
}

// LeaveToMixer says of lanes that the plan did not make them, TakeIntoPlan that it did.
type (
	LeaveToMixer struct {
		Lanes []string `form:"lane"`
	}
	TakeIntoPlan LeaveToMixer
)

func (c LeaveToMixer) Edit() plan.Edit { return edits.SetOwner(c.Lanes, plan.Found) }
func (c TakeIntoPlan) Edit() plan.Edit { return edits.SetOwner(c.Lanes, plan.ByPlan) }

// CloseLane takes a lane or bus away.
type CloseLane struct {
	Lane string `form:"lane"`
}

func (c CloseLane) Edit() plan.Edit { return edits.DeleteLane(c.Lane) }

// alsoMain ends the destination of a lane that goes to its bus and to the main mix.
const alsoMain = "+main"

// Route says where lanes go: a bus by its ID, "" for the main mix, or both.
type Route struct {
	Lanes []string `form:"lane"`
	To    string   `form:"to"`
}

func (c Route) Edit() plan.Edit {
	bus, both := strings.CutSuffix(c.To, alsoMain)
	return plan.Route(c.Lanes, bus, both)
}

// AddBus makes a bus and routes lanes to it.
type AddBus struct {
	Name   string          `form:"name"`
	Number plan.LaneNumber `form:"number,optional" says:"the lane number"`
	Lanes  []string        `form:"lane,optional"`
}

func (c AddBus) Edit() plan.Edit { return edits.AddBus(c.Name, c.Number, c.Lanes) }

// AddSend lets lanes send to a bus by its name, or to a return that is made for it.
type AddSend struct {
	Lanes []string `form:"lane"`
	To    string   `form:"sendto"`
	Level string   `form:"level"` // one, or one for each lane
	Tap   plan.Tap `form:"tap,optional"`
}

// Check refuses levels that cannot be read.
func (c AddSend) Check() error {
	if _, err := edits.ParseLevels(c.Level); err != nil {
		return &Fault{Field: "level", Err: err}
	}
	return nil
}

func (c AddSend) Edit() plan.Edit {
	return edits.SendLevels(c.To, c.Lanes, c.Level, c.Tap == plan.BeforeFader)
}

// AddInsert puts an effect behind the others of lanes and buses, before a limiter that is last.
type AddInsert struct {
	Lanes  []string `form:"lane"`
	Insert string   `form:"insert"`
}

func (c AddInsert) Edit() plan.Edit { return edits.AddInserts(c.Lanes, c.Insert) }

// FollowAdvice puts an insert that several lanes carry in one place.
type FollowAdvice struct {
	Advice string `form:"advice"`
}

func (c FollowAdvice) Edit() plan.Edit { return edits.FollowAdvice(c.Advice) }

// SetAddress gives a part its MIDI address; empty: none.
type SetAddress struct {
	Part    plan.FeedRef `form:"part"`
	Address midi.Address `form:"address"`
}

func (c SetAddress) Edit() plan.Edit { return edits.SetAddress(c.Part, c.Address) }

// SetKitAddress says on which MIDI address the voices of an instrument without parts listen.
type SetKitAddress struct {
	Placed  string       `form:"placed"`
	Address midi.Address `form:"address"`
}

func (c SetKitAddress) Edit() plan.Edit { return edits.SetKitAddress(c.Placed, c.Address) }
