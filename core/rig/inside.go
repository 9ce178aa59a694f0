package rig

import (
	"fmt"
	"iter"
	"math"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
)

// Inside is how a voice, a microphone or a part is set inside its instrument, beside its gain
// and its pan. The zero value is as most come: open, as recorded, by its own output alone.
type Inside struct {
	Inverted bool `json:"inverted,omitempty"` // its polarity is turned
	Closed   bool `json:"closed,omitempty"`   // it is switched off at its source
	// it leaves by the main output as well, through the effects of the instrument
	AlsoMain bool         `json:"alsoMain,omitempty"`
	Returns  []InsideSend `json:"returns,omitempty"` // what it sends to the instrument's own returns
}

// InsideSend is a copy that a voice, microphone or part sends to a return of its instrument.
type InsideSend struct {
	Return string         `json:"return"` // ID
	Level  audio.Decibels `json:"level"`
	Pre    bool           `json:"pre,omitempty"` // taken before the fader
}

// Bleed says what microphones hear of pieces that they do not stand at.
type Bleed string

// The modes of bleed. The zero value is full.
const (
	FullBleed  Bleed = ""
	RoomsBleed Bleed = "rooms" // in overheads and rooms only
	NoBleed    Bleed = "off"   // nor there, where a piece has a microphone of its own
)

// Bleeds lists the modes.
var BleedModes = []Bleed{FullBleed, RoomsBleed, NoBleed}

// ParseBleed reads a mode as it is typed: "full", "rooms", "off".
func ParseBleed(s string) (Bleed, error) {
	switch v := strings.ToLower(strings.TrimSpace(s)); v {
	case "", "full":
		return FullBleed, nil
	case "rooms", "overheads and rooms":
		return RoomsBleed, nil
	case "off", "none":
		return NoBleed, nil
	}
	return "", fmt.Errorf("%q is not a bleed; type full, rooms or off", s)
}

// The attributes of inside settings. A setting is named "source:attribute", such as "v3:gain"
// or "snare:trim oh" or ":bleed" of the instrument as a whole; values are as these texts.
const (
	InsideGain     = "gain"     // in dB: "-3"
	InsidePan      = "pan"      // in percent to the right: "-40"
	InsidePolarity = "polarity" // "inverted"
	InsideOpen     = "open"     // "closed"
	InsideMain     = "main"     // "as well"
	InsideBleed    = "bleed"    // of a microphone "off", of the instrument a Bleed
	InsideTrim     = "trim"     // in dB; of a voice with the microphone behind it
	InsideReturn   = "return"   // level and tap, with the return behind it: "-12 pre"
	InsideReceives = "receives" // of a part: "1:3", or "all"
	InsidePlace    = "place"    // of a voice that leaves with others: the number of the place
	InsidePlayer   = "player"   // of the instrument as a whole: "on"
	InsideSeparate = "separate" // of the instrument as a whole: its separate outputs are "on"
)

// ReceivesAll is the value of a part's setting that lets it receive on all channels.
const ReceivesAll = "all"

// InsideKey names a setting.
func InsideKey(source, attribute, of string) string {
	if of != "" {
		attribute += " " + of
	}
	return source + ":" + attribute
}

// SplitInside takes the name of a setting apart.
func SplitInside(key string) (source, attribute, of string) {
	source, attribute, _ = strings.Cut(key, ":")
	attribute, of, _ = strings.Cut(attribute, " ")
	return source, attribute, of
}

func decibelText[N ~float64](x N) string {
	return strconv.FormatFloat(math.Round(float64(x)*10)/10+0, 'f', -1, 64)
}

// ChangedInside lists the settings, sorted, that two sets of them do not have alike.
func ChangedInside(a, b map[string]string) (keys []string) {
	for k := range a {
		if a[k] != b[k] {
			keys = append(keys, k)
		}
	}
	for k := range b {
		if _, both := a[k]; !both && b[k] != "" {
			keys = append(keys, k)
		}
	}
	slices.Sort(keys)
	return keys
}

// settingNumber is the number that the value of a setting begins with, within what there is; 0
// where it is none.
func settingNumber(a *InsideAttribute, value string) float64 {
	low, high := a.low, a.high
	if low == 0 && high == 0 {
		low, high = float64(MinGain), float64(MaxGain)
	}
	return min(max(numberIn(value), low), high)
}

// maxSlot is the highest number of a place that voices share.
const maxSlot = 4096

// receive lets a part receive on what a setting says: all channels, or an address.
func (p *Part) receive(value string) {
	if value == ReceivesAll {
		p.AllChannels = true
	} else if a, err := midi.ParseAddress(value); err == nil {
		p.Address = a.Norm()
	}
}

