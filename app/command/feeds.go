package command

import (
	"errors"
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Commands on feeds: where they go, what proposals may do with them, and problems.

var feedCommands = []*Spec{
	of[Decide](Project, "decide", "Assign, park or switch off a feed", blame("to")),
	of[Toggle](Project, "toggle", "Assign a feed at a crosspoint, or take it off", blame("cell")),
	of[SetOwnOutput](Project, "wish", "Set how much a feed wants its own output", blame("wish")),
	of[AssignInOrder](Project, "assign-order", "Assign feeds to consecutive outputs and lanes", form("feeds"),
		blame("from")),
	of[PinInOrder](Project, "pin-order", "Pin feeds to consecutive outputs", form("feeds"), blame("from")),
	of[AddressInOrder](Project, "channel-order", "Give parts consecutive MIDI channels", form("feeds"), blame("channel")),
	of[KeepTogether](Project, "together", "Keep feeds together", form("constraints"), blame("feed")),
	of[KeepApart](Project, "apart", "Keep feeds apart", form("constraints"), blame("feed")),
	of[SetGroupOwnOutput](Project, "group-wish", "Set how much a group wants its own output", form("constraints"),
		blame("wish")),
	of[ShareAsUsual](Project, "as-usual", "Ask for what people let share by habit"),
	of[Clear](Project, "clear", "Clear the constraints of feeds", form("constraints"), blame("feed")),
	of[Park](Project, "park", "Park feeds", form("constraints"), blame("feed")),
	of[SwitchOff](Project, "off", "Switch feeds off", form("constraints"), blame("feed")),
	of[Fold](Project, "fold", "Fold feeds to mono", form("constraints"), blame("feed")),
	of[Pin](Project, "pin", "Pin feeds to an output", form("constraints"), blame("to")),
	of[SetPairs](Project, "pairs", "Let two mono feeds share a stereo pair", blame("pairs")),
	of[SetLaneList](Project, "lanes", "Name the lanes for an instrument", blame("lanes")),
	of[ChooseBus](Project, "wish-bus", "Choose the bus for an instrument", blame("name")),
	runs(Project, "order-lanes", "Choose order and names of an instrument's lanes", with(blame("order")), OrderLanes.Run),
	of[UseAll](Project, "use", "Use all outputs again"),
	of[ShareFirst](Project, "axis", "Choose what shares first", blame("to")),
	of[MapVoices](Project, "voices", "Choose how voices are mapped", blame("to")),
	of[MapParts](Project, "parts", "Choose how parts are mapped", blame("to")),
	of[Split](Project, "split", "Split a microphone into groups of what it hears", blame("group-*")),
	of[AddSample](Project, "add-sample", "Add a sample of your own to an instrument", blame("name")),
	of[RemoveSample](Project, "remove-sample", "Remove a sample of your own"),
	of[Microphone](Project, "microphone", "Open or close a microphone in all instruments", blame("name")),
	of[SetBleed](Project, "bleed", "Set the bleed inside an instrument", blame("trim")),
	of[CentrePans](Project, "centre-pans", "Centre pans inside of feeds that have an output to themselves"),
	of[Accept](Project, "accept-all", "Accept a proposal", form("proposal"), blame("cut-*"), seen),
	of[AcceptSelected](Project, "accept-selected", "Accept the selected rows of a proposal", form("proposal"),
		blame("output"), seen),
	of[AcceptEvery](Project, "accept-every", "Accept the proposals for all instruments", seen),
	of[Fix](Project, "fix", "Fix a problem"),
	of[MarkIntended](Project, "accept", "Mark a problem as intended", blame("reason")),
	of[MarkAllIntended](Project, "accept-several", "Mark several problems as intended", blame("reason")),
	of[UnmarkIntended](Project, "accept-not", "Count a problem again"),
	of[AddException](Project, "differ", "Let a project differ from the house on purpose", blame("reason")),
	of[RemoveException](Project, "differ-not", "Count a difference from the house again"),
}

// Microphone closes a microphone, by its name, in all instruments, or opens it.
type Microphone struct {
	Name string `form:"name"`
	Open bool   `form:"open"`
}

func (c Microphone) Edit() plan.Edit { return edits.SwitchMicrophone(c.Name, c.Open) }

// SetBleed says what the microphones of an instrument hear of other pieces.
type SetBleed struct {
	Placed string         `form:"placed"`
	Bleed  rig.Bleed      `form:"bleed,optional"`
	Trim   audio.Decibels `form:"trim,optional"`
}

func (c SetBleed) Edit() plan.Edit { return edits.SetBleed(c.Placed, c.Bleed, c.Trim) }

// CentrePans centres what is panned inside an instrument although its lane can pan it.
type CentrePans struct {
	Placed string `form:"placed"`
}

func (c CentrePans) Edit() plan.Edit { return edits.CentrePans(c.Placed) }

// Decide says where a feed goes: "3", "3L", "park:3", "off", or "" for nowhere yet.
type Decide struct {
	Feed plan.FeedRef `form:"feed"`
	To   string       `form:"to"`
}

// parkPrefix begins a destination that a feed is parked on.
const parkPrefix = "park:"

// Check refuses a destination that cannot be read.
func (c Decide) Check() error {
	_, _, err := c.destination()
	return err
}

func (c Decide) destination() (plan.State, plan.Jack, error) {
	label, park := strings.CutPrefix(c.To, parkPrefix)
	switch {
	case c.To == "":
		return plan.Undecided, plan.Jack{}, nil
	case c.To == plan.OffLabel:
		return plan.Off, plan.Jack{}, nil
	}
	j, err := plan.ParseJack(label)
	if park {
		return plan.Parked, j, err
	}
	return plan.Assigned, j, err
}

func (c Decide) Edit() plan.Edit {
	state, at, _ := c.destination() // Check has read it
	return edits.Decide(c.Feed, state, at)
}

// Toggle is a crosspoint, "i1:k36|3": a second press takes the feed off again.
type Toggle struct {
	Cell string `form:"cell"`
}

// Check refuses a crosspoint that cannot be read.
func (c Toggle) Check() error {
	_, err := c.decide()
	return err
}

func (c Toggle) decide() (Decide, error) {
	feed, to, _ := strings.Cut(c.Cell, "|")
	ref, err := plan.ParseFeedRef(feed)
	if err != nil {
		return Decide{}, err
	}
	d := Decide{ref, to}
	return d, d.Check()
}

func (c Toggle) Edit() plan.Edit {
	d, _ := c.decide() // Check has read it
	state, at, _ := d.destination()
	return edits.Toggle(d.Feed, state, at)
}

// SetOwnOutput says how much a feed wants an output of its own, 0 to 3; −1: as the house has it.
type SetOwnOutput struct {
	Feed      plan.FeedRef `form:"feed"`
	OwnOutput int          `form:"wish,min=-1" says:"own output, from 0 to 3"`
}

// Check refuses a wish beyond the last.
func (c SetOwnOutput) Check() error {
	if c.OwnOutput > house.Never {
		return errors.New("a wish is a number from 0 to 3")
	}
	return nil
}

func (c SetOwnOutput) Edit() plan.Edit { return edits.SetOwnOutput(c.Feed, c.OwnOutput) }

// marked are feeds of one instrument that are selected for a constraint.
type marked struct {
	Placed string   `form:"placed"`
	Feeds  []string `form:"feed"`
}

// KeepTogether, KeepApart, Clear, Park, SwitchOff and Fold say what proposals are to do
// with the selected feeds of an instrument.
type (
	KeepTogether marked
	KeepApart    marked
	Clear        marked
	Park         marked
	SwitchOff    marked
	Fold         marked
)

func (c KeepTogether) Edit() plan.Edit { return edits.KeepTogether(c.Placed, c.Feeds) }
func (c KeepApart) Edit() plan.Edit    { return edits.KeepApart(c.Placed, c.Feeds) }
func (c Clear) Edit() plan.Edit        { return edits.ClearConstraints(c.Placed, c.Feeds) }
func (c Park) Edit() plan.Edit         { return edits.SetAside(c.Placed, c.Feeds, plan.Parked) }
func (c SwitchOff) Edit() plan.Edit    { return edits.SetAside(c.Placed, c.Feeds, plan.Off) }
func (c Fold) Edit() plan.Edit         { return edits.SetFold(c.Placed, c.Feeds, true) }

// SetGroupOwnOutput says how much the groups of the selected feeds want an output of their own, 0 to
// 3; −1: as much as their feeds do.
type SetGroupOwnOutput struct {
	Placed    string   `form:"placed"`
	Feeds     []string `form:"feed"`
	OwnOutput int      `form:"wish,min=-1" says:"own output, from 0 to 3"`
}

// Check refuses a wish beyond the last.
func (c SetGroupOwnOutput) Check() error { return SetOwnOutput{OwnOutput: c.OwnOutput}.Check() }

func (c SetGroupOwnOutput) Edit() plan.Edit {
	return edits.SetGroupOwnOutput(c.Placed, c.Feeds, c.OwnOutput)
}

// ShareAsUsual asks for what people let share by habit where outputs are few.
type ShareAsUsual struct {
	Placed string `form:"placed"`
}

func (c ShareAsUsual) Edit() plan.Edit { return edits.ShareAsUsual(c.Placed) }

// Pin pins the selected feeds to one output, or, where none is typed, each to where the
// proposal has it: "kick=3L".
type Pin struct {
	Placed string    `form:"placed"`
	Feeds  []string  `form:"feed"`
	To     plan.Jack `form:"to,optional"`
	At     []string  `form:"at,optional"`
}

func (c Pin) Edit() plan.Edit {
	if c.To != (plan.Jack{}) {
		return edits.PinTo(c.Placed, c.Feeds, c.To)
	}
	at := map[string]plan.Jack{}
	for _, a := range c.At {
		feed, label, _ := strings.Cut(a, "=")
		if j, err := plan.ParseJack(label); err == nil {
			at[feed] = j
		}
	}
	return edits.PinEach(c.Placed, c.Feeds, at)
}

// SetPairs lets proposals put two mono feeds in a stereo pair.
type SetPairs struct {
	Placed string `form:"placed"`
	Pairs  int    `form:"pairs"`
}

func (c SetPairs) Edit() plan.Edit { return edits.SetPairs(c.Placed, c.Pairs == 1) }

// SetLaneList gives the user's own lane numbers for an instrument.
type SetLaneList struct {
	Placed string      `form:"placed"`
	Lanes  plan.Ranges `form:"lanes,optional"`
}

func (c SetLaneList) Edit() plan.Edit { return edits.SetLaneList(c.Placed, c.Lanes) }

// UseAll lets proposals use all outputs again.
type UseAll struct {
	Placed string `form:"placed"`
}

func (c UseAll) Edit() plan.Edit { return edits.SetUse(c.Placed, 0) }

// ShareFirst chooses which tree feeds share by: "instrument" or "microphone".
type ShareFirst struct {
	Placed string `form:"placed"`
	To     string `form:"to"`
}

// Check refuses what is neither of them.
func (c ShareFirst) Check() error {
	if a := rig.Axis(c.To); a != rig.ByInstrument && a != rig.ByMicrophone {
		return fmt.Errorf("feeds share by instrument or by microphone, not by %q", c.To)
	}
	return nil
}

func (c ShareFirst) Edit() plan.Edit {
	return edits.SetView(c.Placed, func(v *rig.View) {
		v.Axis = ""
		if rig.Axis(c.To) == rig.ByMicrophone {
			v.Axis = rig.ByMicrophone
		}
	})
}

// MapVoices chooses how all voices of an instrument become feeds, MapParts all parts.
type (
	MapVoices struct {
		Placed string   `form:"placed"`
		To     rig.Mode `form:"to"`
	}
	MapParts MapVoices
)

func (c MapVoices) Edit() plan.Edit {
	return edits.SetView(c.Placed, func(v *rig.View) { v.Voices = c.To })
}
func (c MapParts) Edit() plan.Edit {
	return edits.SetView(c.Placed, func(v *rig.View) { v.Parts = c.To })
}

// Split lets a microphone send groups of what it hears as feeds of their own: by a rule, or with "groups"
// by the names of the groups, by the ID of what is heard. An empty rule joins them.
type Split struct {
	Placed string            `form:"placed"`
	ID     string            `form:"id"`
	To     string            `form:"to"`
	Groups map[string]string `form:"group-*"`
}

// OwnGroups is the choice to name the groups oneself.
const OwnGroups = "groups"

// Check refuses a rule that is none.
func (c Split) Check() error {
	if c.To == "" || c.To == OwnGroups {
		return nil
	}
	return rig.Split{By: rig.SplitRule(c.To)}.Validate()
}

func (c Split) Edit() plan.Edit {
	switch c.To {
	case "":
		return edits.JoinMicrophone(c.Placed, c.ID)
	case OwnGroups:
		return edits.NameGroups(c.Placed, c.ID, c.Groups)
	}
	return edits.SplitMicrophone(c.Placed, c.ID, rig.SplitRule(c.To))
}

// AddSample adds a sample of the user's own to the project's copy of an instrument; With is the voice it
// sounds with.
type AddSample struct {
	Placed string `form:"placed"`
	Name   string `form:"name"`
	With   string `form:"with"`
	Width  string `form:"width"` // "mono", "stereo" or "5.1"
}

// Check refuses a width that there is not.
func (c AddSample) Check() error {
	_, err := audio.ParseWidth(c.Width)
	return err
}

func (c AddSample) Edit() plan.Edit {
	w, _ := audio.ParseWidth(c.Width) // Check has read it
	return edits.AddSample(c.Placed, c.Name, c.With, w)
}

// RemoveSample takes such a sample out again.
type RemoveSample struct {
	Placed string `form:"placed"`
	ID     string `form:"id"`
}

func (c RemoveSample) Edit() plan.Edit { return edits.RemoveSample(c.Placed, c.ID) }

// Accept accepts all of a proposal. On how many outputs it is made stands in a field with the
// instrument behind its name.
type Accept struct {
	Placed string            `form:"placed"`
	Cut    map[string]string `form:"cut-*"`
}

func (c Accept) Edit() plan.Edit {
	return accepting(c.Placed, c.Cut, (*propose.Proposal).Everything)
}

func (c Accept) Check() error {
	_, err := proposalOptions(c.Placed, c.Cut)
	return err
}

// AcceptSelected accepts the selected rows of a proposal.
type AcceptSelected struct {
	Placed  string            `form:"placed"`
	Cut     map[string]string `form:"cut-*"`
	Outputs []string          `form:"output,optional"`
	Unused  []string          `form:"unused,optional"`
	Closing []string          `form:"closing,optional"`
}

func (c AcceptSelected) Edit() plan.Edit {
	return accepting(c.Placed, c.Cut, func(*propose.Proposal) propose.Selection {
		return selection(c.Outputs, c.Unused, c.Closing)
	})
}

func (c AcceptSelected) Check() error {
	_, err := proposalOptions(c.Placed, c.Cut)
	return err
}

// AcceptEvery accepts the proposals for several instruments in one go.
type AcceptEvery struct {
	Placed []string          `form:"placed"`
	Cut    map[string]string `form:"cut-*"`
}

func (c AcceptEvery) options() (all []propose.Options, err error) {
	for _, placed := range c.Placed {
		o, err := proposalOptions(placed, c.Cut)
		if err != nil {
			return nil, err
		}
		all = append(all, o)
	}
	return all, nil
}

func (c AcceptEvery) Check() error {
	_, err := c.options()
	return err
}

func (c AcceptEvery) Edit() plan.Edit {
	all, _ := c.options() // Check has read them
	return propose.AcceptAll(all)
}

// proposalOptions are what the user said of one instrument beforehand.
func proposalOptions(placed string, cut map[string]string) (o propose.Options, err error) {
	o = propose.Options{Placed: placed}
	if n := cut[placed]; n != "" {
		if o.Outputs, err = wholeNumber(n, 0, "the number of outputs"); err != nil {
			return o, &Fault{Field: "cut-" + placed, Err: err}
		}
	}
	return o, nil
}

func accepting(placed string, cut map[string]string, choose func(*propose.Proposal) propose.Selection) plan.Edit {
	o, _ := proposalOptions(placed, cut) // Check has read them
	return propose.Accept(o, choose)
}

// Fix does what a problem's button says, if the problem is still there.
type Fix struct {
	Problem string `form:"finding"`
	Way     int    `form:"way,optional"` // of those it offers; 0: the first
}

func (c Fix) Edit() plan.Edit { return check.Fix(c.Problem, c.Way) }

// MarkIntended marks a problem as intended, with the reason.
type MarkIntended struct {
	Problem string `form:"finding"`
	Reason  string `form:"reason"`
}

func (c MarkIntended) Edit() plan.Edit { return check.MarkIntended(c.Problem, c.Reason) }

// UnmarkIntended counts a problem again that was marked as intended.
type UnmarkIntended struct {
	Problem string `form:"finding"`
}

func (c UnmarkIntended) Edit() plan.Edit { return check.UnmarkIntended(c.Problem) }

// AddException says that the project is meant to differ from the house, and why: in one
// attribute of a role, or in all where none is named.
type AddException struct {
	Role      string `form:"role,optional"`
	Attribute string `form:"attribute,optional"`
	Reason    string `form:"reason"`
}

func (c AddException) Edit() plan.Edit {
	return edits.AddException(plan.Exception{Role: role.Role(c.Role), Attribute: c.Attribute, Reason: c.Reason})
}

// RemoveException counts a difference from the house again.
type RemoveException struct {
	Role      string `form:"role,optional"`
	Attribute string `form:"attribute,optional"`
}

func (c RemoveException) Edit() plan.Edit {
	return edits.RemoveException(role.Role(c.Role), c.Attribute)
}
