// Package runsheet turns the difference between what is planned and what is in
// the host into steps, in the order that avoids every trap: outputs before sounds
// where a reload is due, then saving and reloading, then what goes where, then
// lanes, names and colours, buses, channels, and the check by ear. It changes
// nothing; ticking a step is the caller's.
package runsheet

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// Where is where the hands are.
type Where string

// The places.
const (
	InInstrument Where = "in the instrument"
	InHost       Where = "in the host"
	ByEar        Where = "by ear"
)

// Step is one thing to do, however many settings it takes.
type Step struct {
	Number  int
	Place   Where
	Text    string
	Count   int          // settings to make
	Told    bool         // the text says how many
	Items   []Item       // each of them, where the text does not say them all
	Verify  string       // how to see that it worked
	Why     string       // where it is not plain
	Kind    rig.StepKind // of what is done in an instrument; "": elsewhere
	Notes   []string     // the user's own for that kind, of the instruments concerned
	In      string       // the placed ID of the instrument, where it is one
	Actions []host.Action
}

// appendNote adds the user's note of an instrument for a kind of step, once.
func appendNote(notes []string, pl *plan.Placed, kind rig.StepKind) []string {
	if n := pl.Instrument.StepNotes[kind]; n != "" && !slices.Contains(notes, n) {
		return append(notes, n)
	}
	return notes
}

// of says of a step what is done in an instrument, with the user's note for that.
func (st Step) of(pl *plan.Placed, kind rig.StepKind) Step {
	st.Kind, st.Notes, st.In = kind, appendNote(st.Notes, pl, kind), pl.ID
	return st
}

// Item is one setting of a step, in words.
type Item struct {
	Text   string
	Colour string // "#rrggbb", where it is one to be set
	Count  int    // values to change by hand; 0: one
}

func (i Item) String() string { return strings.TrimSpace(i.Text + " " + i.Colour) }

// Hash names the plan as it is to stand in the host.
func Hash(p *plan.Project) string {
	s := p.AsPlanned()
	s.Lanes = slices.DeleteFunc(s.Lanes, func(l plan.Lane) bool { return l.IsOther() })
	doc, err := json.Marshal(struct { // as it is in memory, for that is half the work of settings
		Instruments map[string]plan.InstrumentState
		Lanes       []plan.Lane
		Tracks      map[string]plan.Track
	}{s.Instruments, s.Lanes, s.Tracks})
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(doc)
	return hex.EncodeToString(sum[:8])
}

// HasPlan reports whether there is anything to carry out: a lane, or a feed that somebody has
// decided about. Instruments without either are waiting for a plan; a sheet would advise to
// take apart what is in the host.
func HasPlan(p *plan.Project) bool {
	if len(p.OwnLanes()) > 0 || len(p.Placed) == 0 {
		return true
	}
	for i := range p.Placed {
		if p.Placed[i].Decided() {
			return true
		}
	}
	return false
}

// Make lists the steps from what is patched to what is planned, only those needed.
func Make(p *plan.Project) []Step { return From(p, p.Patched) }

// From is Make from another state, such as the practice host's.
func From(p *plan.Project, state *plan.Patched) []Step {
	if !HasPlan(p) {
		return nil
	}
	b := &builder{p: p, s: p.WithOthers(state), profile: p.Host.Behaviour(), planned: p.OwnLanes(),
		takers: map[plan.OutputRef]*plan.Lane{}, jacks: map[plan.OutputRef]int{}}
	b.h = host.New(b.s, b.profile)
	for _, l := range slices.Backward(b.planned) {
		for _, src := range l.Sources {
			b.takers[src] = l
		}
	}
	for i := range p.Placed {
		for at, o := range p.Placed[i].Jacks() {
			b.jacks[p.Placed[i].Ref(o)] = at
		}
	}
	b.openTemplate()
	b.confirm()
	b.load()
	b.home()
	b.version()
	b.spread()
	b.outputs()
	b.inside()
	b.assign()
	b.closeStray()
	b.open()
	b.closeStray()
	b.number()
	b.dress(plan.Regular)
	b.buses()
	b.dress(plan.Bus)
	b.chain()
	b.route()
	b.sends()
	b.inserts()
	b.quiet()
	b.oldTracks()
	b.channels()
	b.notes()
	b.automate()
	b.check()
	b.keep()
	for i := range b.steps {
		b.steps[i].Number = i + 1
	}
	return b.steps
}

// Tick is the edit that says a step was done, or some parts of it, by their places.
func Tick(key string, parts ...string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		open := Make(p)
		st, ok := Named(open, key)
		if !ok {
			return "", fmt.Errorf("that step is done already or no longer needed; reload the sheet")
		}
		done, err := st.Chosen(p, parts)
		if err != nil {
			return "", err
		}
		return edits.SetPatched("mark as done: "+done.Text, func(p *plan.Project, s *plan.Patched) error {
			for _, earlier := range open {
				if earlier.Key() == key {
					break
				}
				if earlier.wouldUndo(done) { // it came first: what is marked says what was left after it
					Record(p, s, earlier)
				}
			}
			Record(p, s, done)
			return nil
		})(p)
	}
}

// wouldUndo reports whether a step, carried out after the other one, would take back what that one
// did: the action that spreads all feeds of an instrument, and loading it again.
func (st Step) wouldUndo(later Step) bool {
	for _, a := range st.Actions {
		for _, b := range later.Actions {
			feeds := "" // the instrument whose outputs or feeds are set
			switch b := b.(type) {
			case host.Assign:
				feeds = b.Instrument
			case host.Setup:
				feeds = b.Instrument
			}
			switch a := a.(type) {
			case host.Spread:
				if a.Instrument == feeds {
					return true
				}
			case host.LoadAnew:
				spread, _ := b.(host.Spread)
				inside, _ := b.(host.SetInside)
				if slices.Contains([]string{feeds, spread.Instrument, inside.Instrument}, a.Instrument) {
					return true
				}
			}
		}
	}
	return false
}

