package web

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/store"
)

// housePage is the house chart as one tree.
type housePage struct {
	Fields   []*house.Field
	Rows     []houseRow
	Branches []branchLink
	Branch   string
	Kept     int // the last kept version, 0: none
	Changes  int // cells and orders by which it differs from that
	Next     int
	Tries    []tryOut
	Try      *tryOut
	Versions []store.ChartVersion
	Roles    []role.Role
}

type houseRow struct {
	Role     role.Role
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
	s.showHouse(w, r, http.StatusOK, r.URL.Query(), nil)
}

func (s *server) showHouse(w http.ResponseWriter, r *http.Request, code int, q url.Values, fl *flash) {
	p, c, err := s.housePage(r, q)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	back := ""
	if e := q.Encode(); e != "" {
		back = "?" + e
	}
	s.page(w, r, code, "house", frame{Title: "House chart", Section: "house", Flash: fl, Data: p, Walk: &walk{c.State, "/house", back}})
}

func (s *server) housePage(r *http.Request, q url.Values) (p housePage, c *store.Chart, err error) {
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
	p.Next = 1
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
		p.Branch = "kit"
	}
	if count[want] > 0 {
		p.Branch = want
	}
}

// filled tells whether the chart itself says something of a role.
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
		row := houseRow{Role: r, Step: strings.ReplaceAll(seg[len(seg)-1], "-", " "), Depth: len(seg) - 1, Used: used[r], Colour: c.Colour(r), Bus: c.BusColour(r), Divider: c.Divides(r), Badge: c.Short(r), First: true, Last: true}
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

func (s *server) editHouse(w http.ResponseWriter, r *http.Request) {
	base, err := readBase(w, r)
	q, errQ := url.ParseQuery(strings.TrimPrefix(r.PostForm.Get("back"), "?"))
	if errQ != nil {
		q = url.Values{}
	}
	var fl *flash
	if err == nil {
		fl, err = s.changeHouse(r, base, r.PostForm)
	}
	if err != nil {
		s.showHouse(w, r, status(err), q, &flash{Bad: true, Text: message(err)})
		return
	}
	s.afterHouse(w, r, q, fl)
}

// afterHouse shows the chart after a change, at an address of its own unless there is
// something to say.
func (s *server) afterHouse(w http.ResponseWriter, r *http.Request, q url.Values, fl *flash) {
	if fl != nil {
		s.showHouse(w, r, http.StatusOK, q, fl)
		return
	}
	to := "/house"
	if e := q.Encode(); e != "" {
		to += "?" + e
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// changeHouse carries out what a form of the chart's page asks for.
func (s *server) changeHouse(r *http.Request, base int64, f url.Values) (*flash, error) {
	ctx := r.Context()
	naming, err := s.app.Naming(ctx)
	if err != nil {
		return nil, err
	}
	order := func(change func(shown ...role.Role) house.Edit) error {
		lib, err := s.app.Library(ctx)
		if err != nil {
			return err
		}
		return s.app.EditChart(ctx, base, change(slices.Collect(maps.Keys(lib.Used()))...))
	}
	switch f.Get("do") {
	case "cells":
		rows, columns, values := f["row"], f["col"], f["value"]
		if len(rows) != len(columns) || len(rows) != len(values) {
			return nil, errors.New("the cells came incomplete; try again")
		}
		var cells []house.Cell
		for i := range rows {
			cells = append(cells, house.Cell{Role: role.Role(rows[i]), Field: columns[i], Text: values[i]})
		}
		return nil, s.app.EditChart(ctx, base, house.SetCells(cells, naming))
	case "add":
		r, err := role.Parse(strings.ToLower(strings.TrimSpace(f.Get("role"))))
		if err != nil {
			return nil, err
		}
		c, err := s.app.Chart(ctx)
		if err != nil {
			return nil, err
		}
		return &flash{Text: fmt.Sprintf("%s is in the chart.", r)}, s.app.EditChart(ctx, base, house.SetCells([]house.Cell{{Role: r, Field: "name", Text: c.House.Label(r)}}, naming))
	case "step":
		at, by, ok := strings.Cut(f.Get("step"), "|")
		if !ok || at == "" {
			return nil, errors.New("choose the role to move")
		}
		n := 1
		if by == "-1" {
			n = -1
		}
		return nil, order(func(shown ...role.Role) house.Edit { return house.Step(role.Role(at), n, shown...) })
	case "move":
		at, before := role.Role(f.Get("role")), role.Role(f.Get("before"))
		parent := at.Parent()
		if before != role.Unnamed && before.Under(parent) && before != parent {
			before = before.Toward(parent) // dropped onto something within a neighbour
		}
		return nil, order(func(shown ...role.Role) house.Edit { return house.Move(at, before, shown...) })
	case "keep":
		n, err := s.app.KeepChart(ctx, base, f.Get("note"))
		if err != nil {
			return nil, err
		}
		return &flash{Text: fmt.Sprintf("Version %d is kept. Projects are compared with it from now on; bring into line those that should follow.", n)}, nil
	case "restore":
		n, err := strconv.Atoi(f.Get("version"))
		if err != nil {
			return nil, errors.New("choose a version")
		}
		old, err := s.app.HouseVersion(ctx, n)
		if err != nil {
			return nil, err
		}
		return &flash{Text: fmt.Sprintf("The chart says again what version %d said. Keep it, or go on from there.", n)}, s.app.EditChart(ctx, base, func(c *house.Chart) (string, error) {
			at := c.Version
			*c = *old
			c.Version = at
			return fmt.Sprintf("go back to version %d", n), nil
		})
	}
	return nil, errors.New("that is nothing the house chart can do")
}

func (s *server) walkHouse(forward bool) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		base, err := readBase(w, r)
		if err == nil {
			err = s.app.WalkChart(r.Context(), base, forward)
		}
		q, _ := url.ParseQuery(strings.TrimPrefix(r.PostForm.Get("back"), "?"))
		if err != nil {
			s.showHouse(w, r, status(err), q, &flash{Bad: true, Text: message(err)})
			return
		}
		s.afterHouse(w, r, q, nil)
	}
}

