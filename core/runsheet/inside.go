package runsheet

import (
	"fmt"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// insideOrder is the order in which settings inside an instrument are made: what is open first.
var insideOrder = []string{rig.InsideSeparate, rig.InsidePlayer, rig.InsidePlace, rig.InsideOpen, rig.InsideBleed, rig.InsideTrim, rig.InsideGain, rig.InsidePan,
	rig.InsidePolarity, rig.InsideReturn, rig.InsideMain, rig.InsideReceives}

// inside lists what is set otherwise inside the instruments, one step for each kind of setting.
func (b *builder) inside() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		want, have := pl.InsideWanted(), b.s.Instruments[pl.ID].Inside
		byKind := map[string][]string{}
		for _, k := range rig.ChangedInside(want, have) {
			_, attribute, _ := rig.SplitInside(k)
			kind := attribute
			if attribute == rig.InsidePan && want[k] == "" || attribute == rig.InsideOpen && want[k] == "" {
				kind += " reset" // centred, opened: a step of its own
			}
			byKind[kind] = append(byKind[kind], k)
		}
		for _, attribute := range insideOrder {
			for _, kind := range []string{attribute, attribute + " reset"} {
				if len(byKind[kind]) > 0 {
					b.add(insideStep(pl, kind, byKind[kind], want, have).of(pl, rig.StepInside))
				}
			}
		}
	}
}

// insideStep is one step: settings of one kind inside an instrument.
func insideStep(pl *plan.Placed, kind string, keys []string, want, have map[string]string) Step {
	st := Step{Place: InInstrument, Count: len(keys), Told: true}
	var names []string
	for _, k := range keys {
		source, attribute, of := rig.SplitInside(k)
		name := pl.Instrument.SourceName(source)
		switch {
		case name == "" && (attribute == rig.InsidePlayer || attribute == rig.InsideSeparate):
			name = pl.Instrument.Name
		case name == "": // of the instrument as a whole
			name = "all microphones"
			if attribute == rig.InsideTrim {
				name = "all close microphones"
			}
		}
		names = append(names, name)
		st.Actions = append(st.Actions, host.SetInside{Instrument: pl.ID, Key: k, Value: want[k]})
		st.Items = append(st.Items, Item{Text: insideItem(&pl.Instrument, name, attribute, of, want[k])})
	}
	n, in := len(keys), pl.Instrument.Name
	several := func(one, many string) {
		if st.Text = fmt.Sprintf(many, n, in); n == 1 {
			st.Text = fmt.Sprintf(one, names[0], in)
			st.Items = nil
		}
	}
	switch kind {
	case rig.InsidePlayer:
		st.Text = fmt.Sprintf("Let the host play %s: switch its own player off", in)
		st.Verify = "nothing sounds until the host plays"
		st.Why = "its own player and the host would both play"
		if want[keys[0]] != "" {
			st.Text, st.Why = fmt.Sprintf("Let %s play by itself: switch its own player on", in), ""
			st.Verify = "it plays with the host's transport"
		}
		st.Items = nil
	case rig.InsideSeparate:
		st.Text, st.Verify = fmt.Sprintf("Switch the separate outputs of %s on", in), "its outputs can be assigned to"
		st.Why = "until they are, everything leaves by the first output"
		if want[keys[0]] == "" {
			st.Text, st.Why = fmt.Sprintf("Switch the separate outputs of %s off", in), ""
			st.Verify = "everything leaves by the first output"
		}
		st.Items = nil
	case rig.InsidePlace:
		several("Give %s a place of its own in %s", "Give %d voices places of their own in %s")
		st.Verify = "each can be assigned by itself"
		if n == 1 && want[keys[0]] != "" {
			st.Text = fmt.Sprintf("Put %s into place %s of %s again", names[0], want[keys[0]], in)
			st.Verify = "they leave together"
		}
	case rig.InsideOpen:
		several("Close %s in %s", "Close %d sources in %s")
		st.Verify = "it no longer sounds"
	case rig.InsideOpen + " reset":
		several("Open %s in %s", "Open %d sources in %s")
		st.Verify = "it sounds"
	case rig.InsideBleed:
		several("Set the bleed of %s in %s", "Set the bleed of %d microphones in %s")
		st.Items = settingItems(pl, keys, names, want)
		st.Verify = "a microphone plays its own piece, and others as listed"
	case rig.InsideTrim:
		several("Trim the bleed of %s in %s", "Trim %d bleeds in %s")
		st.Items = settingItems(pl, keys, names, want)
		st.Verify = "the levels are as listed"
	case rig.InsideGain:
		several("Set the gain of %s in %s", "Set %d gains in %s")
		if n == 1 {
			st.Text += " to " + level(want[keys[0]])
			if d := number(want[keys[0]]) - number(have[keys[0]]); have[keys[0]] == "" && d > 0 {
				st.Text = fmt.Sprintf("Lift %s by %s in %s", names[0], strings.TrimPrefix(level(want[keys[0]]), "+"), in)
			}
		}
		st.Verify = "the levels are as listed"
	case rig.InsidePan:
		several("Set the pan of %s in %s", "Set %d pans in %s")
		if n == 1 {
			st.Text += ", " + rig.PanText(number(want[keys[0]])/100)
		}
		st.Verify = "each is heard where it is set"
	case rig.InsidePan + " reset":
		several("Centre the pan of %s in %s", "Centre %d pans in %s")
		st.Verify = "each is in the middle"
		st.Why = "the host pans the lane"
	case rig.InsidePolarity:
		several("Turn the polarity of %s in %s", "Turn %d polarities in %s")
		st.Verify = "it adds to its partner instead of thinning it"
	case rig.InsideReturn:
		several("Set the send of %s in %s", "Set %d sends to returns in %s")
		if n == 1 {
			_, attribute, of := rig.SplitInside(keys[0])
			st.Items = []Item{{Text: insideItem(&pl.Instrument, names[0], attribute, of, want[keys[0]])}}
		}
		st.Verify = "the return sounds"
	case rig.InsideMain:
		several("Set the exits of %s in %s", "Set the exits of %d sources in %s")
		if n == 1 {
			st.Items = []Item{{Text: insideItem(&pl.Instrument, names[0], rig.InsideMain, "", want[keys[0]])}}
		}
		st.Verify = "it leaves by the exits listed"
	case rig.InsideReceives:
		several("Set what %s receives in %s", "Set what %d parts receive in %s")
		if n == 1 {
			st.Text += ": " + receives(want[keys[0]])
		}
		st.Verify = "a key on each address plays its part alone"
	}
	return st
}

