package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/rig"
)

// Start is the state that an instrument begins in when it is loaded.
type Start struct {
	Kind StartKind `json:"kind,omitempty"`
	Name string    `json:"name,omitempty"` // of the layout, or of the version whose default it is
	// Since is the day from which a default is kept on this machine, "2026-11-26".
	Since string `json:"since,omitempty"`
	// Layout is the state itself, as it was when this was said; nil: as delivered.
	Layout *rig.Layout `json:"layout,omitempty"`
}

// StartKind says in which state an instrument begins.
type StartKind string

// The kinds of start.
const (
	AsDelivered StartKind = ""
	FromLayout  StartKind = "layout"  // a prepared layout is loaded
	FromSaved   StartKind = "saved"   // as it was saved with the project's instrument
	FromDefault StartKind = "default" // the default that was saved on this machine for the version
)

// StartKinds lists them.
var StartKinds = []StartKind{AsDelivered, FromLayout, FromSaved, FromDefault}

// Text says the start in words.
func (s Start) Text() string {
	switch s.Kind {
	case FromLayout:
		return "in the layout " + s.Name
	case FromSaved:
		return "as it was saved with the project"
	case FromDefault:
		text := "with the default of this machine"
		if s.Name != "" {
			text += " for " + s.Name
		}
		if s.Since != "" {
			text += ", kept since " + s.Since
		}
		return text
	}
	return "as delivered"
}

// Begins gives the outputs and where the feeds stand when the instrument is loaded; a feed that
// is missing is on the first output.
func (pl *Placed) Begins() (outputs []rig.Output, halved []int, feeds map[string]string) {
	l := pl.Start.Layout
	if pl.Start.Kind == AsDelivered || l == nil {
		return pl.AsDelivered().AsLoaded(), nil, map[string]string{}
	}
	outputs, halved, feeds = standing(*l)
	if len(outputs) == 0 {
		outputs = pl.AsDelivered().AsLoaded()
	}
	return outputs, halved, feeds
}

// standing is a layout as the state of an instrument.
func standing(l rig.Layout) (outputs []rig.Output, halved []int, feeds map[string]string) {
	feeds = map[string]string{}
	for id, x := range l.Feeds {
		if feeds[id] = (Jack{x.Output, rig.Side(x.Side)}).String(); x.Output == 0 {
			feeds[id] = OffLabel
		} else if x.Side != "" && !slices.Contains(halved, x.Output) {
			halved = append(halved, x.Output)
		}
	}
	slices.Sort(halved)
	return slices.Clone(l.Outputs), halved, feeds
}

// SetStart says in which state the instrument is when it is loaded. For a layout or a default it
// is taken along as it is now; for what is saved, as the plan has it now.
func SetStart(placed string, kind StartKind, name string, layouts []rig.Layout) Edit {
	return change(placed, func(p *Project, pl *Placed) (string, error) {
		s := Start{Kind: kind, Name: name}
		switch kind {
		case AsDelivered:
			s.Name = ""
		case FromLayout:
			i := slices.IndexFunc(layouts, func(l rig.Layout) bool { return l.Name == name })
			if i < 0 {
				return "", fmt.Errorf("%s has no layout %q", pl.Instrument.Name, name)
			}
			s.Layout = &layouts[i]
		case FromSaved:
			l := pl.Layout("saved")
			s.Name, s.Layout = "", &l
		case FromDefault:
			d, ok := pl.savedDefault()
			if !ok {
				return "", fmt.Errorf("no default of %s is saved on this machine for that version", pl.Instrument.Name)
			}
			s = d
		default:
			return "", fmt.Errorf("an instrument starts as delivered, in a layout, as saved or with a default, not %q", kind)
		}
		pl.Start = s
		return pl.Instrument.Name + " starts " + s.Text(), nil
	})
}

