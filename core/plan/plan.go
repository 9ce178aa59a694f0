// Package plan holds what is wanted: a project as one document of instruments,
// their outputs, the lanes of the host's mixer and its buses, and the edits on
// it. It stores and draws nothing.
package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// The states of a project that is not at work, as lists and files name them.
const (
	Archived = "archived"
	Template = "template"
)

// States lists them.
var States = []string{Archived, Template}

// LaneNumber is a lane's number in the host's mixer, from 1.
type LaneNumber int

// Project is the whole document. References inside it are by ID, never by
// number, so that numbers can change freely.
type Project struct {
	Version Version  `json:"version"`
	Name    string   `json:"name"`
	Host    Host     `json:"host"`
	Placed  []Placed `json:"placed"`
	Lanes   []Lane   `json:"lanes"` // in no particular order; see ByNumber
	Song    *Song    `json:"song,omitempty"`
	// Patched is what is in the host, as far as we have been told; Practice is
	// the same of the stand-in.
	Patched  *Patched            `json:"patched,omitempty"`
	StandIn  *Patched            `json:"practice,omitempty"`
	Intended map[string]Intended `json:"accepted,omitempty"` // problems that are meant so, by key
	// the house chart it follows, as it was; nil: the standard alone
	Chart      *house.Chart `json:"chart,omitempty"`
	Exceptions []Exception  `json:"exceptions,omitempty"` // where it departs from the house on purpose
	// KeepTemplate asks for a step that keeps the mixer as a template of the host.
	KeepTemplate bool   `json:"keepTemplate,omitempty"`
	TemplateName string `json:"templateName,omitempty"` // what it is called there; "": as the project
	// Opens is the template of the host that a session of it begins from; nil: an empty session.
	Opens  *MixerTemplate `json:"opens,omitempty"`
	LastID int            `json:"lastId"`
}

// Exception says that a project is meant to differ from the house, and why.
type Exception struct {
	Role      role.Role `json:"role"`      // and all below it; Unnamed: every role
	Attribute string    `json:"attribute"` // one that drift looks at; "": each
	Reason    string    `json:"reason"`
}

// Relink lets every instrument of the document know the chart that it follows, and how it
// came. It is called when a document has been read, and by the edits that change either.
func (p *Project) Relink() {
	for i := range p.Placed {
		pl := &p.Placed[i]
		pl.chart = p.Chart
		if pl.AsItCame == nil {
			came := pl.Instrument // what edits change in an instrument they copy first
			pl.AsItCame = &came
		}
	}
}

// Host is what the plan knows of the mixer it is for.
type Host struct {
	LaneLimit LaneNumber  `json:"laneLimit"`           // the highest lane number there is; 0: none
	Taken     Ranges      `json:"taken"`               // lanes that belong to something else
	FirstLane LaneNumber  `json:"firstLane"`           // where a block is wished to begin
	BlockSize LaneNumber  `json:"blockSize,omitempty"` // lanes come in blocks of so many; 0: in one row
	Sides     bool        `json:"sides,omitempty"`     // a lane can take one side of a stereo output
	Profile   rig.Profile `json:"profile,omitzero"`    // how it behaves
	Budget    float64     `json:"budget,omitempty"`    // memory for instruments in MiB; 0: not said
}

// Validate says what of the host there cannot be.
func (h Host) Validate() error {
	if h.LaneLimit < 0 || h.FirstLane < 0 || h.BlockSize < 0 || !(h.Budget >= 0) {
		return fmt.Errorf("the host's lanes and its memory count from nothing upwards")
	}
	if h.Profile.Name == "" {
		return nil
	}
	return h.Profile.Validate()
}

// Behaviour is the host's profile, or the first that ships where none is chosen.
func (h Host) Behaviour() rig.Profile {
	if h.Profile.Name == "" {
		return rig.Profiles[0]
	}
	p := h.Profile
	if p.Lanes == rig.Blocks && h.BlockSize > 0 {
		p.BlockSize = int(h.BlockSize)
	}
	return p
}

// BlockOf is the block that a lane is in, from 1; 0 where lanes are in one row.
func (h Host) BlockOf(n LaneNumber) int { return h.Behaviour().BlockOf(int(n)) }

