package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/store"
)

// shelfRow is one instrument on the shelf.
type shelfRow struct {
	store.Instrument
	Feeds   int
	Outputs string
	New     bool
}

type shelfPage struct {
	Rows     []shelfRow
	Warnings []string
}

func (s *server) shelf(w http.ResponseWriter, r *http.Request) {
	s.showShelf(w, r, http.StatusOK, nil, nil, nil)
}

func (s *server) showShelf(w http.ResponseWriter, r *http.Request, code int, fl *flash, fresh []int64, warnings []string) {
	ins, err := s.app.Instruments(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := shelfPage{Warnings: warnings}
	isNew := map[int64]bool{}
	for _, id := range fresh {
		isNew[id] = true
	}
	for _, in := range ins {
		p.Rows = append(p.Rows, shelfRow{in, len(in.Rig.Feeds()), rig.FormatRuns(in.Rig.Delivered), isNew[in.ID]})
	}
	if id, err := strconv.ParseInt(r.URL.Query().Get("removed"), 10, 64); err == nil && fl == nil {
		if in, err := s.app.Instrument(r.Context(), id); err == nil && in.Removed {
			fl = &flash{Text: in.Name + " is off the shelf.", PutBack: fmt.Sprintf("/instruments/%d/remove?back=1", id)}
		}
	}
	s.page(w, r, code, "instruments", frame{Title: "Instruments", Section: "instruments", Flash: fl, Data: p})
}

// upload finds the first file of a multipart body and hands it on as a stream.
func upload(w http.ResponseWriter, r *http.Request, limit int64, fields func(name, value string)) (*multipart.Part, error) {
	r.Body = http.MaxBytesReader(w, r.Body, limit)
	m, err := r.MultipartReader()
	if err != nil {
		return nil, errors.New("no file came along; choose one first")
	}
	for {
		part, err := m.NextPart()
		if errors.Is(err, io.EOF) {
			return nil, errors.New("no file came along; choose one first")
		}
		if err != nil {
			return nil, fmt.Errorf("the upload broke off: %w", err)
		}
		if part.FileName() != "" {
			return part, nil
		}
		if part.FormName() == "file" {
			return nil, errors.New("no file is chosen; choose one first")
		}
		value, err := io.ReadAll(io.LimitReader(part, 4096))
		if err != nil {
			return nil, err
		}
		if fields != nil {
			fields(part.FormName(), string(value))
		}
	}
}

func (s *server) importInstruments(w http.ResponseWriter, r *http.Request) {
	part, err := upload(w, r, maxInstrument, nil)
	if err == nil {
		im, errIn := s.app.ImportInstruments(r.Context(), part, part.FileName())
		if err = errIn; err == nil {
			text := fmt.Sprintf("%s from %s. Make a project with one of them.", plural(im.Added, "new instrument", "new instruments"), part.FileName())
			if im.Added == 0 {
				text = fmt.Sprintf("All of %s is on the shelf already.", part.FileName())
			}
			s.showShelf(w, r, http.StatusOK, &flash{Text: text}, im.IDs, im.Warnings)
			return
		}
	}
	s.showShelf(w, r, status(err), &flash{Bad: true, Text: message(err) + " Nothing was put on the shelf."}, nil, nil)
}

func idOf(r *http.Request) int64 {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return -1
	}
	return id
}

type instrumentPage struct {
	*store.Instrument
	Feeds   []rig.Feed
	Outputs []rig.Output
	Runs    string
	Mics    map[string]string
}

func (s *server) instrument(w http.ResponseWriter, r *http.Request) {
	in, err := s.app.Instrument(r.Context(), idOf(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := instrumentPage{Instrument: in, Feeds: in.Rig.Feeds(), Outputs: rig.Lay(in.Rig.Delivered, 1), Runs: rig.FormatRuns(in.Rig.Delivered), Mics: map[string]string{}}
	for _, m := range in.Rig.Microphones {
		p.Mics[m.ID] = m.Name
	}
	s.page(w, r, http.StatusOK, "instrument", frame{Title: in.Name, Section: "instruments", Data: p})
}

func (s *server) removeInstrument(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/instruments", s.app.RemoveInstrument)
}

// settings keeps the theme (in this browser) and what middle C is called.
func (s *server) settings(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	if t := r.PostFormValue("theme"); t != "" {
		http.SetCookie(w, &http.Cookie{Name: "theme", Value: t, Path: "/", MaxAge: 400 * 24 * 3600, SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
	if c := r.PostFormValue("middlec"); c != "" {
		n := midi.MiddleC3
		if c == "C4" {
			n = midi.MiddleC4
		}
		if err := s.app.SetNaming(r.Context(), n); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	to := r.PostFormValue("back")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		to = "/help"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// remove takes something off its list, or puts it back where the query asks for
// that, and shows the list again.
func (s *server) remove(w http.ResponseWriter, r *http.Request, list string, mark func(ctx context.Context, id int64, removed bool) error) {
	back := r.URL.Query().Get("back") != ""
	if err := mark(r.Context(), idOf(r), !back); err != nil {
		s.fail(w, r, err)
		return
	}
	if !back {
		list += "?removed=" + chi.URLParam(r, "id")
	}
	http.Redirect(w, r, list, http.StatusSeeOther)
}
