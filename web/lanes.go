package web

import (
	"cmp"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/trace"
)

// lanesPage is the table of lanes and buses.
type lanesPage struct {
	Homes   []string // of instruments, in the host, that no lane of the plan is
	Table   table
	Rows    []laneRow // those on the page
	Any     bool      // the project has lanes
	Search  searchView
	Edit    *rowForm
	Lists   []choices
	Buses   []*plan.Lane
	NextBus string
	Advice  []insertAdvice
	Others  int // lanes that the plan did not make

	Families []family // that lanes can be selected by
	Colour   string   // that the selected lanes are offered
	Marks    []string // that a pattern of names may hold
	Patterns []string // of names, to choose from
}

// insertAdvice is one advice about inserts, with what following it is called.
type insertAdvice struct{ Key, Says, Act string }

func (l lanesPage) tables() []table { return []table{l.Table} }

type laneRow struct {
	*plan.Lane
	Place    int // in the whole table, from 1, its head included
	Takes    string
	Feeds    string
	To       string
	Sends    string
	Plain    []plainCell
	Problems []check.Problem
	Divided  bool
	Hidden   int    // lanes of a folded bus that are not listed
	Family   string // keys of the families that it can be selected by, in words
}

// Aside reports whether the lane stays out where all are selected: buses, and lanes that the plan did not
// make.
func (r laneRow) Aside() bool { return r.Kind == plan.Bus || r.IsOther() }

// laneColumns are those that a page draws in ways of their own, and behind them, plain, the others.
var laneColumns = slices.Concat([]tableColumn{
	{Title: "Select", Hidden: true},
	{Key: "number", Title: "Lane", Sort: true},
	{Key: "name", Title: "Name", Sort: true},
	{Key: "colour", Title: "Colour", Kind: "colour"},
	{Key: "takes", Title: "Takes", List: "list-outputs", Sort: true},
	{Title: "Feeds and problems"},
	{Key: "to", Title: "Routed to", List: "list-destinations", Sort: true},
	{Key: "sends", Title: "Sends", List: "list-sends"},
	{Key: "inserts", Title: "Inserts", List: "list-inserts"},
}, plainLanes, []tableColumn{{Title: "Remove", Hidden: true}})

// plainLanes are the cells of lanes behind the inserts, as the plan has them.
var plainLanes = func() (out []tableColumn) {
	behind := false
	for _, a := range plan.LaneAttributes {
		if c := a.Cell; c != nil && behind {
			out = append(out, tableColumn{Key: c.Key, Title: cmp.Or(a.Short, c.Title), List: a.Choices,
				Sort: laneOrders[c.Key] != nil, Number: c.Key == "gain"})
		}
		behind = behind || a.Name() == plan.AttrInserts
	}
	return out
}()

// laneOrders are what lanes are sorted by.
var laneOrders = map[string]func(a, b laneRow) int{
	"number": byNumber(func(r laneRow) plan.LaneNumber { return r.Number }),
	"name":   byText(func(r laneRow) string { return r.Name }),
	"takes":  byText(func(r laneRow) string { return r.Takes }),
	"to":     byText(func(r laneRow) string { return r.To }),
	"width":  byNumber(func(r laneRow) int { return int(r.Width) }),
	"pan":    byNumber(func(r laneRow) float64 { return r.Pan }),
	"gain":   byNumber(func(r laneRow) float64 { return float64(r.Gain) }),
}

// plainCell is a cell that shows its text.
type plainCell struct {
	tableColumn
	Text string
}

// laneRows are the lanes with what they carry and what is wrong with them.
func (out *lanesPage) laneRows(p *project) (rows []laneRow) {
	roles := p.Plan.LaneRoles()
	divided := p.Plan.Divided(roles)
	of := p.problemsByLane()
	for _, l := range p.Graph.Lanes() {
		row := laneRow{Lane: l, Divided: divided[l.ID], Problems: of[l.ID]}
		row.Family = strings.Join(out.familiesOf(p.Graph, l, roles[l.ID]), " ")
		var feeds []string
		for _, s := range l.Sources {
			wanted, _ := p.Graph.On(s)
			for _, f := range wanted {
				feeds = append(feeds, f.Name)
			}
			for _, f := range p.Plan.SecondExits(s) {
				feeds = append(feeds, f.Name+secondExit)
			}
		}
		row.Feeds = strings.Join(feeds, ", ")
		if l.Kind == plan.Bus {
			row.Feeds = p.Graph.TakenBy(l.ID)
		}
		rows = append(rows, row)
	}
	return rows
}

