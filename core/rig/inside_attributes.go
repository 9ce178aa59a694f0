package rig

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
)

// InsideAttribute is one kind of setting inside an instrument: how it stands in the instrument, what
// is said about it, and the step that makes it. A new one is a row of InsideAttributes.
type InsideAttribute struct {
	Name string
	// each calls set for what of a source is not as most come; x is the zero value for the instrument
	// as a whole. set puts a value back, of which number is the number that it begins with, and clear
	// lets the source be as most come.
	each  func(in *Instrument, x SourceRef, set func(of, value string))
	set   func(in *Instrument, x SourceRef, of, value string, number float64)
	clear func(in *Instrument, x SourceRef)

	low, high float64                                             // of its number; both 0: as gains
	says      func(in *Instrument, x SourceRef) string            // of a source, as far as that is not usual; nil: nothing
	Item      func(in *Instrument, name, of, value string) string // one setting in a few words
	Whole     string                                              // what a setting of all of it is of; "": the instrument
	Turn      int                                                 // steps are made in this order
	Step      InsideStep                                          // that makes such settings
	Reset     *InsideStep                                         // that lets sources be as most come; nil: it is no other
	Cell      *InsideCell                                         // where it is typed; nil: in no cell of sources
}

// InsideStep is what a step says that makes settings of one kind.
type InsideStep struct {
	One, Many   string // "Close %s in %s", with a name and the instrument's; "Close %d sources in %s"
	Verify, Why string
	Bare        bool // its settings are not listed: there is one, and the text says it
	Lists       bool // its setting is listed where there is one, too
	// Alone is the text of a single setting, and how to see that it worked, where they are other ones.
	Alone func(text, name, instrument, value, was string) (string, string)
}

func tail(says func(value string) string) func(text, name, instrument, value, was string) (string, string) {
	return func(text, _, _, value, _ string) (string, string) { return text + says(value), "" }
}

// InsideAttributeNamed finds a kind of setting, or gives nil.
func InsideAttributeNamed(name string) *InsideAttribute {
	i := slices.IndexFunc(InsideAttributes, func(a *InsideAttribute) bool { return a.Name == name })
	if i < 0 {
		return nil
	}
	return InsideAttributes[i]
}

// ofWhole reports whether a setting is one of the instrument as a whole.
func (x SourceRef) ofWhole() bool { return x.Inside == nil }

func justName(_ *Instrument, name, _, _ string) string { return name }

// flagRow is a row for an attribute that sources have or have not, said in words where they have it.
func flagRow(a InsideAttribute, value, says string, cell InsideCell, of func(x SourceRef) *bool) *InsideAttribute {
	a.Cell = flagCell(cell, of)
	a.each = func(_ *Instrument, x SourceRef, set func(of, value string)) {
		if !x.ofWhole() && *of(x) {
			set("", value)
		}
	}
	a.set = func(_ *Instrument, x SourceRef, _, _ string, _ float64) {
		if !x.ofWhole() {
			*of(x) = true
		}
	}
	a.clear = func(_ *Instrument, x SourceRef) {
		if !x.ofWhole() {
			*of(x) = false
		}
	}
	a.says = func(_ *Instrument, x SourceRef) string {
		if *of(x) {
			return says
		}
		return ""
	}
	return &a
}

// amountRow is a row for an amount that is usually 0; a setting has so many times its number.
func amountRow[N ~float64](a InsideAttribute, times N, of func(x SourceRef) *N, cell InsideCell, text func(N) string,
	parse func(string) (N, error)) *InsideAttribute {
	cell.Usual = text(0)
	a.Cell = valueCell(cell, of, text, parse)
	a.each = func(_ *Instrument, x SourceRef, set func(of, value string)) {
		if !x.ofWhole() && *of(x) != 0 {
			set("", decibelText(*of(x)*times))
		}
	}
	a.set = func(_ *Instrument, x SourceRef, _, _ string, n float64) {
		if !x.ofWhole() {
			*of(x) = N(n) / times
		}
	}
	a.clear = func(_ *Instrument, x SourceRef) {
		if !x.ofWhole() {
			*of(x) = 0
		}
	}
	a.says = func(_ *Instrument, x SourceRef) string {
		if *of(x) == 0 {
			return ""
		}
		return text(*of(x))
	}
	return &a
}

