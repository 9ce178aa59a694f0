package runsheet

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// DirectWay is the way that assigns every feed by itself.
const DirectWay = "direct"

// Way is one way to come from what an instrument is now to what the plan wants from it.
type Way struct {
	Key      string
	Name     string
	Settings int // values to change by hand inside the instrument, its one action among them
	Reloads  int
	Taken    bool     // the run sheet takes it
	Puts     []string // what its one action puts where
	Kit      string   // the kit or preset that it loads
}

// Ways lists the ways for an instrument of a project, with the settings each takes; the one with
// the fewest comes first, among equals the one with fewer reloads.
func Ways(p *plan.Project, placed string) []Way {
	pl := p.Find(placed)
	if pl == nil {
		return nil
	}
	s := (*plan.Patched)(nil).Clone()
	from := p.Patched
	if t := p.OpensFrom(from); t != nil {
		from = t.State
	}
	if from != nil {
		if in, ok := from.Instruments[placed]; ok {
			s.Instruments[placed] = in
		}
	}
	return waysFrom(p, pl, s.Clone())
}

func waysFrom(p *plan.Project, pl *plan.Placed, s *plan.Patched) (out []Way) {
	now := nowOf(pl, s)
	keys := append([]string{DirectWay}, wayKeys(pl, now)...)
	for _, key := range keys {
		w := Way{Key: key, Name: "each setting by itself"}
		if key != DirectWay {
			outputs, feeds, ok := endOf(pl, key, now)
			if !ok {
				continue
			}
			w.Name, w.Puts = wayName(key), puts(pl, outputs, feeds)
			if l := layoutOf(pl, acts(key)[0]); l != nil {
				w.Kit = l.Kit
			}
		}
		steps := alone(p, pl, s.Clone(), key)
		w.Settings, w.Reloads = Settings(steps), reloads(steps)
		out = append(out, w)
	}
	slices.SortStableFunc(out, func(a, b Way) int {
		return cmp.Or(cmp.Compare(a.Settings, b.Settings), cmp.Compare(a.Reloads, b.Reloads))
	})
	if len(out) == 0 {
		return out
	}
	direct := slices.IndexFunc(out, func(w Way) bool { return w.Key == DirectWay })
	at := slices.IndexFunc(out, func(w Way) bool { return w.Key == pl.Way })
	if at < 0 && out[0].Settings > out[direct].Settings-worthIt {
		at = direct
	}
	out[max(at, 0)].Taken = true
	return out
}

// worthIt is how many settings an action on the whole instrument must save to be taken unasked: it
// moves what stands right, too.
const worthIt = 3

// A way is one act of the instrument, or two after each other: the outputs are added or a layout is
// applied first, and then all feeds are spread.
const (
	thenAct      = "|"
	outputsFirst = "outputs"
	mostLayouts  = 8 // that are tried with a spread after them
)

// acts are the keys of a way's acts, as Placed.Spread names them; the name of a layout may be any text.
func acts(way string) []string {
	if at := strings.LastIndex(way, thenAct); at >= 0 && rig.SpreadTexts[rig.Spread(way[at+1:])] != "" {
		return []string{way[:at], way[at+1:]}
	}
	return []string{way}
}

// wayKeys lists the ways by acts of the instrument, from the outputs that it has.
func wayKeys(pl *plan.Placed, now []rig.Output) []string {
	keys := pl.SpreadKeys()
	for _, s := range pl.Instrument.Traits.Spreads {
		if !slices.Equal(now, pl.Outputs) && !pl.Instrument.Fixed {
			keys = append(keys, outputsFirst+thenAct+string(s))
		}
		for _, l := range pl.Instrument.Layouts[:min(mostLayouts, len(pl.Instrument.Layouts))] {
			keys = append(keys, plan.LayoutKey(l.Name)+thenAct+string(s))
		}
	}
	return keys
}

