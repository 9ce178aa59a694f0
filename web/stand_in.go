package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/trace"
)

// standInPage is the stand-in host, to be worked by hand.
type standInPage struct {
	Profile     rig.Profile
	Sentences   []string
	Next        *runsheet.Step
	Left        int
	Instruments []standInInstrument
	Table       table
	Rows        []standInLane // those on the page
	Lists       []choices
	Blocks      []standInBlock
	Done        bool
}

func (p standInPage) tables() []table { return []table{p.Table} }

// standInLane is a lane of the stand-in host's mixer.
type standInLane struct {
	plan.Lane
	Place         int
	At            string // its number, as the host shows it
	Takes, Go     string
	Muted, Soloed bool
}

// standInBlock is a block of its lanes.
type standInBlock struct {
	Number  int
	Chained bool
}

type standInInstrument struct {
	*plan.Placed
	State   plan.InstrumentState
	Loaded  bool
	Setup   string
	Seen    string
	Waiting bool
	Heard   []heardFeed // those on the page
	Window  window
	Feeds   []rig.Feed
	Sources []rig.Feed // what can be set inside: by ID and name
	Columns []tables.Column
	Inside  []string // what is not as most come
}

// heardFeed is one feed played alone in the stand-in host.
type heardFeed struct {
	Feed    rig.Feed
	Route   string
	Arrives int
}

func (s *server) standInPage(_ *http.Request, p *project, q url.Values) (any, error) {
	state := p.Plan.WithOthers(p.Plan.StandIn)
	path := projectPath(p.ID, "practice")
	out := standInPage{Profile: p.Plan.Host.Behaviour()}
	out.Sentences = out.Profile.Sentences()
	steps := runsheet.From(p.Plan, state)
	out.Left, out.Done = len(steps), len(steps) == 0
	if len(steps) > 0 {
		out.Next = &steps[0]
	}
	graph := trace.Patched(p.Plan, state)
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		in, loaded := state.Instruments[pl.ID]
		var heard []heardFeed
		for _, f := range graph.Feeds {
			if f.Ref.Placed == pl.ID {
				text, arrives := graph.Heard(f)
				heard = append(heard, heardFeed{f.Feed, text, arrives})
			}
		}
		row := standInInstrument{Placed: pl, State: in, Loaded: loaded, Setup: rig.FormatRuns(rig.Runs(in.Setup)),
			Seen: rig.FormatRuns(rig.Runs(in.Seen)), Waiting: !slices.Equal(in.Setup, in.Seen), Feeds: pl.AllFeeds(),
			Window: windowOf(path, q, "from-"+pl.ID, len(heard), windowRows)}
		row.fillInside()
		row.Heard, row.Window.Many = heard[row.Window.From:row.Window.To], "feeds"
		out.Instruments = append(out.Instruments, row)
	}
	out.mixer(p.Plan, state, path, q, projectPath(p.ID, "edit"))
	return out, nil
}

// fillInside lists what can be set inside the instrument, and what is.
func (row *standInInstrument) fillInside() {
	now := row.Instrument.WithInside(row.State.Inside)
	sources := now.Sources()
	for _, x := range tables.InsideRows((&plan.Project{Placed: []plan.Placed{{ID: row.ID, Instrument: now}}})) {
		row.Sources = append(row.Sources, rig.Feed{ID: x.Ref.Feed, Name: x.Name})
		if text := now.InsideText(sources[x.Ref.Feed]); text != "" && row.Loaded {
			row.Inside = append(row.Inside, x.Name+": "+text)
		}
	}
	for _, c := range tables.Named("inside").Columns(nil) {
		if c.Key != "note" {
			row.Columns = append(row.Columns, c)
		}
	}
}

// mixer is the stand-in host's mixer as a table.
func (out *standInPage) mixer(p *plan.Project, state *plan.Patched, path string, q url.Values, post string) {
	mixer := *p // what is there now, with the outputs that the plan has
	mixer.Lanes = state.Lanes
	lanes := mixer.ByID()
	var rows []standInLane
	for _, l := range state.Lanes {
		row := standInLane{Lane: l, Takes: "lanes routed to it", Go: lanes.DestinationText(&l),
			At:    p.Host.LaneName(l.Number),
			Muted: state.Muted[l.ID], Soloed: state.Soloed[l.ID]}
		if b := p.Host.BlockOf(l.Number); b > 0 &&
			!slices.ContainsFunc(out.Blocks, func(x standInBlock) bool { return x.Number == b }) {
			out.Blocks = append(out.Blocks, standInBlock{b, state.IsChained(b)})
		}
		if l.Kind != plan.Bus {
			row.Takes = "nothing"
			var takes []string
			for _, src := range l.Sources {
				takes = append(takes, p.OutputText(src))
			}
			if len(takes) > 0 {
				row.Takes = strings.Join(takes, " and ")
			}
		}
		rows = append(rows, row)
	}
	slices.SortFunc(rows, func(a, b standInLane) int { return int(a.Number - b.Number) })
	t := newTable(path, q, "mixer", "Mixer of the stand-in host", tableColumn{Key: "number", Title: "Lane"},
		tableColumn{Key: "name", Title: "Name"}, tableColumn{Key: "takes", Title: "Takes", List: "list-outputs"},
		tableColumn{Key: "to", Title: "Routed to", List: "list-destinations"},
		tableColumn{Key: "inserts", Title: "Inserts", List: "list-inserts"},
		tableColumn{Title: "Mute and solo", Hidden: true},
		tableColumn{Title: "Remove", Hidden: true})
	slices.SortFunc(out.Blocks, func(a, b standInBlock) int { return a.Number - b.Number })
	t.Cells, t.Post = "stand-in", post
	out.Rows = show(&t, path, q, rows, func(r standInLane) string { return r.ID }, func(r standInLane) []string {
		return []string{fmt.Sprint(r.Number), r.Name, r.Takes, r.Go, rig.InsertsText(r.Inserts)}
	})
	for i := range out.Rows {
		out.Rows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "lanes"
	out.Table = t
	lists := laneLists(&mixer)
	for i := range lists[1].List {
		if i > 0 && i%2 == 0 {
			lists[1].List[i] = "" // what goes to two places is made by a break, not by hand
		}
	}
	lists[1].List = slices.DeleteFunc(lists[1].List, func(x string) bool { return x == "" })
	out.Lists = append(lists[:2], insertList(p))
}