// InsideAttributes lists the kinds of settings, in the order in which sources say them.
var InsideAttributes = []*InsideAttribute{
	flagRow(InsideAttribute{Name: InsideOpen, Turn: 4, Item: justName,
		Step:  InsideStep{One: "Close %s in %s", Many: "Close %d sources in %s", Verify: "it no longer sounds"},
		Reset: &InsideStep{One: "Open %s in %s", Many: "Open %d sources in %s", Verify: "it sounds"}},
		"closed", "closed", InsideCell{Key: "open", Title: "Open", column: 4, Choices: []string{"open", "closed"}},
		func(x SourceRef) *bool { return &x.Closed }),
	amountRow(InsideAttribute{Name: InsideGain, Turn: 7,
		Item: func(_ *Instrument, name, _, value string) string { return name + ": " + levelText(value) },
		Step: InsideStep{One: "Set the gain of %s in %s", Many: "Set %d gains in %s", Verify: "the levels are as listed",
			Alone: func(text, name, instrument, value, was string) (string, string) {
				if was == "" && numberIn(value) > 0 {
					return fmt.Sprintf("Lift %s by %s in %s", name, strings.TrimPrefix(levelText(value), "+"), instrument), ""
				}
				return text + " to " + levelText(value), ""
			}}},
		1, func(x SourceRef) *audio.Decibels { return x.Gain }, InsideCell{Key: "gain", Title: "Gain", column: 1},
		audio.Decibels.String, ParseGain),
	amountRow(InsideAttribute{Name: InsidePan, Turn: 8, low: -100, high: 100,
		Item: func(_ *Instrument, name, _, value string) string { return name + ": " + PanText(numberIn(value)/100) },
		Step: InsideStep{One: "Set the pan of %s in %s", Many: "Set %d pans in %s", Verify: "each is heard where it is set",
			Alone: tail(func(value string) string { return ", " + PanText(numberIn(value)/100) })},
		Reset: &InsideStep{One: "Centre the pan of %s in %s", Many: "Centre %d pans in %s", Verify: "each is in the middle",
			Why: "the host pans the lane"}},
		100, func(x SourceRef) *float64 { return x.Pan }, InsideCell{Key: "pan", Title: "Pan", column: 2},
		PanText, ParsePan),
	flagRow(InsideAttribute{Name: InsidePolarity, Turn: 9,
		Item: func(_ *Instrument, name, _, value string) string {
			if value == "" {
				return name + ": as recorded"
			}
			return name + ": inverted"
		},
		Step: InsideStep{One: "Turn the polarity of %s in %s", Many: "Turn %d polarities in %s",
			Verify: "it adds to its partner instead of thinning it"}},
		"inverted", "inverted", InsideCell{Key: "polarity", Title: "Polarity", column: 3, Choices: PolarityWords},
		func(x SourceRef) *bool { return &x.Inverted }),
	{Name: InsideBleed, Turn: 5, Whole: "all microphones",
		Cell: flagCell(InsideCell{Key: "bleed", Title: "Bleed", column: 5, Choices: []string{"full", "off"},
			Of: MicrophoneFeed, refusal: "only microphones have bleed"}, func(x SourceRef) *bool { return &x.Mic.BleedOff }),
		each: func(in *Instrument, x SourceRef, set func(of, value string)) {
			switch {
			case x.ofWhole() && in.Bleed != FullBleed:
				set("", string(in.Bleed))
			case x.Mic != nil && x.Mic.BleedOff:
				set("", "off")
			}
		},
		set: func(in *Instrument, x SourceRef, _, value string, _ float64) {
			switch {
			case x.ofWhole():
				in.Bleed = Bleed(value)
			case x.Mic != nil:
				x.Mic.BleedOff = true
			}
		},
		clear: func(in *Instrument, x SourceRef) {
			switch {
			case x.ofWhole():
				in.Bleed = FullBleed
			case x.Mic != nil:
				x.Mic.BleedOff = false
			}
		},
		says: func(_ *Instrument, x SourceRef) string {
			if x.Mic != nil && x.Mic.BleedOff {
				return "bleed off"
			}
			return ""
		},
		Item: func(_ *Instrument, name, _, value string) string {
			switch value {
			case "":
				return name + ": full"
			case string(RoomsBleed):
				return name + ": in overheads and rooms only"
			}
			return name + ": off"
		},
		Step: InsideStep{One: "Set the bleed of %s in %s", Many: "Set the bleed of %d microphones in %s", Lists: true,
			Verify: "a microphone plays its own piece, and others as listed"}},
	flagRow(InsideAttribute{Name: InsideMain, Turn: 11,
		Item: func(_ *Instrument, name, _, value string) string {
			if value == "" {
				return name + ": by its own output alone"
			}
			return name + ": by its own output and by the main one"
		},
		Step: InsideStep{One: "Set the exits of %s in %s", Many: "Set the exits of %d sources in %s", Lists: true,
			Verify: "it leaves by the exits listed"}},
		"as well", "own and main output", InsideCell{Key: "exits", Title: "Leaves by", column: 7,
			Choices: []string{"own output", "own and main"}}, func(x SourceRef) *bool { return &x.AlsoMain }),
	{Name: InsideReturn, Turn: 10,
		Cell: &InsideCell{Key: "returns", Title: "Sends to returns", column: 6,
			text: func(in *Instrument, x SourceRef) string { return in.returnsText(x.Returns) },
			set: func(in *Instrument, x SourceRef, typed string) (err error) {
				x.Returns, err = in.parseReturns(typed)
				return err
			}},
		each: func(_ *Instrument, x SourceRef, set func(of, value string)) {
			if x.ofWhole() {
				return
			}
			for _, s := range x.Returns {
				tap := ""
				if s.Pre {
					tap = preTap
				}
				set(s.Return, decibelText(s.Level)+tap)
			}
		},
		set: func(_ *Instrument, x SourceRef, of, value string, n float64) {
			if !x.ofWhole() {
				x.Returns = append(x.Returns, InsideSend{of, audio.Decibels(n), strings.HasSuffix(value, preTap)})
				slices.SortFunc(x.Returns, func(a, b InsideSend) int { return strings.Compare(a.Return, b.Return) })
			}
		},
		clear: func(_ *Instrument, x SourceRef) {
			if !x.ofWhole() {
				x.Returns = nil
			}
		},
		says: func(in *Instrument, x SourceRef) string {
			if len(x.Returns) == 0 {
				return ""
			}
			return "sends " + in.returnsText(x.Returns)
		},
		Item: func(in *Instrument, name, of, value string) string {
			if value == "" {
				return fmt.Sprintf("%s to %s: none", name, in.SourceName(of))
			}
			v, pre := strings.CutSuffix(value, preTap)
			tap := "after the fader"
			if in.TakesBefore(InsideSend{Return: of, Pre: pre}) {
				tap = "before the fader"
			}
			return fmt.Sprintf("%s to %s: %s, %s", name, in.SourceName(of), levelText(v), tap)
		},
		Step: InsideStep{One: "Set the send of %s in %s", Many: "Set %d sends to returns in %s", Lists: true,
			Verify: "the return sounds"}},
	{Name: InsideReceives, Turn: 12,
		Cell: &InsideCell{Key: "receives", Title: "Receives", column: 8, Of: PartFeed, Choices: []string{allChannels},
			refusal: "only parts have an address", text: receivedText, set: receiveTyped},
		each: func(_ *Instrument, x SourceRef, set func(of, value string)) {
			if x.Part == nil {
				return
			}
			switch a := x.Part.Address.Norm(); {
			case x.Part.AllChannels:
				set("", ReceivesAll)
			case a.Known():
				set("", fmt.Sprintf("%d:%d", a.Port, a.Channel))
			}
		},
		set: func(_ *Instrument, x SourceRef, _, value string, _ float64) {
			if x.Part != nil {
				x.Part.receive(value)
			}
		},
		clear: func(_ *Instrument, x SourceRef) {
			if x.Part != nil {
				x.Part.AllChannels, x.Part.Address = false, midi.Address{}
			}
		},
		Item: func(_ *Instrument, name, _, value string) string { return name + ": " + receivesText(value) },
		Step: InsideStep{One: "Set what %s receives in %s", Many: "Set what %d parts receive in %s",
			Verify: "a key on each address plays its part alone",
			Alone:  tail(func(value string) string { return ": " + receivesText(value) })}},
	{Name: InsideTrim, Turn: 6, Whole: "all close microphones",
		each: func(in *Instrument, x SourceRef, set func(of, value string)) {
			if x.ofWhole() && in.CloseTrim != 0 {
				set("", decibelText(in.CloseTrim))
			}
			if x.Voice != nil {
				for _, h := range x.Voice.Heard {
					if h.Trim != 0 {
						set(h.Microphone, decibelText(h.Trim))
					}
				}
			}
		},
		set: func(in *Instrument, x SourceRef, of, _ string, n float64) {
			if x.ofWhole() {
				in.CloseTrim = audio.Decibels(n)
			} else if h := x.Voice.hearing(of); h != nil {
				h.Trim = audio.Decibels(n)
			}
		},
		clear: func(in *Instrument, x SourceRef) {
			if x.ofWhole() {
				in.CloseTrim = 0
			}
			if x.Voice != nil {
				x.Voice.Heard = slices.Clone(x.Voice.Heard)
				for k := range x.Voice.Heard {
					x.Voice.Heard[k].Trim = 0
				}
			}
		},
		Item: func(in *Instrument, name, of, value string) string {
			if of == "" {
				return name + ": " + levelText(value)
			}
			return fmt.Sprintf("%s in %s: %s", name, in.SourceName(of), levelText(value))
		},
		Step: InsideStep{One: "Trim the bleed of %s in %s", Many: "Trim %d bleeds in %s", Lists: true,
			Verify: "the levels are as listed"}},
	{Name: InsidePlace, Turn: 3, high: maxSlot,
		each: func(_ *Instrument, x SourceRef, set func(of, value string)) {
			if x.Voice != nil && x.Voice.Slot != 0 {
				set("", strconv.Itoa(x.Voice.Slot))
			}
		},
		set: func(_ *Instrument, x SourceRef, _, _ string, n float64) {
			if x.Voice != nil {
				x.Voice.Slot = int(n)
			}
		},
		clear: func(_ *Instrument, x SourceRef) {
			if x.Voice != nil {
				x.Voice.Slot = 0
			}
		},
		Item: func(_ *Instrument, name, _, value string) string {
			if value == "" {
				return name + ": a place of its own"
			}
			return name + ": place " + value
		},
		Step: InsideStep{One: "Give %s a place of its own in %s", Many: "Give %d voices places of their own in %s",
			Verify: "each can be assigned by itself",
			Alone: func(text, name, instrument, value, _ string) (string, string) {
				if value == "" {
					return text, ""
				}
				return fmt.Sprintf("Put %s into place %s of %s again", name, value, instrument), "they leave together"
			}}},
	{Name: InsidePlayer, Turn: 2, Item: justName,
		each: func(in *Instrument, x SourceRef, set func(of, value string)) {
			if x.ofWhole() && in.Traits.Player == PlayerOn {
				set("", string(PlayerOn))
			}
		},
		set: func(in *Instrument, x SourceRef, _, value string, _ float64) {
			if x.ofWhole() {
				in.Traits.Player = Player(value)
			}
		},
		clear: func(in *Instrument, x SourceRef) {
			if x.ofWhole() && in.Traits.Player == PlayerOn {
				in.Traits.Player = PlayerOff
			}
		},
		Step: InsideStep{One: "Let %s play by itself: switch its own player on", Bare: true,
			Verify: "it plays with the host's transport"},
		Reset: &InsideStep{One: "Let the host play %s: switch its own player off", Bare: true,
			Verify: "nothing sounds until the host plays", Why: "its own player and the host would both play"}},
	{Name: "note", // which no step sets
		Cell: valueCell(InsideCell{Key: "note", Title: "Note", column: 9, Of: MicrophoneFeed,
			refusal: "only microphones have a note"}, func(x SourceRef) *string { return &x.Mic.Note },
			func(note string) string { return note }, ParseNote)},
	{Name: InsideSeparate, Turn: 1, Item: justName, // the plan says whether it wants them, not the instrument
		Step: InsideStep{One: "Switch the separate outputs of %s on", Bare: true, Verify: "its outputs can be assigned to",
			Why: "until they are, everything leaves by the first output"},
		Reset: &InsideStep{One: "Switch the separate outputs of %s off", Bare: true,
			Verify: "everything leaves by the first output"}},
}

