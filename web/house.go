package web

import (
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// housePage is the house chart as one tree.
type housePage struct {
	Fields   []*house.Field
	Table    table
	Rows     []houseRow // those on the page
	Lists    []choices
	Edit     *rowForm
	Branches []branchLink
	Branch   string
	Kept     int // the last kept version, 0: none
	Changes  int // cells and orders by which it differs from that
	Next     int
	Tries    []tryOut
	Try      *tryOut
	Versions []app.ChartVersion
	Roles    []role.Role
	Customs  []house.Custom // instruments with an order or names of their own
}

func (p housePage) tables() []table { return []table{p.Table} }

type houseRow struct {
	Role     role.Role
	Place    int    // in the whole table, from 1, its head included
	Step     string // the last step of its path
	Depth    int
	Used     int // projects that have it
	Cells    []houseCell
	Colour   string
	Bus      string // the shade of its bus
	Divider  bool
	First    bool
	Last     bool
	Badge    string
	HasBelow bool
}

type houseCell struct {
	Field     *house.Field
	Text      string
	Inherited bool
}

type branchLink struct {
	Key, Name string
	Count     int
}

// tryOut is what keeping the chart would change in a project.
type tryOut struct {
	*app.Entry
	Says        string
	Differences []drift.Difference
}

const usedBranch = "used"

func (s *server) house(w http.ResponseWriter, r *http.Request) {
	s.showHouse(w, r, http.StatusOK, r.URL.Query(), said{})
}

func (s *server) showHouse(w http.ResponseWriter, r *http.Request, code int, q url.Values, sd said) {
	p, c, err := s.housePage(r, q)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, "house", frame{Title: "House chart", At: addressOf("/house", q), Section: "house", Flash: sd.flash,
		Refused: sd.refused,
		Data:    p, Document: chartDocument(c, addressOf("", q))})
}

func (s *server) housePage(r *http.Request, q url.Values) (p housePage, c *app.Chart, err error) {
	ctx := r.Context()
	if c, err = s.app.Chart(ctx); err != nil {
		return p, c, err
	}
	lib, err := s.app.Library(ctx)
	if err != nil {
		return p, c, err
	}
	naming, err := s.app.Naming(ctx)
	if err != nil {
		return p, c, err
	}
	kept, err := s.app.HouseVersion(ctx, 0)
	if err != nil {
		return p, c, err
	}
	if p.Versions, err = s.app.ChartVersions(ctx); err != nil {
		return p, c, err
	}
	used := lib.Used()
	p.Fields, p.Kept, p.Changes = house.Fields, kept.VersionNumber(), house.Changes(c.House, kept, naming)
	p.Next, p.Customs = 1, c.House.Instruments
	if len(p.Versions) > 0 {
		p.Next = p.Versions[0].Number + 1
	}
	for i := range p.Versions {
		for _, e := range lib.Entries {
			if e.Facts.Version == p.Versions[i].Number {
				p.Versions[i].Projects++
			}
		}
	}
	roles := c.House.Roles(slices.Collect(maps.Keys(used))...)
	p.Roles = roles
	p.branches(c.House, roles, used, q.Get("branch"))
	p.rows(c.House, roles, used, naming)
	p.table(q)
	lens := drift.NewLens(c.House)
	try, _ := strconv.ParseInt(q.Get("try"), 10, 64)
	for _, e := range lib.Entries {
		if e.State != "" || len(p.Tries) > 200 && e.ID != try {
			continue
		}
		t := tryOut{Entry: e}
		if p.Changes > 0 || e.ID == try {
			t.Differences = slices.DeleteFunc(lens.Compare(e.Facts), func(d drift.Difference) bool { return d.Exception != "" })
			t.Says = drift.InWords(t.Differences)
		}
		p.Tries = append(p.Tries, t)
		if e.ID == try {
			p.Try = &t
		}
	}
	return p, c, nil
}

// branches lists what can be looked at: the roles in use, and each root.
func (p *housePage) branches(c *house.Chart, roles []role.Role, used map[role.Role]int, want string) {
	shown := func(r role.Role) bool { return used[r] > 0 || filled(c, r) }
	count := map[string]int{}
	for _, r := range roles {
		count[string(r.Root())]++
		if shown(r) {
			count[usedBranch]++
		}
	}
	p.Branches = append(p.Branches, branchLink{usedBranch, "In use", count[usedBranch]})
	for _, r := range c.Below(role.Unnamed) {
		p.Branches = append(p.Branches, branchLink{string(r), c.Label(r), count[string(r)]})
	}
	p.Branch = usedBranch
	if count[usedBranch] == 0 {
		p.Branch = role.Roots()[0]
	}
	if count[want] > 0 {
		p.Branch = want
	}
}

// filled reports whether the chart itself says something of a role.
func filled(c *house.Chart, r role.Role) bool {
	_, ok := c.Entries[r]
	return ok
}