// strayHomes are the lanes in the host that instruments were loaded on and that the plan has nothing for,
// in words.
func (p *project) strayHomes() (out []string) {
	if p.Plan.Patched == nil {
		return nil
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		if home, planned := p.Plan.Patched.StrayHome(p.Plan, pl.ID); home != nil && planned == nil {
			out = append(out, fmt.Sprintf("Lane %[2]s is the home of %[1]s: it stays as long as the instrument",
				pl.Instrument.Name, p.Plan.Host.LaneName(home.Number)))
		}
	}
	return out
}

func (s *server) lanesPage(_ *http.Request, p *project, q url.Values) (any, error) {
	path := projectPath(p.ID, "lanes")
	out := lanesPage{Buses: p.Plan.Buses(), Search: searchOf(path, "Search lanes", q, "sort-lanes")}
	t := newTable(path, q, "lanes", "Lanes and buses", laneColumns...)
	t.Cells, t.Post = "lanes", projectPath(p.ID, "edit")
	rows := out.laneRows(p)
	out.Any, out.Others, out.Homes = len(rows) > 0, len(p.Plan.OtherLanes()), p.strayHomes()
	kept := tables.Named("lanes")
	textsOf := kept.Texts(p.Plan)
	texts := map[string][]string{}
	for i := range rows {
		cells := textsOf(rows[i].ID)
		texts[rows[i].ID] = cells
		rows[i].Takes, rows[i].To, rows[i].Sends = cells[3], cells[4], cells[5]
		for k, c := range plainLanes {
			rows[i].Plain = append(rows[i].Plain, plainCell{c, cells[len(cells)-len(plainLanes)+k]})
		}
	}
	rows = p.foldRows(rows, q.Get("find") != "")
	rows = searchIn(rows, q.Get("find"), laneColumns,
		func(r laneRow) string { return r.Feeds + " " + strings.Join(texts[r.ID], " ") },
		func(r laneRow) []string { return texts[r.ID] })
	sortRows(&t, rows, laneOrders)
	selectable(&t, rows, func(r laneRow) (string, bool) { return r.Family, r.Aside() })
	out.Rows = show(&t, path, q, rows, func(r laneRow) string { return r.ID },
		func(r laneRow) []string { return texts[r.ID] })
	for i := range out.Rows {
		out.Rows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "lanes"
	out.Table = t
	out.Lists = laneLists(p.Plan)
	out.Edit = rowFormOf(t, kept, q, p.Plan, func(id string) string {
		if l := p.Plan.Lane(id); l != nil {
			return fmt.Sprintf("lane %d %s", l.Number, l.Name)
		}
		return ""
	})
	out.NextBus = p.nextBus(out.Buses)
	out.Marks, out.Patterns = edits.NameMarks, []string{"{role}", "{feed}", "{instrument} {output}", "{role} {n}"}
	for _, r := range out.Rows {
		if out.Colour == "" || !r.IsOther() {
			out.Colour = r.Colour
		}
		if !r.IsOther() {
			break
		}
	}
	out.Advice = p.insertAdvice()
	return out, nil
}

// foldRows leaves lanes out whose bus is folded, unless they are searched for, and counts them with
// their bus.
func (p *project) foldRows(rows []laneRow, all bool) []laneRow {
	if all {
		return rows
	}
	hidden := map[string]int{}
	rows = slices.DeleteFunc(rows, func(r laneRow) bool {
		b := p.Graph.Lane(r.Lane.To)
		if b == nil {
			return false
		}
		if above := p.Graph.Lane(b.To); above != nil && above.Folded { // a subgroup goes with its bus
			b = above
		}
		if b.Folded {
			hidden[b.ID]++
		}
		return b.Folded
	})
	for i := range rows {
		rows[i].Hidden = hidden[rows[i].ID]
	}
	return rows
}

// familiesOf are the keys of what a lane can be selected by: its family and the root above it, the bus
// that it is routed to. Those met for the first time are listed.
func (l *lanesPage) familiesOf(g *trace.Graph, lane *plan.Lane, r role.Role) (keys []string) {
	if lane.Kind == plan.Regular {
		for _, at := range familiesOf(r) {
			keys = append(keys, string(at))
			l.Families = addFamily(l.Families, string(at), g.Project.Chart.Label(at))
		}
	}
	switch {
	case lane.IsOther():
		keys = append(keys, "others")
		l.Families = addFamily(l.Families, "others", "other lanes of the mixer")
	case lane.Kind == plan.Bus:
		keys = append(keys, "buses")
		l.Families = addFamily(l.Families, "buses", "buses")
	}
	if b := g.Lane(lane.To); b != nil {
		keys = append(keys, b.ID)
		l.Families = addFamily(l.Families, b.ID, "routed to "+b.Name)
	}
	return keys
}

// family is a branch of the role tree, a bus or an instrument that rows can be selected by.
type family struct{ Key, Name string }

// familiesOf are the branches that a role can be selected by: its root and its family.
func familiesOf(r role.Role) []role.Role {
	if r == role.Unnamed {
		return nil
	}
	return slices.Compact([]role.Role{r.Root(), r.Family()})
}

func addFamily(list []family, key, name string) []family {
	if f := (family{key, name}); !slices.Contains(list, f) {
		list = append(list, f)
	}
	return list
}

// nextBus is the name that a new bus is offered.
func (p *project) nextBus(buses []*plan.Lane) string {
	name := "Group"
	if len(p.Plan.Placed) > 0 {
		name = p.Plan.Placed[0].UsualBus()
	}
	if slices.ContainsFunc(buses, func(b *plan.Lane) bool { return b.Name == name }) {
		return ""
	}
	return name
}

func (p *project) problemsByLane() map[string][]check.Problem {
	out := map[string][]check.Problem{}
	for _, f := range p.Problems {
		if l := f.Lane(); l != "" {
			out[l] = append(out[l], f)
		}
	}
	return out
}

// choices is a list that the cells of a table are chosen from; the page has it once.
type choices struct {
	ID   string
	List []string
}

// laneLists are the outputs, the destinations and the sends that lanes are given.
func laneLists(p *plan.Project) []choices {
	outputs, to, sends := choices{ID: "list-outputs", List: []string{"nothing"}},
		choices{ID: "list-destinations", List: []string{"main mix"}}, choices{ID: "list-sends"}
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, o := range pl.Jacks() {
			outputs.List = append(outputs.List, p.OutputText(pl.Ref(o)))
		}
	}
	for _, b := range p.Buses() {
		to.List = append(to.List, b.Name, b.Name+" and main mix")
		sends.List = append(sends.List, b.Name+" −12 dB")
	}
	out := []choices{outputs, to, sends, insertList(p)}
	for _, id := range slices.Sorted(maps.Keys(plan.LaneChoices)) {
		out = append(out, choices{ID: id, List: plan.LaneChoices[id]})
	}
	return out
}

