package web

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
)

// readBase reads the form of a change and the revision it was made for.
func readBase(w http.ResponseWriter, r *http.Request) (int64, error) {
	if err := readForm(w, r); err != nil {
		return 0, err
	}
	base, err := strconv.ParseInt(r.PostForm.Get("rev"), 10, 64)
	if err != nil {
		return 0, errors.New("the page did not say which state it shows; reload it")
	}
	return base, nil
}

// readCommand reads the form of a command on a kind of document, and the revision it was
// made for.
func readCommand(w http.ResponseWriter, r *http.Request, on command.Document) (
	base int64, spec *command.Spec, v command.Value, err error) {
	if base, err = readBase(w, r); err == nil {
		spec, v, err = command.Read(on, r.PostForm)
	}
	return base, spec, v, err
}

// readForm reads a form of bounded size.
func readForm(w http.ResponseWriter, r *http.Request) error {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	return r.ParseForm()
}

// edit carries out one command on a project and goes back to the view it came from; a
// refusal shows that view again with the reason, and the form as it was typed.
func (s *server) edit(w http.ResponseWriter, r *http.Request) {
	base, spec, v, err := readCommand(w, r, command.Project)
	if err == nil {
		_, err = s.app.Do(r.Context(), command.Target{ID: idOf(r), Base: base}, spec, v)
	}
	back := r.PostForm.Get("back")
	if _, replaced := v.(command.Replace); replaced && err == nil {
		back = "lanes"
	}
	s.goBack(w, r, back, err)
}

// goBack leads to the view that a change came from, or shows it with the reason of a
// refusal.
func (s *server) goBack(w http.ResponseWriter, r *http.Request, back string, err error) {
	path, query, _ := strings.Cut(back, "?")
	v := viewAt(path)
	q, errQuery := url.ParseQuery(query)
	if errQuery != nil || v.path() != path {
		q = url.Values{}
	}
	if err == nil && !exchanges(r) {
		http.Redirect(w, r, addressOf(projectPath(idOf(r), v.path()), q), http.StatusSeeOther)
		return
	}
	p, errLoad := s.load(r)
	if errLoad != nil {
		s.fail(w, r, errLoad)
		return
	}
	if err == nil { // the regions that differ, at once
		s.show(w, r, http.StatusOK, p, v, q, said{})
		return
	}
	s.show(w, r, s.status(r, err), p, v, q, refusedForm(r, err))
}

// step serves undo and redo of a project.
func (s *server) step(dir app.Direction) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		base, err := readBase(w, r)
		if err == nil {
			if dir == app.Forward {
				_, err = s.app.Redo(r.Context(), idOf(r), base)
			} else {
				_, err = s.app.Undo(r.Context(), idOf(r), base)
			}
		}
		s.goBack(w, r, r.PostForm.Get("back"), err)
	}
}

// importForProject takes a song for the project, or a session that tells what is in
// the host.
func (s *server) importForProject(w http.ResponseWriter, r *http.Request) {
	var base int64 = -1
	back := "feeds"
	part, err := upload(w, r, maxSong, func(name, value string) {
		switch name {
		case "rev":
			if n, err := strconv.ParseInt(value, 10, 64); err == nil {
				base = n
			}
		case "back":
			back = value
		}
	})
	if err == nil {
		_, err = s.app.ImportForProject(r.Context(), idOf(r), base, part, part.FileName())
	}
	s.goBack(w, r, back, err)
}
