package plan

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// LaneAttribute is one attribute of a lane: where a lane has it, how it is kept of what is patched,
// whether a session tells it, what the step says that sets it, and its cell. A new attribute is a
// field of Lane, a field of keptLane and a row here and, if it sounds, its term in the signal path.
type LaneAttribute struct {
	attribute[Lane, keptLane]                       // without read and write it is not patched
	Cell                      *LaneCell             // where it is typed; nil: nowhere
	Short                     string                // the title of its cell in a narrow head, where that is another
	Choices                   string                // the list that its cell offers, by its ID on the page
	Says                      func(l *Lane) string  // in words, where it is not usual; nil: never
	Step                      *LaneStep             // the step that sets it; nil: it is set with others, or never
	told                      bool                  // a session tells it
	assumed                   bool                  // of lanes of a session that nobody knew it is taken to be as planned
	unasked                   bool                  // where the plan has none of it, nobody is asked whether the host has
	taken                     bool                  // a lane of a session that the plan does not have brings it along
	planned                   func(l *Lane) bool    // whether a lane of the plan has it planned; nil: always
	near                      func(x, y *Lane) bool // whether nobody hears the difference, where it is not always planned
}

// keptLane is a lane as it is kept of what is patched: what is not there is unknown.
type keptLane struct {
	Number   *LaneNumber  `json:"number,omitempty"`
	Name     *string      `json:"name,omitempty"`
	Colour   *string      `json:"colour,omitempty"`
	Kind     *LaneKind    `json:"kind,omitempty"`
	Width    *audio.Width `json:"width,omitempty"`
	Sources  *[]OutputRef `json:"sources,omitempty"`
	To       *string      `json:"to,omitempty"`
	AlsoMain *bool        `json:"alsoMain,omitempty"`
	Owner    *Owner       `json:"owner,omitempty"`
	// effects, in their order
	Inserts  *[]rig.Insert `json:"inserts,omitempty"`
	Track    *bool         `json:"track,omitempty"`    // it has a track, for automation
	Inverted *bool         `json:"inverted,omitempty"` // its polarity
	// the fader and the pan, of which those that are typed are planned
	Gain   *audio.Decibels `json:"gain,omitempty"`
	Pan    *float64        `json:"pan,omitempty"`
	Muted  bool            `json:"muted,omitempty"` // in the mixer; the plan wants none to be
	Soloed bool            `json:"soloed,omitempty"`
}

// AttrPolarity is the polarity of a lane. Its row below is all there is of it, but for what it sounds
// like (core/route).
const AttrPolarity Attribute = "polarity"

// LaneStep is what a step says that sets an attribute of lanes.
type LaneStep struct {
	Verb   string                            // "Name", before "4 lanes"
	Verify string                            // how to see that it worked
	Why    string                            // where it is not plain
	Text   func(l *Lane) (item, text string) // what is set on the lane, in words and as the setting has it
	Colour bool                              // the text is a colour to be shown
}

// LaneCell is the cell of an attribute of lanes: what it shows, and which edit typing into it is.
type LaneCell struct {
	Key, Title string
	Text       func(p *Project, lanes ByID, l *Lane) string
	Type       func(p *Project, lane, typed string) (Edit, error)
}

func laneCell(key, title string, text func(*Project, *Lane) string,
	typing func(p *Project, lane, typed string) (Edit, error)) *LaneCell {
	return &LaneCell{key, title, func(p *Project, _ ByID, l *Lane) string { return text(p, l) }, typing}
}

// routeCell is laneCell of what says where a lane goes.
func routeCell(key, title string, text func(ByID, *Lane) string,
	typing func(p *Project, lane, typed string) (Edit, error)) *LaneCell {
	return &LaneCell{key, title, func(_ *Project, lanes ByID, l *Lane) string { return text(lanes, l) }, typing}
}

// Patched reports whether the attribute is known of the lanes in a host.
func (a *LaneAttribute) Patched() bool { return a.write != nil }

// Stands reports whether a lane in a host has it as one of the plan wants it.
func (a *LaneAttribute) Stands(have, want *Lane) bool {
	return a.same(have, want) || a.planned != nil && (!a.planned(want) || a.near(have, want))
}

// Name is what it is called where it is kept.
func (a *LaneAttribute) Name() Attribute { return a.name }

// Set lets a lane have it as another has.
func (a *LaneAttribute) Set(to, from *Lane) { a.take(to, from) }

