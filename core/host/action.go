package host

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Action is one thing done with the hands, a value of one of the types below. There is
// one type an action, so that each says no more than it needs.
type Action interface {
	// do carries the action out, or says why the host does not let one.
	do(h *Host) error
	// Sets lists what the action sets, by which it is told from others.
	Sets() []plan.Setting
}

// setting is one that an action sets, with its value in short.
func setting(e plan.Entity, a plan.Attribute, value any) plan.Setting {
	s := plan.Setting{Key: plan.Key{Entity: e, Attribute: a}}
	switch v := value.(type) { // those there are many of, without reflection
	case string:
		s.Value = v
	case plan.LaneNumber:
		s.Value = strconv.Itoa(int(v))
	case []plan.OutputRef:
		for i, r := range v {
			if i > 0 {
				s.Value += " "
			}
			s.Value += r.String()
		}
	default:
		s.Value = fmt.Sprint(v)
	}
	return s
}

func settingOf(e plan.Entity, a plan.Attribute, value any) []plan.Setting {
	return []plan.Setting{setting(e, a, value)}
}

// known says of what an action has set that it is known now.
func (h *Host) known(a Action) {
	if len(h.State.Unknown) > 0 {
		for _, s := range a.Sets() {
			delete(h.State.Unknown, s.Key)
		}
	}
}

// recordable is an Action whose outcome can be written down although the host would not
// have let one do it, or would have made something else of it.
type recordable interface{ record(h *Host) }

// onLanes is an Action done to lanes that are there before it.
type onLanes interface{ lanes() []string }

// OnLanes are the lanes that an action is done to, and that are there before it.
func OnLanes(a Action) []string {
	if on, ok := a.(onLanes); ok {
		return on.lanes()
	}
	return nil
}

// onInstrument is an Action inside one instrument, by the ID it is placed under.
type onInstrument interface{ instrument() string }

// Do carries an action out, or says why the host does not let one.
func (h *Host) Do(a Action) error {
	err := a.do(h)
	if err == nil {
		h.known(a)
	}
	return err
}

// Record writes an action down as the user says it was done: the outcome, whatever the
// host would have made from it. What cannot be recorded, for the lane is not there, is not.
func (h *Host) Record(a Action) {
	if at, ok := a.(onInstrument); ok {
		h.assumeLoaded(at.instrument(), a)
	}
	if r, ok := a.(recordable); ok {
		r.record(h)
		h.known(a)
		return
	}
	_ = h.Do(a)
}

// assumeLoaded makes an instrument that nobody has reported as loaded so, for something
// was done in it; a set-up that is reported is what it then has.
func (h *Host) assumeLoaded(id string, a Action) {
	if _, loaded := h.State.Instruments[id]; loaded {
		return
	}
	var outputs []rig.Output
	if s, ok := a.(Setup); ok {
		outputs = s.Outputs
	}
	h.State.Instruments[id] = freshlyLoaded(outputs)
	h.State.Forget(plan.InstrumentEntity(id), plan.AttrInside) // nobody has said how it came
	h.State.Forget(plan.InstrumentEntity(id), plan.AttrVersion)
}

func freshlyLoaded(outputs []rig.Output) plan.InstrumentState {
	return plan.InstrumentState{Setup: outputs, Kept: outputs, Seen: outputs,
		On: map[int]bool{}, Feeds: map[string]string{}, Inside: map[string]string{}}
}

// state gives a loaded instrument's state, or says that it is not loaded.
func (h *Host) state(id string) (plan.InstrumentState, error) {
	in, ok := h.State.Instruments[id]
	if !ok {
		return in, fmt.Errorf("the instrument is not loaded")
	}
	return in, nil
}

// lane gives a lane of the mixer, or says that there is none with the ID.
func (h *Host) lane(id string) (*plan.Lane, error) {
	if l := h.Lane(id); l != nil {
		return l, nil
	}
	return nil, fmt.Errorf("there is no such lane in the mixer")
}

// bus is lane for one that takes other lanes.
func (h *Host) bus(id string) error {
	if b := h.Lane(id); b == nil || b.Kind != plan.Bus {
		return fmt.Errorf("there is no such bus in the mixer")
	}
	return nil
}

