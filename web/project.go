package web

import (
	"net/http"
	"net/url"

	"hiddenlanes/app"
	"hiddenlanes/core/analysis"
	"hiddenlanes/core/check"
	"hiddenlanes/core/road"
)

// project is a project with everything that the views compute from it.
type project struct {
	*app.Project
	*analysis.Analysis
}

func (s *server) load(r *http.Request) (*project, error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		return nil, err
	}
	return &project{p, app.AnalysisOf(p)}, nil
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
	Problems   []check.Problem
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
	f := &projectFrame{Project: p.Project, View: v.Name, Problems: p.Problems, Left: p.Left().Settings}
	stages := road.Of(p.Graph, p.Problems, p.Left())
	for _, at := range stops {
		f.Stops = append(f.Stops, stopOnRoad{stop: at, State: stages[at.Stage], Here: at.view == v && at.Anchor == "",
			Href: projectPath(p.ID, at.view.path()) + at.Anchor})
	}
	for _, fd := range p.Problems {
		if fd.Rule.Unassigned {
			f.Unassigned++
		}
	}
	if f.Unassigned <= fewUnassigned {
		f.Unassigned = 0
	}
	return f
}
