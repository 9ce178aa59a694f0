package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
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
	// Inside are the settings inside that a default was saved with, nil where nobody has kept them,
	// and Default names what was saved, as DefaultHash does.
	Inside  map[string]string `json:"inside,omitempty"`
	Default string            `json:"default,omitempty"`
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

// DefaultHash names what would be saved as the default of the instrument: its outputs, where its
// feeds are planned and what is set inside.
func (pl *Placed) DefaultHash() string {
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
		Inside  map[string]string `json:",omitempty"`
	}{pl.versionName(), pl.Outputs, pl.Halved, feeds, pl.InsideWanted()})
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
	order := pl.InInstrumentOrder()
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

// InInstrumentOrder lists the feeds as the instrument lists what they come from.
func (pl *Placed) InInstrumentOrder() []rig.Feed {
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

// LeavesApart reports whether something wanted leaves by another output than the first.
func (pl *Placed) LeavesApart() bool {
	return len(pl.Outputs) > 0 && slices.ContainsFunc(slices.Collect(maps.Values(pl.Feeds)), func(a Assignment) bool {
		return a.State == Assigned && a.Output != pl.Outputs[0].Number
	})
}