// LaneAttributeNamed finds an attribute of lanes, or gives nil.
func LaneAttributeNamed(name Attribute) *LaneAttribute {
	i := slices.IndexFunc(LaneAttributes, func(a *LaneAttribute) bool { return a.name == name })
	if i < 0 {
		return nil
	}
	return LaneAttributes[i]
}

// inPlan is an attribute that only plans have: nobody knows about it in a host.
func inPlan[V any](name Attribute, of func(*Lane) *V, same func(a, b V) bool) attribute[Lane, keptLane] {
	return attribute[Lane, keptLane]{name: name,
		take: func(to, from *Lane) { *of(to) = *of(from) },
		same: func(x, y *Lane) bool { return same(*of(x), *of(y)) }}
}

func equal[V comparable](a, b V) bool { return a == b }

// fader is an attribute that is planned where it was typed.
func fader[V ~float64](name Attribute, of func(*Lane) (v *V, typed *bool),
	in func(*keptLane) **V) attribute[Lane, keptLane] {
	a := attr(name, func(l *Lane) *V { v, _ := of(l); return v }, in)
	a.take = func(to, from *Lane) {
		v, typed := of(to)
		fromV, fromTyped := of(from)
		*v, *typed = *fromV, *fromTyped
	}
	return a
}

// LaneAttributes lists the attributes of lanes, in the order in which tables show them.
var LaneAttributes = []*LaneAttribute{
	{attribute: attr(AttrNumber, func(l *Lane) *LaneNumber { return &l.Number },
		func(k *keptLane) **LaneNumber { return &k.Number }), assumed: true,
		Cell: laneCell("number", "Lane", func(_ *Project, l *Lane) string { return strconv.Itoa(int(l.Number)) },
			func(_ *Project, id, typed string) (Edit, error) {
				n, err := strconv.Atoi(typed)
				if err != nil {
					return nil, fmt.Errorf("%q is not a lane number; type a whole number", typed)
				}
				return MoveLane(id, LaneNumber(n)), nil
			})},
	{attribute: attr(AttrName, func(l *Lane) *string { return &l.Name }, func(k *keptLane) **string { return &k.Name }),
		told: true,
		Step: &LaneStep{Verb: "Name", Verify: "no two lanes are called the same",
			Text: func(l *Lane) (string, string) { return l.Name, l.Name }},
		Cell: laneCell("name", "Name", func(_ *Project, l *Lane) string { return l.Name },
			func(_ *Project, id, typed string) (Edit, error) { return NameLane(id, typed), nil })},
	{attribute: attr(AttrColour, func(l *Lane) *string { return &l.Colour },
		func(k *keptLane) **string { return &k.Colour }), told: true, taken: true,
		Step: &LaneStep{Verb: "Colour", Verify: "each family has its hue", Colour: true,
			Text: func(l *Lane) (string, string) { return "", l.Colour }},
		Cell: laneCell("colour", "Colour", func(_ *Project, l *Lane) string { return l.Colour },
			func(_ *Project, id, typed string) (Edit, error) { return ColourLane(id, typed), nil })},
	{attribute: attr(AttrKind, func(l *Lane) *LaneKind { return &l.Kind },
		func(k *keptLane) **LaneKind { return &k.Kind }),
		told: true},
	{attribute: listAttr(AttrSources, func(l *Lane) *[]OutputRef { return &l.Sources },
		func(k *keptLane) **[]OutputRef { return &k.Sources }),
		Cell: laneCell("takes", "Takes", sourcesText,
			func(p *Project, id, typed string) (Edit, error) {
				ref, err := p.OutputLabelled(typed)
				return PointLane(id, ref), err
			})},
	{attribute: attr(AttrTo, func(l *Lane) *string { return &l.To },
		func(k *keptLane) **string { return &k.To }), told: true,
		Cell: routeCell("to", "Routed to", ByID.DestinationText,
			func(p *Project, id, typed string) (Edit, error) {
				bus, both, err := p.Destination(typed)
				return Route([]string{id}, bus, both), err
			})},
	{attribute: attr(AttrAlsoMain, func(l *Lane) *bool { return &l.AlsoMain },
		func(k *keptLane) **bool { return &k.AlsoMain }),
		told: true},
	{attribute: inPlan("sends", func(l *Lane) *[]Send { return &l.Sends }, slices.Equal[[]Send]), // patched one by one
		Cell: routeCell("sends", "Sends", ByID.SendsText,
			func(p *Project, id, typed string) (Edit, error) {
				sends, err := p.parseSends(typed)
				return SetSends(id, sends), err
			})},
	{attribute: listAttr(AttrInserts, func(l *Lane) *[]rig.Insert { return &l.Inserts },
		func(k *keptLane) **[]rig.Insert { return &k.Inserts }), told: true, unasked: true, taken: true,
		Cell: laneCell("inserts", "Inserts", func(_ *Project, l *Lane) string { return rig.InsertsText(l.Inserts) },
			func(_ *Project, id, typed string) (Edit, error) {
				inserts, err := rig.ParseInserts(typed)
				return SetInserts(id, inserts), err
			})},
	{attribute: attr(AttrWidth, func(l *Lane) *audio.Width { return &l.Width },
		func(k *keptLane) **audio.Width { return &k.Width }), assumed: true, taken: true,
		Choices: "list-widths",
		Cell: laneCell("width", "Width", func(_ *Project, l *Lane) string { return max(l.Width, audio.Mono).String() },
			func(_ *Project, id, typed string) (Edit, error) {
				w, err := audio.ParseWidth(strings.ToLower(typed))
				return SetLaneWidth(id, w), err
			})},
	{attribute: fader(AttrPan, func(l *Lane) (*float64, *bool) { return &l.Pan, &l.Typed.Pan },
		func(k *keptLane) **float64 { return &k.Pan }), taken: true, told: true, unasked: true,
		planned: func(l *Lane) bool { return l.Typed.Pan },
		near:    func(x, y *Lane) bool { return math.Abs(x.Pan-y.Pan) < 0.005 },
		Says:    func(l *Lane) string { return words.Either(l.Typed.Pan, "", "pan "+rig.PanText(l.Pan)) },
		Step: &LaneStep{Verb: "Set the pan of", Verify: "it is heard where it is to stand",
			Text: func(l *Lane) (string, string) { return l.Name + ": " + rig.PanText(l.Pan), rig.PanText(l.Pan) }},
		Cell: laneCell("pan", "Pan", func(_ *Project, l *Lane) string {
			return words.Either(l.Typed.Pan || l.Pan != 0, "", rig.PanText(l.Pan))
		},
			func(_ *Project, id, typed string) (Edit, error) {
				if typed == "" {
					return LeaveFader(id, AttrPan), nil
				}
				pan, err := rig.ParsePan(typed)
				return SetPan(id, pan), err
			})},
	{attribute: attr(AttrTrack, func(l *Lane) *bool { return &l.Track }, func(k *keptLane) **bool { return &k.Track }),
		unasked: true,
		Short:   "Auto", Choices: "list-yes",
		Cell: laneCell("track", "Automated", func(_ *Project, l *Lane) string { return words.Either(l.Track, "", yes) },
			func(_ *Project, id, typed string) (Edit, error) {
				on, err := words.ParseEither(typed, "no", yes)
				return SetTrack([]string{id}, on), err
			})},
	{attribute: attr(AttrPolarity, func(l *Lane) *bool { return &l.Inverted },
		func(k *keptLane) **bool { return &k.Inverted }),
		unasked: true,
		Says:    func(l *Lane) string { return words.Either(l.Inverted, "", "polarity "+inverted) },
		Step: &LaneStep{Verb: "Set the polarity of", Verify: "together with what it belongs to it sounds fuller, not thinner",
			Why:  "the microphone below a drum hears its skin move the other way",
			Text: func(l *Lane) (string, string) { return l.Name + " " + polarity(l), polarity(l) }},
		Choices: "list-polarity",
		Cell: laneCell("polarity", "Polarity", func(_ *Project, l *Lane) string {
			return words.Either(l.Inverted, "",
				inverted)
		},
			func(_ *Project, id, typed string) (Edit, error) {
				on, err := words.ParseEither(typed, normalPolarity, inverted)
				return SetPolarity(id, on), err
			})},
	{attribute: fader(AttrGain, func(l *Lane) (*audio.Decibels, *bool) { return &l.Gain, &l.Typed.Gain },
		func(k *keptLane) **audio.Decibels { return &k.Gain }), taken: true, told: true, unasked: true,
		planned: func(l *Lane) bool { return l.Typed.Gain },
		near:    func(x, y *Lane) bool { return math.Abs(float64(x.Gain-y.Gain)) < 0.05 },
		Says:    func(l *Lane) string { return words.Either(l.Typed.Gain, "", "level "+l.Gain.String()) },
		Step: &LaneStep{Verb: "Set the level of", Verify: "each fader is where it is to be",
			Text: func(l *Lane) (string, string) { return l.Name + ": " + l.Gain.String(), l.Gain.String() }},
		Cell: laneCell("gain", "Level", func(_ *Project, l *Lane) string {
			return words.Either(l.Typed.Gain || l.Gain != 0, "", l.Gain.String())
		},
			func(_ *Project, id, typed string) (Edit, error) {
				if typed == "" {
					return LeaveFader(id, AttrGain), nil
				}
				gain, err := audio.ParseDecibels(typed)
				return SetGain(id, gain), err
			})},
	{attribute: attr(AttrOwner, func(l *Lane) *Owner { return &l.Owner }, func(k *keptLane) **Owner { return &k.Owner }),
		told: true},
	{attribute: inPlan("kept", func(l *Lane) *role.Role { return &l.Kept }, equal[role.Role])},
	{attribute: inPlan("folded", func(l *Lane) *bool { return &l.Folded }, equal[bool])},
	{attribute: inPlan("divider", func(l *Lane) **bool { return &l.Divider }, func(a, b *bool) bool {
		return (a == nil) == (b == nil) && (a == nil || *a == *b)
	})},
}

