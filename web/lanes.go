package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
)

// lanesPage is the table of lanes and buses.
type lanesPage struct {
	Rows    []laneRow
	Buses   []*plan.Lane
	Outputs []outputChoice
	NextBus string
}

type laneRow struct {
	*plan.Lane
	Feeds    string
	Source   string
	Members  string
	Findings []check.Finding
	Divided  bool
}

type outputChoice struct{ Ref, Label string }

func (s *server) lanesPage(_ *http.Request, p *project, _ url.Values) (any, error) {
	out := lanesPage{Buses: p.Plan.Buses()}
	divided := p.Plan.Divided(p.Plan.LaneRoles())
	for _, l := range p.graph.Lanes() {
		row := laneRow{Lane: l, Divided: divided[l.ID]}
		var feeds, refs []string
		for _, s := range l.Sources {
			wanted, _ := p.graph.On(s)
			for _, f := range wanted {
				feeds = append(feeds, f.Name)
			}
			refs = append(refs, s.String())
		}
		if len(refs) == 1 {
			row.Source = refs[0]
		}
		row.Feeds = strings.Join(feeds, ", ")
		if l.Kind == plan.Bus {
			row.Members = p.graph.TakenBy(l.ID)
		}
		for _, f := range p.findings {
			if f.Lane() == l.ID {
				row.Findings = append(row.Findings, f)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		for _, o := range pl.Jacks() {
			label := fmt.Sprintf("%s · %s", o.Label(), pl.PortText(o))
			if len(p.Plan.Placed) > 1 {
				label = pl.Instrument.Name + " " + label
			}
			out.Outputs = append(out.Outputs, outputChoice{pl.Ref(o).String(), label})
		}
	}
	out.NextBus = "Group"
	if len(p.Plan.Placed) > 0 {
		out.NextBus = p.Plan.Placed[0].UsualBus()
	}
	if slices.ContainsFunc(out.Buses, func(b *plan.Lane) bool { return b.Name == out.NextBus }) {
		out.NextBus = ""
	}
	return out, nil
}
