package web

import (
	"bytes"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/store"
)

// projectRows is how many projects the list shows at once.
const projectRows = 60

// projectsPage is the list of projects that a search leaves.
type projectsPage struct {
	Rows        []*app.Entry
	Query       app.Query
	View        string // the search, to come back to after a change
	Found       int
	More        int // found and not shown
	Next        string
	Any         bool // there is a project of some kind
	Counts      map[string]int
	Instruments []store.ShelfRow // what an empty list offers to begin with
}

// listOf says where the projects of a state are found.
var listOf = map[string]string{store.Archived: "archived projects", store.Template: "templates"}

func (s *server) projects(w http.ResponseWriter, r *http.Request) {
	s.showProjects(w, r, http.StatusOK, nil)
}

func (s *server) showProjects(w http.ResponseWriter, r *http.Request, code int, fl *flash) {
	q := r.URL.Query()
	lib, err := s.app.Library(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := projectsPage{Query: app.Query{Text: q.Get("find"), State: q.Get("state"), Drift: q.Get("drift"), Mend: q.Get("mend")}, Any: len(lib.Entries) > 0, Counts: map[string]int{}}
	p.View = kept(q, "find", "state", "drift", "mend", "show").Encode()
	for _, e := range lib.Entries {
		p.Counts[e.State]++
	}
	found := lib.Find(p.Query)
	p.Found = len(found)
	shown, err := readNumber(q.Get("show"), projectRows, 1, "the number of rows")
	if err != nil {
		shown = projectRows
	}
	p.Rows = found[:min(len(found), shown)]
	if p.More = p.Found - len(p.Rows); p.More > 0 {
		q.Set("show", strconv.Itoa(shown+5*projectRows))
		p.Next = "/?" + q.Encode()
	}
	if !p.Any {
		if p.Instruments, err = s.app.Shelf(r.Context()); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	if id, err := strconv.ParseInt(q.Get("removed"), 10, 64); err == nil && fl == nil {
		if p, err := s.app.Project(r.Context(), id); err == nil {
			fl = &flash{Text: p.Plan.Name + " is off the list.", Act: "Put it back", Post: fmt.Sprintf("/projects/%d/remove?back=1", id)}
		}
	}
	if id, err := strconv.ParseInt(q.Get("moved"), 10, 64); err == nil && fl == nil {
		if e := lib.Entry(id); e != nil && e.State != "" {
			fl = &flash{Text: fmt.Sprintf("%s is among the %s now.", e.Name, listOf[e.State]), Act: "Put it back to work", Post: fmt.Sprintf("/projects/%d/state", id)}
		}
	}
	s.page(w, r, code, "projects", frame{Title: "Projects", Section: "projects", Flash: fl, Data: p})
}

// stateOfProject archives a project, makes it a template or puts it back to work.
func (s *server) stateOfProject(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	state := r.PostFormValue("state")
	err := s.app.SetProjectState(r.Context(), idOf(r), state)
	if err != nil {
		s.showProjects(w, r, status(err), &flash{Bad: true, Text: message(err)})
		return
	}
	q := viewOf(r.PostForm)
	q.Set("moved", chi.URLParam(r, "id"))
	http.Redirect(w, r, "/?"+q.Encode(), http.StatusSeeOther)
}

// duplicate makes a project of another, with all that is planned in it.
func (s *server) duplicate(w http.ResponseWriter, r *http.Request) {
	id, err := s.app.Duplicate(r.Context(), idOf(r))
	if err != nil {
		s.showProjects(w, r, status(err), &flash{Bad: true, Text: message(err)})
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/projects/%d/", id), http.StatusSeeOther)
}

// libraryFile sends the whole library as one file.
func (s *server) libraryFile(w http.ResponseWriter, r *http.Request) {
	var b bytes.Buffer
	if err := s.app.WriteLibrary(r.Context(), &b); err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, "hidden-lanes-library.json", "application/json", b.Bytes())
}

// mergeLibrary takes a library file in.
func (s *server) mergeLibrary(w http.ResponseWriter, r *http.Request) {
	part, err := upload(w, r, maxInstrument, nil)
	var m *app.Merged
	if err == nil {
		m, err = s.app.MergeLibrary(r.Context(), part)
	}
	if err != nil {
		s.showProjects(w, r, status(err), &flash{Bad: true, Text: message(err) + " Nothing was changed."})
		return
	}
	fl := &flash{Text: message(errors.New(m.String()))}
	if m.Batch > 0 {
		fl.Act, fl.Post = "Take the updates back", fmt.Sprintf("/drift/batches/%d/undo", m.Batch)
	}
	s.showProjects(w, r, http.StatusOK, fl)
}

func (s *server) removeProject(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/", s.app.RemoveProject)
}

// newProjectPage shows the form, with what was typed where it was refused.
type newProjectPage struct {
	Instruments []newProjectRow
	Form        url.Values
	From        []*app.Entry // projects and templates to begin from, templates first
	Chosen      *app.Entry   // the one it begins from
}

type newProjectRow struct {
	ID      int64
	Name    string
	Feeds   int
	Outputs string
	First   string
	Offset  string
	Chosen  bool
}

func (s *server) newProject(w http.ResponseWriter, r *http.Request) {
	f := url.Values{"limit": {"128"}, "first": {"1"}, "sides": {"on"}}
	if from := r.URL.Query().Get("from"); from != "" {
		f.Set("from", from)
		f.Set("instruments", "on")
	}
	if in := r.URL.Query().Get("instrument"); in != "" {
		f.Set("choose", in)
	}
	s.showNewProject(w, r, http.StatusOK, f, nil)
}

func (s *server) showNewProject(w http.ResponseWriter, r *http.Request, code int, form url.Values, fl *flash) {
	ins, err := s.app.Shelf(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	usual := "16x2"
	if def, err := s.app.DefaultSetup(r.Context(), ""); err == nil && def != nil {
		usual = def.Outputs
	}
	chosen := map[string]bool{}
	for _, c := range form["choose"] {
		chosen[c] = true
	}
	p := newProjectPage{Form: form}
	lib, err := s.app.Library(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p.From = append(lib.Find(app.Query{State: store.Template}), lib.Find(app.Query{})...)
	if id, err := strconv.ParseInt(form.Get("from"), 10, 64); err == nil {
		p.Chosen = lib.Entry(id)
	}
	p.From = p.From[:min(len(p.From), 300)]
	for _, in := range ins {
		id := strconv.FormatInt(in.ID, 10)
		row := newProjectRow{ID: in.ID, Name: in.Name, Feeds: in.Feeds, Chosen: chosen[id],
			Outputs: form.Get("outputs-" + id), First: form.Get("port-" + id), Offset: form.Get("offset-" + id)}
		if !form.Has("outputs-" + id) {
			row.Outputs, row.First, row.Offset = in.Outputs, "1", "0"
			if row.Outputs == "" {
				row.Outputs = usual
			}
		}
		p.Instruments = append(p.Instruments, row)
	}
	s.page(w, r, code, "new-project", frame{Title: "New project", Section: "projects", Flash: fl, Data: p})
}

func (s *server) createProject(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	if err := r.ParseForm(); err != nil {
		s.fail(w, r, err)
		return
	}
	n, err := readNewProject(r.PostForm)
	if err == nil {
		var id int64
		if id, err = s.app.Create(r.Context(), n); err == nil {
			to := fmt.Sprintf("/projects/%d/proposal", id)
			switch {
			case n.From != 0 && len(n.Choices) == 0:
				to = fmt.Sprintf("/projects/%d/lanes", id)
			case len(n.Choices) == 0:
				to = fmt.Sprintf("/projects/%d/feeds", id)
			}
			http.Redirect(w, r, to, http.StatusSeeOther)
			return
		}
	}
	s.showNewProject(w, r, status(err), r.PostForm, &flash{Bad: true, Text: message(err)})
}

func readNewProject(f url.Values) (n app.NewProject, err error) {
	n.Name = f.Get("name")
	if from := f.Get("from"); from != "" {
		if n.From, err = strconv.ParseInt(from, 10, 64); err != nil {
			return n, errors.New("choose the project to begin from")
		}
		n.Instruments = f.Has("instruments")
	}
	if n.Host, err = readHost(f); err != nil {
		return n, err
	}
	for _, c := range f["choose"] {
		choice, err := readChoice(c, f.Get("outputs-"+c), f.Get("port-"+c), f.Get("offset-"+c))
		if err != nil {
			return n, err
		}
		n.Choices = append(n.Choices, choice)
	}
	return n, nil
}

func readHost(f url.Values) (h plan.Host, err error) {
	if h.LaneLimit, err = readNumber[plan.LaneNumber](f.Get("limit"), 0, 0, "the host's last lane"); err != nil {
		return h, err
	}
	if h.FirstLane, err = readNumber[plan.LaneNumber](f.Get("first"), 1, 0, "the first lane"); err != nil {
		return h, err
	}
	if h.BlockSize, err = readNumber[plan.LaneNumber](f.Get("block"), 0, 0, "the size of a block"); err != nil {
		return h, err
	}
	budget, err := readNumber(f.Get("memory"), 0, 0, "the memory for instruments")
	if err != nil {
		return h, err
	}
	h.Budget = float64(budget)
	h.Sides = f.Has("sides")
	if h.Taken, err = plan.ParseRanges(f.Get("taken")); err != nil {
		return h, fmt.Errorf("lanes taken: %w", err)
	}
	return h, nil
}

func readChoice(id, outputs, port, offset string) (c app.Choice, err error) {
	if c.Instrument, err = strconv.ParseInt(id, 10, 64); err != nil {
		return c, errors.New("choose an instrument")
	}
	c.Setup, err = readSetup(outputs, port, offset)
	return c, err
}

func readSetup(outputs, port, offset string) (s app.Setup, err error) {
	if s.Outputs, err = rig.ParseRuns(outputs); err != nil {
		return s, err
	}
	if s.FirstPort, err = readNumber[rig.Port](port, 1, 0, "the first port"); err != nil {
		return s, err
	}
	s.Offset, err = readNumber(offset, 0, -rig.MaxPorts, "the offset")
	return s, err
}

// readNumber reads a whole number from least to a million; an empty field gives
// what stands for a missing one.
func readNumber[T ~int](s string, missing, least T, what string) (T, error) {
	s = strings.TrimSpace(s)
	if s == "" {
		return missing, nil
	}
	n, err := strconv.Atoi(strings.Replace(s, "−", "-", 1))
	if err != nil || n < int(least) || n > 1_000_000 {
		return 0, fmt.Errorf("%s is %q; type a whole number", what, s)
	}
	return T(n), nil
}

// help shows the shortcuts, how to read a map, the findings and the settings.
func (s *server) help(w http.ResponseWriter, r *http.Request) {
	s.page(w, r, http.StatusOK, "help", frame{Title: "Keys and help", Data: check.Rules})
}
