package web

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/core/role"
)

// shelfRow is one instrument on the shelf.
type shelfRow struct {
	app.ShelfRow
	New bool
}

type shelfPage struct {
	Rows     []shelfRow
	Families []string
	Warnings []string
}

func (s *server) shelf(w http.ResponseWriter, r *http.Request) {
	s.showShelf(w, r, http.StatusOK, said{}, nil, nil)
}

func (s *server) showShelf(w http.ResponseWriter, r *http.Request, code int, sd said, fresh []int64,
	warnings []string) {
	rows, err := s.app.Shelf(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := shelfPage{Warnings: warnings}
	there := map[string]bool{}
	for _, in := range rows {
		p.Rows = append(p.Rows, shelfRow{in, slices.Contains(fresh, in.ID)})
		there[in.Family] = true
	}
	for _, f := range role.Roots() {
		if there[f] {
			p.Families = append(p.Families, f)
		}
	}
	if id, err := strconv.ParseInt(r.URL.Query().Get("removed"), 10, 64); err == nil && sd.flash == nil {
		if in, err := s.app.Instrument(r.Context(), id); err == nil && in.Removed {
			sd.flash = &flash{Text: in.Name + " is off the shelf.", Act: "Put it back",
				Post: fmt.Sprintf("/instruments/%d/remove?back=1", id)}
		}
	}
	s.page(w, r, code, "instruments", frame{Title: "Instruments", Section: "instruments", Flash: sd.flash, Data: p})
}

func (s *server) importInstruments(w http.ResponseWriter, r *http.Request) {
	part, err := upload(w, r, maxInstrument, nil)
	if err == nil {
		im, errIn := s.app.ImportInstruments(r.Context(), part, part.FileName())
		if err = errIn; err == nil {
			s.showImported(w, r, im, part.FileName())
			return
		}
	}
	s.showShelf(w, r, s.status(r, err), refusedImport(err), nil, nil)
}

// refusedImport says why an instrument was refused, and that nothing came of it.
func refusedImport(err error) said {
	sd := refusal(err)
	sd.flash.Text += " Nothing was put on the shelf."
	return sd
}

func (s *server) showImported(w http.ResponseWriter, r *http.Request, im *app.Imported, name string) {
	text := fmt.Sprintf("%s from %s. Make a project with one of them.",
		plural(im.Added, "new instrument", "new instruments"), name)
	if im.Added == 0 {
		text = fmt.Sprintf("All of %s is on the shelf already.", name)
	}
	s.showShelf(w, r, http.StatusOK, wentWell("%s", text), im.IDs, im.Warnings)
}

// importFolder takes a folder of files that belong together, one part each.
func (s *server) importFolder(w http.ResponseWriter, r *http.Request) {
	im, name, err := s.readFolder(w, r)
	if err != nil {
		s.showShelf(w, r, s.status(r, err), refusedImport(err), nil, nil)
		return
	}
	s.showImported(w, r, im, name)
}

func (s *server) readFolder(w http.ResponseWriter, r *http.Request) (*app.Imported, string, error) {
	r.Body = http.MaxBytesReader(w, r.Body, maxInstrument)
	m, err := r.MultipartReader()
	if err != nil {
		return nil, "", errors.New("no folder came along; choose one first")
	}
	var f app.Folder
	name := "the folder"
	for {
		part, err := nextPart(m)
		if err != nil {
			return nil, name, err
		}
		if part == nil {
			break
		}
		// The path of a file in its folder stands in the header; FileName would cut it.
		_, params, err := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		if err != nil || params["filename"] == "" {
			continue
		}
		name, _, _ = strings.Cut(params["filename"], "/")
		if err := f.Add(params["filename"], part); err != nil {
			return nil, name, err
		}
	}
	im, err := s.app.ImportFolder(r.Context(), &f, name)
	return im, name, err
}

func idOf(r *http.Request) int64 {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return -1
	}
	return id
}

func (s *server) removeInstrument(w http.ResponseWriter, r *http.Request) {
	s.remove(w, r, "/instruments", s.app.RemoveInstrument)
}

// remove takes something off its list, or puts it back where the query asks for
// that, and shows the list again.
func (s *server) remove(w http.ResponseWriter, r *http.Request, list string, mark func(ctx context.Context, id int64,
	removed bool) error) {
	back := r.URL.Query().Get("back") != ""
	if err := mark(r.Context(), idOf(r), !back); err != nil {
		s.fail(w, r, err)
		return
	}
	_ = readForm(w, r) // without a view it goes as well
	q := listView(r.PostForm)
	if !back {
		q.Set("removed", chi.URLParam(r, "id"))
	}
	http.Redirect(w, r, addressOf(list, q), http.StatusSeeOther)
}