// Load loads an instrument with its outputs. Where its first output gets a lane at once,
// that is Lane with the Number.
type Load struct {
	Instrument string
	Name       string
	Outputs    []rig.Output
	Halved     []int
	Feeds      map[string]string // where they stand; missing: on the first output
	Lanes      map[string]LaneAt // that appear for outputs, by their labels
	Inside     map[string]string // as it comes
	Version    string
	Default    string // what was saved as its default, where it is loaded with that
	Lane       string
	Number     plan.LaneNumber
}

func (a Load) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrLoaded, true)
}

func (a Load) do(h *Host) error {
	if _, err := h.state(a.Instrument); err == nil {
		return fmt.Errorf("the instrument is loaded already")
	}
	in := freshlyLoaded(a.Outputs)
	in.Name, in.Version, in.Halved, in.Default = a.Name, a.Version, a.Halved, a.Default
	maps.Copy(in.Feeds, a.Feeds)
	if in.Inside = maps.Clone(a.Inside); in.Inside == nil {
		in.Inside = map[string]string{}
	}
	h.State.Instruments[a.Instrument] = in
	if len(a.Outputs) > 0 && plan.HasHomes(h.Profile) {
		in.On[1] = true
		h.comeHome(a)
	}
	h.appearAll(a.Instrument, a.Feeds, a.Lanes)
	return nil
}

// comeHome gives an instrument that is loaded the lane that its first output arrives on. Where the
// lane that is named carries another instrument, the new one cannot be loaded there: it gets a lane
// of its own, which has that name from then on.
func (h *Host) comeHome(a Load) {
	j := plan.Jack{Output: a.Outputs[0].Number}
	there := h.Lane(a.Lane)
	switch {
	case there == nil || there.Kind != plan.Regular:
		h.appear(a.Instrument, j, a.Lane, a.Number)
	case h.isHome(a.Lane):
		h.appear(a.Instrument, j, "", a.Number)
	case h.Alive(there):
		h.appear(a.Instrument, j, "", a.Number)
		h.State.ExchangeLanes(h.State.Lanes[len(h.State.Lanes)-1].ID, a.Lane)
		h.index()
	default:
		h.point(there, nil, there.Width)
		h.appear(a.Instrument, j, a.Lane, a.Number)
	}
	ref := plan.OutputRef{Placed: a.Instrument, Output: j.Output}
	in := h.State.Instruments[a.Instrument]
	for i := range h.State.Lanes {
		if l := &h.State.Lanes[i]; slices.Contains(l.Sources, ref) {
			in.Home = l.ID
			if l.Name == outputName(j) { // it came with the instrument, and is called so
				l.Name = cmp.Or(a.Name, l.Name)
			}
		}
	}
	h.State.Instruments[a.Instrument] = in
}

// isHome reports whether an instrument was loaded on a lane.
func (h *Host) isHome(lane string) bool {
	for _, in := range h.State.Instruments {
		if in.Home == lane {
			return true
		}
	}
	return false
}

// Alive reports whether a lane takes an output of an instrument that is loaded.
func (h *Host) Alive(l *plan.Lane) bool {
	return slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool {
		_, loaded := h.State.Instruments[s.Placed]
		return loaded
	})
}

// TakeLane takes a lane that is in the mixer already as the planned one.
type TakeLane struct{ Lane, As string }

// Sets is what the planned lane takes.
func (a TakeLane) Sets() []plan.Setting {
	return []plan.Setting{setting(plan.LaneEntity(a.As), plan.AttrLoaded, true),
		setting(plan.LaneEntity(a.As), plan.AttrSources, a.Lane)}
}

func (a TakeLane) do(h *Host) error {
	if _, err := h.lane(a.Lane); err != nil {
		return err
	}
	h.State.ExchangeLanes(a.Lane, a.As)
	h.index()
	return nil
}

// LaneAt is a lane that appears for an output, with its number.
type LaneAt struct {
	Lane   string
	Number plan.LaneNumber
}