// Record writes a step down as done in a state.
func Record(p *plan.Project, s *plan.Patched, st Step) {
	*s = *p.WithOthers(s)
	h := host.New(s, p.Host.Behaviour())
	for _, a := range st.Actions {
		assumeAdded(p, h, a)
		h.Record(a)
	}
}

// assumeAdded writes down that the lanes and buses exist that somebody did something to, before
// the step that adds them was marked.
func assumeAdded(p *plan.Project, h *host.Host, a host.Action) {
	add := func(id string) {
		l := p.Lane(id)
		if l == nil || l.IsOther() || h.Lane(id) != nil {
			return
		}
		for i := range p.Placed { // it is there, and known by another name
			if home, planned := h.State.StrayHome(p, p.Placed[i].ID); planned == l {
				h.Record(host.TakeLane{Lane: home.ID, As: id})
			}
		}
		if h.Lane(id) == nil {
			h.Record(host.MakeLane{Lane: id, Number: l.Number, Width: l.Width, Bus: l.Kind == plan.Bus})
		}
	}
	for _, id := range host.OnLanes(a) {
		add(id)
	}
}

// Untick is the edit that takes back what marking a step as done changed.
func Untick(text string, changes []plan.Change) plan.Edit {
	return func(p *plan.Project) (string, error) {
		s, n, err := p.Patched.TakenBack(changes)
		if err != nil {
			return "", err
		}
		if n == 0 {
			return "", fmt.Errorf("other steps have changed the same settings since; nothing was changed")
		}
		p.Patched = s
		return "mark as not done: " + text, nil
	}
}

// AllDone is the edit that says everything stands as planned already.
func AllDone() plan.Edit {
	return edits.SetPatched("mark all as done", func(p *plan.Project, s *plan.Patched) error {
		was := *s
		*s = *p.AsPlanned()
		s.Checked, s.Template, s.Kept = was.Checked, was.Template, was.Kept
		for id, in := range s.Instruments {
			in.Default, in.Home = was.Instruments[id].Default, was.Instruments[id].Home
			s.Instruments[id] = in
		}
		b := &builder{p: p, s: s, profile: p.Host.Behaviour()}
		b.h = host.New(s, b.profile)
		b.keep()
		return nil
	})
}

type builder struct {
	p       *plan.Project
	s       *plan.Patched // as it stands after the steps so far
	h       *host.Host
	profile rig.Profile
	planned []*plan.Lane                  // by number
	takers  map[plan.OutputRef]*plan.Lane // the first planned lane that takes each jack
	jacks   map[plan.OutputRef]int        // place of each jack in its instrument
	steps   []Step
	forced  bool // the ways are taken that are written in the project
}

// add appends a step and carries it out on the state.
func (b *builder) add(st Step) {
	if st.Count == 0 {
		return
	}
	for _, a := range st.Actions {
		if err := b.h.Do(a); err != nil {
			b.h.Record(a)
		}
	}
	b.steps = append(b.steps, st)
}

// Key names a step by what it sets: it is the same as long as that is.
func (st Step) Key() string {
	var text []byte
	for _, a := range st.Actions {
		for _, s := range a.Sets() {
			for _, part := range []string{string(s.Entity), string(s.Attribute), s.Value} {
				text = append(append(text, part...), 0)
			}
		}
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:8])
}

// laneFor is the planned lane that takes a jack, if one does.
func (b *builder) laneFor(ref plan.OutputRef) (string, plan.LaneNumber) {
	if l := b.takers[ref]; l != nil {
		return l.ID, l.Number
	}
	return "", 0
}

// openTemplate begins with the template of the host, where the project has one and nothing is patched.
func (b *builder) openTemplate() {
	t := b.p.OpensFrom(b.s)
	if t == nil {
		return
	}
	b.add(Step{Place: InHost, Count: 1, Text: fmt.Sprintf("Open a new session from the template “%s” of the host", t.Name),
		Verify: "it has " + t.Text(), Why: "it was kept there, and holds what is planned already",
		Actions: []host.Action{host.OpenTemplate{Template: t}}})
}

// confirm asks for what is unknown, and goes on as if it stood as planned: a step for each
// would say of most that they are to be done again.
func (b *builder) confirm() {
	keys := b.s.Assume(b.p)
	st := Step{Place: InHost, Count: len(keys), Told: true, Verify: "each is set as listed",
		Text: "Confirm " + counted(len(keys), "unknown setting"),
		Why:  "they may be set already; where they are not, set them as listed"}
	say := b.p.Sayer()
	for _, k := range keys {
		st.Items = append(st.Items, Item{Text: say(k)})
	}
	st.Actions = []host.Action{host.Confirm{Plan: b.p, Keys: keys}}
	b.add(st)
}