// Intended is a problem that are intended, and why. It holds as long as
// the problem's cause is the same.
type Intended struct {
	Reason string `json:"reason"`
	Cause  string `json:"cause,omitempty"`
	Was    string `json:"was,omitempty"` // the words of the cause, where that was not kept yet
}

// Placed is one instrument in a project, as it was on the shelf when it came.
type Placed struct {
	ID         string         `json:"id"`
	Shelf      int64          `json:"shelf,omitempty"` // the instrument on the shelf it is a copy of
	Instrument rig.Instrument `json:"instrument"`
	// the instrument as it came, before the project changed anything in it
	AsItCame *rig.Instrument `json:"asItCame,omitempty"`
	Variant  string          `json:"variant,omitempty"` // the version that is loaded
	View     rig.View        `json:"view,omitzero"`
	Outputs  []rig.Output    `json:"outputs"`
	// outputs of which each side carries a feed of its own
	Halved       []int                `json:"halved,omitempty"`
	Offset       int                  `json:"offset"`                 // host port = instrument port + offset
	Stage        Stage                `json:"stage,omitempty"`        // where the piece is with it; "": it is mixed
	Stages       map[Stage]StageState `json:"stages,omitempty"`       // what it was in the other one
	Start        Start                `json:"start,omitzero"`         // the state it is in when it is loaded
	Way          string               `json:"way,omitempty"`          // from the start to the plan; "": the shortest
	SaveDefault  bool                 `json:"saveDefault,omitempty"`  // save it as its default at the end
	DefaultSetup string               `json:"defaultSetup,omitempty"` // the user's own default when it was placed
	// the outputs are those the instrument was saved with
	OwnSetup bool                  `json:"ownSetup,omitempty"`
	Pairs    bool                  `json:"pairs,omitempty"`    // proposals may put two mono feeds in a stereo pair
	Use      int                   `json:"use,omitempty"`      // proposals use at most so many outputs; 0: all
	KeepFree []int                 `json:"keepFree,omitempty"` // numbers of outputs that proposals leave alone
	Spare    int                   `json:"spare,omitempty"`    // so many outputs proposals leave empty
	Lanes    Ranges                `json:"lanes,omitempty"`    // the user's own lane numbers, instead of a free block
	Feeds    map[string]Assignment `json:"feeds"`              // by feed ID; missing: nothing decided
	Order    house.Ordered         `json:"order,omitempty"`    // in which its feeds and their lanes stand
	Names    house.Named           `json:"names,omitempty"`    // whose names its lanes have
	Bus      BusChoice             `json:"bus,omitzero"`       // what is wished for its lanes' bus
	Together []FeedGroup           `json:"together,omitempty"` // feeds that share one output
	Apart    [][2]string           `json:"apart,omitempty"`    // feeds that never do

	chart *house.Chart // the project's, by Relink
}

// BusChoice says which bus proposals route an instrument's lanes to; empty: as the house chart says.
type BusChoice struct {
	Name   string     `json:"name,omitempty"`
	Number LaneNumber `json:"number,omitempty"` // of a bus that is made; 0: the next free one
	None   bool       `json:"none,omitempty"`   // to none: the lanes go to the main mix
}

// FeedGroup are feeds that share one output. Towards others it can have a wish of its own.
type FeedGroup struct {
	Feeds     []string `json:"feeds"`
	OwnOutput *int     `json:"wish,omitempty"` // 0–3 towards feeds outside; nil: each feed's own
}

// Holds reports whether a feed is in the group.
func (g FeedGroup) Holds(feed string) bool { return slices.Contains(g.Feeds, feed) }

// State says what is decided about a feed.
type State string

// The states of a feed.
const (
	Undecided State = ""         // nobody has said where it goes
	Assigned  State = "assigned" // it goes to an output
	Parked    State = "parked"   // unused, on an output where it does no harm
	Off       State = "off"      // unused, it goes nowhere
)

// Assignment is where a feed goes.
type Assignment struct {
	State     State    `json:"state"`
	Output    int      `json:"output,omitempty"` // number of the output, for Assigned and Parked
	Side      rig.Side `json:"side,omitempty"`   // the half of it
	ByHand    bool     `json:"byHand,omitempty"` // the user parked it or switched it off; a proposal leaves that alone
	OwnOutput *int     `json:"wish,omitempty"`   // 0–3 where the user has set one
	Pin       *Jack    `json:"pin,omitempty"`    // the output that proposals must leave it on
	Fold      bool     `json:"fold,omitempty"`   // a stereo feed may be folded to mono
}