// appearAll lets lanes appear for what feeds are assigned to, where the host does that.
func (h *Host) appearAll(instrument string, feeds map[string]string, lanes map[string]LaneAt) {
	for _, label := range slices.Compact(slices.Sorted(maps.Values(feeds))) {
		h.appearAssigned(instrument, label, lanes[label].Lane, lanes[label].Number)
	}
}

// Spread is one action inside an instrument that places its feeds, and sets its outputs up where
// it has to.
type Spread struct {
	Instrument string
	Key        string // as plan.Placed.Spread names it
	Outputs    []rig.Output
	Halved     []int
	Feeds      map[string]string
	Lanes      map[string]LaneAt // that appear for outputs, by their labels
}

func (a Spread) instrument() string { return a.Instrument }

func (a Spread) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrStart, a.Key)
}

func (a Spread) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	feeds := maps.Clone(in.Feeds)
	maps.Copy(feeds, a.Feeds)
	in.Feeds, in.Spread = feeds, a.Key
	h.State.Instruments[a.Instrument] = in
	if !slices.Equal(in.Setup, a.Outputs) || !slices.Equal(in.Halved, a.Halved) {
		if err := (Setup{Instrument: a.Instrument, Outputs: a.Outputs, Halved: a.Halved}).do(h); err != nil {
			return err
		}
	}
	h.appearAll(a.Instrument, a.Feeds, a.Lanes)
	return nil
}

// SetVersion switches a loaded instrument to another version.
type SetVersion struct{ Instrument, Version string }

func (a SetVersion) instrument() string { return a.Instrument }

func (a SetVersion) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrVersion, a.Version)
}

func (a SetVersion) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	in.Version = a.Version
	h.State.Instruments[a.Instrument] = in
	return nil
}

// LoadAnew loads an instrument again in another version, where that is fixed when it is loaded: it
// begins as it starts, on the lanes it has.
type LoadAnew struct {
	Instrument, Version string
	Outputs             []rig.Output
	Halved              []int
	Feeds, Inside       map[string]string
	Lanes               map[string]LaneAt // that appear for outputs, by their labels
}

func (a LoadAnew) instrument() string { return a.Instrument }

func (a LoadAnew) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrVersion, a.Version)
}

func (a LoadAnew) do(h *Host) error {
	was, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	in := freshlyLoaded(a.Outputs)
	in.Name, in.Version, in.Halved, in.On, in.Home = was.Name, a.Version, a.Halved, was.On, was.Home
	maps.Copy(in.Feeds, a.Feeds)
	maps.Copy(in.Inside, a.Inside)
	h.State.Instruments[a.Instrument] = in
	h.appearAll(a.Instrument, a.Feeds, a.Lanes)
	return nil
}

// SaveDefault saves what an instrument is as what it begins with on this machine.
type SaveDefault struct{ Instrument, Hash string }

func (a SaveDefault) instrument() string { return a.Instrument }

func (a SaveDefault) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrDefault, a.Hash)
}

func (a SaveDefault) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	in.Default = a.Hash
	h.State.Instruments[a.Instrument] = in
	return nil
}

// KeepTemplate keeps the mixer as a template of the host, under a name.
type KeepTemplate struct{ Plan, Name string }

func (a KeepTemplate) Sets() []plan.Setting {
	return settingOf(plan.HeardEntity, plan.AttrTemplate, a.Plan)
}

func (a KeepTemplate) do(h *Host) error {
	h.State.Template = a.Plan
	h.State.Kept = h.State.KeptTemplate(a.Name, h.Profile.Name)
	return nil
}

// OpenTemplate opens a new session from a template of the host, in place of an empty one.
type OpenTemplate struct{ Template *plan.MixerTemplate }

func (a OpenTemplate) Sets() []plan.Setting {
	return settingOf(plan.HeardEntity, plan.AttrOpened, a.Template.Name)
}

