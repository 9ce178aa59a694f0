package web

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/draw"
)

// instrumentPage is an instrument as tables to be edited.
type instrumentPage struct {
	*app.Instrument
	Feeds   []rig.Feed
	Setup   draw.Ports
	Runs    string
	Memory  float64
	Tables  []tableView
	Layouts []layoutRow
	Compare *comparison
	Roles   []role.Role
	Bleeds  []bleedChoice
}

// tables are those of the page that can be asked for whole.
func (p instrumentPage) tables() (out []table) {
	for _, v := range p.Tables {
		out = append(out, v.Shown)
	}
	return out
}

// tableView is one table of an instrument, ready to be shown.
type tableView struct {
	*rig.Table
	Columns []rig.Column
	Rows    []tableRow // those on the page
	Shown   table
	Lists   []choices
	Edit    *rowForm
}

type tableRow struct {
	ID    string
	Place int    // in the whole table, from 1, its head included
	Head  string // what the row is about, where that is no column
	Cells []string
	Sure  string // how sure the role is, where that is worth saying
}

type layoutRow struct {
	rig.Layout
	Runs string
	Used int // outputs that carry something
}

// comparison puts two layouts side by side.
type comparison struct {
	A, B    string
	Rows    []comparedRow
	Differs int
}

type comparedRow struct {
	rig.Feed
	A, B    string
	Differs bool
}

// Spreads reports whether the instrument spreads its feeds so in one action.
func (p instrumentPage) Spreads(kind string) bool {
	return slices.Contains(p.Rig.Traits.Spreads, rig.Spread(kind))
}

// StepKinds lists the kinds of steps that can be noted.
func (p instrumentPage) StepKinds() any { return rig.StepKinds }