// savedDefault is the start that is saved on this machine for the version that is loaded.
func (pl *Placed) savedDefault() (Start, bool) {
	version := ""
	if v, ok := pl.LoadedVersion(); ok {
		version = v.Name
	}
	best := -1
	for i, d := range pl.Instrument.SavedDefaults {
		if d.Version == version || d.Version == "" && best < 0 {
			best = i
		}
	}
	if best < 0 {
		return Start{}, false
	}
	d := pl.Instrument.SavedDefaults[best]
	return Start{Kind: FromDefault, Name: d.Version, Since: d.Since, Layout: &d.Layout}, true
}

// startAsUsual begins with the default of the machine, where one is saved for the version.
func (pl *Placed) startAsUsual() {
	if s, ok := pl.savedDefault(); ok {
		pl.Start = s
	}
}

// BeginIn lets an instrument that was just added start in one of its layouts: it is loaded so, and
// its feeds are assigned so until a proposal or somebody moves them.
func BeginIn(placed, layout string, layouts []rig.Layout) Edit {
	return func(p *Project) (string, error) {
		label, err := SetStart(placed, FromLayout, layout, layouts)(p)
		if err != nil {
			return "", err
		}
		pl := p.Find(placed)
		l, outputs := pl.Start.Layout, pl.Outputs
		if len(pl.knownOf(*l)) > 0 {
			if _, err = ApplyLayout(placed, *l)(p); err == nil && beginWith(outputs, l.Outputs) {
				pl.Outputs = outputs // it was given more
			}
		}
		return label, err
	}
}

// beginWith tells whether outputs begin with others, as they are.
func beginWith(outputs, others []rig.Output) bool {
	return len(outputs) >= len(others) && slices.Equal(outputs[:len(others)], others)
}

// knownOf lists the feeds that a layout places.
func (pl *Placed) knownOf(l rig.Layout) (out []string) {
	for _, f := range pl.AllFeeds() {
		if _, ok := l.Feeds[f.ID]; ok {
			out = append(out, f.ID)
		}
	}
	return out
}

// SetWay chooses by which way the run sheet comes from the start to the plan; "" is the one with
// the fewest settings.
func SetWay(placed, way string) Edit {
	return change(placed, func(_ *Project, pl *Placed) (string, error) {
		if pl.Way = way; way == "" {
			return "come to the plan of " + pl.Instrument.Name + " by the fewest settings", nil
		}
		return "choose the way to the plan of " + pl.Instrument.Name, nil
	})
}

// AskToSave asks the run sheet for a step at its end that saves what an instrument then is as its
// default, or no longer.
func AskToSave(placed string, ask bool) Edit {
	return change(placed, func(_ *Project, pl *Placed) (string, error) {
		if ask && pl.Instrument.Traits.Defaults == rig.NoDefault {
			return "", fmt.Errorf("%s cannot save a default; say on the instrument's page if it can", pl.Instrument.Name)
		}
		if pl.SaveDefault = ask; ask {
			return "save the set-up of " + pl.Instrument.Name + " as its default at the end", nil
		}
		return "save no default of " + pl.Instrument.Name, nil
	})
}

// AskForTemplate asks the run sheet for a step at its end that keeps the mixer as the host's
// template, or no longer.
func AskForTemplate(ask bool) Edit {
	return func(p *Project) (string, error) {
		if p.KeepTemplate == ask {
			return "", errors.New("that is so already")
		}
		if p.KeepTemplate = ask; ask {
			return "keep the mixer as a template of the host at the end", nil
		}
		return "keep no template of the host", nil
	}
}

// DefaultPrint names what would be saved as the default of the instrument: its outputs and where
// its feeds are planned.
func (pl *Placed) DefaultPrint() string {
	feeds := map[string]string{}
	for _, f := range pl.AllFeeds() {
		if l := pl.FeedLabel(f.ID); l != "" {
			feeds[f.ID] = l
		}
	}
	doc, err := json.Marshal(struct {
		Version string
		Outputs []rig.Output
		Halved  []int
		Feeds   map[string]string
	}{pl.versionName(), pl.Outputs, pl.Halved, feeds})
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(doc)
	return hex.EncodeToString(sum[:6])
}

