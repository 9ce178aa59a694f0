// Package demo fills the application with the sample world: the cues of "The Ferry at Low
// Water", made from the instruments and songs of package sample.
package demo

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/smf"
)

const marketDay = "Cue 11 Market Day"

// mixers are what the mixer of each cue holds already.
var mixers = map[string]string{
	"Cue 03 Fog Bell":       "1-2 Dialogue, mono > Speech\n3 Ferry Engine\n4 Fog Horn, mono\n60 Speech, bus",
	"Cue 07 Night Crossing": "1 Dialogue, mono > Speech\n2-3 Ferry Engine > Water\n40 Speech, bus\n41 Water, bus",
	marketDay: "1-3 Market Crowd > Beds\n4 Dialogue, mono\n5 Accordion\n" +
		"14 Accordion Room > Beds\n70 Beds, bus",
	"Cue 14 Spring Tide": "1-4 Accordion",
}

// holds writes other lanes down in a project.
func holds(ctx context.Context, a *app.App, project int64, text string) error {
	lanes, err := plan.ParseOthers(text)
	if err != nil {
		return err
	}
	p, err := a.Project(ctx, project)
	if err != nil {
		return err
	}
	_, err = a.Edit(ctx, project, p.Revision, edits.AddOthers(lanes))
	return err
}

// Fill puts the sample world into an empty store, with its house chart; one that holds projects is
// left as it is.
func Fill(ctx context.Context, a *app.App) error {
	if ps, err := a.Projects(ctx); err != nil || len(ps) > 0 {
		return err
	}
	if err := keepChart(ctx, a, "how we began", firstChart); err != nil {
		return err
	}
	if _, err := Add(ctx, a); err != nil {
		return err
	}
	return keepChart(ctx, a, "hats, pans, crashes and the flute first, as agreed for the second half", secondChart)
}

// Add puts instruments and projects of the sample world beside what there is; the house chart stays.
func Add(ctx context.Context, a *app.App) (items app.SampleItems, err error) {
	ids, _, err := a.AddInstruments(ctx, sample.BrineworkKit(), sample.FlintTwelve(), sample.SaltpanSection(),
		sample.ReedCabinet())
	if err != nil {
		return items, err
	}
	items.Instruments = slices.Clone(ids)
	host := func(first plan.LaneNumber) plan.Host {
		return plan.Host{LaneLimit: 128, FirstLane: first, Sides: true}
	}
	begin := func(n app.NewProject) (int64, error) {
		id, err := a.Create(ctx, n)
		if err != nil {
			return 0, fmt.Errorf("making %s: %w", n.Name, err)
		}
		items.Projects = append(items.Projects, id)
		return id, holds(ctx, a, id, mixers[n.Name])
	}
	// Reverse order, so that the first cue is the one touched last.
	if _, err := begin(app.NewProject{Name: "Cue 14 Spring Tide", Host: host(1),
		Choices: []app.Choice{{Instrument: ids[3]}}}); err != nil {
		return items, err
	}
	for _, n := range []app.NewProject{
		{Name: marketDay, Host: host(6),
			Choices: []app.Choice{{Instrument: ids[2], Setup: app.Setup{Outputs: []rig.Run{{Count: 9, Width: audio.Stereo}}}}}},
		{Name: "Cue 07 Night Crossing", Host: host(4),
			Choices: []app.Choice{{Instrument: ids[1], Setup: app.Setup{Offset: 6}}}},
	} {
		id, err := begin(n)
		if err != nil {
			return items, err
		}
		if n.Name == marketDay {
			if err := bringSong(ctx, a, id, sample.PanSong(), "market-day-pans.mid"); err != nil {
				return items, err
			}
		}
		p, err := accept(ctx, a, id)
		if err != nil {
			return items, err
		}
		if n.Name == marketDay {
			if err := hall(ctx, a, p); err != nil {
				return items, err
			}
		}
	}
	return items, fogBell(ctx, a, begin, app.NewProject{Name: "Cue 03 Fog Bell", Host: host(7),
		Choices: []app.Choice{{Instrument: ids[0]}}})
}

