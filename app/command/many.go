package command

import (
	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
)

// Commands on the selected lanes of a project; their rows stand among those of lanes.go.

// ColourLanes colours lanes with one colour, in its shades or in those of their families.
type ColourLanes struct {
	Lanes  []string  `form:"lane"`
	Colour string    `form:"colour"`
	Tint   plan.Tint `form:"tint,optional"` // "", "shades" or "family"
}

func (c ColourLanes) Edit() plan.Edit { return plan.ColourLanes(c.Lanes, c.Colour, c.Tint) }
func (c ColourLanes) Touches() Touch  { return writes(All) } // buses get darker with their lanes

// MoveLanes moves lanes as a block to a number, NumberLanes numbers them in the order given.
type (
	MoveLanes struct {
		Lanes  []string        `form:"lane"`
		Number plan.LaneNumber `form:"number-to" says:"the lane number"`
	}
	NumberLanes MoveLanes
)

func (c MoveLanes) Edit() plan.Edit   { return plan.MoveLanes(c.Lanes, c.Number) }
func (c NumberLanes) Edit() plan.Edit { return plan.NumberLanes(c.Lanes, c.Number) }

func (c MoveLanes) Touches() Touch   { return writes(Lanes).reading(All) }
func (c NumberLanes) Touches() Touch { return writes(Lanes).reading(All) }

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

func (c MoveLanesUp) Edit() plan.Edit    { return plan.ShiftLanes(c.Lanes, true) }
func (c MoveLanesDown) Edit() plan.Edit  { return plan.ShiftLanes(c.Lanes, false) }
func (c AddDividers) Edit() plan.Edit    { return plan.DivideBefore(c.Lanes, true) }
func (c RemoveDividers) Edit() plan.Edit { return plan.DivideBefore(c.Lanes, false) }
func (c RemoveLanes) Edit() plan.Edit    { return plan.DeleteLanes(c.Lanes) }

func (c MoveLanesUp) Touches() Touch    { return writes(Lanes).reading(All) }
func (c MoveLanesDown) Touches() Touch  { return writes(Lanes).reading(All) }
func (c AddDividers) Touches() Touch    { return writes(lanes(c.Lanes)...) }
func (c RemoveDividers) Touches() Touch { return writes(lanes(c.Lanes)...) }
func (c RemoveLanes) Touches() Touch    { return writes(Lanes).reading(All) }

// RenameLanes names lanes by a pattern, or puts what is typed before their names.
type RenameLanes struct {
	Lanes   []string `form:"lane"`
	Pattern string   `form:"pattern"`
}

func (c RenameLanes) Edit() plan.Edit { return plan.RenameLanes(c.Lanes, c.Pattern) }
func (c RenameLanes) Touches() Touch  { return writes(lanes(c.Lanes)...).reading(All) }

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
	return plan.SetLaneWidths(c.Lanes, w)
}

func (c SetLaneWidths) Touches() Touch { return writes(lanes(c.Lanes)...) }

// SetPans pans lanes: one pan for all, or one for each.
type SetPans struct {
	Lanes []string `form:"lane"`
	Pan   string   `form:"pan"`
}

func (c SetPans) Edit() plan.Edit { return plan.SetPans(c.Lanes, c.Pan) }
func (c SetPans) Touches() Touch  { return writes(lanes(c.Lanes)...) }