const preTap = " pre"

// numberIn is the number that a value begins with, or 0.
func numberIn(value string) float64 {
	x, err := strconv.ParseFloat(strings.Fields(value + " 0")[0], 64)
	if err != nil || math.IsNaN(x) {
		return 0
	}
	return x
}

func levelText(value string) string { return audio.Decibels(numberIn(value)).String() }

func receivesText(value string) string {
	if value == ReceivesAll {
		return allChannels
	}
	if a, err := midi.ParseAddress(value); err == nil && a.Known() {
		return a.String()
	}
	return "no channel"
}

// InsideSettings lists the settings inside the instrument that are not as most come, by name.
func (in *Instrument) InsideSettings() map[string]string {
	out := map[string]string{}
	source, attribute := "", "" // of what is looked at; one function serves all, for there are many
	set := func(of, value string) { out[InsideKey(source, attribute, of)] = value }
	look := func(x SourceRef) {
		source = x.ID
		for _, a := range InsideAttributes {
			if a.each != nil {
				attribute = a.Name
				a.each(in, x, set)
			}
		}
	}
	look(SourceRef{})
	for x := range in.EachSource() {
		look(x)
	}
	return out
}

// WithInside is a copy of the instrument whose inside is set as settings say, and otherwise as
// most come. Settings of what it does not have are passed over.
func (in Instrument) WithInside(settings map[string]string) Instrument {
	in.CloneSources()
	at := in.Sources()
	at[""] = SourceRef{}
	for _, a := range InsideAttributes {
		if a.clear == nil {
			continue
		}
		for _, x := range at {
			a.clear(&in, x)
		}
	}
	for key, value := range settings {
		source, attribute, of := SplitInside(key)
		x, ok := at[source]
		if a := InsideAttributeNamed(attribute); ok && a != nil && a.set != nil {
			a.set(&in, x, of, value, settingNumber(a, value))
		}
	}
	return in
}

// InsideText says in a few words how a source is set inside, as far as that is not as most
// come: "−3.0 dB, inverted, own and main output, sends Plate −12.0 dB". A MIDI address is not
// among it.
func (in *Instrument) InsideText(x SourceRef) string {
	var out []string
	for _, a := range InsideAttributes {
		if x.ofWhole() || a.says == nil {
			continue
		}
		if text := a.says(in, x); text != "" {
			out = append(out, text)
		}
	}
	return strings.Join(out, ", ")
}