func (a OpenTemplate) do(h *Host) error {
	if len(h.State.Instruments) > 0 {
		return fmt.Errorf("a template opens as a session of its own; this one has instruments already")
	}
	kept, others := a.Template.State.Clone(), h.State.Lanes
	kept.LastID, kept.Kept = max(kept.LastID, h.State.LastID), h.State.Kept
	*h.State = *kept
	for _, l := range others { // that the plan knows of, and the template does not
		if !slices.ContainsFunc(kept.Lanes, func(k plan.Lane) bool { return k.ID == l.ID }) {
			h.State.Lanes = append(h.State.Lanes, l)
		}
	}
	h.index()
	return nil
}

// Unload takes an instrument out, and the lane that it was loaded on with it; "": there is none, or it
// stays, since another is loaded there in its place.
type Unload struct{ Instrument, Lane string }

func (a Unload) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrLoaded, false)
}

func (a Unload) do(h *Host) error {
	delete(h.State.Instruments, a.Instrument)
	if a.Lane == "" || h.isHome(a.Lane) || h.Lane(a.Lane) == nil {
		return nil
	}
	return CloseLane{Lane: a.Lane}.do(h)
}

// Setup sets an instrument's outputs up.
type Setup struct {
	Instrument string
	Outputs    []rig.Output
	Halved     []int
}

func (a Setup) instrument() string { return a.Instrument }

func (a Setup) Sets() []plan.Setting {
	return []plan.Setting{setting(plan.InstrumentEntity(a.Instrument), plan.AttrOutputs, a.Outputs),
		setting(plan.InstrumentEntity(a.Instrument), plan.AttrHalved, a.Halved)}
}

func (a Setup) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	in.Setup, in.Halved = a.Outputs, a.Halved
	if h.Profile.After == rig.AtOnce {
		in.Seen = in.Setup
	}
	if !h.Profile.SaveFirst {
		in.Kept = in.Setup
	}
	h.State.Instruments[a.Instrument] = in
	return nil
}

// Save saves an instrument's set-up: what a reload brings back.
type Save struct{ Instrument string }

func (a Save) instrument() string { return a.Instrument }

func (a Save) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrSaved, "as it is set up")
}

func (a Save) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	in.Kept = in.Setup
	h.State.Instruments[a.Instrument] = in
	return nil
}

// Reload loads an instrument again, with the set-up that was saved.
type Reload struct{ Instrument string }

func (a Reload) instrument() string { return a.Instrument }

func (a Reload) Sets() []plan.Setting {
	return settingOf(plan.InstrumentEntity(a.Instrument), plan.AttrSeen, "as it was saved")
}

func (a Reload) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	if h.Profile.After == rig.Reopen { // the host looks at outputs only when the project is opened
		in.Setup = in.Kept
		h.State.Instruments[a.Instrument] = in
		return nil
	}
	h.see(a.Instrument, in)
	return nil
}

// Reopen saves the host's project and opens it again.
type Reopen struct{}

func (Reopen) Sets() []plan.Setting {
	return settingOf("host", plan.AttrSeen, "as it was saved")
}

func (Reopen) do(h *Host) error {
	for id, in := range h.State.Instruments {
		h.see(id, in)
	}
	return nil
}

// Assign sends a feed to a jack, by its label, or off. A lane that appears for the jack
// is Lane with the Number.
type Assign struct {
	Instrument, Feed, Jack string
	Lane                   string
	Number                 plan.LaneNumber
}

func (a Assign) instrument() string { return a.Instrument }

func (a Assign) Sets() []plan.Setting {
	return settingOf(plan.FeedEntity(plan.FeedRef{Placed: a.Instrument, Feed: a.Feed}), plan.AttrOutput, a.Jack)
}

func (a Assign) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	if a.Jack != plan.OffLabel {
		number, side, err := rig.ParseLabel(a.Jack)
		if err != nil {
			return err
		}
		if !in.Has(plan.Jack{Output: number, Side: side}) {
			return fmt.Errorf("the instrument has no output %s", a.Jack)
		}
	}
	a.record(h)
	return nil
}

func (a Assign) record(h *Host) {
	h.State.Instruments[a.Instrument].Feeds[a.Feed] = a.Jack
	h.appearAssigned(a.Instrument, a.Jack, a.Lane, a.Number)
}

