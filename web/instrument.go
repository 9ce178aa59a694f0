package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/store"
)

// instrumentPage is an instrument as tables to be edited.
type instrumentPage struct {
	*store.Instrument
	Feeds   []rig.Feed
	Setup   portsView
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
	s.showInstrument(w, r, http.StatusOK, in, r.URL.Query(), nil)
}

func (s *server) showInstrument(w http.ResponseWriter, r *http.Request, code int, in *store.Instrument, q url.Values, fl *flash) {
	naming, err := s.app.Naming(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := instrumentPage{Instrument: in, Feeds: in.Rig.Feeds(), Runs: rig.FormatRuns(in.Rig.Delivered), Memory: in.Rig.Memory(nil), Roles: role.All()}
	p.Setup = drawPorts(rig.Lay(in.Rig.Delivered, 1), in.Rig.PortCount(""), 0)
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
	if name := q.Get("told"); name != "" && fl == nil {
		fl = s.offerSpelling(r, in, name)
	}
	back := ""
	if e := q.Encode(); e != "" && q.Get("told") == "" {
		back = "?" + e
	}
	s.page(w, r, code, "instrument", frame{Title: in.Name, Section: "instruments", Flash: fl, Data: p,
		Walk: &walk{in.State, fmt.Sprintf("/instruments/%d", in.ID), back}})
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
func (s *server) offerSpelling(r *http.Request, in *store.Instrument, id string) *flash {
	i := slices.IndexFunc(in.Rig.Voices, func(v rig.Voice) bool { return v.ID == id })
	if i < 0 {
		return nil
	}
	v := in.Rig.Voices[i]
	fl := &flash{Text: fmt.Sprintf("From now on “%s” is %s in whatever you bring.", app.Spelling(v.Name), v.Role)}
	if ins, voices, err := s.app.Elsewhere(r.Context(), v.Name, v.Role); err == nil && voices > 0 {
		fl.Text += fmt.Sprintf(" %s on the shelf, in %s, %s still something else.", plural(voices, "voice", "voices"), plural(ins, "instrument", "instruments"),
			map[bool]string{true: "is", false: "are"}[voices == 1])
		fl.Act, fl.Post = "Give them the role too", "/instruments/spelling?spelling="+url.QueryEscape(app.Spelling(v.Name))+"&back="+fmt.Sprint(in.ID)
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
	s.showShelf(w, r, http.StatusOK, &flash{Text: fmt.Sprintf("“%s” has its role in %s now; each can be undone on its page.", q.Get("spelling"), plural(n, "more instrument", "more instruments"))}, nil, nil)
}

// changeInstrument carries out one change of an instrument and shows it again.
func (s *server) changeInstrument(w http.ResponseWriter, r *http.Request, do func(base int64, f url.Values) (query string, err error)) {
	base, err := readBase(w, r)
	query := ""
	if err == nil {
		query, err = do(base, r.PostForm)
	}
	to := fmt.Sprintf("/instruments/%d", idOf(r))
	back := r.PostForm.Get("back")
	if err == nil {
		if query == "" && strings.HasPrefix(back, "?") {
			query = back[1:]
		}
		if query != "" {
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
	q, _ := url.ParseQuery(strings.TrimPrefix(back, "?"))
	s.showInstrument(w, r, status(err), in, q, &flash{Bad: true, Text: message(err)})
}

// readBase reads the form of a change and the revision it was made for.
func readBase(w http.ResponseWriter, r *http.Request) (int64, error) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	if err := r.ParseForm(); err != nil {
		return 0, err
	}
	base, err := strconv.ParseInt(r.PostForm.Get("rev"), 10, 64)
	if err != nil {
		return 0, errors.New("the page did not say which state it shows; reload it")
	}
	return base, nil
}

func (s *server) editInstrument(w http.ResponseWriter, r *http.Request) {
	s.changeInstrument(w, r, func(base int64, f url.Values) (string, error) {
		table := f.Get("table")
		var e rig.Edit
		switch f.Get("do") {
		case "cells":
			rows, cols, values := f["row"], f["col"], f["value"]
			if len(rows) != len(cols) || len(rows) != len(values) {
				return "", errors.New("the cells did not arrive whole; try again")
			}
			cells := make([]rig.Cell, len(rows))
			told := ""
			for i := range rows {
				cells[i] = rig.Cell{Row: rows[i], Column: cols[i], Value: values[i]}
				if cols[i] == "role" && table == "voices" {
					told = rows[i]
				}
			}
			_, err := s.app.SetCells(r.Context(), idOf(r), base, table, cells)
			if err == nil && told != "" && len(rows) == 1 {
				return "told=" + url.QueryEscape(told), nil
			}
			return "", err
		case "add":
			e = rig.AddRow(table)
		case "take":
			e = rig.RemoveRows(table, f["row"])
		case "facts":
			ports, err := readNumber(f.Get("ports"), 0, 0, "the number of ports")
			if err != nil {
				return "", err
			}
			base := 0.0
			if v := strings.TrimSpace(f.Get("base")); v != "" {
				if base, err = rig.Number(v); err != nil {
					return "", fmt.Errorf("memory: %w", err)
				}
			}
			e = rig.Facts(f.Get("name"), f.Get("outputs"), f.Has("fixed"), ports, f.Has("pans"), base)
		case "forget-layout":
			e = rig.RemoveLayout(f.Get("layout"))
		default:
			return "", fmt.Errorf("there is no change called %q", f.Get("do"))
		}
		_, err := s.app.EditInstrument(r.Context(), idOf(r), base, e)
		return "", err
	})
}

func (s *server) walkInstrument(forward bool) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		s.changeInstrument(w, r, func(base int64, _ url.Values) (string, error) {
			return "", s.app.WalkInstrument(r.Context(), idOf(r), base, forward)
		})
	}
}

// instrumentFile sends an instrument of the shelf as a file.
func (s *server) instrumentFile(suffix, kind string, write func(io.Writer, rig.Instrument, midi.Naming) error) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		in, err := s.app.Instrument(r.Context(), idOf(r))
		var naming midi.Naming
		if err == nil {
			naming, err = s.app.Naming(r.Context())
		}
		var b bytes.Buffer
		if err == nil {
			err = write(&b, in.Rig, naming)
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		sendFile(w, in.Name+suffix, kind, b.Bytes())
	}
}

// sendFile sends bytes to be kept under a name.
func sendFile(w http.ResponseWriter, name, kind string, data []byte) {
	name = strings.Map(func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < ' ' {
			return '-'
		}
		return c
	}, name)
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	_, _ = w.Write(data)
}
