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
}

// tableView is one table of an instrument, ready to be shown.
type tableView struct {
	*rig.Table
	Columns []rig.Column
	Rows    []tableRow
}

type tableRow struct {
	ID    string
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
		Memory: in.Rig.Memory(nil), Roles: role.All()}
	p.Setup = draw.NewPorts(rig.Lay(in.Rig.Delivered, 1), in.Rig.PortCount(""), 0)
	for _, t := range rig.Tables {
		p.Tables = append(p.Tables, viewTable(t, &in.Rig, naming))
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
	s.page(w, r, code, "instrument", frame{Title: in.Name, Section: "instruments", Flash: sd.flash, Refused: sd.refused,
		Data: p, Document: instrumentDocument(in, back)})
}

func viewTable(t *rig.Table, in *rig.Instrument, naming midi.Naming) tableView {
	v := tableView{Table: t, Columns: t.Columns(in)}
	for i := range t.Len(in) {
		row := tableRow{ID: t.ID(in, i)}
		for _, c := range v.Columns {
			row.Cells = append(row.Cells, c.Get(in, i, naming))
		}
		if t.Key == "voices" && in.Voices[i].Sure != role.Sure {
			row.Sure = in.Voices[i].Sure.String()
		}
		v.Rows = append(v.Rows, row)
	}
	return v
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
	fl := &flash{Text: fmt.Sprintf("From now on “%s” is %s in whatever you bring.", app.Spelling(v.Name), v.Role)}
	if ins, voices, err := s.app.Elsewhere(r.Context(), v.Name, v.Role); err == nil && voices > 0 {
		fl.Text += fmt.Sprintf(" %s on the shelf, in %s, %s still something else.", plural(voices, "voice", "voices"),
			plural(ins, "instrument", "instruments"),
			map[bool]string{true: "is", false: "are"}[voices == 1])
		fl.Act, fl.Post = "Give them the role too", "/instruments/spelling?spelling="+url.QueryEscape(app.Spelling(v.Name))+
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
	s.showShelf(w, r, http.StatusOK, wentWell("“%s” has its role in %s now; each can be undone on its page.",
		q.Get("spelling"), plural(n, "more instrument", "more instruments")), nil, nil)
}

// afterInstrument leads to the instrument after a change, or shows it with the reason of a
// refusal.
func (s *server) afterInstrument(w http.ResponseWriter, r *http.Request, query string, err error) {
	back := strings.TrimPrefix(r.PostForm.Get("back"), "?")
	if err == nil {
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
	q, _ := url.ParseQuery(back)
	s.showInstrument(w, r, s.status(r, err), in, q, refusedForm(r, err))
}

// editInstrument carries out one command on an instrument and shows it again.
func (s *server) editInstrument(w http.ResponseWriter, r *http.Request) {
	base, spec, v, err := readCommand(w, r, command.Instrument)
	if err == nil {
		err = s.app.DoInstrument(r.Context(), idOf(r), base, spec, v)
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
