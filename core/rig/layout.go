package rig

import (
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
)

// FactoryLayout is the layout of the factory in which sources leave by outputs, by their IDs. Each
// output is as wide as the widest that leaves by it, and stereo where a side of it does; an output
// that nothing leaves by is as wide as the instrument's delivered outputs say, or mono. Where nothing
// is known of those, pairs lie on odd ports. kit is the kit or preset that it comes with; "": the
// instrument.
func (in *Instrument) FactoryLayout(name, kit string, at map[string]Placing) Layout {
	widths, last := map[int]audio.Width{}, 0
	for id, wide := range in.widths() {
		p, ok := at[id]
		if !ok || p.Output == 0 {
			continue
		}
		w := max(wide, audio.Mono)
		if p.Side != "" {
			w = audio.Stereo
		}
		widths[p.Output], last = max(widths[p.Output], w), max(last, p.Output)
	}
	delivered := Widths(Lay(in.Delivered, 1))
	var runs []Run
	for n := 1; n <= max(last, len(delivered)); n++ {
		w := max(widths[n], audio.Mono)
		if n <= len(delivered) {
			w = max(w, delivered[n-1])
		}
		if i := len(runs) - 1; i >= 0 && runs[i].Width == w {
			runs[i].Count++
		} else {
			runs = append(runs, Run{Count: 1, Width: w})
		}
	}
	outputs := Lay(runs, 1)
	if len(delivered) == 0 {
		outputs = Relay(outputs, 0)
	}
	return Layout{Name: name, Factory: true, Kit: kit, Outputs: outputs, Feeds: at}
}

// widths are how wide what leaves by outputs is, by ID.
func (in *Instrument) widths() map[string]audio.Width {
	out := map[string]audio.Width{}
	for _, x := range in.Voices {
		out[x.ID] = x.Width
	}
	for _, x := range in.Microphones {
		out[x.ID] = x.Width
	}
	for _, x := range in.Parts {
		out[x.ID] = x.Width
	}
	for _, x := range in.Returns {
		out[x.ID] = x.Width
	}
	return out
}

// AsLaidOut is the layout that the instrument begins in where nobody says another: the only one
// that it has, if that is the factory's and comes with the instrument itself.
func (in *Instrument) AsLaidOut() *Layout {
	if len(in.Layouts) == 1 && in.Layouts[0].Factory && in.Layouts[0].Kit == "" {
		return &in.Layouts[0]
	}
	return nil
}

// ParsePlacing reads where a source leaves: an output with or without a side, or "off".
func ParsePlacing(text string) (Placing, error) {
	if text == "off" || text == "Off" || text == "OFF" {
		return Placing{}, nil
	}
	number, side, err := ParseLabel(text)
	if err == nil && number > MaxPorts/2 {
		err = fmt.Errorf("there is no output %d; write one up to %d, or off", number, MaxPorts/2)
	}
	return Placing{Output: number, Side: string(side)}, err
}

// Text is what ParsePlacing reads.
func (p Placing) Text() string {
	if p.Output == 0 {
		return "off"
	}
	return Output{Number: p.Output, Side: Side(p.Side)}.Label()
}

// FactoryOf gives the factory's layout of a kit, "" for the instrument's own, or nil.
func (in *Instrument) FactoryOf(kit string) *Layout {
	i := slices.IndexFunc(in.Layouts, func(l Layout) bool { return l.Factory && l.Kit == kit })
	if i < 0 {
		return nil
	}
	return &in.Layouts[i]
}