// unload takes out an instrument that the plan no longer has. Where it was loaded on a lane, the lane goes
// with it, unless another instrument is to be loaded there: then that is loaded in its place.
func (b *builder) unload(id string) {
	name := b.s.Instruments[id].Name
	if name == "" {
		name = "instrument " + id
	}
	st := Step{Place: InHost, Text: fmt.Sprintf("Remove %s, which the plan no longer has", name), Count: 1,
		Verify: "its window is gone", Actions: []host.Action{host.Unload{Instrument: id}}}
	home := b.s.HomeOf(b.p, id)
	if home == nil {
		b.add(st)
		return
	}
	at := fmt.Sprintf("lane %s %s", b.p.Host.LaneName(home.Number), home.Name)
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		if _, loaded := b.s.Instruments[pl.ID]; loaded {
			continue
		}
		outputs, _, _ := pl.Begins()
		if len(outputs) == 0 {
			continue
		}
		if lane, _ := b.laneFor(plan.OutputRef{Placed: pl.ID, Output: outputs[0].Number}); lane == home.ID {
			st.Text = fmt.Sprintf("Remove %s from %s, and leave the lane for %s", name, at, pl.Instrument.Name)
			st.Why = "the lane stays with what is on it"
			b.add(st)
			return
		}
	}
	st.Text += ", with " + at
	st.Actions = []host.Action{host.Unload{Instrument: id, Lane: home.ID}}
	st.Why = "it was loaded on that lane, which goes with it: move what is on the lane first, it is lost"
	b.add(st)
}

func (b *builder) load() {
	for _, id := range slices.Sorted(maps.Keys(b.s.Instruments)) {
		if b.p.Find(id) != nil {
			continue
		}
		b.unload(id)
	}
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		if _, ok := b.s.Instruments[pl.ID]; ok {
			continue
		}
		outputs, halved, feeds := pl.Begins()
		load := host.Load{Instrument: pl.ID, Name: pl.Instrument.Name, Outputs: outputs, Halved: halved, Feeds: feeds,
			Inside: pl.InsideAtStart(), Lanes: b.lanesAt(pl, feeds)}
		if pl.Start.Kind == plan.FromDefault {
			load.Default = pl.Start.Default
		}
		st := Step{Place: InHost, Text: "Load " + pl.Instrument.Name, Count: 1, Verify: "a key played sounds"}
		if v, several := pl.LoadedVersion(); several {
			load.Version = v.Name
			st.Text += " in the version " + v.Name
		}
		if pl.Start.Kind == plan.FromLayout {
			st.Text += " " + pl.Start.Text()
		}
		if plan.HasHomes(b.profile) && len(load.Outputs) > 0 {
			load.Lane, load.Number = b.homeFor(plan.OutputRef{Placed: pl.ID, Output: load.Outputs[0].Number})
			st.Text += fmt.Sprintf(" on lane %s", b.p.Host.LaneName(load.Number))
			st.Why = "its first output arrives on that lane"
			if load.Lane == "" {
				st.Why += ", and the plan assigns nothing to it; the lane stays as long as the instrument"
			}
		}
		if pl.Start.Kind != plan.AsDelivered && pl.Start.Kind != plan.FromLayout {
			st.Why = strings.TrimPrefix(st.Why+"; it starts "+pl.Start.Text(), "; ")
		}
		st.Actions = []host.Action{load}
		b.add(st.of(pl, rig.StepLoad))
	}
}

// homeFor is the planned lane that an instrument is loaded on for its first output, "" where the
// plan has none for it, and the number that the lane has then. It is a lane of its own: not one that
// carries another instrument, nor a number that somebody else has or is to have.
func (b *builder) homeFor(first plan.OutputRef) (string, plan.LaneNumber) {
	lane, number := b.laneFor(first)
	have := b.h.Lane(lane)
	switch {
	case have != nil && b.s.Homes(b.p)[lane]: // of another instrument, which arrives there too
		return "", b.freeNumber()
	case have != nil && !b.h.Alive(have):
		return lane, have.Number
	case have == nil && lane != "":
		return lane, number
	}
	return lane, b.freeNumber()
}

// freeNumber is the number after all that lanes of the plan and of the mixer have, or the lowest
// that is free where the mixer ends before that.
func (b *builder) freeNumber() plan.LaneNumber {
	used := b.p.Used()
	last := plan.LaneNumber(0)
	for _, l := range b.s.Lanes {
		used = append(used, plan.RangesOf(l.Number)...)
	}
	for _, r := range used {
		last = max(last, r.To)
	}
	if limit := b.p.Host.LaneLimit; limit > 0 && last >= limit {
		for n := plan.LaneNumber(1); n <= limit; n++ {
			if !used.Contains(n) {
				return n
			}
		}
	}
	return last + 1
}

// home lets the lane that an instrument was loaded on be the planned lane of its first output, where
// the plan came to have one afterwards.
func (b *builder) home() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		lane, planned := b.s.StrayHome(b.p, pl.ID)
		if planned == nil {
			continue
		}
		b.add(Step{Place: InHost, Count: 1, Told: true,
			Text:   fmt.Sprintf("Use lane %s %s as %s", b.p.Host.LaneName(lane.Number), lane.Name, planned.Name),
			Verify: "it moves when the first output is played",
			Why: fmt.Sprintf("%s was loaded on it, and its first output arrives there; the steps below name it",
				pl.Instrument.Name),
			Actions: []host.Action{host.TakeLane{Lane: lane.ID, As: planned.ID}}})
	}
}

const whySeen = "the host sees changed outputs only then; without it notes play and nothing is heard"