// learnPage shows what projects do already, to be taken line by line.
type learnPage struct {
	*drift.Learned
	Chart *house.Chart
	Files []string
	New   int // lines that the chart does not say yet
	Last  int
}

// Bar is the length of a bar of 60 that shows how many agree.
func (learnPage) Bar(agree, of int) int { return 60 * agree / max(of, 1) }

func (s *server) learn(w http.ResponseWriter, r *http.Request) {
	last, err := readNumber(r.URL.Query().Get("last"), 20, 0, "the number of projects")
	if err != nil {
		last = 20
	}
	s.showLearned(w, r, http.StatusOK, last, nil, nil, nil)
}

// learnFrom takes session files beside the projects. They are looked at, and not kept.
func (s *server) learnFrom(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxInstrument)
	var facts []*drift.Facts
	var names, failed []string
	last := 20
	m, err := r.MultipartReader()
	if err != nil {
		s.showLearned(w, r, http.StatusUnprocessableEntity, last, nil, nil, []string{"No file came along; choose one first."})
		return
	}
	code := http.StatusOK
	for {
		part, err := nextPart(m)
		if err != nil {
			code, failed = status(err), append(failed, message(err))
		}
		if part == nil {
			break
		}
		if part.FileName() == "" {
			if part.FormName() == "last" {
				b, _ := io.ReadAll(io.LimitReader(part, 16)) // cut short, nextPart says so
				if v, err := readNumber(string(b), 20, 0, "the number of projects"); err == nil {
					last = v
				}
			}
			continue
		}
		f, err := app.ReadFacts(part, part.FileName())
		if err != nil {
			failed = append(failed, part.FileName()+": "+message(err))
			continue
		}
		facts, names = append(facts, f), append(names, part.FileName())
	}
	s.showLearned(w, r, code, last, facts, names, failed)
}

func (s *server) showLearned(w http.ResponseWriter, r *http.Request, code, last int, facts []*drift.Facts, names, failed []string) {
	l, err := s.app.Learn(r.Context(), last, facts)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	c, err := s.app.Chart(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := learnPage{Learned: l, Chart: c.House, Files: names, Last: last}
	for _, x := range l.Lines {
		if !x.Same() {
			p.New++
		}
	}
	for _, o := range l.Orders {
		if !o.Same {
			p.New++
		}
	}
	var fl *flash
	if len(failed) > 0 {
		fl = &flash{Bad: true, Text: strings.Join(failed, " ")}
	}
	s.page(w, r, code, "learn", frame{Title: "What your projects do", Section: "house", Flash: fl, Data: p, Walk: &walk{c.State, "/house", ""}})
}

// acceptLearned takes the marked lines. They carry their values, for the files they were
// learned from are not kept.
func (s *server) acceptLearned(w http.ResponseWriter, r *http.Request) {
	base, err := readBase(w, r)
	var taken int
	if err == nil {
		taken, err = s.takeLearned(r, base, r.PostForm)
	}
	if err != nil {
		s.showHouse(w, r, status(err), url.Values{}, &flash{Bad: true, Text: message(err)})
		return
	}
	s.showHouse(w, r, http.StatusOK, url.Values{}, &flash{Text: fmt.Sprintf("The chart has taken %s of what your projects do. Try it out, then keep it.", plural(taken, "line", "lines"))})
}

func (s *server) takeLearned(r *http.Request, base int64, f url.Values) (int, error) {
	naming, err := s.app.Naming(r.Context())
	if err != nil {
		return 0, err
	}
	l := &drift.Learned{}
	keys := map[string]bool{}
	for _, line := range f["line"] {
		field, rest, _ := strings.Cut(line, ":")
		if field == "order" {
			parent, list, _ := strings.Cut(rest, "=")
			o := drift.Order{Parent: role.Role(parent)}
			for x := range strings.SplitSeq(list, " ") {
				o.Roles = append(o.Roles, role.Role(x))
			}
			l.Orders, keys[o.Key()] = append(l.Orders, o), true
			continue
		}
		r, value, _ := strings.Cut(rest, "=")
		x := drift.Line{Role: role.Role(r), Field: field, Value: value}
		l.Lines, keys[x.Key()] = append(l.Lines, x), true
	}
	return len(keys), s.app.EditChart(r.Context(), base, l.Accept(keys, naming))
}
