package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"mime"
	"net/http"
	"net/url"
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
	Table    table
	Rows     []shelfRow // those on the page
	Any      bool
	Search   searchView
	Families []familyLink
	Warnings []string
	New      newList
}

// newList is the form of a new instrument, filled in from a start where one is asked for.
type newList struct {
	Open   bool
	Starts []app.ListStart
	Start  string
	Count  int
	Names  string
	Roles  choices
}

func newListOf(q url.Values, open bool) newList {
	n := newList{Open: open, Starts: app.ListStarts(), Start: q.Get("start"), Roles: choices{ID: "list-roles"}}
	n.Count, _ = strconv.Atoi(q.Get("count"))
	n.Count = min(max(n.Count, 0), windowRows)
	for _, s := range n.Starts {
		if s.Key == n.Start {
			n.Open, n.Names = true, s.Names(cmp.Or(n.Count, s.Usual))
		}
	}
	for _, r := range role.All() {
		n.Roles.List = append(n.Roles.List, string(r))
	}
	return n
}

// readList tells the script what the lines of a list are read as.
func (s *server) readList(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	var answer struct {
		Lines []app.Listed `json:"lines"`
		Error string       `json:"error,omitempty"`
	}
	if err == nil && strings.TrimSpace(r.PostForm.Get("names")) != "" {
		answer.Lines, err = s.app.ReadList(r.Context(), r.PostForm.Get("names"))
	}
	if err != nil {
		answer.Error = message(err)
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(answer)
}

func (s shelfPage) tables() []table { return []table{s.Table} }

// familyLink leads to the instruments of one family; "" is all.
type familyLink struct {
	Name string
	Here bool
	Href template.URL
}

var shelfColumns = []tableColumn{
	{Key: "name", Title: "Instrument", Sort: true}, {Key: "kind", Title: "Kind", Sort: true},
	{Key: "feeds", Title: "Feeds", Number: true, Sort: true}, {Key: "voices", Title: "Voices", Number: true, Sort: true},
	{Key: "microphones", Title: "Microphones", Number: true, Sort: true},
	{Key: "parts", Title: "Parts", Number: true, Sort: true}, {Key: "outputs", Title: "Delivered outputs"},
	{Key: "source", Title: "Source", Sort: true}, {Title: "Actions", Hidden: true},
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
	q := r.URL.Query()
	if r.URL.Path != "/instruments" { // what another page's form led to
		q = url.Values{}
	}
	p := shelfPage{Warnings: warnings, New: newListOf(r.URL.Query(), len(rows) == 0), Any: len(rows) > 0,
		Search: searchOf("/instruments", "Search name, voice, microphone", q, "family", "sort-list")}
	there := map[string]bool{}
	var all []shelfRow
	for _, in := range rows {
		there[in.Family] = true
		if only := q.Get("family"); only == "" || only == in.Family {
			all = append(all, shelfRow{in, slices.Contains(fresh, in.ID)})
		}
	}
	t := newTable("/instruments", q, "list", "Instruments", shelfColumns...)
	p.Families = append(p.Families, familyLink{"all", q.Get("family") == "",
		t.address(map[string]string{"family": "", t.FromName(): ""})})
	for _, f := range role.Roots() {
		if there[f] {
			p.Families = append(p.Families, familyLink{f, q.Get("family") == f,
				t.address(map[string]string{"family": f, t.FromName(): ""})})
		}
	}
	all = search(all, q.Get("find"), func(r shelfRow) string { return r.Words })
	sortRows(&t, all, map[string]func(a, b shelfRow) int{
		"name":        byText(func(r shelfRow) string { return r.Name }),
		"kind":        byText(func(r shelfRow) string { return r.Family }),
		"feeds":       byNumber(func(r shelfRow) int { return r.Feeds }),
		"voices":      byNumber(func(r shelfRow) int { return r.Voices }),
		"microphones": byNumber(func(r shelfRow) int { return r.Microphones }),
		"parts":       byNumber(func(r shelfRow) int { return r.Parts }),
		"source":      byText(func(r shelfRow) string { return r.Origin }),
	})
	if len(fresh) > 0 { // what was just imported comes first
		slices.SortStableFunc(all, func(a, b shelfRow) int { return order(a.New) - order(b.New) })
	}
	p.Rows = show(&t, "/instruments", q, all, func(r shelfRow) string { return fmt.Sprint(r.ID) },
		func(r shelfRow) []string {
			return []string{r.Name, r.Family, fmt.Sprint(r.Feeds), fmt.Sprint(r.Voices), fmt.Sprint(r.Microphones),
				fmt.Sprint(r.Parts), r.Outputs, r.Origin}
		})
	t.Window.Many = "instruments"
	p.Table = t
	if id, err := strconv.ParseInt(r.URL.Query().Get("removed"), 10, 64); err == nil && sd.flash == nil {
		if in, err := s.app.Instrument(r.Context(), id); err == nil && in.Removed {
			sd.flash = &flash{Text: in.Name + " was removed.", Act: "Undo remove",
				Post: fmt.Sprintf("/instruments/%d/remove?back=1", id)}
		}
	}
	s.page(w, r, code, "instruments", frame{Title: "Instruments", At: addressOf("/instruments", q),
		Section: "instruments", Flash: sd.flash, Refused: sd.refused, Data: p})
}

func order(isNew bool) int {
	if isNew {
		return 0
	}
	return 1
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
	sd.flash.Text += " Nothing was imported."
	return sd
}

func (s *server) showImported(w http.ResponseWriter, r *http.Request, im *app.Imported, name string) {
	text := fmt.Sprintf("Imported %s from %s. Add a project with one of them.",
		plural(im.Added, "new instrument", "new instruments"), name)
	if im.Added == 0 {
		text = fmt.Sprintf("Everything in %s is imported already.", name)
	}
	s.showShelf(w, r, http.StatusOK, wentWell("%s", text), im.IDs, im.Warnings)
}

// listInstrument makes an instrument of a list of names that was typed or pasted.
func (s *server) listInstrument(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	if err == nil {
		var im *app.Imported
		if im, err = s.app.ListInstrument(r.Context(), r.PostForm.Get("name"), r.PostForm.Get("names")); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/instruments/%d", im.IDs[0]), http.StatusSeeOther)
			return
		}
	}
	s.showShelf(w, r, s.status(r, err), refusedForm(r, err), nil, nil)
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