// Jack names an output of an instrument, or one side of it.
type Jack struct {
	Output int      `json:"output"`
	Side   rig.Side `json:"side,omitempty"`
}

func (j Jack) String() string { return strconv.Itoa(j.Output) + string(j.Side) }

// ParseJack reads what String writes.
func ParseJack(s string) (Jack, error) {
	number, side, err := rig.ParseLabel(s)
	return Jack{Output: number, Side: side}, err
}

// At is where the feed is assigned or parked.
func (a Assignment) At() Jack { return Jack{a.Output, a.Side} }

// AllFeeds lists the instrument's feeds as the project looks at it, in chart
// order. One that may be folded is mono.
func (pl *Placed) AllFeeds() []rig.Feed {
	feeds := pl.Instrument.FeedsIn(pl.View)
	for i := range feeds {
		if pl.Feeds[feeds[i].ID].Fold {
			feeds[i].Width = audio.Mono
		}
	}
	switch {
	case pl.Order == house.ByInstrument || pl.Order == house.ByOutputs:
		pl.asListed(feeds)
		if pl.Order == house.ByOutputs {
			slices.SortStableFunc(feeds, func(a, b rig.Feed) int { return pl.leaves(a.ID) - pl.leaves(b.ID) })
		}
	case pl.chart != nil && len(pl.chart.Order) > 0:
		slices.SortStableFunc(feeds, pl.compare)
	}
	return feeds
}

// leaves is the place, among the instrument's jacks, of the one that a feed leaves by; what leaves by
// none comes last.
func (pl *Placed) leaves(feed string) int {
	a := pl.Feeds[feed]
	if a.State != Assigned && a.State != Parked {
		return 2 * (rig.MaxPorts + 1)
	}
	if a.Side == rig.Right {
		return 2*a.Output + 1
	}
	return 2 * a.Output
}

// compare orders feeds as the project's house chart lists them, on the instrument's axis.
func (pl *Placed) compare(a, b rig.Feed) int {
	byRole, byMic := pl.chart.Compare(a.Role, b.Role), role.ComparePositions(a.Position, b.Position)
	if pl.View.Axis == rig.ByMicrophone {
		return cmp.Or(byMic, byRole)
	}
	return cmp.Or(byRole, byMic)
}

// House is the chart that the instrument's project follows; nil is the standard.
func (pl *Placed) House() *house.Chart { return pl.chart }

// Jacks lists what feeds can be sent to and lanes can take: the outputs, and the
// two sides of those that are halved.
func (pl *Placed) Jacks() []rig.Output {
	if len(pl.Halved) == 0 {
		return pl.Outputs
	}
	var out []rig.Output
	for _, o := range pl.Outputs {
		if o.Width == audio.Stereo && slices.Contains(pl.Halved, o.Number) {
			out = append(out, o.Half(rig.Left), o.Half(rig.Right))
		} else {
			out = append(out, o)
		}
	}
	return out
}

// PortText prints a jack's ports as the instrument numbers them and, where that
// differs, as the host does: "13–14 · host 23–24".
func (pl *Placed) PortText(o rig.Output) string {
	if pl.Offset == 0 {
		return o.PortNames(0)
	}
	return o.PortNames(0) + " · host " + o.PortNames(pl.Offset)
}

// OutputName is what the instrument calls an output, or one side of it; "" where nobody has said.
func (pl *Placed) OutputName(o rig.Output) string {
	if len(pl.Instrument.Traits.Names) == 0 {
		return ""
	}
	name := pl.Instrument.Traits.Names.Name(pl.Outputs, o.Number)
	if name != "" && o.Side != rig.Whole {
		name += " " + string(o.Side)
	}
	return name
}

// Named is an output as steps and sheets name it: what the instrument calls it with our number
// beside it, or the number alone.
func (pl *Placed) Named(o rig.Output) string {
	if name := pl.OutputName(o); name != "" {
		return name + " · " + o.Label()
	}
	return o.Label()
}

