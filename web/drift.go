package web

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
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
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// driftColumns is how many projects stand side by side.
const driftColumns = 10

// driftRows is how many roles stand below each other.
const driftRows = 40

// driftPage is the table of roles and projects.
type driftPage struct {
	Columns   []driftColumn
	Rows      []driftRow // those on the page
	Window    window
	House     *house.Chart
	Projects  int // at work
	Drifting  int
	Shown     int // that the filters leave
	Only      bool
	Family    string
	Families  []string
	Attribute drift.Attribute
	All       []drift.Attribute
	Text      string
	Page      int
	Prev      string
	Next      string
	Batch     *app.Batch
	Preview   []app.Alignment // what bringing into line would do
	Says      string
	One       *driftProject
	Query     template.URL // the filters
	View      template.URL // the filters and which projects stand side by side, to come back to
}

// Label is what a role is called, for a change that does not say it itself.
func (p driftPage) Label(r role.Role) string {
	if r == role.Unnamed {
		return "several roles'"
	}
	return p.House.Label(r)
}

type driftColumn struct {
	*app.Entry
	Short string
	Count int // of differences the filters leave
}

type driftRow struct {
	Role    role.Role
	Label   string
	Divider bool
	Bus     bool
	Colour  string
	Cells   []driftCell
}

// driftCell is one role in one project.
type driftCell struct {
	Here        bool // the project has it
	Numbers     string
	Colour      string
	Differences []drift.Difference
	Project     int64
}

// Open counts the differences that are not meant.
func (c driftCell) Open() int { return drift.Figure(c.Differences) }

// Shown are the differences that the cell has room for, and More how many others there are.
func (c driftCell) Shown() []drift.Difference {
	return c.Differences[:min(len(c.Differences), mostInCell)]
}
func (c driftCell) More() int { return len(c.Differences) - len(c.Shown()) }

// mostInCell is how many differences one cell shows.
const mostInCell = 3

// BadgeW is the width of the badge with its lanes' numbers, in CSS pixels.
func (c driftCell) BadgeW() int { return max(34, 14+7*min(len([]rune(c.Numbers)), 9)) }

// BadgeMid is the middle of the badge.
func (c driftCell) BadgeMid() int { return c.BadgeW() / 2 }

// driftProject is one project with all of its differences, to be looked at and settled.
type driftProject struct {
	*app.Entry
	Window window
	Groups []driftGroup // those on the page
}

func (p *driftProject) count() (n int) {
	for _, g := range p.Groups {
		n += len(g.Differences)
	}
	return n
}

// keep leaves the differences from one to another, counted through all roles.
func (p *driftProject) keep(from, to int) {
	var out []driftGroup
	at := 0
	for _, g := range p.Groups {
		a, b := max(0, from-at), min(len(g.Differences), to-at)
		at += len(g.Differences)
		if a < b {
			out = append(out, driftGroup{g.Role, g.Differences[a:b]})
		}
	}
	p.Groups = out
}

type driftGroup struct {
	Role        role.Role
	Differences []drift.Difference
}

func (s *server) drift(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("preview") == "selected" && !q.Has("on") {
		q.Del("preview")
		s.showDrift(w, r, http.StatusUnprocessableEntity, q,
			refusal(errors.New("no project is selected. Select projects at the head of their columns")))
		return
	}
	s.showDrift(w, r, http.StatusOK, q, said{})
}

func (s *server) showDrift(w http.ResponseWriter, r *http.Request, code int, q url.Values, sd said) {
	p, err := s.driftPage(r, q)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, "drift", frame{Title: "Drift", At: addressOf("/drift", q), Section: "drift",
		Flash: sd.flash, Data: p})
}

func (s *server) driftPage(r *http.Request, q url.Values) (p driftPage, err error) {
	lib, err := s.app.Library(r.Context())
	if err != nil {
		return p, err
	}
	if p.Batch, err = s.app.LastBatch(r.Context()); err != nil {
		return p, err
	}
	p.House, p.All, p.Family, p.Text = lib.House, drift.Attributes, q.Get("family"), q.Get("find")
	p.Only = q.Get("all") == ""
	if p.Attribute, err = drift.ParseAttribute(q.Get("attribute")); err != nil {
		p.Attribute = ""
	}
	p.Query = asQuery(keepQuery(q, "family", "attribute", "find", "all"))
	p.View = asQuery(keepQuery(q, "family", "attribute", "find", "all", "page"))
	p.countProjects(lib)
	p.turnTo(p.columnsOf(lib), q.Get("page"))
	p.rows(lib.House)
	p.Window = windowOf("/drift", q, "from", len(p.Rows), driftRows)
	p.Window.Many = "roles"
	p.Rows = p.Rows[p.Window.From:p.Window.To]
	p.chooseOne(lib, q.Get("project"))
	if one := p.One; one != nil {
		one.Window = windowOf("/drift", q, "from-one", one.count(), windowRows)
		one.Window.Many = "differences"
		one.keep(one.Window.From, one.Window.To)
	}
	if !q.Has("preview") {
		return p, nil
	}
	return p, p.preview(lib, q)
}