// SetInside sets one thing inside an instrument, by its name and value as rig.InsideSettings
// has them; "" is as most come.
type SetInside struct{ Instrument, Key, Value string }

func (a SetInside) instrument() string { return a.Instrument }

// Sets is that setting.
func (a SetInside) Sets() []plan.Setting {
	return settingOf(plan.InsideEntity(a.Instrument, a.Key), plan.AttrInside, a.Value)
}

func (a SetInside) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	if in.Inside = maps.Clone(in.Inside); in.Inside == nil {
		in.Inside = map[string]string{}
	}
	if in.Inside[a.Key] = a.Value; a.Value == "" {
		delete(in.Inside, a.Key)
	}
	h.State.Instruments[a.Instrument] = in
	return nil
}

// Switch switches an output on, by its label, or off; the lane that appears is Lane.
type Switch struct {
	Instrument, Jack string
	Off              bool
	Lane             string
	Number           plan.LaneNumber
}

func (a Switch) instrument() string { return a.Instrument }

func (a Switch) Sets() []plan.Setting {
	return settingOf(plan.Entity("output:"+a.Instrument+":"+a.Jack), plan.AttrOn, !a.Off)
}

func (a Switch) do(h *Host) error {
	in, err := h.state(a.Instrument)
	if err != nil {
		return err
	}
	number, side, err := rig.ParseLabel(a.Jack)
	switch {
	case err != nil:
		return err
	case h.Profile.Appears != rig.WhenSwitched:
		return h.cannot("an output is not switched on or off here")
	case !in.Sees(plan.Jack{Output: number, Side: side}):
		return unseen(a.Jack)
	}
	a.record(h)
	return nil
}

func (a Switch) record(h *Host) {
	number, side, err := rig.ParseLabel(a.Jack)
	if err != nil {
		return
	}
	if a.Off {
		delete(h.State.Instruments[a.Instrument].On, number)
		return
	}
	h.State.Instruments[a.Instrument].On[number] = true
	h.appear(a.Instrument, plan.Jack{Output: number, Side: side}, a.Lane, a.Number)
}

// cannot says what this kind of host does not do.
func (h *Host) cannot(what string) error {
	return fmt.Errorf("%s: %s", strings.ToLower(h.Profile.Name), what)
}

func unseen(jack string) error {
	return fmt.Errorf("the host does not see output %s; reload the instrument or open the project again", jack)
}

// MakeLane makes a lane, or a bus. An empty Lane gets an ID, number 0 the next free one.
type MakeLane struct {
	Lane   string
	Number plan.LaneNumber
	Name   string
	Width  audio.Width
	Bus    bool
}

func (a MakeLane) Sets() []plan.Setting {
	return []plan.Setting{setting(plan.LaneEntity(a.Lane), plan.AttrLoaded, true),
		setting(plan.LaneEntity(a.Lane), plan.AttrNumber, a.Number)}
}

func (a MakeLane) do(h *Host) error {
	if h.Profile.Limit > 0 && int(a.Number) > h.Profile.Limit {
		return fmt.Errorf("the mixer has no lane %d; it ends at %d", a.Number, h.Profile.Limit)
	}
	kind := plan.Regular
	if a.Bus {
		kind = plan.Bus
	}
	h.add(plan.Lane{ID: a.Lane, Number: a.Number, Name: cmp.Or(a.Name, newLane), Colour: Grey, Kind: kind,
		Width: cmp.Or(a.Width, audio.Stereo)})
	return nil
}

func (a MakeLane) record(h *Host) {
	if h.Lane(a.Lane) == nil {
		_ = a.do(h)
	}
}

const newLane = "New lane"

// Point makes a lane take outputs, or nothing.
type Point struct {
	Lane    string
	Number  plan.LaneNumber // of a lane that has to be made for it
	Sources []plan.OutputRef
	Width   audio.Width
}

func (a Point) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrSources, a.Sources)
}

