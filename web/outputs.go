package web

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/trace"
	"hiddenlanes/draw"
)

// outputsPage is the set-ups and the crosspoints: a grid of feeds and outputs for
// each instrument.
type outputsPage struct {
	Grids  []grid
	Links  []placedLink // to instruments that are not on the page
	Host   plan.Host
	Setups []app.KeptSetup
}

type grid struct {
	placedRow
	Cross    string // the name of its table of crosspoints
	Window   window
	Across   window // of the columns
	Post     string
	First    rig.Port
	Columns  []column
	Named    bool // one of them has a name
	Rows     []gridRow
	Ports    int
	Drawn    draw.Ports
	Missing  int
	WhyNot   string         // why none can be added
	Default  *app.KeptSetup // the user's default, where the instrument came with a set-up of its own
	Layouts  []rig.Layout
	Pairs    []rig.Output // stereo outputs, whose sides may be used apart
	Apart    []int        // outputs whose sides are
	Routed   bool         // the instrument's SFZ can be written as planned
	Version  string       // that is loaded; "": it comes in none
	ids      []string
	assigned [][]string // by row: where the feed goes
}

type column struct {
	rig.Output
	Ref    string
	Lanes  string
	Number string
	Host   string
	Clash  bool
	Named  string // what the instrument calls it
	Free   bool   // proposals leave it alone
}

type gridRow struct {
	trace.Feed
	Place   int // in the whole table, from 1, its heads included
	Cells   []cell
	Arrives string // the lane, by number and name
	Then    string // where it goes from there, or why it does not arrive
	Colour  string
}

// cell is one crosspoint. There are thousands of them: what it looks like is worked out here.
type cell struct {
	Output string
	Class  string
	On     bool
	Parked bool
	Says   string
}

// Value is what the button of a crosspoint sends.
func (r gridRow) Value(c cell) string { return r.Ref.String() + "|" + c.Output }

func (o outputsPage) tables() (out []table) {
	for _, g := range o.Grids {
		out = append(out, table{ID: g.Cross, IDs: g.ids, Texts: g.assigned,
			Columns: []tableColumn{{Key: "feed"}, {Key: "output"}, {Key: "lane"}}})
	}
	return out
}

// mostCrosspoints is how many crosspoints a page holds at most.
const mostCrosspoints = 2800

// mostPrinted is how many crosspoints are printed whole; of more the part that is shown is,
// and the patch sheet has all of them.
const mostPrinted = 30_000

func (s *server) outputsPage(r *http.Request, p *project, q url.Values) (any, error) {
	out := outputsPage{Host: p.Plan.Host}
	var err error
	if out.Setups, err = s.app.Setups(r.Context()); err != nil {
		return out, err
	}
	rows, crosspoints, whole := p.placedRows(), 0, 0
	for _, pr := range rows {
		crosspoints += pr.N * min(windowColumns, len(pr.Jacks()))
		whole += pr.N * len(pr.Jacks())
	}
	if whole > mostPrinted {
		q = maps.Clone(q)
		q.Del("print")
	}
	rows, out.Links = oneAtATime(projectPath(p.ID, "outputs"), q, rows, crosspoints <= mostCrosspoints)
	for _, pr := range rows {
		g := grid{placedRow: pr, First: 1, Cross: "grid-" + pr.ID, Post: projectPath(p.ID, "edit")}
		if len(pr.Outputs) > 0 {
			g.First = pr.Outputs[0].First
		}
		if err := s.setUp(r, p, &g); err != nil {
			return out, err
		}
		p.fillGrid(&g, q, mostCrosspoints/max(1, len(rows)))
		out.Grids = append(out.Grids, g)
	}
	return out, nil
}