// The scoring room's house chart, and what it changed for the second half of the series:
// the cues made before are to be brought into line.
var (
	firstChart = []tabular.Cell{
		tabular.At("kit/kick/in", "short", "K in"), tabular.At("kit/kick/out", "short", "K out"),
		tabular.At("kit/snare/top", "short", "SN t"), tabular.At("kit/snare/bottom", "short", "SN b"),
		tabular.At("kit/overhead", "short", "OH"),
		tabular.At("percussion", "bus", "Drums"),
		tabular.At("mallets/steel-pan", "microphones", "Close, Mid, Room"),
		tabular.At("woodwind/piccolo", "address", "1"), tabular.At("woodwind/flute", "address", "2"),
		tabular.At("woodwind/oboe", "address", "3"),
		tabular.At("woodwind/clarinet", "address", "4"),
		tabular.At("woodwind/bass-clarinet", "address", "5"),
		tabular.At("woodwind/bassoon", "address", "6"),
	}
	secondChart = []tabular.Cell{
		tabular.At("kit/hat", "name", "Hats"), tabular.At("kit/hat", "short", "HH"),
		tabular.At("mallets/steel-pan", "bus", "Pans"),
		tabular.At("kit/cymbal/crash", "colour", "#7a8f2a"),
		// the flute leads from now on
		tabular.At("woodwind/flute", "address", "1"), tabular.At("woodwind/piccolo", "address", "2"),
	}
)

// keepChart types into the house chart and keeps it as the next version.
func keepChart(ctx context.Context, a *app.App, note string, cells []tabular.Cell) error {
	c, err := a.Chart(ctx)
	if err != nil {
		return err
	}
	if err := a.EditChart(ctx, c.Revision, house.SetCells(cells, midi.MiddleC3)); err != nil {
		return err
	}
	if c, err = a.Chart(ctx); err != nil {
		return err
	}
	_, err = a.KeepChart(ctx, c.Revision, note)
	return err
}

// fogBell maps and busses the kit, and leaves one mistake to be found: the
// overheads go to their bus and to the main mix as well.
func fogBell(ctx context.Context, a *app.App, begin func(app.NewProject) (int64, error), n app.NewProject) error {
	id, err := begin(n)
	if err != nil {
		return err
	}
	if err := bringSong(ctx, a, id, sample.Song(), "fog-bell-drums.mid"); err != nil {
		return err
	}
	p, err := accept(ctx, a, id)
	if err != nil {
		return err
	}
	for _, l := range p.Plan.ByNumber() {
		if l.Name == "Overheads" {
			_, err := a.Edit(ctx, id, p.Revision, plan.Route([]string{l.ID}, l.To, true))
			return err
		}
	}
	return fmt.Errorf("%s has no overheads to make a mistake with", n.Name)
}

// hall lets the close microphones of the pans send to the return of a hall.
func hall(ctx context.Context, a *app.App, p *app.Project) error {
	var close []string
	for _, l := range p.Plan.ByNumber() {
		if strings.HasSuffix(l.Name, "Close") || strings.HasSuffix(l.Name, "Close + Mid") {
			close = append(close, l.ID)
		}
	}
	_, err := a.Edit(ctx, p.ID, p.Revision, edits.AddReturn("Market Hall", close, plan.Send{Level: -14}))
	return err
}

// bringSong gives a project a song.
func bringSong(ctx context.Context, a *app.App, id int64, f *smf.File, name string) error {
	var song bytes.Buffer
	if err := smf.Encode(&song, f); err != nil {
		return err
	}
	p, err := a.Project(ctx, id)
	if err != nil {
		return err
	}
	_, err = a.ImportForProject(ctx, id, p.Revision, &song, name)
	return err
}

// accept takes the whole proposal for every instrument of a project.
func accept(ctx context.Context, a *app.App, id int64) (p *app.Project, err error) {
	p, err = a.Project(ctx, id)
	if err != nil {
		return nil, err
	}
	for _, pl := range p.Plan.Placed {
		if p, err = a.Accept(ctx, id, p.Revision, propose.Options{Placed: pl.ID},
			(*propose.Proposal).Everything); err != nil {
			return nil, err
		}
	}
	return p, nil
}