func (b *builder) outputs() {
	reopen := false
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		b.setUp(pl)
		in := b.s.Instruments[pl.ID]
		if b.profile.SaveFirst && !slices.Equal(in.Kept, in.Setup) {
			b.add(Step{Place: InInstrument, Text: "Save the set-up of " + pl.Instrument.Name, Count: 1,
				Verify:  "the outputs are still there when it is loaded again",
				Why:     "a set-up that is not saved is lost at the next reload",
				Actions: []host.Action{host.Save{Instrument: pl.ID}}}.of(pl, rig.StepSave))
			in = b.s.Instruments[pl.ID]
		}
		if slices.Equal(in.Seen, in.Setup) {
			continue
		}
		if b.profile.After == rig.Reload {
			b.add(Step{Place: InHost, Text: "Reload " + pl.Instrument.Name, Count: 1,
				Verify: fmt.Sprintf("the host lists %d outputs for it", len(in.Setup)),
				Why:    whySeen, Actions: []host.Action{host.Reload{Instrument: pl.ID}}}.of(pl, rig.StepSave))
		} else {
			reopen = true
		}
	}
	if reopen {
		b.add(Step{Place: InHost, Text: "Save the project and open it again", Count: 1,
			Verify: "the host lists the new outputs", Why: whySeen, Actions: []host.Action{host.Reopen{}}})
	}
}

// setUp sets the outputs of an instrument up where they are not as planned.
func (b *builder) setUp(pl *plan.Placed) {
	in := b.s.Instruments[pl.ID]
	if !slices.Equal(in.Setup, pl.Outputs) || !slices.Equal(in.Halved, pl.Halved) {
		b.add(setupStep(pl, in.Setup, b.profile).of(pl, rig.StepOutputs))
	}
}

// setupStep says how to set outputs up: what to add where what is there stays.
func setupStep(pl *plan.Placed, now []rig.Output, profile rig.Profile) Step {
	set := host.Setup{Instrument: pl.ID, Outputs: pl.Outputs, Halved: pl.Halved}
	st := Step{Place: InInstrument, Told: true, Actions: []host.Action{set}}
	st.Verify = fmt.Sprintf("it shows %d outputs, the last on ports %s", len(pl.Outputs), lastPorts(pl))
	if profile.After != rig.AtOnce {
		st.Why = "outputs come before everything else, since a reload is due after them"
	}
	name := pl.Instrument.Name
	kept := 0
	for kept < len(now) && kept < len(pl.Outputs) && now[kept] == pl.Outputs[kept] {
		kept++
	}
	added := pl.Outputs[kept:]
	switch {
	case kept == len(now) && len(added) > 0:
		st.Count = len(added)
		runs := rig.Runs(added)
		var parts []string
		for _, r := range runs {
			parts = append(parts, fmt.Sprintf("%d %s", r.Count, r.Width))
		}
		how := ", consecutive from port %d"
		if len(added) == 1 {
			how = " from port %d"
		}
		st.Text = fmt.Sprintf("Add %s to %s"+how, plural(len(added), strings.Join(parts, " and ")+" output"), name,
			added[0].First)
	case kept == len(pl.Outputs) && len(now) > kept:
		st.Count = len(now) - kept
		st.Text = fmt.Sprintf("Remove %s of %s: those after output %d", counted(st.Count, "output"), name, kept)
	case slices.Equal(now, pl.Outputs):
		st.Count = max(1, len(pl.Halved))
		st.Text = fmt.Sprintf("Split %d outputs of %s into two mono outputs each", len(pl.Halved), name)
		if len(pl.Halved) == 0 {
			st.Text = "Join the split outputs of " + name
		}
	default:
		st.Count, st.Told = len(pl.Outputs), false
		st.Text = fmt.Sprintf("Set the outputs of %s up as %s from port %d", name, rig.FormatRuns(rig.Runs(pl.Outputs)),
			firstPort(pl.Outputs))
		if len(pl.Outputs) == 0 {
			st.Count, st.Text = 1, "Remove all outputs of "+name
		}
	}
	return st
}

// plural puts "s" behind the last word where n is not one; the number stands in
// the text already.
func plural(n int, text string) string {
	if n == 1 {
		return text
	}
	return text + "s"
}

func lastPorts(pl *plan.Placed) string {
	if n := len(pl.Outputs); n > 0 {
		return pl.PortText(pl.Outputs[n-1])
	}
	return "none"
}

func firstPort(outputs []rig.Output) rig.Port {
	if len(outputs) == 0 {
		return 1
	}
	return outputs[0].First
}

func (b *builder) assign() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		steps := map[plan.State]*Step{}
		for _, f := range pl.AllFeeds() {
			label := pl.FeedLabel(f.ID)
			if label == "" || label == b.s.Instruments[pl.ID].JackOf(f.ID) {
				continue
			}
			state := pl.Feeds[f.ID].State
			if steps[state] == nil {
				steps[state] = &Step{Place: InInstrument, Told: true}
			}
			b.assignFeed(steps[state], pl, f, label)
		}
		for _, state := range []plan.State{plan.Assigned, plan.Parked, plan.Off} {
			if st := steps[state]; st != nil {
				describeAssign(st, state, pl.Instrument.Name)
				b.add(st.of(pl, rig.StepAssign))
			}
		}
	}
}

// assignFeed adds one feed to the step for all that are assigned, parked or off.
func (b *builder) assignFeed(st *Step, pl *plan.Placed, f rig.Feed, label string) {
	a := pl.Feeds[f.ID]
	act := host.Assign{Instrument: pl.ID, Feed: f.ID, Jack: label}
	if a.State == plan.Assigned {
		act.Lane, act.Number = b.laneFor(plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side})
	}
	item := f.Name + " off"
	if o, ok := pl.Output(a.At()); ok {
		item = fmt.Sprintf("%s → %s (%s)", f.Name, pl.Named(o), pl.PortText(o))
	}
	st.Actions = append(st.Actions, act)
	st.Items = append(st.Items, Item{Text: item})
	st.Count++
}