// settingItems lists the settings of a step, one too.
func settingItems(pl *plan.Placed, keys, names []string, want map[string]string) (out []Item) {
	for i, k := range keys {
		_, attribute, of := rig.SplitInside(k)
		out = append(out, Item{Text: insideItem(&pl.Instrument, names[i], attribute, of, want[k])})
	}
	return out
}

// insideItem is one setting in a few words.
func insideItem(in *rig.Instrument, name, attribute, of, value string) string {
	switch attribute {
	case rig.InsideOpen, rig.InsidePlayer, rig.InsideSeparate:
		return name
	case rig.InsidePlace:
		if value == "" {
			return name + ": a place of its own"
		}
		return name + ": place " + value
	case rig.InsideBleed:
		switch value {
		case "":
			return name + ": full"
		case string(rig.RoomsBleed):
			return name + ": in overheads and rooms only"
		}
		return name + ": off"
	case rig.InsideTrim:
		if of == "" {
			return name + ": " + level(value)
		}
		return fmt.Sprintf("%s in %s: %s", name, in.SourceName(of), level(value))
	case rig.InsideGain:
		return name + ": " + level(value)
	case rig.InsidePan:
		return name + ": " + rig.PanText(number(value)/100)
	case rig.InsidePolarity:
		if value == "" {
			return name + ": as recorded"
		}
		return name + ": inverted"
	case rig.InsideReturn:
		if value == "" {
			return fmt.Sprintf("%s to %s: none", name, in.SourceName(of))
		}
		v, pre := strings.CutSuffix(value, " pre")
		tap := "after the fader"
		if pre {
			tap = "before the fader"
		}
		return fmt.Sprintf("%s to %s: %s, %s", name, in.SourceName(of), level(v), tap)
	case rig.InsideMain:
		if value == "" {
			return name + ": by its own output alone"
		}
		return name + ": by its own output and by the main one"
	case rig.InsideReceives:
		return name + ": " + receives(value)
	}
	return name + ": " + value
}

func number(v string) float64 {
	x, _ := strconv.ParseFloat(strings.Fields(v + " 0")[0], 64)
	return x
}

func level(v string) string { return audio.Decibels(number(v)).String() }

func receives(v string) string {
	if v == rig.ReceivesAll {
		return "all channels"
	}
	if a, err := midi.ParseAddress(v); err == nil && a.Known() {
		return a.String()
	}
	return "no channel"
}