// Memory is what the instrument takes with the microphones that are open, in MiB.
func (pl *Placed) Memory() float64 {
	open := map[string]bool{}
	for _, f := range pl.AllFeeds() {
		if pl.Feeds[f.ID].State != Off && !f.Closed {
			open[f.Microphone] = true
		}
	}
	return pl.Instrument.Memory(func(m string) bool { return open[m] })
}

// MemoryWithout is Memory with one microphone closed.
func (pl *Placed) MemoryWithout(microphone string) float64 {
	open := map[string]bool{}
	for _, f := range pl.AllFeeds() {
		if pl.Feeds[f.ID].State != Off && !f.Closed && f.Microphone != microphone {
			open[f.Microphone] = true
		}
	}
	return pl.Instrument.Memory(func(m string) bool { return open[m] })
}

// Ref names one of the instrument's jacks.
func (pl *Placed) Ref(o rig.Output) OutputRef { return OutputRef{pl.ID, o.Number, o.Side} }

// FeedRef names a feed of a project, written "i1:v3".
type FeedRef struct{ Placed, Feed string }

func (r FeedRef) String() string { return r.Placed + ":" + r.Feed }

// ParseFeedRef reads what String writes.
func ParseFeedRef(s string) (FeedRef, error) {
	p, f, ok := strings.Cut(s, ":")
	if !ok || p == "" || f == "" {
		return FeedRef{}, fmt.Errorf("%q names no feed", s)
	}
	return FeedRef{p, f}, nil
}

// OutputRef names an output of a placed instrument, written "i1:3".
type OutputRef struct {
	Placed string   `json:"placed"`
	Output int      `json:"output"`
	Side   rig.Side `json:"side,omitempty"`
}

// Jack is the output without the instrument.
func (r OutputRef) Jack() Jack { return Jack{r.Output, r.Side} }

func (r OutputRef) String() string { return r.Placed + ":" + r.Jack().String() }

// ParseOutputRef reads what String writes.
func ParseOutputRef(s string) (OutputRef, error) {
	p, n, ok := strings.Cut(s, ":")
	number, side, err := rig.ParseLabel(n)
	if !ok || p == "" || err != nil {
		return OutputRef{}, fmt.Errorf("%q names no output", s)
	}
	return OutputRef{p, number, side}, nil
}

// LaneKind says whether a lane takes outputs or other lanes.
type LaneKind string

// The kinds of lane.
const (
	Regular LaneKind = "regular"
	Bus     LaneKind = "bus"
)

// MainMix is the destination of a lane that goes to no bus.
const MainMix = ""

// Lane is one channel of the host's mixer.
type Lane struct {
	ID       string         `json:"id"`
	Number   LaneNumber     `json:"number"`
	Name     string         `json:"name"`
	Colour   string         `json:"colour"` // #rrggbb
	Kind     LaneKind       `json:"kind"`
	Width    audio.Width    `json:"width"`
	Sources  []OutputRef    `json:"sources,omitempty"` // outputs that arrive here
	To       string         `json:"to"`                // ID of a bus, or MainMix
	AlsoMain bool           `json:"alsoMain,omitempty"`
	Sends    []Send         `json:"sends,omitempty"`    // copies to buses beside that
	Inserts  []rig.Insert   `json:"inserts,omitempty"`  // effects that the signal passes, in order
	Gain     audio.Decibels `json:"gain,omitempty"`     // of its fader
	Pan      float64        `json:"pan,omitempty"`      // -1 left to +1 right
	Typed    Typed          `json:"typed,omitzero"`     // of level and pan, those that are planned
	Inverted bool           `json:"inverted,omitempty"` // its polarity
	Kept     role.Role      `json:"kept,omitempty"`     // what an empty lane is kept for
	Track    bool           `json:"track,omitempty"`    // it is to have a track, for automation
	Owner    Owner          `json:"owner,omitempty"`    // who made it
	// Folded: a bus is drawn and listed as one with its lanes.
	Folded bool `json:"folded,omitempty"`
	// Divider says whether a rule stands above it in lists; nil: as the house chart says.
	Divider *bool `json:"divider,omitempty"`
}