func (pl *Placed) versionName() string {
	v, _ := pl.LoadedVersion()
	return v.Name
}

// Spread is what one action of the instrument does: the outputs and the feeds as they stand after
// it. key is "order", "each" or "layout:" and the layout's name; ok is false where the instrument
// cannot do that.
func (pl *Placed) Spread(key string, now []rig.Output) (outputs []rig.Output, halved []int, feeds map[string]string,
	ok bool) {
	if name, is := LayoutOf(key); is {
		l := pl.Instrument.Layout(name)
		if l == nil {
			return nil, nil, nil, false
		}
		outputs, halved, feeds = standing(*l)
		return outputs, halved, feeds, true
	}
	kind := rig.Spread(key)
	if !slices.Contains(pl.Instrument.Traits.Spreads, kind) {
		return nil, nil, nil, false
	}
	outputs = slices.Clone(now)
	order := pl.inInstrumentOrder()
	if kind == rig.OneEach {
		need := rig.Widths(outputs)
		for _, f := range order[min(len(order), len(outputs)):] {
			need = append(need, f.Width)
		}
		added, err := rig.AddMissing(outputs, need, pl.Ports())
		if err != nil || pl.Instrument.Fixed {
			return nil, nil, nil, false
		}
		outputs = append(outputs, added...)
	}
	if len(outputs) == 0 {
		return nil, nil, nil, false
	}
	feeds = map[string]string{}
	for i, f := range order {
		feeds[f.ID] = outputs[min(i, len(outputs)-1)].Label()
	}
	return outputs, nil, feeds, true
}

// LayoutKey names the way by a prepared layout.
func LayoutKey(name string) string { return "layout:" + name }

// LayoutOf is the layout that a key names, where it names one; see LayoutKey.
func LayoutOf(key string) (name string, ok bool) { return strings.CutPrefix(key, LayoutKey("")) }

// SpreadKeys lists the one-action ways of the instrument.
func (pl *Placed) SpreadKeys() (keys []string) {
	for _, s := range pl.Instrument.Traits.Spreads {
		keys = append(keys, string(s))
	}
	for _, l := range pl.Instrument.Layouts {
		keys = append(keys, LayoutKey(l.Name))
	}
	return keys
}

// SpreadName says a one-action way in words.
func SpreadName(key string) string {
	if name, is := LayoutOf(key); is {
		return "the layout " + name
	}
	return rig.SpreadTexts[rig.Spread(key)]
}

// inInstrumentOrder lists the feeds as the instrument lists what they come from.
func (pl *Placed) inInstrumentOrder() []rig.Feed {
	feeds := pl.AllFeeds()
	pl.asListed(feeds)
	return feeds
}

// asListed sorts feeds as the instrument lists what they come from.
func (pl *Placed) asListed(feeds []rig.Feed) {
	rank := map[string]int{}
	for x := range pl.Instrument.EachSource() {
		rank[x.ID] = len(rank)
	}
	at := func(f rig.Feed) int {
		best := len(rank)
		for _, id := range append(f.Sources(), f.ID) {
			if r, ok := rank[id]; ok {
				best = min(best, r)
			}
		}
		return best
	}
	slices.SortStableFunc(feeds, func(a, b rig.Feed) int { return at(a) - at(b) })
}

// LeavesApart tells whether something wanted leaves by another output than the first.
func (pl *Placed) LeavesApart() bool {
	return len(pl.Outputs) > 0 && slices.ContainsFunc(slices.Collect(maps.Values(pl.Feeds)), func(a Assignment) bool {
		return a.State == Assigned && a.Output != pl.Outputs[0].Number
	})
}