// insertList are inserts to choose: those of the project's lanes, then the kinds.
func insertList(p *plan.Project) choices {
	out := choices{ID: "list-inserts"}
	for _, l := range p.ByNumber() {
		for _, x := range l.Inserts {
			if text := x.String(); len(out.List) < windowColumns && !slices.Contains(out.List, text) {
				out.List = append(out.List, text)
			}
		}
	}
	for _, k := range rig.EffectKinds {
		if k != rig.OtherEffect && !slices.Contains(out.List, string(k)) {
			out.List = append(out.List, string(k))
		}
	}
	return out
}

// insertAdvice is what the page advises about inserts.
func (p *project) insertAdvice() (out []insertAdvice) {
	for _, a := range p.Plan.InsertAdvice() {
		act := "Move it to the bus"
		if a.Return {
			act = "Make it one return"
		}
		out = append(out, insertAdvice{a.Key(), p.Plan.Says(a), act})
	}
	return out
}

// rowForm is one row of a table as a form of its own, for those who work without the script
// or on a narrow screen.
type rowForm struct {
	Table string
	ID    string
	Says  string
	Cells []rowFormCell
}

type rowFormCell struct{ Key, Title, List, Text string }

// rowFormOf is the form of the row that a query names, or nil.
func rowFormOf(t table, of *tables.Table, q url.Values, p *plan.Project, says func(id string) string) *rowForm {
	id := q.Get("edit-" + t.ID)
	if !slices.Contains(t.IDs, id) {
		return nil
	}
	f := &rowForm{Table: of.Key, ID: id, Says: says(id)}
	texts := of.Texts(p)(id)
	for i, c := range of.Columns(p) {
		cell := rowFormCell{Key: c.Key, Title: c.Title, Text: texts[i]}
		for _, tc := range t.Columns {
			if tc.Key == c.Key {
				cell.List = tc.List
				f.Cells = append(f.Cells, cell)
			}
		}
	}
	return f
}

// secondExit stands behind a feed's name on the lane of the main output, by which it leaves beside
// its own.
const secondExit = " (also)"