const yes = "yes"

var normalPolarity, inverted = rig.PolarityWords[0], rig.PolarityWords[1]

// polarity is that of a lane, in words.
func polarity(l *Lane) string {
	return words.Either(l.Inverted, normalPolarity, inverted)
}

// patchedLaneAttributes are those that are known of lanes in a host.
var patchedLaneAttributes = func() (out []attribute[Lane, keptLane]) {
	for _, a := range LaneAttributes {
		if a.Patched() {
			out = append(out, a.attribute)
		}
	}
	return out
}()

// same reports whether two lanes are alike in every field.
func (l *Lane) same(x *Lane) bool {
	return l.ID == x.ID && l.Typed == x.Typed &&
		!slices.ContainsFunc(LaneAttributes, func(a *LaneAttribute) bool { return !a.same(l, x) })
}

// Says tells in words what is set on a lane beyond what everybody lists of one: "polarity inverted,
// level -3 dB"; "" where all is usual.
func (l *Lane) Says() string { return l.says(func(*LaneAttribute) bool { return true }) }

// SaysBeside is Says of what no session tells.
func (l *Lane) SaysBeside() string { return l.says(func(a *LaneAttribute) bool { return !a.told }) }

func (l *Lane) says(which func(*LaneAttribute) bool) string {
	var out []string
	for _, a := range LaneAttributes {
		if a.Says != nil && which(a) && a.Says(l) != "" {
			out = append(out, a.Says(l))
		}
	}
	return strings.Join(out, ", ")
}

