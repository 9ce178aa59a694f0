package plan

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// The inside of the instruments, as tables: a row for each voice, microphone and part, and one
// for each bleed that can be trimmed.

// InsideRow is one voice, microphone or part of a project.
type InsideRow struct {
	Ref  FeedRef
	Kind rig.Kind // of source
	Name string
}

// InsideRows lists them, instrument by instrument: parts, microphones, voices.
func (p *Project) InsideRows() (out []InsideRow) {
	for i := range p.Placed {
		pl := &p.Placed[i]
		for x := range pl.Instrument.EachSource() {
			out = append(out, InsideRow{FeedRef{pl.ID, x.ID}, x.Kind, x.Name})
		}
	}
	return out
}

// BleedRow is one voice in a microphone that stands at another piece.
type BleedRow struct {
	ID                string // "i1:v3.oh"
	Ref               FeedRef
	Voice, Microphone string
	Level, Trim       audio.Decibels // of the pick-up; by how much it is trimmed
}

// BleedRows lists the bleeds that can be trimmed.
func (p *Project) BleedRows() (out []BleedRow) {
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, v := range pl.Instrument.Voices {
			for _, h := range v.Heard {
				if m := pl.Instrument.Microphone(h.Microphone); m != nil && m.Bleeds(v) {
					ref := FeedRef{pl.ID, v.ID + "." + m.ID}
					out = append(out, BleedRow{ref.String(), ref, v.Name, m.Name, h.Level, h.Trim})
				}
			}
		}
	}
	return out
}

// InsideTexts gives for each voice, microphone and part of an instrument, by ID, what the table of
// the inside shows; the same as its Texts, for all at once.
func InsideTexts(in *rig.Instrument) map[string][]string {
	out := map[string][]string{}
	for x := range in.EachSource() {
		texts := make([]string, len(insideCells))
		for i, c := range insideCells {
			texts[i] = c.get(in, x)
		}
		out[x.ID] = texts
	}
	return out
}

// insideCell is a column of the inside: what a source shows, and what typing sets.
type insideCell struct {
	key, title string
	get        func(*rig.Instrument, rig.SourceRef) string
	set        func(*rig.Instrument, rig.SourceRef, string) error
}

// column is the column as tables have it.
func (c insideCell) column() Column {
	return Column{Key: c.key, Title: c.title,
		Get: func(_ *Project, r *Row) string {
			x, ok := r.placed.Instrument.Source(r.ref.Feed)
			if !ok {
				return ""
			}
			return c.get(&r.placed.Instrument, x)
		},
		Set: func(p *Project, r *Row, typed string) (string, error) {
			return SetInside(r.placed.ID, func(in *rig.Instrument) (string, error) {
				x, ok := in.Source(r.ref.Feed)
				if !ok {
					return "", fmt.Errorf("that voice, microphone or part is no longer in this project")
				}
				if err := c.set(in, x, typed); err != nil {
					return "", err
				}
				return fmt.Sprintf("set the %s of %s to %s", strings.ToLower(c.title), x.Name, c.get(in, x)), nil
			})(p)
		}}
}

// choice reads one of two words.
func choice(typed, no, yes string) (bool, error) {
	switch v := strings.ToLower(typed); {
	case v == "" || v == no:
		return false, nil
	case v == yes:
		return true, nil
	}
	return false, fmt.Errorf("%q is neither %q nor %q", typed, no, yes)
}

func word(on bool, no, yes string) string {
	if on {
		return yes
	}
	return no
}

// Words that are typed into the inside.
const (
	normalPolarity, inverted = "normal", "inverted"
	isOpen, isClosed         = "open", "closed"
	bleedFull, bleedOff      = "full", "off"
	ownExit, bothExits       = "own output", "own and main"
	allChannels              = "all channels"
)

// InsideChoices lists what may be typed into columns with few choices.
var InsideChoices = map[string][]string{"polarity": {normalPolarity, inverted}, "open": {isOpen, isClosed},
	"bleed": {bleedFull, bleedOff}, "exits": {ownExit, bothExits}, "receives": {allChannels}}

// UsualInside is what a column holds where an instrument is set as most come.
func UsualInside(key string) string {
	switch {
	case key == "gain":
		return audio.Decibels(0).String()
	case key == "pan":
		return rig.PanText(0)
	case key != "receives" && InsideChoices[key] != nil:
		return InsideChoices[key][0]
	}
	return ""
}

func parsePan(typed string) (float64, error) {
	v := strings.ToLower(strings.TrimSpace(typed))
	if v == "" || v == "centre" || v == "center" || v == "c" {
		return 0, nil
	}
	sign := 1.0
	for _, side := range []struct {
		word string
		sign float64
	}{{"left", -1}, {"right", 1}, {"l", -1}, {"r", 1}} {
		if rest, ok := strings.CutSuffix(v, side.word); ok {
			v, sign = strings.TrimSpace(rest), side.sign
			break
		}
	}
	x, err := rig.Number(v)
	if err != nil || math.Abs(x) > 100 {
		return 0, fmt.Errorf("%q is not a pan; type from −100, left, to 100, right, or centre", typed)
	}
	return sign * x / 100, nil
}

var insideColumns = func() (out []Column) {
	for _, c := range insideCells {
		out = append(out, c.column())
	}
	return out
}()

