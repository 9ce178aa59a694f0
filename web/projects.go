package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
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
	Instruments []app.ShelfRow // what an empty list offers to begin with
}

// listOf says where the projects of a state are found.
var listOf = map[string]string{app.Archived: "archived projects", app.Template: "templates"}

func (s *server) projects(w http.ResponseWriter, r *http.Request) {
	s.showProjects(w, r, http.StatusOK, said{})
}

func (s *server) showProjects(w http.ResponseWriter, r *http.Request, code int, sd said) {
	q := r.URL.Query()
	lib, err := s.app.Library(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := projectsPage{Query: app.Query{Text: q.Get("find"), State: q.Get("state"), Drift: q.Get("drift"),
		Mend: q.Get("mend")}, Any: len(lib.Entries) > 0, Counts: map[string]int{}}
	p.View = keepQuery(q, "find", "state", "drift", "mend", "show").Encode()
	for _, e := range lib.Entries {
		p.Counts[e.State]++
	}
	found := lib.Find(p.Query)
	p.Found = len(found)
	shown := atLeast(1, q.Get("show"), projectRows)
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
	if id, err := strconv.ParseInt(q.Get("removed"), 10, 64); err == nil && sd.flash == nil {
		if p, err := s.app.Project(r.Context(), id); err == nil {
			sd.flash = &flash{Text: p.Plan.Name + " is off the list.", Act: "Put it back",
				Post: fmt.Sprintf("/projects/%d/remove?back=1", id)}
		}
	}
	if id, err := strconv.ParseInt(q.Get("moved"), 10, 64); err == nil && sd.flash == nil {
		if e := lib.Entry(id); e != nil && e.State != "" {
			sd.flash = &flash{Text: fmt.Sprintf("%s is among the %s now.", e.Name, listOf[e.State]), Act: "Put it back to work",
				Post: fmt.Sprintf("/projects/%d/state", id)}
		}
	}
	s.page(w, r, code, "projects", frame{Title: "Projects", Section: "projects", Flash: sd.flash, Data: p})
}

// stateOfProject archives a project, makes it a template or puts it back to work.
func (s *server) stateOfProject(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	if err == nil {
		err = s.app.SetProjectState(r.Context(), idOf(r), r.PostForm.Get("state"))
	}
	if err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(err))
		return
	}
	q := listView(r.PostForm)
	q.Set("moved", chi.URLParam(r, "id"))
	http.Redirect(w, r, addressOf("/", q), http.StatusSeeOther)
}

// duplicate makes a project of another, with all that is planned in it.
func (s *server) duplicate(w http.ResponseWriter, r *http.Request) {
	id, err := s.app.Duplicate(r.Context(), idOf(r))
	if err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(err))
		return
	}
	http.Redirect(w, r, projectPath(id, ""), http.StatusSeeOther)
}

// mergeLibrary takes a library file in.
func (s *server) mergeLibrary(w http.ResponseWriter, r *http.Request) {
	part, err := upload(w, r, maxInstrument, nil)
	var m *app.Merged
	if err == nil {
		m, err = s.app.MergeLibrary(r.Context(), part)
	}
	if err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(fmt.Errorf("%w. Nothing was changed", err)))
		return
	}
	sd := wentWell("%s", message(errors.New(m.String())))
	if m.Batch > 0 {
		sd.flash.Act, sd.flash.Post = "Take the updates back", fmt.Sprintf("/drift/batches/%d/undo", m.Batch)
	}
	s.showProjects(w, r, http.StatusOK, sd)
}

func (s *server) removeProject(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/", s.app.RemoveProject)
}