// countProjects counts all projects, and lists the families that there are.
func (p *driftPage) countProjects(lib *app.Library) {
	families := map[role.Role]bool{}
	for _, e := range lib.Find(app.Query{}) {
		p.Projects++
		if e.Drift > 0 {
			p.Drifting++
		}
		for r := range e.Facts.Roles() {
			families[r.Root()], families[r.Family()] = true, true
		}
	}
	delete(families, role.Unnamed)
	for _, r := range slices.SortedFunc(maps.Keys(families), lib.House.Compare) {
		p.Families = append(p.Families, string(r))
	}
}

// columnsOf lists the projects that the filters leave, those that drift most first.
func (p *driftPage) columnsOf(lib *app.Library) (columns []driftColumn) {
	for _, e := range lib.Find(app.Query{Text: p.Text}) {
		c := driftColumn{Entry: e, Short: short(26, e.Name)}
		for _, d := range e.Differences {
			if p.passes(d) && d.Exception == "" {
				c.Count++
			}
		}
		if !p.Only || c.Count > 0 {
			columns = append(columns, c)
		}
	}
	slices.SortStableFunc(columns, func(a, b driftColumn) int { return b.Count - a.Count })
	return columns
}

// turnTo shows one page of the columns.
func (p *driftPage) turnTo(columns []driftColumn, page string) {
	p.Shown = len(columns)
	p.Page, _ = strconv.Atoi(page)
	p.Page = min(max(p.Page, 0), max(0, (p.Shown-1)/driftColumns))
	link := func(n int) string { return fmt.Sprintf("/drift?%s&page=%d", p.Query, n) }
	if p.Page > 0 {
		p.Prev = link(p.Page - 1)
	}
	if (p.Page+1)*driftColumns < p.Shown {
		p.Next = link(p.Page + 1)
	}
	p.Columns = columns[p.Page*driftColumns : min(p.Shown, (p.Page+1)*driftColumns)]
}

// chooseOne shows one project in full: the one asked for, or the one that drifts most.
func (p *driftPage) chooseOne(lib *app.Library, asked string) {
	if id, err := strconv.ParseInt(asked, 10, 64); err == nil {
		if e := lib.Entry(id); e != nil {
			p.One = oneProject(e, lib.House)
		}
	}
	if p.One == nil && len(p.Columns) > 0 && p.Columns[0].Drift > 0 {
		p.One = oneProject(p.Columns[0].Entry, lib.House)
	}
}

// preview shows what bringing into line would do.
func (p *driftPage) preview(lib *app.Library, q url.Values) error {
	wanted, err := wantedFrom(q)
	if err != nil {
		return err
	}
	if len(wanted.Projects) == 0 && p.Text != "" {
		for _, e := range lib.Find(app.Query{Text: p.Text}) {
			wanted.Projects = append(wanted.Projects, e.ID)
		}
	}
	p.Preview = lib.Preview(wanted)
	var all []drift.Difference
	for _, a := range p.Preview {
		all = append(all, a.Chosen...)
	}
	p.Says = drift.InWords(all)
	return nil
}

// wantedFrom reads which differences are to be brought into line.
func wantedFrom(f url.Values) (w app.Wanted, err error) {
	w.Role = role.Role(f.Get("family"))
	if w.Attribute, err = drift.ParseAttribute(f.Get("attribute")); err != nil {
		return w, err
	}
	for _, on := range f["on"] {
		id, key, previewed := strings.Cut(on, ":")
		n, err := strconv.ParseInt(id, 10, 64)
		if err != nil {
			return w, errors.New("a project is named by its number")
		}
		w.Projects = append(w.Projects, n)
		if previewed {
			if w.Shown == nil {
				w.Shown = map[int64]string{}
			}
			w.Shown[n] = key
		}
	}
	return w, nil
}

// passes reports whether the filters leave a difference.
func (p *driftPage) passes(d drift.Difference) bool {
	return app.Wanted{Role: role.Role(p.Family), Attribute: p.Attribute}.Chooses(d)
}

type rowKey struct {
	role role.Role
	bus  bool
}

// foundRow is what the projects shown have of a role, and how many of its differences are open.
type foundRow struct {
	cells []driftCell
	open  int
}

// foundRows are the lanes and the differences of the projects shown, by role.
func (p *driftPage) foundRows() map[rowKey]*foundRow {
	rows := map[rowKey]*foundRow{}
	at := func(k rowKey) *foundRow {
		if rows[k] == nil {
			rows[k] = &foundRow{cells: make([]driftCell, len(p.Columns))}
		}
		return rows[k]
	}
	for i, col := range p.Columns {
		numbers := map[rowKey][]plan.LaneNumber{}
		for _, l := range col.Facts.Lanes {
			if !l.Role.Under(role.Role(p.Family)) || l.Role == role.Unnamed && len(l.Parts) == 0 {
				continue
			}
			k := rowKey{l.Role, l.IsBus}
			cell := &at(k).cells[i]
			numbers[k] = append(numbers[k], l.Number)
			cell.Here, cell.Numbers, cell.Project = true, plan.RangesOf(numbers[k]...).String(), col.ID
			cell.Colour = cmp.Or(cell.Colour, l.Colour)
		}
		for _, d := range col.Differences {
			if !p.passes(d) {
				continue
			}
			row := at(rowKey{d.Role, d.Bus})
			cell := &row.cells[i]
			cell.Here, cell.Project = true, col.ID
			cell.Differences = append(cell.Differences, d)
			if d.Exception == "" {
				row.open++
			}
		}
	}
	return rows
}