// LaneChoices are the words that cells of lanes offer, by the list's ID on the page.
var LaneChoices = map[string][]string{
	"list-widths": {audio.Mono.String(), audio.Stereo.String(), audio.Surround.String()},
	"list-yes":    {yes, "no"}, "list-polarity": rig.PolarityWords,
}

// TakeSession fills in what a session does not tell of a lane of the plan: it stays as it is known
// in the state before, and what nobody knew is unknown, or taken to be as planned. tells says of
// attributes that sessions report whether this one does.
func (s *Patched) TakeSession(l *Lane, before *Patched, want *Lane, tells func(Attribute) bool) {
	known, e := before.Lane(l.ID), LaneEntity(l.ID)
	for _, a := range LaneAttributes {
		k := Key{e, a.name}
		switch {
		case !a.Patched():
		case a.told && tells(a.name):
			delete(s.Unknown, k)
		case known != nil && before.Knows(e, a.name):
			a.take(l, known)
			delete(s.Unknown, k)
		case a.assumed:
			a.take(l, want)
			delete(s.Unknown, k)
		default:
			s.Forget(e, a.name)
		}
	}
}

// SetPolarity turns a lane or bus over, or back.
func SetPolarity(id string, on bool) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		l.Inverted = on
		return fmt.Sprintf("set the polarity of lane %d %s to %s", l.Number, l.Name, polarity(l)), nil
	})
}
