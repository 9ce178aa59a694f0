// Package patchsheet writes the patch sheet: one line for each lane with what
// arrives on it and where it goes, then the feeds that go nowhere. CSV by RFC
// 4180, UTF-8, with a header row.
package patchsheet

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/format"
)

// Row is one line of the sheet.
type Row struct {
	Lane       plan.LaneNumber // 0: no lane
	Name       string
	Colour     string
	Kind       string // "lane", "bus", or why there is no lane: "no lane", "parked", "off", "unassigned"
	Width      string
	Instrument string
	Output     string
	Ports      string
	HostPorts  string
	OutputName string // what the instrument calls the output
	PlaysOn    string // the track that is played to hear it
	Feeds      string
	Keys       []midi.Key // each once, in order
	GoesTo     string
	Sends      string // copies beside that, with their levels
	MIDI       string // addresses of the parts
	Inside     string // what is set inside the instrument
	Notes      string // the user's, of microphones
	Inserts    string
	Short      string // the lane's name for small displays
	Set        string // what is set on the lane beside all this
	Divided    bool   // a divider stands above it
	Other      bool   // the plan did not make it
}

// header names the columns.
var header = []string{"Lane", "Name", "Kind", "Width", "Instrument", "Output", "Ports", "Host ports", "Feeds", "Keys",
	"Goes to", "Colour", "Short", "Sends", "MIDI", "Inside", "Notes", "Inserts", "Output name", "Play on",
	"Set on the lane"}

// Rows makes the sheet: lanes and buses by number, then outputs with feeds but
// no lane, then feeds that are parked, off or not assigned.
func Rows(p *plan.Project) []Row {
	g := trace.New(p)
	var rows []Row
	sources := insideOf{p, map[*rig.Instrument]map[string]rig.SourceRef{}, map[plan.FeedRef]string{}}
	for i := range p.Placed {
		sources.of[&p.Placed[i].Instrument] = p.Placed[i].Instrument.Sources()
	}
	roles := p.LaneRoles()
	divided, shorts := p.Divided(roles), p.ShortNames(roles)
	for _, l := range g.Lanes() {
		r := Row{Short: shorts[l.ID], Divided: divided[l.ID], Lane: l.Number, Name: l.Name, Colour: l.Colour,
			Kind: "lane", Width: l.Width.String(), GoesTo: goesTo(g, l), Sends: sends(g, l),
			Inserts: rig.InsertsText(l.Inserts), Set: l.Says()}
		if l.Kind == plan.Bus {
			r.Kind = "bus"
			r.Feeds = g.TakenBy(l.ID)
		}
		if l.IsOther() {
			r.Kind, r.Other = "other "+r.Kind, true
		}
		for _, s := range l.Sources {
			fill(g, &r, s, sources)
		}
		rows = append(rows, r)
	}
	for i := range p.Placed {
		for _, o := range p.Placed[i].Jacks() {
			ref := p.Placed[i].Ref(o)
			if wanted, _ := g.On(ref); len(wanted) > 0 && len(g.LanesOf(ref)) == 0 {
				r := Row{Kind: "no lane", Width: o.Width.String()}
				fill(g, &r, ref, sources)
				rows = append(rows, r)
			}
		}
	}
	for _, f := range g.Feeds {
		r := Row{Name: f.Name, Width: f.Width.String(), Instrument: f.Placed.Instrument.Name, Feeds: f.Name, Keys: f.Keys}
		r.addInside([]trace.Feed{f}, sources)
		switch f.At.State {
		case plan.Parked:
			r.Kind, r.Output, r.Ports, r.HostPorts = "parked", f.At.At().String(), f.Output.PortNames(0),
				f.Output.PortNames(f.Placed.Offset)
		case plan.Off:
			r.Kind = "off"
		case plan.Undecided:
			r.Kind = "unassigned"
		default:
			if f.Exists {
				continue
			}
			r.Kind, r.Output = "no such output", f.At.At().String()
		}
		rows = append(rows, r)
	}
	return rows
}

func goesTo(g *trace.Graph, l *plan.Lane) string {
	b := g.Lane(l.To)
	switch {
	case b == nil:
		return "Main mix"
	case l.AlsoMain:
		return fmt.Sprintf("%s (lane %d) and Main mix", b.Name, b.Number)
	}
	return fmt.Sprintf("%s (lane %d)", b.Name, b.Number)
}