// HeardIn is how a microphone hears a voice, by their IDs; nil: it does not.
func (in *Instrument) HeardIn(voice, microphone string) *Heard {
	for i := range in.Voices {
		if v := &in.Voices[i]; v.ID == voice {
			return v.hearing(microphone)
		}
	}
	return nil
}

// hearing is how a microphone hears the voice; nil: it does not.
func (v *Voice) hearing(microphone string) *Heard {
	if v == nil {
		return nil
	}
	k := slices.IndexFunc(v.Heard, func(h Heard) bool { return h.Microphone == microphone })
	if k < 0 {
		return nil
	}
	return &v.Heard[k]
}

// The gains there are inside an instrument, in dB.
const (
	MinGain audio.Decibels = -120
	MaxGain audio.Decibels = 24
)

// withinGain refuses a gain that there is not.
func withinGain(what string, gain audio.Decibels) error {
	if gain >= MinGain && gain <= MaxGain {
		return nil
	}
	return fmt.Errorf("%s has a gain that is not between −120 and +24 dB", what)
}

// ParseGain reads a gain as it is typed; "" is 0 dB.
func ParseGain(typed string) (audio.Decibels, error) {
	if typed == "" {
		return 0, nil
	}
	gain, err := audio.ParseDecibels(typed)
	if err == nil && withinGain("", gain) != nil {
		err = fmt.Errorf("%s is not between −120 and +24 dB", gain)
	}
	return gain, err
}

// SourceName is what a source or return is called, by its ID.
func (in *Instrument) SourceName(id string) string {
	if x, ok := in.Source(id); ok {
		return x.Name
	}
	for _, r := range in.Returns {
		if r.ID == id {
			return r.Name
		}
	}
	return id
}

// SourceRef points at what is set inside the instrument of a voice, microphone or part.
type SourceRef struct {
	ID, Name string
	Kind     FeedKind
	*Inside
	Gain  *audio.Decibels
	Pan   *float64
	Mic   *Microphone // where it is one
	Part  *Part       // where it is one
	Voice *Voice      // where it is one
}

// EachSource goes through parts, microphones and voices. What it gives is the instrument's own;
// who changes it copies the lists first, by Own.
func (in *Instrument) EachSource() iter.Seq[SourceRef] {
	return func(yield func(SourceRef) bool) {
		for i := range in.Parts {
			p := &in.Parts[i]
			if !yield(SourceRef{p.ID, p.Name, PartFeed, &p.Inside, &p.Gain, &p.Pan, nil, p, nil}) {
				return
			}
		}
		for i := range in.Microphones {
			m := &in.Microphones[i]
			if !yield(SourceRef{m.ID, m.Name, MicrophoneFeed, &m.Inside, &m.Gain, &m.Pan, m, nil, nil}) {
				return
			}
		}
		for i := range in.Voices {
			v := &in.Voices[i]
			if !yield(SourceRef{v.ID, v.Name, VoiceFeed, &v.Inside, &v.Gain, &v.Pan, nil, nil, v}) {
				return
			}
		}
	}
}

// Source finds a voice, microphone or part by its ID, as EachSource gives it.
func (in *Instrument) Source(id string) (SourceRef, bool) {
	for x := range in.EachSource() {
		if x.ID == id {
			return x, true
		}
	}
	return SourceRef{}, false
}

// Sources lists what Source finds, by ID, for those who look at many.
func (in *Instrument) Sources() map[string]SourceRef {
	out := make(map[string]SourceRef, len(in.Voices)+len(in.Microphones)+len(in.Parts))
	for x := range in.EachSource() {
		out[x.ID] = x
	}
	return out
}

// CloneSources copies the lists that Source points into, so that they can be changed.
func (in *Instrument) CloneSources() {
	in.Voices, in.Microphones, in.Parts = slices.Clone(in.Voices), slices.Clone(in.Microphones), slices.Clone(in.Parts)
}