func (p *housePage) rows(c *house.Chart, roles []role.Role, used map[role.Role]int, naming midi.Naming) {
	want := map[role.Role]bool{}
	for _, r := range roles {
		if p.Branch == string(r.Root()) || p.Branch == usedBranch && (used[r] > 0 || filled(c, r)) {
			for ; r != role.Unnamed; r = r.Parent() {
				want[r] = true
			}
		}
	}
	shown := slices.DeleteFunc(slices.Clone(roles), func(r role.Role) bool { return !want[r] })
	for _, r := range shown {
		seg := r.Segments()
		row := houseRow{Role: r, Step: strings.ReplaceAll(seg[len(seg)-1], "-", " "), Depth: len(seg) - 1, Used: used[r],
			Colour: c.Colour(r), Bus: c.BusColour(r), Divider: c.Divides(r), Badge: c.Short(r), First: true, Last: true}
		for _, o := range shown {
			if o != r && o.Parent() == r.Parent() {
				if c.Compare(o, r) < 0 {
					row.First = false
				} else {
					row.Last = false
				}
			}
			row.HasBelow = row.HasBelow || o.Parent() == r
		}
		for _, f := range p.Fields {
			cell := houseCell{Field: f, Text: f.Own(c, r, naming)}
			if cell.Text == "" {
				cell.Text, cell.Inherited = f.Effective(c, r, naming), true
			}
			row.Cells = append(row.Cells, cell)
		}
		p.Rows = append(p.Rows, row)
	}
}

// table puts the rows of the window on the page that a query asks for.
func (p *housePage) table(q url.Values) {
	columns := []tableColumn{{Title: "Role"}, {Title: "Badge", Hidden: true}}
	lists := map[string][]string{"width": {"mono", "stereo", "5.1"}, "divider": {"yes", "no"},
		"wish": house.OwnOutputTexts}
	for _, f := range p.Fields {
		c := tableColumn{Key: f.Key, Title: f.Title}
		if list := lists[f.Key]; list != nil {
			c.List = "list-" + f.Key
			p.Lists = append(p.Lists, choices{c.List, list})
		}
		if f.Key == "colour" {
			c.Kind = "colour"
		}
		columns = append(columns, c)
	}
	roles := choices{ID: "list-roles"}
	for _, r := range p.Roles {
		roles.List = append(roles.List, string(r))
	}
	p.Lists = append(p.Lists, roles)
	t := newTable("/house", q, "house", "The house chart", columns...)
	t.Cells, t.Post, t.Class, t.Clears = "house", "/house", "house", true
	texts := func(r houseRow) (out []string) {
		for _, c := range r.Cells {
			out = append(out, c.Text)
		}
		return out
	}
	all := p.Rows
	p.Rows = show(&t, "/house", q, all, func(r houseRow) string { return string(r.Role) }, texts)
	for i := range p.Rows {
		p.Rows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "roles"
	p.Table = t
	if i := slices.Index(t.IDs, q.Get("edit-house")); i >= 0 {
		p.Edit = &rowForm{Table: "house", ID: t.IDs[i], Says: t.IDs[i]}
		for _, c := range all[i].Cells {
			text := c.Text
			if c.Inherited {
				text = ""
			}
			p.Edit.Cells = append(p.Edit.Cells, rowFormCell{c.Field.Key, c.Field.Title, "", text})
		}
	}
}

// editChart carries out one command on the house chart.
func (s *server) editChart(w http.ResponseWriter, r *http.Request) {
	base, spec, v, err := readCommand(w, r, command.Chart)
	text := ""
	if err == nil {
		text, err = s.app.Do(r.Context(), command.Target{Base: base}, spec, v)
	}
	q := chartQuery(r.PostForm)
	if err != nil {
		s.showHouse(w, r, s.status(r, err), q, refusedForm(r, err))
		return
	}
	if learned, ok := v.(command.TakeLearned); ok {
		s.showHouse(w, r, http.StatusOK, url.Values{}, wentWell("The chart has %s more. "+
			"Try it, then save it.", plural(learned.Count(), "line", "lines")))
		return
	}
	s.afterChart(w, r, q, text)
}

// chartQuery is what the chart's page showed when a form was sent from it.
func chartQuery(form url.Values) url.Values {
	q, err := url.ParseQuery(strings.TrimPrefix(form.Get("back"), "?"))
	if err != nil {
		return url.Values{}
	}
	return q
}

// afterChart shows the chart after a change, at an address of its own unless there is
// something to say.
func (s *server) afterChart(w http.ResponseWriter, r *http.Request, q url.Values, text string) {
	if text != "" {
		s.showHouse(w, r, http.StatusOK, q, wentWell("%s", text))
		return
	}
	if exchanges(r) { // the regions that differ, at once
		s.showHouse(w, r, http.StatusOK, q, said{})
		return
	}
	http.Redirect(w, r, addressOf("/house", q), http.StatusSeeOther)
}

// stepChart serves undo and redo of the house chart.
func (s *server) stepChart(dir app.Direction) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		base, err := readBase(w, r)
		if err == nil {
			err = s.app.StepChart(r.Context(), base, dir)
		}
		q := chartQuery(r.PostForm)
		if err != nil {
			s.showHouse(w, r, s.status(r, err), q, refusal(err))
			return
		}
		s.afterChart(w, r, q, "")
	}
}