func describeAssign(st *Step, state plan.State, name string) {
	switch state {
	case plan.Assigned:
		st.Text = fmt.Sprintf("Assign %s of %s", counted(st.Count, "feed"), name)
		st.Verify = "each feed played alone moves its own output"
	case plan.Parked:
		st.Text = fmt.Sprintf("Park %s of %s", counted(st.Count, "unused feed"), name)
		st.Verify = "played alone they move no lane"
		st.Why = "an unused feed would stay on the first output, under a wanted one"
	default:
		st.Text = fmt.Sprintf("Switch %s of %s off", counted(st.Count, "unused feed"), name)
		st.Verify = "played alone they are silent"
	}
}

func counted(n int, what string) string { return fmt.Sprintf("%d %s", n, plural(n, what)) }

func (b *builder) closeStray() {
	st := Step{Place: InHost, Told: true, Verify: "everything sounds as before",
		Why: "they take nothing of the plan"}
	planned := make(map[string]bool, len(b.planned))
	for _, l := range b.planned {
		planned[l.ID] = true
	}
	homes := b.s.Homes(b.p)
	for _, l := range b.s.Lanes {
		if !planned[l.ID] && l.Owner != plan.Found && !homes[l.ID] && !b.needed(l) {
			st.Count++
			st.Items = append(st.Items, Item{Text: fmt.Sprintf("lane %s %s", b.p.Host.LaneName(l.Number), l.Name)})
			st.Actions = append(st.Actions, host.CloseLane{Lane: l.ID})
		}
	}
	st.Text = fmt.Sprintf("Remove %s the plan does not have", counted(st.Count, "lane"))
	b.add(st)
}

// needed reports whether a lane that the plan does not have is the only one on which something
// wanted can arrive: it stays, whatever is wrong with the plan.
func (b *builder) needed(l plan.Lane) bool {
	for _, src := range l.Sources {
		if b.takers[src] == nil && b.p.Carries(src) {
			return true
		}
	}
	return false
}

// opening is one lane that is missing or takes something else.
type opening struct {
	lane *plan.Lane
	make bool
}

func (b *builder) open() {
	if b.profile.Appears == rig.WhenSwitched {
		b.switchOn()
	}
	var list []opening
	for _, l := range b.planned {
		if l.Kind == plan.Bus {
			continue
		}
		have := b.h.Lane(l.ID)
		if have == nil || !slices.Equal(have.Sources, l.Sources) {
			list = append(list, opening{l, have == nil})
		}
	}
	b.clearStrayHomes()
	for len(list) > 0 {
		n := 1
		for n < len(list) && b.follows(list[n-1], list[n]) {
			n++
		}
		b.openRun(list[:n])
		list = list[n:]
	}
}

// follows reports whether two openings can be said in one go: lanes and outputs both
// go on by one.
func (b *builder) follows(a, c opening) bool {
	if a.make != c.make || c.lane.Number != a.lane.Number+1 {
		return false
	}
	if len(a.lane.Sources) == 0 && len(c.lane.Sources) == 0 {
		return true
	}
	if len(a.lane.Sources) != 1 || len(c.lane.Sources) != 1 {
		return false
	}
	x, y := a.lane.Sources[0], c.lane.Sources[0]
	if x.Placed != y.Placed {
		return false
	}
	i, first := b.jacks[x]
	j, second := b.jacks[y]
	if !first || !second || j != i+1 {
		return false
	}
	_, from, _ := b.p.Output(x)
	_, to, _ := b.p.Output(y)
	return from.Width == to.Width
}

func (b *builder) openRun(run []opening) {
	st := Step{Place: InHost, Count: len(run)}
	for _, o := range run {
		l := o.lane
		if o.make {
			st.Actions = append(st.Actions, host.MakeLane{Lane: l.ID, Number: l.Number, Width: l.Width})
		}
		if len(l.Sources) > 0 || !o.make {
			point := host.Point{Lane: l.ID, Number: l.Number, Sources: l.Sources, Width: l.Width}
			st.Actions = append(st.Actions, point)
		}
	}
	first, last := run[0].lane, run[len(run)-1].lane
	lanes := "lane " + b.p.Host.LaneName(first.Number)
	if len(run) > 1 {
		lanes = fmt.Sprintf("lanes %s–%s", b.p.Host.LaneName(first.Number), b.p.Host.LaneName(last.Number))
	}
	outputs, ports := b.sources(first, last)
	switch {
	case outputs == "" && run[0].make:
		st.Text = "Add " + lanes + ", empty"
	case outputs == "":
		st.Text = "Clear the input of " + lanes
	case b.profile.Appears == rig.BySend:
		st.Text = fmt.Sprintf("Sends to %s: from %s, source and destination both set", lanes, outputs)
		st.Why = "a send whose source or destination is left as it was is silent"
	case b.profile.Appears == rig.ByCable:
		st.Count = ports
		st.Text = fmt.Sprintf("Connect %s: %s", lanes, outputs)
	case run[0].make:
		st.Text = fmt.Sprintf("Add %s and set the inputs: %s", lanes, outputs)
	default:
		st.Text = fmt.Sprintf("Inputs of %s: %s", lanes, outputs)
	}
	if len(run) > 1 && outputs != "" {
		st.Text += " in order"
	}
	st.Verify = "each lane moves when its feed is played"
	b.add(st)
}