func (s *server) instrument(w http.ResponseWriter, r *http.Request) {
	in, err := s.app.Instrument(r.Context(), idOf(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.showInstrument(w, r, http.StatusOK, in, r.URL.Query(), said{})
}

func (s *server) showInstrument(w http.ResponseWriter, r *http.Request, code int, in *app.Instrument,
	q url.Values, sd said) {
	naming, err := s.app.Naming(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := instrumentPage{Instrument: in, Feeds: in.Rig.Feeds(), Runs: rig.FormatRuns(in.Rig.Delivered),
		Memory: in.Rig.Memory(nil), Roles: role.All(), Bleeds: bleedChoices(&in.Rig)}
	p.Setup = draw.NewPorts(rig.Lay(in.Rig.Delivered, 1), in.Rig.PortCount(""), 0)
	for _, t := range rig.Tables {
		p.Tables = append(p.Tables, viewTable(t, in, naming, q))
	}
	for _, l := range in.Rig.Layouts {
		used := map[int]bool{}
		for _, x := range l.Feeds {
			if x.Output > 0 {
				used[x.Output] = true
			}
		}
		p.Layouts = append(p.Layouts, layoutRow{l, rig.FormatRuns(rig.Runs(l.Outputs)), len(used)})
	}
	p.Compare = compare(&in.Rig, q.Get("a"), q.Get("b"))
	if name := q.Get("told"); name != "" && sd.flash == nil {
		sd.flash = s.offerSpelling(r, in, name)
	}
	back := ""
	if e := q.Encode(); e != "" && q.Get("told") == "" {
		back = "?" + e
	}
	s.page(w, r, code, "instrument", frame{Title: in.Name, Of: "Instruments",
		At: addressOf(fmt.Sprintf("/instruments/%d", in.ID), q), Section: "instruments", Flash: sd.flash, Refused: sd.refused,
		Data: p, Document: instrumentDocument(in, back)})
}

func viewTable(t *rig.Table, in *app.Instrument, naming midi.Naming, q url.Values) tableView {
	sheet := rig.Sheet{Instrument: &in.Rig, Naming: naming}
	v := tableView{Table: t, Columns: t.Columns(sheet)}
	path := fmt.Sprintf("/instruments/%d", in.ID)
	v.Shown = newTable(path, q, "t-"+t.Key, t.Title)
	v.Shown.Cells, v.Shown.Post = t.Key, path+"/edit"
	if t.CanAdd() {
		v.Shown.Columns = append(v.Shown.Columns, tableColumn{Title: "Select", Hidden: true, Class: "markcell"})
	} else {
		v.Shown.Columns = append(v.Shown.Columns, tableColumn{Title: "Voice"})
	}
	for _, c := range v.Columns {
		column := tableColumn{Key: c.Key, Title: c.Title, Number: c.Number}
		if c.Options != nil {
			column.List = "list-" + t.Key + "-" + c.Key
			v.Lists = append(v.Lists, choices{column.List, c.Options})
		} else if c.Key == "role" {
			column.List = "list-roles"
		}
		v.Shown.Columns = append(v.Shown.Columns, column)
	}
	var rows []tableRow
	for i := range t.Len(&in.Rig) {
		row := tableRow{ID: t.ID(&in.Rig, i), Place: i + 2}
		for _, c := range v.Columns {
			row.Cells = append(row.Cells, c.Get(sheet, i))
		}
		row.Head = cmp.Or(append(slices.Clone(row.Cells), fmt.Sprintf("row %d", i+1))...)
		if !t.CanAdd() {
			row.Head = in.Rig.Voices[i].Name
		}
		if t.Key == "voices" && in.Rig.Voices[i].Sure != role.Sure {
			row.Sure = sureInWords(in.Rig.Voices[i].Sure)
		}
		rows = append(rows, row)
	}
	v.Rows = show(&v.Shown, path, q, rows, func(r tableRow) string { return r.ID },
		func(r tableRow) []string { return r.Cells })
	v.Shown.Window.Many = strings.ToLower(t.Title)
	if i := slices.Index(v.Shown.IDs, q.Get("edit-"+v.Shown.ID)); i >= 0 {
		v.Edit = &rowForm{Table: t.Key, ID: rows[i].ID, Says: rows[i].Head}
		for k, c := range v.Columns {
			v.Edit.Cells = append(v.Edit.Cells, rowFormCell{c.Key, c.Title, v.Shown.Columns[k+1].List, rows[i].Cells[k]})
		}
	}
	return v
}

// sureInWords is how sure a role is, for people.
func sureInWords(s role.Sureness) string {
	if s == role.Told {
		return "set by you"
	}
	return s.String()
}

func compare(in *rig.Instrument, a, b string) *comparison {
	x, y := in.Layout(a), in.Layout(b)
	if x == nil || y == nil {
		return nil
	}
	c := &comparison{A: x.Name, B: y.Name}
	for _, f := range in.Feeds() {
		row := comparedRow{Feed: f, A: placing(x, f.ID), B: placing(y, f.ID)}
		if row.Differs = row.A != row.B; row.Differs {
			c.Differs++
		}
		c.Rows = append(c.Rows, row)
	}
	return c
}

func placing(l *rig.Layout, feed string) string {
	x, ok := l.Feeds[feed]
	switch {
	case !ok:
		return "–"
	case x.Output == 0:
		return "off"
	}
	s := fmt.Sprintf("%d%s", x.Output, x.Side)
	if i := slices.IndexFunc(l.Outputs, func(o rig.Output) bool { return o.Number == x.Output }); i >= 0 {
		s += " · " + l.Outputs[i].PortNames(0)
	}
	if x.Parked {
		s = "parked on " + s
	}
	return s
}

// offerSpelling offers to give a role that was just told to the other voices that
// are spelled alike.
func (s *server) offerSpelling(r *http.Request, in *app.Instrument, id string) *flash {
	i := slices.IndexFunc(in.Rig.Voices, func(v rig.Voice) bool { return v.ID == id })
	if i < 0 {
		return nil
	}
	v := in.Rig.Voices[i]
	fl := &flash{Text: fmt.Sprintf("From now on “%s” is %s in every import.", app.Spelling(v.Name), v.Role)}
	if ins, voices, err := s.app.Elsewhere(r.Context(), v.Name, v.Role); err == nil && voices > 0 {
		fl.Text += fmt.Sprintf(" %s on the shelf, in %s, %s still another role.", plural(voices, "voice", "voices"),
			plural(ins, "instrument", "instruments"),
			map[bool]string{true: "is", false: "are"}[voices == 1])
		fl.Act, fl.Post = "Set the role for them too", "/instruments/spelling?spelling="+
			url.QueryEscape(app.Spelling(v.Name))+
			"&back="+fmt.Sprint(in.ID)
	}
	return fl
}

// applySpelling gives all that is spelled alike the role told for it.
func (s *server) applySpelling(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	n, err := s.app.ApplySpelling(r.Context(), q.Get("spelling"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.showShelf(w, r, http.StatusOK, wentWell("Set the role of “%s” in %s. Each change can be undone on its page.",
		q.Get("spelling"), plural(n, "more instrument", "more instruments")), nil, nil)
}

// afterInstrument leads to the instrument after a change, or shows it with the reason of a
// refusal.
func (s *server) afterInstrument(w http.ResponseWriter, r *http.Request, query string, err error) {
	back := strings.TrimPrefix(r.PostForm.Get("back"), "?")
	if err == nil && !exchanges(r) {
		to := fmt.Sprintf("/instruments/%d", idOf(r))
		if query = cmp.Or(query, back); query != "" {
			to += "?" + query
		}
		http.Redirect(w, r, to, http.StatusSeeOther)
		return
	}
	in, errLoad := s.app.Instrument(r.Context(), idOf(r))
	if errLoad != nil {
		s.fail(w, r, errLoad)
		return
	}
	if err == nil { // the regions that differ, at once
		q, _ := url.ParseQuery(cmp.Or(query, back))
		s.showInstrument(w, r, http.StatusOK, in, q, said{})
		return
	}
	q, _ := url.ParseQuery(back)
	s.showInstrument(w, r, s.status(r, err), in, q, refusedForm(r, err))
}

// editInstrument carries out one command on an instrument and shows it again.
func (s *server) editInstrument(w http.ResponseWriter, r *http.Request) {
	base, spec, v, err := readCommand(w, r, command.Instrument)
	if err == nil {
		_, err = s.app.Do(r.Context(), command.Target{ID: idOf(r), Base: base}, spec, v)
	}
	query := ""
	if cells, ok := v.(command.SetCells); ok && err == nil {
		if voice, tells := cells.CorrectedRole(); tells {
			query = "told=" + url.QueryEscape(voice)
		}
	}
	s.afterInstrument(w, r, query, err)
}

// stepInstrument serves undo and redo of an instrument.
func (s *server) stepInstrument(dir app.Direction) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		base, err := readBase(w, r)
		if err == nil {
			err = s.app.StepInstrument(r.Context(), idOf(r), base, dir)
		}
		s.afterInstrument(w, r, "", err)
	}
}