func (a Point) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	for _, src := range a.Sources {
		in := h.State.Instruments[src.Placed]
		if !in.Sees(src.Jack()) {
			return unseen(src.Jack().String())
		}
		if src.Side != rig.Whole && !h.Profile.Sides {
			return h.cannot("a lane cannot take one side of a pair here")
		}
		if h.Profile.Appears == rig.WhenSwitched {
			in.On[src.Output] = true
		}
	}
	h.point(l, a.Sources, a.Width)
	return nil
}

func (a Point) record(h *Host) {
	if l := h.Lane(a.Lane); l != nil {
		h.point(l, a.Sources, a.Width)
		return
	}
	h.add(plan.Lane{ID: a.Lane, Number: a.Number, Name: newLane, Colour: Grey, Kind: plan.Regular,
		Width: cmp.Or(a.Width, audio.Stereo), Sources: slices.Clone(a.Sources)})
}

// CloseLane takes a lane or bus away; what went to a bus goes to the main mix.
type CloseLane struct{ Lane string }

func (a CloseLane) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrLoaded, false)
}

func (a CloseLane) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	for _, in := range h.State.Instruments {
		if in.Home == a.Lane && plan.HasHomes(h.Profile) {
			return h.cannot(fmt.Sprintf("%s was loaded on lane %d; to remove the lane is to remove it", in.Name, l.Number))
		}
	}
	s := h.State
	s.Lanes = slices.DeleteFunc(s.Lanes, func(x plan.Lane) bool { return x.ID == a.Lane })
	for i := range s.Lanes {
		if s.Lanes[i].To == a.Lane {
			s.Lanes[i].To, s.Lanes[i].AlsoMain = plan.MainMix, false
		}
		s.Lanes[i].DropSend(a.Lane)
	}
	s.Mute(a.Lane, false)
	s.Solo(a.Lane, false)
	h.index()
	return nil
}

// Mute mutes a lane or bus, or not; Solo solos it.
type (
	Mute struct {
		Lane string
		On   bool
	}
	Solo Mute
)

// Sets is one setting each.
func (a Mute) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrMuted, a.On)
}

// Sets is one setting each.
func (a Solo) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrSoloed, a.On)
}

func (a Mute) do(h *Host) error {
	if _, err := h.lane(a.Lane); err != nil {
		return err
	}
	h.State.Mute(a.Lane, a.On)
	return nil
}

func (a Solo) do(h *Host) error {
	if _, err := h.lane(a.Lane); err != nil {
		return err
	}
	h.State.Solo(a.Lane, a.On)
	return nil
}

// ChainBlock chains the master of a block of lanes into the main mix, or not.
type ChainBlock struct {
	Block int // from 2; the first is the main mix's own
	Off   bool
}

func (a ChainBlock) Sets() []plan.Setting {
	return settingOf(plan.BlockEntity(a.Block), plan.AttrChained, !a.Off)
}

func (a ChainBlock) do(h *Host) error {
	for _, l := range h.State.Lanes {
		if h.Profile.BlockOf(int(l.Number)) == a.Block && a.Block > 1 {
			h.State.Chain(a.Block, !a.Off)
			return nil
		}
	}
	return fmt.Errorf("there is no block %d of lanes to chain; add a lane in it first", a.Block)
}

// NumberLane gives a lane a number.
type NumberLane struct {
	Lane   string
	Number plan.LaneNumber
}

func (a NumberLane) lanes() []string { return []string{a.Lane} }

func (a NumberLane) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrNumber, a.Number)
}

func (a NumberLane) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	if a.Number < 1 || h.Profile.Limit > 0 && int(a.Number) > h.Profile.Limit {
		return fmt.Errorf("the mixer has no lane %d", a.Number)
	}
	l.Number = a.Number
	h.newBlock(a.Number)
	return nil
}

// SetLane sets one attribute of a lane or bus, as another lane has it.
type SetLane struct {
	Lane      string
	Attribute plan.Attribute
	As        *plan.Lane
}

func (a SetLane) lanes() []string { return []string{a.Lane} }

func (a SetLane) Sets() []plan.Setting {
	_, value := plan.LaneAttributeNamed(a.Attribute).Step.Text(a.As)
	return settingOf(plan.LaneEntity(a.Lane), a.Attribute, value)
}

