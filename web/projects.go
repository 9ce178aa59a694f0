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
	Table       table
	Any         bool // there is a project of some kind
	Counts      map[string]int
	Instruments []app.ShelfRow // what an empty list offers to begin with
	Offered     bool           // there is a sample world to look around in
	Sample      bool           // it is here
	New         newList
}

var projectColumns = []tableColumn{{Key: "name", Title: "Project", Sort: true},
	{Key: "instruments", Title: "Instruments", Sort: true}, {Key: "lanes", Title: "Lanes", Number: true, Sort: true},
	{Title: "Colours of the lanes", Hidden: true}, {Key: "buses", Title: "Buses", Number: true, Sort: true},
	{Key: "problems", Title: "Problems", Sort: true}, {Key: "drift", Title: "Drift", Sort: true, Word: "Drift"},
	{Key: "changed", Title: "Changed", Sort: true}, {Title: "Last change"}, {Title: "Actions", Hidden: true}}

// projectOrders are what the list of projects is sorted by; as it comes, the last changed is
// first.
var projectOrders = map[string]func(a, b *app.Entry) int{
	"name":        byText(func(e *app.Entry) string { return e.Name }),
	"instruments": byText(func(e *app.Entry) string { return e.Instruments }),
	"lanes":       byNumber(func(e *app.Entry) int { return e.Lanes }),
	"buses":       byNumber(func(e *app.Entry) int { return e.Buses }),
	"problems":    byNumber(func(e *app.Entry) int { return e.Problems }),
	"drift":       byNumber(func(e *app.Entry) int { return e.Drift }),
	"changed":     byText(func(e *app.Entry) string { return e.ChangedAt }),
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
	for _, e := range lib.Entries {
		p.Counts[e.State]++
	}
	found := lib.Find(p.Query)
	p.Found = len(found)
	p.Table = newTable("/", q, "list", "Projects", projectColumns...)
	sortRows(&p.Table, found, projectOrders)
	p.Table.Window = windowOf("/", q, "from", len(found), projectRows)
	p.Table.Window.Many = "projects"
	p.View = keepQuery(q, "find", "state", "drift", "mend", "from", p.Table.SortName()).Encode()
	p.Rows = found[p.Table.Window.From:p.Table.Window.To]
	if p.Offered, p.Sample, err = s.app.SampleState(r.Context()); err != nil {
		s.fail(w, r, err)
		return
	}
	if q.Get("sample") == "removed" && sd.flash == nil && !p.Sample {
		sd.flash = &flash{Text: "The sample world was removed.", Act: "Undo remove", Post: "/sample/remove?back=1"}
	}
	if !p.Any {
		p.New = newListOf(q, true)
		if p.Instruments, err = s.app.Shelf(r.Context()); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	if id, err := strconv.ParseInt(q.Get("removed"), 10, 64); err == nil && sd.flash == nil {
		if p, err := s.app.Project(r.Context(), id); err == nil {
			sd.flash = &flash{Text: p.Plan.Name + " was removed.", Act: "Undo remove",
				Post: fmt.Sprintf("/projects/%d/remove?back=1", id)}
		}
	}
	if id, err := strconv.ParseInt(q.Get("moved"), 10, 64); err == nil && sd.flash == nil {
		if e := lib.Entry(id); e != nil && e.State != "" {
			sd.flash = &flash{Text: fmt.Sprintf("%s is now among the %s.", e.Name, listOf[e.State]), Act: "Make active",
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
	var how app.Merging
	part, err := upload(w, r, maxInstrument, func(name, _ string) { how.Second = how.Second || name == "second" })
	var m *app.Merged
	if err == nil {
		m, err = s.app.MergeLibrary(r.Context(), part, how)
	}
	if err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(fmt.Errorf("%w. Nothing was changed", err)))
		return
	}
	sd := wentWell("%s", message(errors.New(m.String())))
	if m.Batch > 0 {
		sd.flash.Act, sd.flash.Post = "Undo the updates", fmt.Sprintf("/drift/batches/%d/undo", m.Batch)
	}
	s.showProjects(w, r, http.StatusOK, sd)
}

func (s *server) removeProject(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/", s.app.RemoveProject)
}

// addSample adds the sample world beside what there is, removeSample takes it away again in one step.
func (s *server) addSample(w http.ResponseWriter, r *http.Request) {
	if err := s.app.AddSample(r.Context()); err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(err))
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

func (s *server) removeSample(w http.ResponseWriter, r *http.Request) {
	back := r.URL.Query().Has("back")
	if err := s.app.RemoveSample(r.Context(), back); err != nil {
		s.showProjects(w, r, s.status(r, err), refusal(err))
		return
	}
	to := "/?sample=removed"
	if back {
		to = "/"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