// wayName says a way by acts in words.
func wayName(way string) string {
	list := acts(way)
	if len(list) == 1 {
		return plan.SpreadName(way)
	}
	first := "the outputs"
	if list[0] != outputsFirst {
		first = plan.SpreadName(list[0])
	}
	return first + ", then " + plan.SpreadName(list[1])
}

// endOf is how outputs and feeds stand after a way by acts.
func endOf(pl *plan.Placed, way string, now []rig.Output) (outputs []rig.Output, feeds map[string]string, ok bool) {
	for _, act := range acts(way) {
		if act == outputsFirst {
			now = pl.Outputs
			continue
		}
		if outputs, _, feeds, ok = pl.Spread(act, now); !ok {
			return nil, nil, false
		}
		now = outputs
	}
	return outputs, feeds, true
}

// nowOf is what outputs the instrument has, or begins with where it is not loaded.
func nowOf(pl *plan.Placed, s *plan.Patched) []rig.Output {
	if in, ok := s.Instruments[pl.ID]; ok {
		return in.Setup
	}
	outputs, _, _ := pl.Begins()
	return outputs
}

// alone lists the steps inside one instrument, by a way.
func alone(p *plan.Project, pl *plan.Placed, s *plan.Patched, way string) []Step {
	q := &plan.Project{Host: p.Host, Placed: []plan.Placed{*pl}}
	q.Placed[0].Way = way
	planned := map[string]bool{}
	for _, l := range p.Lanes {
		if slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool { return s.Placed == pl.ID }) {
			l.To, l.Sends = plan.MainMix, nil
			q.Lanes = append(q.Lanes, l)
			planned[l.ID] = true
		}
	}
	b := &builder{p: q, s: s, profile: p.Host.Behaviour(), takers: map[plan.OutputRef]*plan.Lane{},
		jacks: map[plan.OutputRef]int{}, forced: true}
	b.h = host.New(b.s, b.profile)
	for i := range q.Lanes {
		for _, src := range q.Lanes[i].Sources {
			b.takers[src] = &q.Lanes[i]
		}
	}
	s.Assume(q)
	b.load()
	loaded := len(b.steps)
	b.version()
	b.spread()
	b.outputs()
	b.assign()
	steps := b.steps[loaded:]
	stray, homes := Step{}, b.s.Homes(q)
	for _, l := range b.s.Lanes { // lanes that appear on the way, and that nobody wants
		if !planned[l.ID] && !homes[l.ID] {
			stray.Count++
		}
	}
	return append(steps, stray)
}

func reloads(steps []Step) (n int) {
	for _, st := range steps {
		for _, a := range st.Actions {
			switch a.(type) {
			case host.Reload, host.Reopen:
				n++
			}
		}
	}
	return n
}

// puts says what goes where: "1: Kick In, Kick Out".
func puts(pl *plan.Placed, outputs []rig.Output, feeds map[string]string) (out []string) {
	trial := *pl
	trial.Outputs, trial.Halved = outputs, nil
	by := map[string][]string{}
	var order []string
	for _, f := range pl.AllFeeds() {
		label, ok := feeds[f.ID]
		if !ok {
			continue
		}
		if by[label] == nil {
			order = append(order, label)
		}
		by[label] = append(by[label], f.Name)
	}
	for _, o := range outputs {
		for _, label := range []string{o.Label(), o.Label() + "L", o.Label() + "R"} {
			if names := by[label]; len(names) > 0 {
				out = append(out, fmt.Sprintf("%s: %s", trial.Named(o), strings.Join(names, ", ")))
				order = slices.DeleteFunc(order, func(x string) bool { return x == label })
			}
		}
	}
	for _, label := range order {
		out = append(out, fmt.Sprintf("%s: %s", label, strings.Join(by[label], ", ")))
	}
	return out
}