// sources says which outputs the lanes from first to last take, and how many ports.
func (b *builder) sources(first, last *plan.Lane) (string, int) {
	if len(first.Sources) == 0 {
		return "", 0
	}
	name := func(r plan.OutputRef) string {
		pl, o, ok := b.p.Output(r)
		if !ok {
			return "output " + r.Jack().String()
		}
		s := fmt.Sprintf("output %s (%s)", pl.Named(o), pl.PortText(o))
		if len(b.p.Placed) > 1 {
			s += " of " + pl.Instrument.Name
		}
		return s
	}
	if first != last {
		pl, from, _ := b.p.Output(first.Sources[0])
		_, to, _ := b.p.Output(last.Sources[0])
		ports := int(to.Last() - from.First + 1)
		span := fmt.Sprintf("outputs %s–%s (%d–%d", pl.Named(from), pl.Named(to), from.First, to.Last())
		if pl.Offset != 0 {
			span += fmt.Sprintf(" · host %d–%d", int(from.First)+pl.Offset, int(to.Last())+pl.Offset)
		}
		span += ")"
		if len(b.p.Placed) > 1 {
			span += " of " + pl.Instrument.Name
		}
		return span, ports
	}
	var out []string
	ports := 0
	for _, s := range first.Sources {
		out = append(out, name(s))
		if _, o, ok := b.p.Output(s); ok {
			ports += o.Width.Ports()
		}
	}
	return strings.Join(out, " and "), max(ports, 1)
}

func (b *builder) switchOn() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		in := b.s.Instruments[pl.ID]
		st := Step{Place: InHost, Told: true, Verify: "a lane appears for each",
			Why: "an output that is not switched on is silent"}
		var numbers []plan.LaneNumber
		for _, o := range pl.Jacks() {
			lane, number := b.laneFor(pl.Ref(o))
			if lane == "" || in.On[o.Number] && b.h.Lane(lane) != nil || !in.Sees(plan.Jack{Output: o.Number, Side: o.Side}) {
				continue
			}
			st.Count++
			numbers = append(numbers, plan.LaneNumber(o.Number))
			if name := pl.OutputName(o); name != "" {
				st.Items = append(st.Items, Item{Text: pl.Named(o)})
			}
			on := host.Switch{Instrument: pl.ID, Jack: o.Label(), Lane: lane, Number: number}
			st.Actions = append(st.Actions, on)
		}
		st.Text = fmt.Sprintf("Switch on %s of %s: %s", counted(st.Count, "output"), pl.Instrument.Name,
			plan.RangesOf(numbers...))
		b.add(st)
	}
}

func (b *builder) number() {
	st := Step{Place: InHost, Told: true, Verify: "the lanes are in the order of the plan"}
	for _, l := range b.planned {
		if have := b.h.Lane(l.ID); have != nil && have.Number != l.Number && l.Kind == plan.Regular {
			st.Count++
			st.Items = append(st.Items, Item{Text: fmt.Sprintf("%s: %s → %s", l.Name, b.p.Host.LaneName(have.Number),
				b.p.Host.LaneName(l.Number))})
			st.Actions = append(st.Actions, host.NumberLane{Lane: l.ID, Number: l.Number})
		}
	}
	b.clearHomes(&st)
	st.Text = fmt.Sprintf("Move %s", counted(st.Count, "lane"))
	b.add(st)
}

// clearStrayHomes takes the input off homes whose first output arrives on a lane of the plan.
func (b *builder) clearStrayHomes() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		home, _ := b.s.StrayHome(b.p, pl.ID)
		if home == nil || !slices.ContainsFunc(home.Sources, func(s plan.OutputRef) bool { return b.takers[s] != nil }) {
			continue
		}
		at := b.p.Host.LaneName(home.Number)
		b.add(Step{Place: InHost, Count: 1, Text: fmt.Sprintf("Clear the input of lane %s %s", at, home.Name),
			Verify: "it stays still while the instrument is played",
			Why: fmt.Sprintf("%s was loaded on it, so it stays; its first output arrives on another lane",
				pl.Instrument.Name),
			Actions: []host.Action{host.Point{Lane: home.ID, Width: home.Width}}})
	}
}

// clearHomes moves homes that the plan does not have off the numbers that it gives to its lanes.
func (b *builder) clearHomes(st *Step) {
	next := plan.LaneNumber(0)
	for i := range b.p.Placed {
		home, _ := b.s.StrayHome(b.p, b.p.Placed[i].ID)
		if home == nil || !slices.ContainsFunc(b.planned, func(l *plan.Lane) bool { return l.Number == home.Number }) {
			continue
		}
		if next == 0 { // it is looked for where it is needed: the mixer may be long
			next = b.freeNumber()
		}
		st.Count++
		st.Items = append(st.Items, Item{Text: fmt.Sprintf("%s, on which %s was loaded: %s → %s", home.Name,
			b.p.Placed[i].Instrument.Name, b.p.Host.LaneName(home.Number), b.p.Host.LaneName(next))})
		st.Actions = append(st.Actions, host.NumberLane{Lane: home.ID, Number: next})
		next++
	}
}

// dress sets on the lanes of a kind what steps set on each by itself: names, colours, polarity.
func (b *builder) dress(kind plan.LaneKind) {
	for _, a := range plan.LaneAttributes {
		if a.Step == nil {
			continue
		}
		st := Step{Place: InHost, Told: true, Verify: a.Step.Verify, Why: a.Step.Why}
		for _, l := range b.planned {
			have := b.h.Lane(l.ID)
			if have == nil || l.Kind != kind || a.Stands(have, l) {
				continue
			}
			text, value := a.Step.Text(l)
			item := Item{Text: strings.TrimSpace(b.p.Host.LaneName(l.Number) + " " + text)}
			if a.Step.Colour {
				item.Colour = value
			}
			st.Count++
			st.Items = append(st.Items, item)
			st.Actions = append(st.Actions, host.SetLane{Lane: l.ID, Attribute: a.Name(), As: l})
		}
		what := counted(st.Count, "lane")
		if kind == plan.Bus {
			what = words.Count(st.Count, "bus", "buses")
		}
		st.Text = a.Step.Verb + " " + what
		b.add(st)
	}
}

