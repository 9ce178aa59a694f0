package command

import (
	"context"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Commands on the selected lanes of a project; their rows stand among those of lanes.go.

// ColourLanes colours lanes with one colour, in its shades or in those of their families.
type ColourLanes struct {
	Lanes  []string   `form:"lane"`
	Colour string     `form:"colour"`
	Tint   edits.Tint `form:"tint,optional"` // "", "shades" or "family"
}

func (c ColourLanes) Edit() plan.Edit { return edits.ColourLanes(c.Lanes, c.Colour, c.Tint) }

// MoveLanes moves lanes as a block to a number, NumberLanes numbers them in the order given.
type (
	MoveLanes struct {
		Lanes  []string        `form:"lane"`
		Number plan.LaneNumber `form:"number-to" says:"the lane number"`
	}
	NumberLanes MoveLanes
)

func (c MoveLanes) Edit() plan.Edit   { return edits.MoveLanes(c.Lanes, c.Number) }
func (c NumberLanes) Edit() plan.Edit { return edits.NumberLanes(c.Lanes, c.Number) }

// MoveLanesUp moves lanes past the one above them, MoveLanesDown past the one below.
type (
	MoveLanesUp struct {
		Lanes []string `form:"lane"`
	}
	MoveLanesDown  MoveLanesUp
	AddDividers    MoveLanesUp // above lanes, in lists
	RemoveDividers MoveLanesUp
	RemoveLanes    MoveLanesUp // and buses
)

func (c MoveLanesUp) Edit() plan.Edit    { return edits.ShiftLanes(c.Lanes, true) }
func (c MoveLanesDown) Edit() plan.Edit  { return edits.ShiftLanes(c.Lanes, false) }
func (c AddDividers) Edit() plan.Edit    { return edits.DivideBefore(c.Lanes, true) }
func (c RemoveDividers) Edit() plan.Edit { return edits.DivideBefore(c.Lanes, false) }
func (c RemoveLanes) Edit() plan.Edit    { return edits.DeleteLanes(c.Lanes) }

// RenameLanes names lanes by a pattern, or puts what is typed before their names.
type RenameLanes struct {
	Lanes   []string `form:"lane"`
	Pattern string   `form:"pattern"`
}

func (c RenameLanes) Edit() plan.Edit { return edits.RenameLanes(c.Lanes, c.Pattern) }

// SetLaneWidths makes lanes as wide.
type SetLaneWidths struct {
	Lanes []string `form:"lane"`
	Width string   `form:"width"` // "mono", "stereo" or "5.1"
}

// Check refuses a width that there is not.
func (c SetLaneWidths) Check() error {
	_, err := audio.ParseWidth(c.Width)
	return err
}

func (c SetLaneWidths) Edit() plan.Edit {
	w, _ := audio.ParseWidth(c.Width) // Check has read it
	return edits.SetLaneWidths(c.Lanes, w)
}

// SetPans pans lanes: one pan for all, or one for each.
type SetPans struct {
	Lanes []string `form:"lane"`
	Pan   string   `form:"pan"`
}

func (c SetPans) Edit() plan.Edit { return edits.SetPans(c.Lanes, c.Pan) }

// manyFeeds are feeds of a project in the order in which they are shown.
type manyFeeds struct {
	Feeds []string `form:"feed"`
}

// Check refuses what names no feed.
func (c manyFeeds) Check() error {
	for _, f := range c.Feeds {
		if _, err := plan.ParseFeedRef(f); err != nil {
			return &Fault{Field: "feed", Err: err}
		}
	}
	return nil
}

func (c manyFeeds) refs() (out []plan.FeedRef) {
	for _, f := range c.Feeds {
		if ref, err := plan.ParseFeedRef(f); err == nil { // Check has read it
			out = append(out, ref)
		}
	}
	return out
}

// AssignInOrder assigns feeds to consecutive outputs and lanes; PinInOrder pins them to outputs.
type (
	AssignInOrder struct {
		Feeds  []string        `form:"feed"`
		Output int             `form:"from,min=1" says:"the first output"`
		Lane   plan.LaneNumber `form:"lane,optional" says:"the lane number"`
		Halves bool            `form:"halves"` // two mono feeds to a stereo output
	}
	PinInOrder struct {
		Feeds  []string `form:"feed"`
		Output int      `form:"from,min=1" says:"the first output"`
		Halves bool     `form:"halves"`
	}
)

func (c AssignInOrder) Check() error { return manyFeeds{c.Feeds}.Check() }
func (c PinInOrder) Check() error    { return manyFeeds{c.Feeds}.Check() }

func (c AssignInOrder) Edit() plan.Edit {
	return edits.AssignInOrder(manyFeeds{c.Feeds}.refs(), edits.InOrder{Output: c.Output, Lane: c.Lane, Halves: c.Halves})
}

func (c PinInOrder) Edit() plan.Edit {
	return edits.PinInOrder(manyFeeds{c.Feeds}.refs(), edits.InOrder{Output: c.Output, Halves: c.Halves})
}

// AddressInOrder gives parts consecutive MIDI channels.
type AddressInOrder struct {
	Feeds []string     `form:"feed"`
	From  midi.Address `form:"channel,optional"`
}

func (c AddressInOrder) Check() error { return manyFeeds{c.Feeds}.Check() }
func (c AddressInOrder) Edit() plan.Edit {
	return edits.AddressInOrder(manyFeeds{c.Feeds}.refs(), c.From)
}

// AssignAgain assigns an instrument's feeds again in order, from a port on.
type AssignAgain struct {
	Placed string   `form:"placed"`
	Port   rig.Port `form:"port,optional" says:"the first port"`
}

func (c AssignAgain) Edit() plan.Edit { return edits.AssignAgain(c.Placed, max(c.Port, 1)) }

// LanesAsTheyAre makes lanes for the outputs of an instrument as they are assigned.
type LanesAsTheyAre struct {
	Placed string `form:"placed"`
}

func (c LanesAsTheyAre) Edit() plan.Edit { return edits.LanesAsTheyAre(c.Placed) }

// MoveInstrumentTo moves an instrument to the place of another in the project's list.
type MoveInstrumentTo struct {
	Placed string `form:"placed"`
	To     string `form:"to"`
}

func (c MoveInstrumentTo) Edit() plan.Edit { return edits.MoveInstrumentTo(c.Placed, c.To) }

// MoveInstrumentUp and MoveInstrumentDown move an instrument in the project's list of them.
type (
	MoveInstrumentUp struct {
		Placed string `form:"placed"`
	}
	MoveInstrumentDown MoveInstrumentUp
)

func (c MoveInstrumentUp) Edit() plan.Edit   { return edits.MoveInstrument(c.Placed, true) }
func (c MoveInstrumentDown) Edit() plan.Edit { return edits.MoveInstrument(c.Placed, false) }

// ScoreOrder puts the instruments of a project in the order of a score.
type ScoreOrder struct{}

func (c ScoreOrder) Edit() plan.Edit { return edits.ScoreOrder() }

// MarkAllIntended marks several problems as intended, with one reason.
type MarkAllIntended struct {
	Problems []string `form:"finding"`
	Reason   string   `form:"reason"`
}

func (c MarkAllIntended) Edit() plan.Edit { return check.MarkAllIntended(c.Problems, c.Reason) }

// ChooseBus says which bus proposals route an instrument's lanes to, and on which lane it is made.
type ChooseBus struct {
	Placed string          `form:"placed"`
	Name   string          `form:"name,optional"` // "": the usual one
	Number plan.LaneNumber `form:"number,optional" says:"the lane number"`
	None   bool            `form:"none"` // to no bus
}

func (c ChooseBus) Edit() plan.Edit {
	return edits.ChooseBus(c.Placed, plan.BusChoice{Name: c.Name, Number: c.Number, None: c.None})
}

// OrderLanes says in which order an instrument's lanes stand and whose names they have, here or in
// the house chart as well.
type OrderLanes struct {
	Placed string        `form:"placed"`
	Order  house.Ordered `form:"order,optional"` // "", "instrument" or "outputs"
	Names  house.Named   `form:"names,optional"` // "" or "own"
	House  bool          `form:"house"`          // for the projects that come, too
}

func (c OrderLanes) Run(ctx context.Context, at Target, a Orderer) (string, error) {
	return "", a.OrderLanes(ctx, at, c.Placed, house.Custom{Order: c.Order, Names: c.Names}, c.House)
}

// FoldBus draws and lists a bus as one with its lanes, UnfoldBus each for itself.
type (
	FoldBus struct {
		Lane string `form:"lane"`
	}
	UnfoldBus FoldBus
)

func (c FoldBus) Edit() plan.Edit   { return edits.FoldBus(c.Lane, true) }
func (c UnfoldBus) Edit() plan.Edit { return edits.FoldBus(c.Lane, false) }