// spread is the one action of each instrument that leaves the fewest settings to make, or that the
// user has chosen.
func (b *builder) spread() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		way := b.wayOf(pl)
		list := acts(way)
		if way == DirectWay || b.s.Instruments[pl.ID].Spread == list[len(list)-1] {
			continue
		}
		for i, act := range list {
			in := b.s.Instruments[pl.ID]
			if act == outputsFirst {
				b.setUp(pl)
				continue
			}
			if outputs, halved, feeds, ok := pl.Spread(act, in.Setup); ok {
				b.act(pl, act, i == len(list)-1, host.Spread{Instrument: pl.ID, Key: act, Outputs: outputs, Halved: halved,
					Feeds: feeds, Lanes: b.lanesAt(pl, feeds)})
			}
		}
	}
}

// act is the step of one act of an instrument. The last lists what stays where it puts it; what it puts
// elsewhere is set by the steps after it.
func (b *builder) act(pl *plan.Placed, key string, last bool, do host.Spread) {
	st := Step{Place: InInstrument, Count: 1, Text: fmt.Sprintf("Spread the feeds of %s: %s", pl.Instrument.Name,
		plan.SpreadName(key)), Verify: "its outputs are as listed",
		Why: "one action of the instrument, which leaves the fewest settings to make", Actions: []host.Action{do}}
	if l := layoutOf(pl, key); l != nil {
		st.Text = fmt.Sprintf("Apply the layout %s to %s", l.Name, pl.Instrument.Name)
		if l.Kit != "" && pl.Instrument.Traits.KitReplaces {
			st.Why = fmt.Sprintf("it comes with %s; loading that replaces all assignments", l.Kit)
		}
	}
	stay := map[string]string{}
	for id, label := range do.Feeds {
		if last && pl.FeedLabel(id) == label {
			stay[id] = label
		}
	}
	for _, text := range puts(pl, do.Outputs, stay) {
		st.Items = append(st.Items, Item{Text: text})
	}
	if n := len(do.Feeds) - len(stay); len(stay) == 0 {
		st.Verify = "its feeds stand on other outputs than before"
	} else if n > 0 {
		st.Why += fmt.Sprintf("; %s moved again below", words.Count(n, "feed is", "feeds are"))
	}
	b.add(st.of(pl, rig.StepStart))
}

// layoutOf is the layout of an instrument that a way goes by, or nil.
func layoutOf(pl *plan.Placed, key string) *rig.Layout {
	if name, ok := plan.LayoutOf(key); ok {
		return pl.Instrument.Layout(name)
	}
	return nil
}

// lanesAt are the planned lanes of the outputs that feeds stand on, by their labels.
func (b *builder) lanesAt(pl *plan.Placed, feeds map[string]string) map[string]host.LaneAt {
	out := map[string]host.LaneAt{}
	for _, label := range feeds {
		n, side, err := rig.ParseLabel(label)
		if err != nil {
			continue
		}
		if lane, number := b.laneFor(plan.OutputRef{Placed: pl.ID, Output: n, Side: side}); lane != "" {
			out[label] = host.LaneAt{Lane: lane, Number: number}
		}
	}
	return out
}

// wayOf is the way that is taken for an instrument.
func (b *builder) wayOf(pl *plan.Placed) string {
	if b.forced {
		return pl.Way
	}
	if len(pl.SpreadKeys()) == 0 {
		return DirectWay
	}
	in := b.s.Instruments[pl.ID]
	far := 0
	for _, f := range pl.AllFeeds() {
		if l := pl.FeedLabel(f.ID); l != "" && l != in.JackOf(f.ID) {
			far++
		}
	}
	if far < 2 && slices.Equal(in.Setup, pl.Outputs) {
		return DirectWay // nothing can be shorter
	}
	s := (*plan.Patched)(nil).Clone()
	s.Instruments[pl.ID] = in
	for _, w := range waysFrom(b.p, pl, s.Clone()) {
		if w.Taken {
			return w.Key
		}
	}
	return DirectWay
}

