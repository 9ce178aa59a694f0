package web

import (
	"net/http"
	"net/url"
	"slices"
	"sync"

	"hiddenlanes/app"
	"hiddenlanes/core/check"
	"hiddenlanes/core/road"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
)

// project is a project with everything the views compute from it.
type project struct {
	*app.Project
	graph    *trace.Graph
	findings []check.Finding
	accepted []check.Finding
	left     leftToSet
}

// steps are those that are left to do in the host.
func (p *project) steps() []runsheet.Step { return runsheet.Make(p.Plan) }

// leftToSet counts the settings that the run sheet of a project has.
type leftToSet struct {
	all     int
	byMouse int // but for what is checked by ear
}

// counted remembers what is left to set in the projects that were shown last, by their revisions,
// so that pages which only say how much that is need no run sheet.
type counted struct {
	mu    sync.Mutex
	last  []int64 // revisions, the last at the end
	count map[int64]leftToSet
}

// maxCounted is how many revisions are remembered.
const maxCounted = 200

func (c *counted) of(p *app.Project) leftToSet {
	c.mu.Lock()
	n, ok := c.count[p.Revision]
	c.mu.Unlock()
	if ok {
		return n
	}
	steps := runsheet.Make(p.Plan)
	n.all = runsheet.Settings(steps)
	for _, st := range steps {
		if st.Place != runsheet.ByEar {
			n.byMouse += st.Count
		}
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.count == nil {
		c.count = map[int64]leftToSet{}
	}
	if _, ok := c.count[p.Revision]; !ok {
		c.last = append(c.last, p.Revision)
	}
	c.count[p.Revision] = n
	if len(c.last) > maxCounted {
		delete(c.count, c.last[0])
		c.last = slices.Delete(c.last, 0, 1)
	}
	return n
}

// forget lets everything be counted anew.
func (c *counted) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.last, c.count = nil, nil
}

func (s *server) load(r *http.Request) (*project, error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		return nil, err
	}
	g := trace.New(p.Plan)
	open, accepted := check.Both(g)
	return &project{p, g, open, accepted, s.counted.of(p)}, nil
}

// serveView serves one view of a project.
func (s *server) serveView(v *view) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		p, err := s.load(r)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		s.show(w, r, http.StatusOK, p, v, r.URL.Query(), said{})
	}
}

// show answers with a view of a project, and with what is said on top of it.
func (s *server) show(w http.ResponseWriter, r *http.Request, code int, p *project, v *view, q url.Values, sd said) {
	data, err := v.Model(s, r, p, q)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	back := addressOf(v.path(), q)
	s.page(w, r, code, v.Name, frame{Title: v.Title, Of: p.Plan.Name, At: addressOf(projectPath(p.ID, v.path()), q),
		Section: "projects", Flash: sd.flash, Data: data, Refused: sd.refused, Document: projectDocument(p.Project, back),
		Project: frameOf(p, v)})
}

// projectFrame is what every page of a project has around its view.
type projectFrame struct {
	*app.Project
	View       string
	Stops      []stopOnRoad
	Findings   []check.Finding
	Left       int // settings that are left to make in the host
	Unassigned int // feeds without an output, where they are so many that a proposal serves better than their buttons
}

// stopOnRoad is one stop of the road on top, with how far its stage is.
type stopOnRoad struct {
	*stop
	road.State
	Here bool
	Href string
}

// fewUnassigned is how many feeds without an output are told of one by one.
const fewUnassigned = 2

func frameOf(p *project, v *view) *projectFrame {
	f := &projectFrame{Project: p.Project, View: v.Name, Findings: p.findings, Left: p.left.byMouse}
	stages := road.Of(p.graph, p.findings, p.left.all)
	for _, at := range stops {
		f.Stops = append(f.Stops, stopOnRoad{stop: at, State: stages[at.Stage], Here: at.view == v && at.Anchor == "",
			Href: projectPath(p.ID, at.view.path()) + at.Anchor})
	}
	for _, fd := range p.findings {
		if fd.Rule.Unassigned {
			f.Unassigned++
		}
	}
	if f.Unassigned <= fewUnassigned {
		f.Unassigned = 0
	}
	return f
}
