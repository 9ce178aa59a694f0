package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/draw"
)

// outputsPage is the set-ups and the crosspoints: a grid of feeds and outputs for
// each instrument.
type outputsPage struct {
	Grids  []grid
	Host   plan.Host
	Setups []app.KeptSetup
}

type grid struct {
	placedRow
	First   rig.Port
	Columns []column
	Rows    []gridRow
	Ports   int
	Drawn   draw.Ports
	Missing int
	WhyNot  string         // why none can be added
	Default *app.KeptSetup // the user's default, where the instrument came with a set-up of its own
	Layouts []rig.Layout
	Pairs   []rig.Output // stereo outputs, whose sides may be used apart
	Apart   []int        // outputs whose sides are
	Routed  bool         // the instrument's SFZ can be written as planned
}

type column struct {
	rig.Output
	Ref    string
	Lanes  string
	Number string
	Host   string
	Clash  bool
}

type gridRow struct {
	trace.Feed
	Cells   []cell
	Colour  string
	Arrives string // the lane, by number and name
	Then    string // where it goes from there, or why it does not arrive
}

type cell struct {
	Output  string
	On      bool
	Parked  bool
	Misfit  bool // the output is narrower than the feed
	Labeled string
}

func (s *server) outputsPage(r *http.Request, p *project, _ url.Values) (any, error) {
	out := outputsPage{Host: p.Plan.Host}
	var err error
	if out.Setups, err = s.app.Setups(r.Context()); err != nil {
		return out, err
	}
	for _, pr := range p.placedRows() {
		g := grid{placedRow: pr, First: 1}
		if len(pr.Outputs) > 0 {
			g.First = pr.Outputs[0].First
		}
		if err := s.setUp(r, p, &g); err != nil {
			return out, err
		}
		colours := map[plan.Jack]string{}
		for _, o := range pr.Jacks() {
			ref := pr.Ref(o)
			c := column{Output: o, Ref: ref.String(), Host: o.PortNames(pr.Offset)}
			var numbers []string
			for _, l := range p.graph.LanesOf(ref) {
				numbers = append(numbers, fmt.Sprint(l.Number))
				colours[ref.Jack()] = l.Colour
				c.Clash = c.Clash || len(l.Sources) > 1
			}
			c.Lanes = strings.Join(numbers, ", ")
			if len(numbers) == 1 {
				c.Number = numbers[0]
			}
			g.Columns = append(g.Columns, c)
		}
		for _, f := range p.graph.Feeds {
			if f.Ref.Placed != pr.ID {
				continue
			}
			row := gridRow{Feed: f, Colour: colours[f.At.At()]}
			row.Arrives, row.Then, _ = p.graph.Brief(f)
			for _, o := range pr.Jacks() {
				on := f.At.At() == pr.Ref(o).Jack() && f.At.State != plan.Undecided && f.At.State != plan.Off
				row.Cells = append(row.Cells, cell{Output: o.Label(), On: on && f.At.State == plan.Assigned, Parked: on &&
					f.At.State == plan.Parked,
					Misfit: f.Width.Ports() > o.Width.Ports(), Labeled: fmt.Sprintf("%s to output %s, %s", f.Name, o.Label(),
						pr.PortText(o))})
			}
			g.Rows = append(g.Rows, row)
		}
		out.Grids = append(out.Grids, g)
	}
	return out, nil
}

// setUp adds how an instrument's outputs are set up and could be.
func (s *server) setUp(r *http.Request, p *project, g *grid) error {
	pl := g.Placed
	g.Ports = pl.Ports()
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