// version loads the version that is wanted, where another one is loaded.
func (b *builder) version() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		v, several := pl.LoadedVersion()
		in := b.s.Instruments[pl.ID]
		if !several || in.Version == v.Name {
			continue
		}
		why := fmt.Sprintf("its outputs need %d ports; that is the smallest version that has them", rig.PortsOver(pl.Outputs))
		if pl.Variant != "" {
			why = "that version is the one you chose"
		}
		if !pl.Instrument.Traits.VersionFixed {
			b.add(Step{Place: InInstrument, Count: 1, Text: fmt.Sprintf("Switch %s to the version %s", pl.Instrument.Name,
				v.Name),
				Verify: fmt.Sprintf("it has %d ports", v.Ports), Why: why,
				Actions: []host.Action{host.SetVersion{Instrument: pl.ID, Version: v.Name}}}.of(pl, rig.StepLoad))
			continue
		}
		outputs, halved, feeds := pl.Begins()
		b.add(Step{Place: InHost, Count: 3, Text: fmt.Sprintf("Load %s again in the version %s", pl.Instrument.Name, v.Name),
			Items: []Item{{Text: "load the version " + v.Name}, {Text: "move the notes and what belongs to them"},
				{Text: "silence the old one, or it sounds twice"}},
			Verify: fmt.Sprintf("it has %d ports, and a key sounds once", v.Ports),
			Why:    why + "; it is fixed when it is loaded, so all settings are made again",
			Actions: []host.Action{host.LoadAnew{Instrument: pl.ID, Version: v.Name, Outputs: outputs, Halved: halved,
				Feeds:  feeds,
				Inside: pl.InsideAtStart(), Lanes: b.lanesAt(pl, feeds)}}}.of(pl, rig.StepLoad))
	}
}

// VersionCost is how many settings more the run sheet has when an instrument is loaded in another
// version; "" is the smallest that fits.
func VersionCost(p *plan.Project, placed, version string) int {
	now := Settings(Make(p))
	q := p.Clone()
	if _, err := edits.SetVariant(placed, version)(q); err != nil {
		return 0
	}
	return Settings(Make(q)) - now
}

// keep lists what is kept at the end, where it is asked for: an instrument's set-up as its
// default, and the mixer as a template of the host.
func (b *builder) keep() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		if !pl.SaveDefault || pl.Instrument.Traits.Defaults == rig.NoDefault {
			continue
		}
		hash := pl.DefaultHash()
		if b.s.Instruments[pl.ID].Default == hash {
			continue
		}
		st := Step{Place: InInstrument, Count: 1, Text: fmt.Sprintf("Save the set-up of %s as its default",
			pl.Instrument.Name),
			Verify:  "a new instance of it has the same outputs and assignments",
			Why:     "the next project then begins with it, and needs none of these steps",
			Actions: []host.Action{host.SaveDefault{Instrument: pl.ID, Hash: hash}}}
		v, several := pl.LoadedVersion()
		switch {
		case several && pl.Instrument.Traits.Defaults == rig.DefaultAll:
			st.Text += ", for every version at once"
		case several:
			st.Text += fmt.Sprintf(", for the version %s", v.Name)
		}
		if len(b.p.Instances(pl.ID)) > 1 {
			st.Items = append(st.Items, Item{Text: "close the other instances first, or they save over it"})
		}
		b.add(st.of(pl, rig.StepSave))
	}
	if !b.p.KeepTemplate {
		return
	}
	if hash := Hash(b.p); b.s.Template != hash {
		name := cmp.Or(b.p.TemplateName, b.p.Name)
		b.add(Step{Place: InHost, Count: 1, Text: fmt.Sprintf("Keep the session as the template “%s” of the host", name),
			Verify:  "a new session that is opened from it has these instruments, lanes and buses",
			Why:     "the next project then begins with it",
			Actions: []host.Action{host.KeepTemplate{Plan: hash, Name: name}}})
	}
}
