package web

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// newProjectPage shows the form, with what was typed where it was refused.
type newProjectPage struct {
	Instruments []newProjectRow // those that are chosen, then those that the search leaves
	Many        int             // on the shelf
	More        int             // left by the search and not on the page
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
	Starts  startsOfShelf
	Chosen  bool
}

// newProjectForm is the form for a new project, as its host is usually planned.
func newProjectForm(host plan.Host) url.Values {
	f := url.Values{"limit": {"128"}, "first": {"1"}, "sides": {"on"}}
	if host.Profile.Name == "" {
		return f
	}
	f.Set("limit", strconv.Itoa(int(host.LaneLimit)))
	if host.BlockSize > 0 {
		f.Set("block", strconv.Itoa(int(host.BlockSize)))
	}
	if !host.Sides {
		f.Del("sides")
	}
	return f
}

func (s *server) newProject(w http.ResponseWriter, r *http.Request) {
	f := r.URL.Query()
	if !f.Has("name") { // else it is the form itself, as it is being filled in
		host, err := s.app.NextHost(r.Context())
		if err != nil {
			s.fail(w, r, err)
			return
		}
		f = newProjectForm(host)
	}
	if from := r.URL.Query().Get("from"); from != "" {
		f.Set("from", from)
		f.Set("instruments", "on")
	}
	if in := r.URL.Query().Get("instrument"); in != "" {
		f.Set("choose", in)
	}
	s.showNewProject(w, r, http.StatusOK, f, said{})
}

func (s *server) showNewProject(w http.ResponseWriter, r *http.Request, code int, form url.Values, sd said) {
	ins, err := s.app.Shelf(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	usual := "10x2"
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
	p.From = append(lib.Find(app.Query{State: app.Template}), lib.Find(app.Query{})...)
	if id, err := strconv.ParseInt(form.Get("from"), 10, 64); err == nil {
		p.Chosen = lib.Entry(id)
	}
	p.From = p.From[:min(len(p.From), 300)]
	p.Many = len(ins)
	rest := slices.DeleteFunc(slices.Clone(ins),
		func(in app.ShelfRow) bool { return chosen[strconv.FormatInt(in.ID, 10)] })
	rest = search(rest, form.Get("find"), func(in app.ShelfRow) string { return in.Words })
	p.More = max(0, len(rest)-windowRows)
	ins = slices.DeleteFunc(slices.Clone(ins), func(in app.ShelfRow) bool { return !chosen[strconv.FormatInt(in.ID, 10)] })
	for _, in := range append(ins, rest[:len(rest)-p.More]...) {
		id := strconv.FormatInt(in.ID, 10)
		row := newProjectRow{ID: in.ID, Name: in.Name, Feeds: in.Feeds, Chosen: chosen[id],
			Outputs: form.Get("outputs-" + id), First: form.Get("port-" + id), Offset: form.Get("offset-" + id),
			Starts: shelfStarts(form.Get("start-"+id), in)}
		if !form.Has("outputs-" + id) {
			row.Outputs, row.First, row.Offset = in.Outputs, "1", "0"
			if row.Outputs == "" {
				row.Outputs = usual
			}
		}
		p.Instruments = append(p.Instruments, row)
	}
	s.page(w, r, code, "new-project", frame{Title: "New project", Section: "projects", Flash: sd.flash,
		Refused: sd.refused, Data: p})
}

func (s *server) createProject(w http.ResponseWriter, r *http.Request) {
	if err := readForm(w, r); err != nil {
		s.fail(w, r, err)
		return
	}
	n, err := readNewProject(r.PostForm)
	if err == nil {
		var id int64
		if id, err = s.app.Create(r.Context(), n); err == nil {
			to := projectPath(id, "proposal")
			switch {
			case n.From != 0 && len(n.Choices) == 0:
				to = projectPath(id, "lanes")
			case len(n.Choices) == 0:
				to = projectPath(id, "feeds")
			}
			http.Redirect(w, r, to, http.StatusSeeOther)
			return
		}
	}
	s.showNewProject(w, r, s.status(r, err), r.PostForm, refusedForm(r, err))
}

func readNewProject(f url.Values) (n app.NewProject, err error) {
	n.Name = f.Get("name")
	if from := f.Get("from"); from != "" {
		if n.From, err = strconv.ParseInt(from, 10, 64); err != nil {
			return n, errors.New("choose the project to begin from")
		}
		n.Instruments = f.Has("instruments")
	}
	host, err := command.ReadPart[command.SetHost](f, "")
	if err != nil {
		return n, err
	}
	n.Host = host.Host()
	for _, c := range f["choose"] {
		choice, err := command.ReadPart[choiceForm](f, "-"+c)
		if err != nil {
			return n, err
		}
		id, err := strconv.ParseInt(c, 10, 64)
		if err != nil {
			return n, errors.New("choose an instrument")
		}
		n.Choices = append(n.Choices, app.Choice{Instrument: id, Setup: app.Setup{Outputs: choice.Outputs,
			FirstPort: max(choice.Port, 1), Offset: choice.Offset, Start: app.StartChoice(choice.Start)}})
	}
	return n, nil
}

// choiceForm is how one instrument of a new project is set up; its fields end in the
// instrument's number.
type choiceForm struct {
	Outputs []rig.Run `form:"outputs"`
	Port    rig.Port  `form:"port,optional" says:"the first port"`
	Offset  int       `form:"offset,optional,min=-1024" says:"the offset"`
	Start   string    `form:"start,optional"`
}