// Typed says which of a lane's level and pan somebody has typed: those are planned. The others are the
// mixer's own; how they are known to stand is what is computed with.
type Typed struct {
	Gain bool `json:"gain,omitempty"`
	Pan  bool `json:"pan,omitempty"`
}

// Owner says who made a lane.
type Owner string

// The owners: the plan, or whoever had the mixer before. The plan never closes, renames
// or moves a lane that it did not make.
const (
	ByPlan Owner = ""
	Found  Owner = "found"
)

// Song is what the project's song plays, kept with the plan so that it can be
// computed with; the file itself is kept beside it.
type Song struct {
	ID       int64         `json:"id"`
	Name     string        `json:"name"`
	Channels []SongChannel `json:"channels"`
}

// SongChannel counts the notes on one MIDI address.
type SongChannel struct {
	midi.Address
	Programs []int            `json:"programs,omitempty"`
	Keys     map[midi.Key]int `json:"keys"`
}

// Notes counts the notes on the address.
func (c SongChannel) Notes() (n int) {
	for _, k := range c.Keys {
		n += k
	}
	return n
}

// Clone copies the whole document.
func (p *Project) Clone() *Project {
	out := document.Copy(p)
	out.Relink()
	return out
}

// Planned is a copy of what is wanted alone, without what is patched or practised: less than
// half of it, for those who try something out.
func (p *Project) Planned() *Project {
	slim := *p
	slim.Patched, slim.StandIn = nil, nil
	return slim.Clone()
}

// Find gives the placed instrument with the ID, or nil.
func (p *Project) Find(placed string) *Placed {
	for i := range p.Placed {
		if p.Placed[i].ID == placed {
			return &p.Placed[i]
		}
	}
	return nil
}

// Lane gives the lane with the ID, or nil.
func (p *Project) Lane(id string) *Lane {
	if id == MainMix {
		return nil
	}
	for i := range p.Lanes {
		if p.Lanes[i].ID == id {
			return &p.Lanes[i]
		}
	}
	return nil
}

// ByNumber lists the lanes in the order of their numbers.
func (p *Project) ByNumber() []*Lane {
	out := make([]*Lane, len(p.Lanes))
	for i := range p.Lanes {
		out[i] = &p.Lanes[i]
	}
	sortByNumber(out)
	return out
}

func sortByNumber(lanes []*Lane) {
	slices.SortStableFunc(lanes, func(a, b *Lane) int { return int(a.Number - b.Number) })
}

// Buses lists the buses in the order of their numbers.
func (p *Project) Buses() []*Lane {
	return slices.DeleteFunc(p.ByNumber(), func(l *Lane) bool { return l.Kind != Bus })
}

// BusNamed gives the first bus with a name, in whatever case, or nil.
func (p *Project) BusNamed(name string) *Lane {
	for _, b := range p.Buses() {
		if strings.EqualFold(b.Name, name) {
			return b
		}
	}
	return nil
}

// Output gives what a jack names, and whether there is such a one.
func (pl *Placed) Output(j Jack) (rig.Output, bool) {
	for _, o := range pl.Jacks() {
		if o.Number == j.Output && o.Side == j.Side {
			return o, true
		}
	}
	return rig.Output{}, false
}

// Output gives the output a reference names, with its instrument; ok is false
// where either is not there.
func (p *Project) Output(ref OutputRef) (pl *Placed, o rig.Output, ok bool) {
	if pl = p.Find(ref.Placed); pl != nil {
		o, ok = pl.Output(ref.Jack())
	}
	return pl, o, ok
}

// LanesOf lists the lanes that take the output, by number.
func (p *Project) LanesOf(ref OutputRef) []*Lane {
	var out []*Lane
	for i := range p.Lanes {
		if slices.Contains(p.Lanes[i].Sources, ref) {
			out = append(out, &p.Lanes[i])
		}
	}
	sortByNumber(out)
	return out
}

// OwnOutput is the feed's wish: the user's, or the house chart's.
func (pl *Placed) OwnOutput(f rig.Feed) int {
	if w := pl.Feeds[f.ID].OwnOutput; w != nil {
		return *w
	}
	return pl.chart.OwnOutput(f.Role, f.Kind)
}