func (b *builder) buses() {
	for _, l := range b.p.Buses() {
		have, at := b.h.Lane(l.ID), b.p.Host.LaneName(l.Number)
		switch {
		case l.IsOther():
		case have == nil:
			bus := host.MakeLane{Lane: l.ID, Number: l.Number, Name: l.Name, Width: l.Width, Bus: true}
			b.add(Step{Place: InHost, Text: fmt.Sprintf("Add the bus %s on lane %s", l.Name, at), Count: 1,
				Verify: "it exists and is routed to the main mix", Actions: []host.Action{bus}})
		case have.Number != l.Number:
			b.add(Step{Place: InHost, Text: fmt.Sprintf("Move the bus %s to lane %s", l.Name, at), Count: 1,
				Verify: "it is on that lane", Actions: []host.Action{host.NumberLane{Lane: l.ID, Number: l.Number}}})
		}
	}
}

// lanesInto is a step for all lanes that get the same destination or send, as it is
// gathered.
type lanesInto[K comparable] struct {
	kind    K
	step    Step
	numbers []plan.LaneNumber
}

// gather adds one lane's action to the step of its kind.
func gather[K comparable](groups []*lanesInto[K], kind K, l *plan.Lane, a host.Action) ([]*lanesInto[K],
	*lanesInto[K]) {
	i := slices.IndexFunc(groups, func(g *lanesInto[K]) bool { return g.kind == kind })
	if i < 0 {
		i = len(groups)
		groups = append(groups, &lanesInto[K]{kind: kind, step: Step{Place: InHost, Told: true}})
	}
	g := groups[i]
	g.step.Count++
	g.step.Actions = append(g.step.Actions, a)
	g.numbers = append(g.numbers, l.Number)
	return groups, g
}

// destination is where a lane goes.
type destination struct {
	to       string
	alsoMain bool
}

func (b *builder) route() {
	var groups []*lanesInto[destination]
	for _, l := range b.planned {
		have := b.h.Lane(l.ID)
		if have == nil || have.To == l.To && (have.AlsoMain || !l.AlsoMain) {
			continue
		}
		groups, _ = gather(groups, destination{l.To, l.AlsoMain}, l,
			host.Route{Lane: l.ID, To: l.To, AlsoMain: l.AlsoMain})
	}
	for _, l := range b.p.OtherLanes() {
		have := b.h.Lane(l.ID)
		if b.p.OtherRoute(have) != nil && (have.To != l.To || l.AlsoMain && !have.AlsoMain) {
			groups, _ = gather(groups, destination{l.To, l.AlsoMain}, l,
				host.Route{Lane: l.ID, To: l.To, AlsoMain: l.AlsoMain})
		}
	}
	for _, g := range groups {
		b.describeRoute(&g.step, g.kind, b.lanes(g.numbers))
		b.add(g.step)
	}
	b.mainOff()
}

// describeRoute says which lanes go where, and how to see that they do.
func (b *builder) describeRoute(st *Step, d destination, lanes string) {
	if d.to == plan.MainMix {
		st.Text, st.Verify = "Route "+lanes+" to the main mix", "the main mix moves when they sound"
		return
	}
	st.Text = fmt.Sprintf("Route %s to %s", lanes, b.p.Lane(d.to).Name)
	st.Verify = "the bus moves when they sound, and its fader moves all of them"
	switch {
	case d.alsoMain:
		st.Text += " and to the main mix"
		st.Verify = "the bus moves when they sound, and with its fader down they are still heard"
	case !b.profile.Several:
		st.Text += " instead of the main mix"
	}
}

// mainOff takes the main mix off the lanes that are to go to their bus alone.
func (b *builder) mainOff() {
	off := Step{Place: InHost, Told: true, Verify: "with the bus fader down nothing of them is heard",
		Why: "the route to a bus leaves the route to the main mix open: the same signal twice, 6 dB louder"}
	var numbers []plan.LaneNumber
	for _, l := range b.planned {
		if have := b.h.Lane(l.ID); have != nil && have.AlsoMain && !l.AlsoMain {
			off.Count++
			numbers = append(numbers, l.Number)
			off.Actions = append(off.Actions, host.MainOff{Lane: l.ID})
		}
	}
	for _, l := range b.p.OtherLanes() {
		if have := b.h.Lane(l.ID); b.p.OtherRoute(have) != nil && have.AlsoMain && !l.AlsoMain {
			off.Count++
			numbers = append(numbers, l.Number)
			off.Actions = append(off.Actions, host.MainOff{Lane: l.ID})
		}
	}
	off.Text = "Remove the route to the main mix from " + b.lanes(numbers)
	b.add(off)
}

// sendChange is a send that is opened or closed.
type sendChange struct {
	to                string
	pre, close, level bool // level: nothing but that differs
}