// returnsText lists what a source sends to the instrument's returns: "Plate −12 dB before".
func (in *Instrument) returnsText(sends []InsideSend) string {
	var out []string
	for _, s := range sends {
		text := in.SourceName(s.Return) + " " + s.Level.String()
		if s.Pre {
			text += " before"
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

// parseReturns reads what ReturnsText writes. One without a level is at −12 dB, after the fader.
func (in *Instrument) parseReturns(typed string) (out []InsideSend, err error) {
	for _, one := range SplitSends(typed) {
		text := strings.TrimSpace(one)
		if text == "" {
			continue
		}
		s := InsideSend{Level: -12}
		find := func(name string) string {
			for _, r := range in.Returns {
				if strings.EqualFold(r.Name, strings.TrimSpace(name)) {
					return r.ID
				}
			}
			return ""
		}
		if s.Return = find(text); s.Return == "" {
			text, s.Pre, _ = audio.CutTap(text)
			s.Return = find(text)
		}
		if s.Return == "" {
			words := strings.Fields(strings.TrimSuffix(strings.TrimSuffix(text, "dB"), "db"))
			if len(words) > 1 {
				if level, err := audio.ParseDecibels(words[len(words)-1]); err == nil {
					s.Level, s.Return = level, find(strings.Join(words[:len(words)-1], " "))
				}
			}
		}
		if s.Return == "" {
			var names []string
			for _, r := range in.Returns {
				names = append(names, r.Name)
			}
			if len(names) == 0 {
				return nil, fmt.Errorf("the instrument has no return to send to")
			}
			return nil, fmt.Errorf("the instrument has no return called %q; it has %s", text, strings.Join(names, ", "))
		}
		if withinGain("", s.Level) != nil {
			return nil, fmt.Errorf("%s is not between −120 and +24 dB", s.Level)
		}
		if slices.ContainsFunc(out, func(x InsideSend) bool { return x.Return == s.Return }) {
			return nil, fmt.Errorf("there are two sends to %s; keep one", in.SourceName(s.Return))
		}
		out = append(out, s)
	}
	slices.SortFunc(out, func(a, b InsideSend) int { return strings.Compare(a.Return, b.Return) })
	return out, nil
}

// BleedTexts say the modes in words.
var BleedTexts = map[Bleed]string{FullBleed: "full", RoomsBleed: "in overheads and rooms only", NoBleed: "off"}

// Sender is a voice, microphone or part that sends to a return.
type Sender struct {
	ID, Name string
	Send     InsideSend
	Closed   bool // nothing of it is sent
}

// FedBy lists what sends to a return of the instrument.
func (in *Instrument) FedBy(returned string) (out []Sender) {
	for x := range in.EachSource() {
		for _, s := range x.Returns {
			if s.Return == returned {
				out = append(out, Sender{x.ID, x.Name, s, x.Closed})
			}
		}
	}
	return out
}

// TakesBefore reports whether a send inside is taken before the fader: it is, or its return takes all so.
func (in *Instrument) TakesBefore(s InsideSend) bool {
	return s.Pre || slices.ContainsFunc(in.Returns, func(r Return) bool { return r.ID == s.Return && r.PreFader })
}

// SplitSends splits a list of sends at its commas, but for those within a number.
func SplitSends(typed string) (out []string) {
	digit := func(i int) bool { return i >= 0 && i < len(typed) && typed[i] >= '0' && typed[i] <= '9' }
	start := 0
	for i := range len(typed) {
		if typed[i] == ',' && !(digit(i-1) && digit(i+1)) {
			out, start = append(out, typed[start:i]), i+1
		}
	}
	return append(out, typed[start:])
}

// ParseNote reads the user's note of a microphone.
func ParseNote(typed string) (string, error) {
	note := CleanName(typed)
	if len([]rune(note)) > MaxName {
		return "", fmt.Errorf("a note has up to %d characters", MaxName)
	}
	return note, nil
}

// PanText is a pan in words, from −1, left, to +1, right: "40 % left", "centre".
func PanText(pan float64) string {
	if pan == 0 {
		return "centre"
	}
	text := decibelText(math.Abs(pan)*100) + " % "
	if pan < 0 {
		return text + "left"
	}
	return text + "right"
}

// SetBleed says what the microphones of an instrument hear of other pieces, and by how much
// all close ones are trimmed, in dB.
func SetBleed(bleed Bleed, trim audio.Decibels) Edit {
	return func(in *Instrument) (string, error) {
		if !slices.Contains(BleedModes, bleed) || withinGain("", trim) != nil {
			return "", fmt.Errorf("bleed is full, in overheads and rooms, or off, and trims go from −120 to +24 dB")
		}
		if bleed != FullBleed && trim != 0 {
			return "", fmt.Errorf("close microphones can be trimmed under full bleed only; set the trim to 0, or the bleed to " +
				"full")
		}
		in.Bleed, in.CloseTrim = bleed, trim
		text := BleedTexts[bleed]
		if trim != 0 {
			text += ", close microphones at " + trim.String()
		}
		return fmt.Sprintf("set the bleed of %s: %s", in.Name, text), nil
	}
}