// Hears reports whether the notes of a song's channel reach the feed. Voices and
// microphones listen on the address that was typed for their kit, else on the percussion
// channel, or on every channel where the song leaves that one empty; a part listens on its address, or where its
// program is called up.
func (s *Song) Hears(f rig.Feed, c SongChannel) bool {
	switch {
	case f.Kind == rig.ReturnFeed:
		return false
	case f.Kit.Known():
		return c.Address.Norm() == f.Kit.Norm()
	case f.Kind != rig.PartFeed && !f.Address.Known():
		return c.Channel == midi.PercussionChannel || !slices.ContainsFunc(s.Channels, func(c SongChannel) bool {
			return c.Channel == midi.PercussionChannel && len(c.Keys) > 0
		})
	case f.Address.Known():
		return c.Channel == f.Address.Channel && max(c.Port, 1) == max(f.Address.Port, 1)
	}
	return c.Channel != midi.PercussionChannel && slices.Contains(c.Programs, f.Program)
}

// Uses counts the song's notes that sound in the feed; known is false where
// there is no song to tell, and for returns, which no note plays. Of a microphone of which nobody
// has said what is heard through it, notes on the assumed keys count, but none is not known.
func (p *Project) Uses(f rig.Feed) (count int, known bool) {
	if p.Song == nil || f.Kind == rig.ReturnFeed {
		return 0, false
	}
	if f.Kind == rig.MicrophoneFeed && len(f.Keys) == 0 {
		for _, c := range p.Song.Channels {
			for _, k := range f.Assumed {
				if p.Song.Hears(f, c) {
					count += c.Keys[k]
				}
			}
		}
		return count, count > 0
	}
	for _, c := range p.Song.Channels {
		if !p.Song.Hears(f, c) {
			continue
		}
		if f.Kind == rig.PartFeed {
			count += c.Notes()
		}
		for _, k := range f.Keys {
			count += c.Keys[k]
		}
	}
	return count, true
}

// NewID gives an ID that this document has never used.
func (p *Project) NewID(prefix string) string {
	p.LastID++
	return prefix + strconv.Itoa(p.LastID)
}

// NewLaneID gives an ID for a new lane.
func (p *Project) NewLaneID() string { return p.NewID("l") }

// MaxLanes is how many lanes and buses a project has at most, with those of the mixer that it
// found, by every way in.
const MaxLanes = 4000

// Validate tells what makes the document impossible to compute with. Mistakes
// that a user can make and must see explained are problems, not errors here.
func (p *Project) Validate() error {
	if strings.TrimSpace(p.Name) == "" {
		return fmt.Errorf("a project needs a name")
	}
	if len(p.Lanes) > MaxLanes {
		return fmt.Errorf("a project holds at most %d lanes and buses; this would make %d", MaxLanes, len(p.Lanes))
	}
	seen := map[string]bool{}
	if err := p.validatePlaced(seen); err != nil {
		return err
	}
	if err := cmp.Or(p.Host.Validate(), p.Patched.validate(), p.StandIn.validate(), p.Chart.Validate()); err != nil {
		return err
	}
	for _, d := range p.Exceptions {
		if _, err := role.Parse(string(d.Role)); err != nil {
			return err
		}
	}
	lanes := map[string]*Lane{}
	for i := range p.Lanes {
		l := &p.Lanes[i]
		if l.ID == "" || seen[l.ID] || strings.ContainsAny(l.ID, ":. /,|") {
			return fmt.Errorf("lane ID %q is empty, used twice, or holds a mark that IDs may not", l.ID)
		}
		seen[l.ID], lanes[l.ID] = true, l
		if err := p.validateLane(l); err != nil {
			return err
		}
	}
	for i := range p.Lanes {
		if err := p.Lanes[i].validateWays(lanes); err != nil {
			return err
		}
	}
	if l := feedsItself(p.Lanes, lanes); l != nil {
		return fmt.Errorf("%q would feed itself; route it to the main mix or to another bus", l.Name)
	}
	return nil
}