// fillGrid puts the window of an instrument's crosspoints on the page that a query asks for,
// with at most so many of them.
func (p *project) fillGrid(g *grid, q url.Values, most int) {
	path := projectPath(p.ID, "outputs")
	jacks := g.Jacks()
	g.Across = windowOf(path, q, "columns-"+g.ID, len(jacks), windowColumns)
	g.Across.Many = "outputs"
	shown := jacks[g.Across.From:g.Across.To]
	names := g.Instrument.Traits.Names.For(g.Outputs)
	for _, o := range shown {
		ref := g.Ref(o)
		c := column{Output: o, Ref: ref.String(), Host: o.PortNames(g.Offset), Named: names[o.Number],
			Free: g.KeptFree(o.Number)}
		var numbers []string
		for _, l := range p.Graph.LanesOf(ref) {
			numbers = append(numbers, fmt.Sprint(l.Number))
			c.Clash = c.Clash || len(l.Sources) > 1
		}
		c.Lanes = strings.Join(numbers, ", ")
		if len(numbers) == 1 {
			c.Number = numbers[0]
		}
		g.Columns, g.Named = append(g.Columns, c), g.Named || c.Named != ""
	}
	var feeds []trace.Feed
	for _, f := range p.Graph.Feeds {
		if f.Ref.Placed == g.ID {
			feeds = append(feeds, f)
		}
	}
	size := max(10, min(windowRows, most/max(1, len(shown))))
	g.Window = windowOf(path, q, "from-"+g.Cross, len(feeds), size)
	g.Window.Many = "feeds"
	for i, f := range feeds {
		lane := ""
		if ls := p.Graph.LanesOf(f.OutputRef()); f.Exists && len(ls) > 0 {
			lane = fmt.Sprint(ls[0].Number)
		}
		g.ids = append(g.ids, f.Ref.String())
		_, where := tables.FeedTexts(f.Placed, f.Feed)
		g.assigned = append(g.assigned, []string{f.Name, where, lane})
		if i < g.Window.From || i >= g.Window.To {
			continue
		}
		row := gridRow{Feed: f, Place: i + 2}
		if ls := p.Graph.LanesOf(f.OutputRef()); len(ls) > 0 {
			row.Colour = ls[0].Colour
		}
		row.Arrives, row.Then, _ = p.Graph.Brief(f)
		for _, o := range shown {
			row.Cells = append(row.Cells, crosspoint(f, o, f.At.At() == g.Ref(o).Jack()))
		}
		g.Rows = append(g.Rows, row)
	}
}

// crosspoint is where a feed and an output meet.
func crosspoint(f trace.Feed, o rig.Output, here bool) cell {
	c := cell{Output: o.Label(), On: here && f.At.State == plan.Assigned, Parked: here && f.At.State == plan.Parked}
	c.Says = f.Name + ", output " + o.Label()
	c.Class = "x"
	if c.On {
		c.Class += " on"
	}
	if c.Parked {
		c.Class += " parked"
		c.Says += ", parked"
	}
	if f.Width.Ports() > o.Width.Ports() {
		c.Class += " misfit"
		c.Says += ", too narrow"
	}
	return c
}

// setUp adds how an instrument's outputs are set up and could be.
func (s *server) setUp(r *http.Request, p *project, g *grid) error {
	pl := g.Placed
	g.Ports = pl.Ports()
	if v, ok := pl.LoadedVersion(); ok {
		g.Version = v.Name
	}
	g.Drawn = draw.NewPorts(pl.Outputs, g.Ports, pl.Offset)
	if added, err := pl.Missing(p.Plan); err != nil {
		g.WhyNot = message(err)
	} else {
		g.Missing = len(added)
	}
	g.Apart = pl.Halved
	if ok, _ := p.Plan.CanPair(pl); ok {
		for _, o := range pl.Outputs {
			if o.Width == audio.Stereo && !slices.Contains(pl.Halved, o.Number) {
				g.Pairs = append(g.Pairs, o)
			}
		}
	}
	var err error
	if g.Layouts, err = s.app.Layouts(r.Context(), pl); err != nil {
		return err
	}
	if pl.OwnSetup {
		if g.Default, err = s.app.DefaultSetup(r.Context(), pl.Variant); err != nil {
			return err
		}
		if g.Default != nil && g.Default.Outputs == g.Runs {
			g.Default = nil
		}
	}
	g.Routed = s.app.WrittenAgain(r.Context(), pl)
	return nil
}