var insideCells = []insideCell{
	{"gain", "Gain", func(_ *rig.Instrument, x rig.SourceRef) string { return x.Gain.String() },
		func(_ *rig.Instrument, x rig.SourceRef, v string) error {
			gain, err := rig.ParseGain(v)
			if err == nil {
				*x.Gain = gain
			}
			return err
		}},
	{"pan", "Pan", func(_ *rig.Instrument, x rig.SourceRef) string { return rig.PanText(*x.Pan) },
		func(_ *rig.Instrument, x rig.SourceRef, v string) error {
			pan, err := parsePan(v)
			if err == nil {
				*x.Pan = pan
			}
			return err
		}},
	{"polarity", "Polarity",
		func(_ *rig.Instrument, x rig.SourceRef) string { return word(x.Inverted, normalPolarity, inverted) },
		func(_ *rig.Instrument, x rig.SourceRef, v string) (err error) {
			x.Inverted, err = choice(v, normalPolarity, inverted)
			return err
		}},
	{"open", "Open", func(_ *rig.Instrument, x rig.SourceRef) string { return word(x.Closed, isOpen, isClosed) },
		func(_ *rig.Instrument, x rig.SourceRef, v string) (err error) {
			x.Closed, err = choice(v, isOpen, isClosed)
			return err
		}},
	{"bleed", "Bleed", func(_ *rig.Instrument, x rig.SourceRef) string {
		if x.Mic == nil {
			return ""
		}
		return word(x.Mic.OwnOnly, bleedFull, bleedOff)
	}, func(_ *rig.Instrument, x rig.SourceRef, v string) (err error) {
		if x.Mic == nil {
			if v == "" {
				return nil
			}
			return fmt.Errorf("only microphones have bleed")
		}
		x.Mic.OwnOnly, err = choice(v, bleedFull, bleedOff)
		return err
	}},
	{"returns", "Sends to returns",
		func(in *rig.Instrument, x rig.SourceRef) string { return in.ReturnsText(x.Returns) },
		func(in *rig.Instrument, x rig.SourceRef, v string) (err error) {
			x.Returns, err = in.ParseReturns(v)
			return err
		}},
	{"exits", "Leaves by", func(_ *rig.Instrument, x rig.SourceRef) string {
		return word(x.AlsoMain, ownExit,
			bothExits)
	},
		func(_ *rig.Instrument, x rig.SourceRef, v string) (err error) {
			x.AlsoMain, err = choice(v, ownExit, bothExits)
			return err
		}},
	{"receives", "Receives", func(_ *rig.Instrument, x rig.SourceRef) string {
		switch {
		case x.Part == nil:
			return ""
		case x.Part.AllChannels:
			return allChannels
		case x.Part.Address.Known():
			return x.Part.Address.String()
		}
		return ""
	}, func(_ *rig.Instrument, x rig.SourceRef, v string) error {
		if x.Part == nil {
			if v == "" {
				return nil
			}
			return fmt.Errorf("only parts have an address")
		}
		if strings.EqualFold(v, allChannels) || strings.EqualFold(v, "all") {
			x.Part.AllChannels = true
			return nil
		}
		a, err := midi.ParseAddress(v)
		if err == nil {
			x.Part.AllChannels, x.Part.Address = false, a.Norm()
		}
		return err
	}},
	{"note", "Note", func(_ *rig.Instrument, x rig.SourceRef) string {
		if x.Mic == nil {
			return ""
		}
		return x.Mic.Note
	}, func(_ *rig.Instrument, x rig.SourceRef, v string) error {
		if x.Mic == nil {
			if v == "" {
				return nil
			}
			return fmt.Errorf("only microphones have a note")
		}
		note, err := rig.ParseNote(v)
		if err == nil {
			x.Mic.Note = note
		}
		return err
	}},
}

var trimColumns = []Column{{Key: "trim", Title: "Trim",
	Get: func(_ *Project, r *Row) string {
		voice, mic, _ := strings.Cut(r.ref.Feed, ".")
		if h := r.placed.Instrument.HeardIn(voice, mic); h != nil {
			return h.Trim.String()
		}
		return ""
	},
	Set: func(p *Project, r *Row, typed string) (string, error) {
		trim, err := rig.ParseGain(typed)
		if err != nil {
			return "", err
		}
		return SetInside(r.placed.ID, func(in *rig.Instrument) (string, error) {
			voice, mic, _ := strings.Cut(r.ref.Feed, ".")
			for i := range in.Voices {
				if v := &in.Voices[i]; v.ID == voice {
					v.Heard = slices.Clone(v.Heard)
				}
			}
			h := in.HeardIn(voice, mic)
			if h == nil {
				return "", fmt.Errorf("that bleed is no longer in this project")
			}
			h.Trim = trim
			return fmt.Sprintf("trim %s in %s to %s", in.SourceName(voice), in.SourceName(mic), trim), nil
		})(p)
	}}}

// SetBleed says what the microphones of an instrument of the project hear of other pieces, and by
// how much all close ones are trimmed.
func SetBleed(placed string, bleed rig.Bleed, trim audio.Decibels) Edit {
	return SetInside(placed, func(in *rig.Instrument) (string, error) { return rig.SetBleed(bleed, trim)(in) })
}