// validatePlaced is Validate for the instruments, whose IDs it notes.
func (p *Project) validatePlaced(seen map[string]bool) error {
	for _, pl := range p.Placed {
		if err := (house.Custom{Order: pl.Order, Names: pl.Names}).Validate(); err != nil {
			return err
		}
		if pl.ID == "" || seen[pl.ID] {
			return fmt.Errorf("instrument ID %q is empty or used twice", pl.ID)
		}
		seen[pl.ID] = true
		if err := cmp.Or(pl.Instrument.Validate(), rig.ValidOutputs(pl.Outputs)); err != nil {
			return err
		}
		if max(pl.Offset, -pl.Offset) > rig.MaxPorts {
			return fmt.Errorf("%s has the offset %d; ports go to %d", pl.Instrument.Name, pl.Offset, rig.MaxPorts)
		}
	}
	return nil
}

// validateLane is Validate for what a lane has by itself, and what it takes.
func (p *Project) validateLane(l *Lane) error {
	if l.Number < 1 {
		return fmt.Errorf("lane %q has the number %d; lanes count from 1", l.Name, l.Number)
	}
	_, errColour := ParseColour(l.Colour)
	_, errRole := role.Parse(string(l.Kept))
	if err := cmp.Or(errColour, errRole); err != nil {
		return err
	}
	for _, s := range l.Sources {
		if l.Kind == Bus {
			return fmt.Errorf("bus %q takes an output; only lanes do", l.Name)
		}
		if !slices.ContainsFunc(p.Placed, func(pl Placed) bool { return pl.ID == s.Placed }) {
			return fmt.Errorf("lane %q takes an output of an instrument that is not in the project", l.Name)
		}
	}
	return nil
}

// validateWays is Validate for where a lane goes, and what is on its way.
func (l *Lane) validateWays(lanes map[string]*Lane) error {
	isBus := func(id string) bool { return lanes[id] != nil && lanes[id].Kind == Bus }
	if l.To != MainMix && !isBus(l.To) {
		return fmt.Errorf("lane %d %q is routed to a bus that does not exist", l.Number, l.Name)
	}
	if err := rig.ValidInserts(l.Inserts); err != nil {
		return fmt.Errorf("lane %d %q: %w", l.Number, l.Name, err)
	}
	for i, s := range l.Sends {
		switch {
		case !isBus(s.To):
			return fmt.Errorf("lane %d %q sends to a bus that is not there", l.Number, l.Name)
		case l.SendInto(s.To) != &l.Sends[i]:
			return fmt.Errorf("lane %d %q sends to one bus twice", l.Number, l.Name)
		case !s.hasLevel():
			return fmt.Errorf("lane %d %q has a send at %s", l.Number, l.Name, s.Level)
		}
	}
	return nil
}

// ParseColour reads a colour, "#rrggbb".
func ParseColour(s string) (string, error) {
	c := strings.ToLower(strings.TrimSpace(s))
	if len(c) == 7 && c[0] == '#' && strings.Trim(c[1:], "0123456789abcdef") == "" {
		return c, nil
	}
	return "", fmt.Errorf("colour %q is not #rrggbb", s)
}

// DominantRole is the root that the instrument is known by (see role.Dominant).
func (pl *Placed) DominantRole() role.Role { return dominantRole(pl.AllFeeds()) }

func dominantRole(feeds []rig.Feed) role.Role {
	roles := make([]role.Role, len(feeds))
	for i, f := range feeds {
		roles[i] = f.Role
	}
	return role.Dominant(roles)
}

// UsualBus is the name of the bus the instrument's lanes go to where nobody has
// named another: the family's, or its own where it holds many families.
func (pl *Placed) UsualBus() string { return pl.UsualBusOf(pl.AllFeeds()) }

// UsualBusOf is UsualBus for those who have listed AllFeeds already.
func (pl *Placed) UsualBusOf(feeds []rig.Feed) string {
	if r := dominantRole(feeds); r != role.Unnamed {
		return pl.chart.FamilyBus(r)
	}
	return pl.Instrument.Name
}

// HeardBy gives the addresses of the song whose notes reach the instrument.
func (p *Project) HeardBy(pl *Placed) map[midi.Address]bool {
	out := map[midi.Address]bool{}
	if p.Song == nil {
		return out
	}
	for _, f := range pl.AllFeeds() {
		for _, c := range p.Song.Channels {
			if p.Song.Hears(f, c) {
				out[c.Address] = true
			}
		}
	}
	return out
}