// sends takes away the sends that the plan does not have, and opens those that are not there.
func (b *builder) sends() {
	var groups []*lanesInto[sendChange]
	for _, l := range b.planned {
		have := b.h.Lane(l.ID)
		if have == nil {
			continue
		}
		for _, s := range have.Sends {
			if l.SendInto(s.To) == nil {
				groups, _ = gather(groups, sendChange{to: s.To, close: true}, l, host.CloseSend{Lane: l.ID, To: s.To})
			}
		}
		for _, s := range l.Sends {
			if have.HasSend(s) {
				continue
			}
			old := have.SendInto(s.To)
			stands := plan.Send{To: s.To, Pre: s.Pre, Level: b.profile.NewSend()}
			if old != nil {
				stands.Level = old.Level
			}
			level := host.SetSend{Lane: l.ID, To: s.To, Level: s.Level}
			item := Item{Text: fmt.Sprintf("%s %s: %s", b.p.Host.LaneName(l.Number), l.Name, s.Level), Count: 1}
			var g *lanesInto[sendChange]
			if old != nil && old.Pre == s.Pre {
				groups, g = gather(groups, sendChange{to: s.To, pre: s.Pre, level: true}, l, level)
			} else {
				groups, g = gather(groups, sendChange{to: s.To, pre: s.Pre}, l, host.OpenSend{Lane: l.ID, To: s.To, Pre: s.Pre})
				if !s.LevelIs(stands.Level) {
					g.step.Actions = append(g.step.Actions, level)
					g.step.Count++
					item.Count++
				}
			}
			g.step.Items = append(g.step.Items, item)
		}
	}
	for _, g := range groups {
		b.describeSend(&g.step, g.kind, b.lanes(g.numbers))
		b.add(g.step)
	}
}

func (b *builder) describeSend(st *Step, c sendChange, lanes string) {
	name := "a bus that goes"
	if l := cmp.Or(b.p.Lane(c.to), b.h.Lane(c.to)); l != nil {
		name = l.Name
	}
	switch {
	case c.level:
		st.Text = fmt.Sprintf("Set the level of the send to %s on %s", name, lanes)
		st.Verify = "its meter moves by as much"
		return
	case c.close:
		st.Text = fmt.Sprintf("Take the send to %s off %s", name, lanes)
		st.Verify = "with the send muted nothing of it is heard"
	default:
		st.Text = fmt.Sprintf("Add a send to %s, %s, on %s", name, plan.Send{Pre: c.pre}.Tap(), lanes)
		st.Verify = "its meter moves when they sound"
		if b.profile.SendsSilent {
			st.Why = "a new send is silent here until its level is set"
		}
	}
	if c.pre {
		st.Why = "taken before the fader it goes on sounding when the lane is pulled down"
	}
}

func (b *builder) lanes(numbers []plan.LaneNumber) string {
	if len(numbers) == 1 {
		return "lane " + b.p.Host.LaneName(numbers[0])
	}
	if b.p.Host.BlockSize == 0 {
		return fmt.Sprintf("%d lanes, %s", len(numbers), plan.RangesOf(numbers...))
	}
	var out []string
	for _, r := range plan.RangesOf(numbers...) {
		s := b.p.Host.LaneName(r.From)
		if r.To != r.From {
			s += "–" + b.p.Host.LaneName(r.To)
		}
		out = append(out, s)
	}
	return fmt.Sprintf("%d lanes, %s", len(numbers), strings.Join(out, ", "))
}

// chain chains the masters of the blocks that lanes of the plan are in into the main mix.
func (b *builder) chain() {
	st := Step{Place: InHost, Verify: "the fader of the main mix moves them too",
		Why: "a block that is not chained is not heard"}
	for _, block := range slices.Sorted(maps.Keys(b.p.AsPlanned().Chained)) {
		if !b.s.IsChained(block) {
			st.Count++
			st.Items = append(st.Items, Item{Text: fmt.Sprintf("block %d", block)})
			st.Actions = append(st.Actions, host.ChainBlock{Block: block})
		}
	}
	if st.Text = "Chain the blocks of lanes into the main mix"; st.Count == 1 {
		st.Text = "Chain " + st.Items[0].Text + " into the main mix"
		st.Items = nil
	}
	b.add(st)
}

// quiet switches mutes and solos off that were left in the mixer.
func (b *builder) quiet() {
	st := Step{Place: InHost, Verify: "every lane is heard"}
	for _, l := range b.s.Lanes {
		if l.IsOther() {
			continue // how those are switched is the song's
		}
		at := fmt.Sprintf("%s %s", b.p.Host.LaneName(l.Number), l.Name)
		if b.s.Muted[l.ID] {
			st.Count++
			st.Items = append(st.Items, Item{Text: "mute of " + at})
			st.Actions = append(st.Actions, host.Mute{Lane: l.ID})
		}
		if b.s.Soloed[l.ID] {
			st.Count++
			st.Items = append(st.Items, Item{Text: "solo of " + at})
			st.Actions = append(st.Actions, host.Solo{Lane: l.ID})
		}
	}
	st.Text = "Switch off " + counted(st.Count, "mute or solo")
	if st.Count > 1 {
		st.Text = fmt.Sprintf("Switch off %d mutes and solos", st.Count)
	}
	b.add(st)
}

func (b *builder) check() {
	hash := Hash(b.p)
	wanted := 0
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		for _, f := range pl.AllFeeds() {
			if pl.Feeds[f.ID].State == plan.Assigned {
				wanted++
			}
		}
	}
	if b.s.Checked == hash || wanted == 0 {
		return
	}
	b.add(Step{Place: ByEar, Count: wanted,
		Text:    "Play each voice alone and see which lane moves, then solo each lane and hear one thing",
		Verify:  "every voice moves the lane the patch sheet says",
		Actions: []host.Action{host.CheckByEar{Plan: hash}}})
}