func (a SetLane) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err == nil {
		plan.LaneAttributeNamed(a.Attribute).Set(l, a.As)
	}
	return err
}

// SetInserts puts effects on a lane, bus or return, in their order, in place of those there.
type SetInserts struct {
	Lane    string
	Inserts []rig.Insert
}

func (a SetInserts) lanes() []string { return []string{a.Lane} }

// Sets is one setting.
func (a SetInserts) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrInserts, rig.InsertsText(a.Inserts))
}

func (a SetInserts) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err == nil {
		l.Inserts = slices.Clone(a.Inserts)
	}
	return err
}

// Route sends a lane to a bus, or to the main mix. AlsoMain keeps the main mix open on
// purpose; where a lane can go to several places, it stays open anyway.
type Route struct {
	Lane, To string
	AlsoMain bool
}

func (a Route) lanes() []string { return []string{a.Lane, a.To} }

func (a Route) Sets() []plan.Setting {
	return []plan.Setting{setting(plan.LaneEntity(a.Lane), plan.AttrTo, a.To),
		setting(plan.LaneEntity(a.Lane), plan.AttrAlsoMain, a.AlsoMain)}
}

func (a Route) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	if a.To != plan.MainMix {
		if err := h.bus(a.To); err != nil {
			return err
		}
	}
	stays := h.Profile.Several && (l.To == plan.MainMix || l.AlsoMain)
	l.AlsoMain = a.To != plan.MainMix && (a.AlsoMain || stays)
	l.To = a.To
	return nil
}

// MainOff takes the main mix off a lane that goes to a bus as well.
type MainOff struct{ Lane string }

func (a MainOff) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrAlsoMain, false)
}

func (a MainOff) do(h *Host) error {
	l, err := h.lane(a.Lane)
	switch {
	case err != nil:
		return err
	case l.To == plan.MainMix:
		return fmt.Errorf("%s goes to the main mix alone; route it somewhere else first", l.Name)
	case !l.AlsoMain:
		return fmt.Errorf("%s does not go to the main mix besides", l.Name)
	}
	l.AlsoMain = false
	return nil
}

// OpenSend opens a send of a lane to a bus, or takes one there is at another place. A new one
// starts silent or at 0 dB, as the host does.
type OpenSend struct {
	Lane, To string
	Pre      bool // taken before the fader
}

func (a OpenSend) lanes() []string { return []string{a.Lane, a.To} }

func (a OpenSend) Sets() []plan.Setting {
	return settingOf(plan.SendEntity(a.Lane, a.To), plan.AttrTap, plan.Send{Pre: a.Pre}.Tap())
}

func (a OpenSend) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	if err := h.bus(a.To); err != nil {
		return err
	}
	if old := l.SendInto(a.To); old != nil {
		old.Pre = a.Pre
	} else {
		l.Sends = append(l.Sends, plan.Send{To: a.To, Pre: a.Pre, Level: h.Profile.NewSend()})
	}
	return nil
}

// SetSend sets the level of a send that is open.
type SetSend struct {
	Lane, To string
	Level    audio.Decibels
}

func (a SetSend) lanes() []string { return []string{a.Lane, a.To} }

func (a SetSend) Sets() []plan.Setting {
	return settingOf(plan.SendEntity(a.Lane, a.To), plan.AttrLevel, a.Level)
}

func (a SetSend) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err != nil {
		return err
	}
	s := l.SendInto(a.To)
	if s == nil {
		return fmt.Errorf("%s has no send there", l.Name)
	}
	s.Level = a.Level
	return nil
}

// record opens the send first, for its level was set.
func (a SetSend) record(h *Host) {
	if l := h.Lane(a.Lane); l != nil && l.SendInto(a.To) == nil {
		_ = h.Do(OpenSend{Lane: a.Lane, To: a.To})
	}
	_ = a.do(h)
}

// CloseSend takes a send of a lane to a bus away.
type CloseSend struct{ Lane, To string }

func (a CloseSend) Sets() []plan.Setting {
	return settingOf(plan.SendEntity(a.Lane, a.To), plan.AttrLoaded, false)
}

