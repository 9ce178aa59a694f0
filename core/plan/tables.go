package plan

import (
	"fmt"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
)

// A project is edited as tables, cell by cell, as an instrument is: what a cell shows is
// what is typed, copied and pasted. The registry below says what each cell holds and which
// edit typing into it is.

func sourcesText(p *Project, l *Lane) string {
	switch {
	case l.Kind == Bus:
		return ""
	case len(l.Sources) == 0:
		return nothing
	case len(l.Sources) > 1:
		return fmt.Sprintf("%d outputs", len(l.Sources))
	}
	return p.OutputText(l.Sources[0])
}

// Nothing is what is in a cell that leads nowhere.
const nothing = "nothing"

// OutputText is what an output of the project is called where it is chosen: "output 3", or
// with the instrument's name where there are several.
func (p *Project) OutputText(ref OutputRef) string {
	pl := p.Find(ref.Placed)
	if pl == nil {
		return nothing
	}
	if len(p.Placed) > 1 {
		return pl.Instrument.Name + " " + ref.Jack().String()
	}
	return "output " + ref.Jack().String()
}

// OutputLabelled finds the output that a text names, as OutputText writes it, by its label
// alone where there is one instrument, or as a reference; "" and "nothing" are none.
func (p *Project) OutputLabelled(typed string) (OutputRef, error) {
	if typed == "" || strings.EqualFold(typed, nothing) {
		return OutputRef{}, nil
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, o := range pl.Jacks() {
			ref := pl.Ref(o)
			if strings.EqualFold(typed, p.OutputText(ref)) || len(p.Placed) == 1 && strings.EqualFold(typed, o.Label()) {
				return ref, nil
			}
		}
	}
	if ref, err := ParseOutputRef(typed); err == nil && p.Find(ref.Placed) != nil {
		return ref, nil
	}
	return OutputRef{}, fmt.Errorf("no output is called %q; choose one from the list, or type %q", typed, nothing)
}

const (
	mainMixText = "main mix"
	andMain     = " and " + mainMixText
)

// ByID are lanes by their IDs, for those who look for many.
type ByID map[string]*Lane

// ByID lists the lanes by their IDs.
func (p *Project) ByID() ByID {
	out := make(ByID, len(p.Lanes))
	for i := range p.Lanes {
		out[p.Lanes[i].ID] = &p.Lanes[i]
	}
	return out
}

// DestinationText is where a lane is routed to: "main mix", "Drums", "Drums and main mix".
func (lanes ByID) DestinationText(l *Lane) string {
	b := lanes[l.To]
	switch {
	case b == nil:
		return mainMixText
	case l.AlsoMain:
		return b.Name + andMain
	}
	return b.Name
}

// Destination reads what DestinationText writes; "" is the main mix.
func (p *Project) Destination(typed string) (bus string, alsoMain bool, err error) {
	if typed == "" || strings.EqualFold(typed, mainMixText) {
		return MainMix, false, nil
	}
	if b := p.BusNamed(typed); b != nil {
		return b.ID, false, nil
	}
	if n := len(typed) - len(andMain); n > 0 && strings.EqualFold(typed[n:], andMain) {
		if b := p.BusNamed(strings.TrimSpace(typed[:n])); b != nil {
			return b.ID, true, nil
		}
	}
	return MainMix, false, fmt.Errorf("no bus is called %q; choose one from the list, or add it below", typed)
}

// SendsText lists a lane's sends: "Room −12 dB, Plate −6 dB before".
func (lanes ByID) SendsText(l *Lane) string {
	var out []string
	for _, s := range l.Sends {
		text := s.Level.String()
		if b := lanes[s.To]; b != nil {
			text = b.Name + " " + text
		}
		if s.Pre {
			text += " " + string(BeforeFader)
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

// parseSends reads what SendsText writes. A send without a level is at −12 dB, after the
// fader.
func (p *Project) parseSends(typed string) (out []Send, err error) {
	for _, one := range rig.SplitSends(typed) {
		s := Send{Level: UsualSend}
		one, s.Pre, _ = audio.CutTap(one)
		words := strings.Fields(one)
		if len(words) == 0 {
			continue
		}
		level := words
		if strings.EqualFold(words[len(words)-1], "dB") && len(words) > 2 {
			level = words[:len(words)-1]
		}
		if d, err := audio.ParseDecibels(level[len(level)-1]); err == nil && len(level) > 1 {
			s.Level, words = d, level[:len(level)-1]
		}
		name := strings.Join(words, " ")
		b := p.BusNamed(name)
		if b == nil {
			return nil, fmt.Errorf("no bus is called %q; add it below, or write sends as “Room −12 dB, Plate −6 dB before”",
				name)
		}
		s.To = b.ID
		out = append(out, s)
	}
	return out, nil
}

// UsualSend is the level of a send that is typed without one, in decibels.
const UsualSend audio.Decibels = -12