// rows fills the table: what each project shown has of each role.
func (p *driftPage) rows(c *house.Chart) {
	rows := p.foundRows()
	var keys []rowKey
	for k, row := range rows {
		if !p.Only || row.open > 0 {
			keys = append(keys, k)
		}
	}
	slices.SortFunc(keys, func(a, b rowKey) int {
		if a.role == b.role {
			if a.bus {
				return 1
			}
			return -1
		}
		return c.Compare(a.role, b.role)
	})
	last := role.Unnamed
	for i, k := range keys {
		row := driftRow{Role: k.role, Label: c.Label(k.role), Bus: k.bus, Colour: c.Colour(k.role), Cells: rows[k].cells}
		if k.bus {
			row.Label, row.Colour = row.Label+" bus", c.BusColour(k.role)
		}
		if _, ok := c.DividerBetween(last, k.role); ok && i > 0 {
			row.Divider = true
		}
		last = k.role
		p.Rows = append(p.Rows, row)
	}
}

func oneProject(e *app.Entry, c *house.Chart) *driftProject {
	out := &driftProject{Entry: e}
	for _, d := range e.Differences {
		i := slices.IndexFunc(out.Groups, func(g driftGroup) bool { return g.Role == d.Role })
		if i < 0 {
			out.Groups = append(out.Groups, driftGroup{Role: d.Role})
			i = len(out.Groups) - 1
		}
		out.Groups[i].Differences = append(out.Groups[i].Differences, d)
	}
	slices.SortFunc(out.Groups, func(a, b driftGroup) int { return c.Compare(a.Role, b.Role) })
	return out
}

// align brings what was previewed into line.
func (s *server) align(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	var wanted app.Wanted
	if err == nil {
		wanted, err = wantedFrom(r.PostForm)
	}
	q := listView(r.PostForm)
	if err == nil && len(wanted.Projects) == 0 {
		err = errors.New("no project is selected; select some first")
	}
	var done app.Many
	if err == nil {
		done, err = s.app.Align(r.Context(), wanted)
	}
	var other *app.PreviewedError
	if errors.As(err, &other) {
		q.Set("preview", "selected")
		q["on"] = r.PostForm["on"]
	}
	if err != nil {
		s.showDrift(w, r, s.status(r, err), q, refusal(err))
		return
	}
	also := ""
	if len(done.Left) > 0 {
		also = " Damaged, and left as they are: " + words.Few(done.Left) + "."
	}
	s.showDrift(w, r, http.StatusOK, q, wentWell("%s brought into line. Where something stood in the host, the run sheet "+
		"has the steps.%s", plural(done.Changed, "project is", "projects are"), also))
}

// stepBatch takes a change over several projects back, or brings it again.
func (s *server) stepBatch(dir app.Direction) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		err := readForm(w, r)
		q := listView(r.PostForm)
		var n int
		var left []string
		if err == nil {
			n, left, err = s.app.StepBatch(r.Context(), idOf(r), dir)
		}
		if err != nil {
			s.showDrift(w, r, s.status(r, err), q, refusal(err))
			return
		}
		verb := "taken back"
		if dir == app.Forward {
			verb = "brought again"
		}
		sd := wentWell("The change is %s in %s.", verb, plural(n, "project", "projects"))
		if len(left) > 0 {
			sd.flash.Text += fmt.Sprintf(" Left as they are, for they were changed since: %s.", words.Few(left))
		}
		s.showDrift(w, r, http.StatusOK, q, sd)
	}
}

// editFromDrift carries out a command on the project that the page shows.
func (s *server) editFromDrift(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	if err == nil {
		err = s.editListed(r)
	}
	q := listView(r.PostForm)
	q.Set("project", r.PostForm.Get("project"))
	if err != nil {
		s.showDrift(w, r, s.status(r, err), q, refusedForm(r, err))
		return
	}
	http.Redirect(w, r, addressOf("/drift", q)+"#one", http.StatusSeeOther)
}

// editListed carries out a command on a project of a list, as it stands now: beside the
// command, the form names the project and what the list shows.
func (s *server) editListed(r *http.Request) error {
	form := maps.Clone(r.PostForm)
	id, err := strconv.ParseInt(form.Get("project"), 10, 64)
	if err != nil {
		return errors.New("a project is named by its number")
	}
	form.Del("project")
	form.Del("view")
	spec, v, err := command.Read(command.Project, form)
	if err != nil {
		return err
	}
	p, err := s.app.Project(r.Context(), id)
	if err != nil {
		return err
	}
	_, err = s.app.Do(r.Context(), command.Target{ID: id, Base: p.Revision}, spec, v)
	return err
}