func (a CloseSend) do(h *Host) error {
	l, err := h.lane(a.Lane)
	if err == nil {
		l.DropSend(a.To)
	}
	return err
}

// SetAddress sets the MIDI address that a part's track plays; channel 0: all of them.
type SetAddress struct {
	Track   string // as plan.TrackRef names it
	Address midi.Address
	Layer   []string // other parts that the same track plays
}

// tracks names the tracks of all parts that are played.
func (a SetAddress) tracks() []string { return append([]string{a.Track}, a.Layer...) }

func (a SetAddress) Sets() []plan.Setting {
	var out []plan.Setting
	for _, ref := range a.tracks() {
		out = append(out, setting(plan.TrackEntity(ref), plan.AttrPort, a.Address.Port),
			setting(plan.TrackEntity(ref), plan.AttrChannel, a.Address.Channel))
	}
	return out
}

func (a SetAddress) do(h *Host) error {
	for _, ref := range a.tracks() {
		t := h.State.Tracks[ref]
		t.Address = a.Address
		h.State.Tracks[ref] = t
	}
	return nil
}

// MoveTrack lets the track of a part play another one from then on.
type MoveTrack struct{ From, To string } // as plan.TrackRef names them

func (a MoveTrack) Sets() []plan.Setting {
	return settingOf(plan.TrackEntity(a.To), plan.AttrSources, a.From)
}

func (a MoveTrack) do(h *Host) error {
	t, ok := h.State.Tracks[a.From]
	if !ok {
		return fmt.Errorf("there is no such track")
	}
	delete(h.State.Tracks, a.From)
	h.State.Tracks[a.To] = t
	return nil
}

// RemoveTrack takes a track away.
type RemoveTrack struct{ Track string }

func (a RemoveTrack) Sets() []plan.Setting {
	return settingOf(plan.TrackEntity(a.Track), plan.AttrLoaded, false)
}

func (a RemoveTrack) do(h *Host) error {
	delete(h.State.Tracks, a.Track)
	return nil
}

// SetNotes sets what belongs to the notes of a part, wherever they live: the program and the
// articulation set.
type SetNotes struct{ Track, Notes string }

func (a SetNotes) Sets() []plan.Setting {
	return settingOf(plan.TrackEntity(a.Track), plan.AttrNotes, a.Notes)
}

func (a SetNotes) do(h *Host) error {
	t, ok := h.State.Tracks[a.Track]
	if !ok {
		t.Address = Plays(h.Profile, h.State, a.Track)
	}
	t.Notes = a.Notes
	h.State.Tracks[a.Track] = t
	return nil
}

// MakeTrack makes a track for a lane, on which it can be automated.
type MakeTrack struct{ Lane string }

func (a MakeTrack) lanes() []string { return []string{a.Lane} }

func (a MakeTrack) Sets() []plan.Setting {
	return settingOf(plan.LaneEntity(a.Lane), plan.AttrTrack, true)
}

func (a MakeTrack) do(h *Host) error {
	l, err := h.lane(a.Lane)
	switch {
	case err != nil:
		return err
	case h.Profile.Tracks == rig.TracksNever:
		return h.cannot("lanes have no tracks here")
	}
	l.Track = true
	return nil
}

// CheckByEar says that a plan, by its fingerprint, was listened to.
type CheckByEar struct{ Plan string }

func (CheckByEar) Sets() []plan.Setting {
	return settingOf(plan.HeardEntity, plan.AttrPlan, "")
}

func (a CheckByEar) do(h *Host) error {
	h.State.Checked = a.Plan
	return nil
}

// Confirm says that settings of which nobody had told stand as the plan wants them.
type Confirm struct {
	Plan *plan.Project
	Keys []plan.Key
}

func (a Confirm) Sets() (out []plan.Setting) {
	for _, k := range a.Keys {
		out = append(out, plan.Setting{Key: k, Value: "as planned"})
	}
	return out
}

func (a Confirm) do(h *Host) error {
	h.State.Assume(a.Plan)
	return nil
}