func sends(g *trace.Graph, l *plan.Lane) string {
	var out []string
	for _, s := range l.Sends {
		if b := g.Lane(s.To); b != nil {
			out = append(out, fmt.Sprintf("%s (lane %d) at %s, %s", b.Name, b.Number, s.Level, s.Tap()))
		}
	}
	return strings.Join(out, "; ")
}

// fill adds an output and what it carries to a row.
func fill(g *trace.Graph, r *Row, ref plan.OutputRef, sources insideOf) {
	add := func(to *string, s string) {
		if *to != "" && s != "" {
			*to += " + "
		}
		*to += s
	}
	pl := g.Project.Find(ref.Placed)
	if pl == nil {
		return
	}
	if !strings.Contains(r.Instrument, pl.Instrument.Name) {
		add(&r.Instrument, pl.Instrument.Name)
	}
	add(&r.Output, ref.Jack().String())
	if o, ok := pl.Output(ref.Jack()); ok {
		add(&r.OutputName, pl.OutputName(o))
		add(&r.Ports, o.PortNames(0))
		add(&r.HostPorts, o.PortNames(pl.Offset))
	}
	wanted, _ := g.On(ref)
	var names []string
	for _, f := range wanted {
		names = append(names, f.Name)
		r.Keys = append(r.Keys, f.Keys...)
	}
	r.Keys = slices.Compact(slices.Sorted(slices.Values(r.Keys)))
	add(&r.Feeds, strings.Join(names, ", "))
	r.addInside(wanted, sources)
}

// insideOf is what is set inside of each instrument's sources, by ID, and which track plays each
// part.
type insideOf struct {
	project *plan.Project
	of      map[*rig.Instrument]map[string]rig.SourceRef
	plays   map[plan.FeedRef]string // by instrument and part
}

// playsOn is the track that is played to hear a feed.
func (s insideOf) playsOn(f trace.Feed) string {
	ref := plan.FeedRef{Placed: f.Placed.ID, Feed: f.Part}
	text, ok := s.plays[ref]
	if !ok {
		text = s.project.PlaysOn(f.Placed, s.of[&f.Placed.Instrument][f.Part].Part)
		s.plays[ref] = text
	}
	return text
}

// addInside adds what is set inside of feeds: MIDI addresses, settings and notes, with the names
// of the feeds where there are several.
func (r *Row) addInside(feeds []trace.Feed, sources insideOf) {
	add := func(to *string, name, text string) {
		if text == "" {
			return
		}
		if len(feeds) > 1 {
			text = name + ": " + text
		}
		if *to != "" {
			*to += "; "
		}
		*to += text
	}
	for _, f := range feeds {
		in := &f.Placed.Instrument
		var settings []string
		for _, id := range f.Sources() {
			if text := in.InsideText(sources.of[in][id]); text != "" {
				settings = append(settings, text)
			}
		}
		add(&r.Inside, f.Name, strings.Join(settings, ", "))
		if m := in.Microphone(f.Microphone); m != nil {
			add(&r.Notes, f.Name, m.Note)
		}
		if x := sources.of[in][f.Part]; x.Part != nil {
			address := ""
			switch {
			case x.Part.AllChannels:
				address = "all channels"
			case x.Part.Address.Known():
				address = x.Part.Address.String()
			}
			if !strings.Contains(r.MIDI, address) || len(feeds) > 1 {
				add(&r.MIDI, f.Name, address)
			}
		}
		if f.At.State != plan.Assigned || !f.Exists {
			continue
		}
		if plays := sources.playsOn(f); !strings.Contains(r.PlaysOn, plays) {
			if r.PlaysOn != "" {
				r.PlaysOn += "; "
			}
			r.PlaysOn += plays
		}
	}
}

// Encode writes the sheet as CSV.
func Encode(w io.Writer, p *plan.Project, naming midi.Naming) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	if err := c.Write(header); err != nil {
		return err
	}
	for _, r := range Rows(p) {
		lane := ""
		if r.Lane > 0 {
			lane = fmt.Sprint(r.Lane)
		}
		cells := []string{lane, r.Name, r.Kind, r.Width, r.Instrument, r.Output, r.Ports, r.HostPorts, r.Feeds,
			midi.FormatKeys(r.Keys, naming), r.GoesTo, r.Colour, r.Short, r.Sends, r.MIDI, r.Inside, r.Notes,
			r.Inserts, r.OutputName, r.PlaysOn, r.Set}
		for i := range cells {
			cells[i] = format.PlainCell(cells[i])
		}
		if err := c.Write(cells); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}
