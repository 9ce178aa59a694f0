package web

import (
	"bytes"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"net/url"
	"path"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/store"
)

// pages are the parsed templates, one set for each page with the common frame.
type pages map[string]*template.Template

func (p *pages) parse() error {
	*p = pages{}
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil {
		return err
	}
	funcs := template.FuncMap{
		"keys":    patchsheet.KeysInShort,
		"list":    func(items ...any) []any { return items },
		"add":     func(a, b int) int { return a + b },
		"mul":     func(a, b int) int { return a * b },
		"plural":  plural,
		"short":   short,
		"lower":   strings.ToLower,
		"strip":   strip,
		"ordinal": func(i int) int { return i + 1 },
		"deref": func(p *int) int {
			if p == nil {
				return -1
			}
			return *p
		},
	}
	for _, n := range names {
		base := path.Base(n)
		if strings.HasPrefix(base, "_") {
			continue
		}
		t, err := template.New(base).Funcs(funcs).ParseFS(files, "templates/_*.html", n)
		if err != nil {
			return err
		}
		(*p)[strings.TrimSuffix(base, ".html")] = t
	}
	return nil
}

// strip draws lanes' colours side by side, narrower where they are many.
func strip(colours string) template.HTML {
	var b strings.Builder
	all := strings.Fields(colours)
	fmt.Fprintf(&b, `<g transform="scale(%.3g 1)">`, min(1, stripWidth/float64(7*len(all)+1)))
	for i, c := range all {
		if plainColour(c) {
			fmt.Fprintf(&b, `<path d="M%d 1v10" stroke="%s"/>`, 3+7*i, c)
		}
	}
	b.WriteString("</g>")
	return template.HTML(b.String()) // nothing but numbers and colours that were looked at
}

// stripWidth is how wide the strip of lanes is in a list, in CSS pixels.
const stripWidth = 160

func plainColour(c string) bool {
	return len(c) == 7 && c[0] == '#' && strings.Trim(c[1:], "0123456789abcdefABCDEF") == ""
}

// asQuery writes a query for a link. As a plain string a template would take it for one
// value, and escape what holds its parts apart.
func asQuery(q url.Values) template.URL { return template.URL(q.Encode()) }

// kept is what of a query stays.
func kept(q url.Values, names ...string) url.Values {
	out := url.Values{}
	for _, k := range names {
		if v := q.Get(k); v != "" {
			out.Set(k, v)
		}
	}
	return out
}

// viewOf is the view of a list that a form was sent from.
func viewOf(f url.Values) url.Values {
	q, err := url.ParseQuery(f.Get("view"))
	if err != nil {
		return url.Values{}
	}
	return q
}

// short cuts a name to n characters for a place that holds no more.
func short(n int, s string) string {
	if r := []rune(s); len(r) > n {
		return strings.TrimSpace(string(r[:n-1])) + "…"
	}
	return s
}

func plural(n int, one, many string) string {
	if n == 1 {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %s", n, many)
}

// frame is what every page has around its content.
type frame struct {
	Title   string
	Theme   string // light, dark, or "" for the system's choice
	Naming  midi.Naming
	Section string // projects or instruments
	Flash   *flash
	Project *projectFrame
	Walk    *walk // undo and redo, on pages of a document
	Data    any
}

// walk is where a document stands, for undo, redo and forms that change it.
type walk struct {
	store.State
	Path string // "/projects/3"
	Back string // the page with its query, for coming back after a change
}

// flash is a message on top of a page.
type flash struct {
	Bad  bool
	Text string
	// Act and Post are a button and where it posts to, if something is offered.
	Act, Post string
}

// page renders a page into memory first, so that a mistake in a template never
// sends half of one.
func (s *server) page(w http.ResponseWriter, r *http.Request, code int, name string, f frame) {
	if c, err := r.Cookie("theme"); err == nil && (c.Value == "light" || c.Value == "dark") {
		f.Theme = c.Value
	}
	var err error
	if f.Naming, err = s.app.Naming(r.Context()); err != nil {
		s.log.Error("reading the settings", "error", err)
	}
	var b bytes.Buffer
	if err := s.pages[name].ExecuteTemplate(&b, "frame", f); err != nil {
		s.log.Error("rendering", "page", name, "error", err)
		http.Error(w, "This page could not be drawn. Nothing was changed.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(code)
	_, _ = b.WriteTo(w)
}

// fragment renders a part of a page for a place in it.
func (s *server) fragment(w http.ResponseWriter, name string, data any) {
	var b bytes.Buffer
	if err := s.pages["error"].ExecuteTemplate(&b, name, data); err != nil {
		s.log.Error("rendering", "part", name, "error", err)
		http.Error(w, "This could not be drawn.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = b.WriteTo(w)
}

// fail shows an error as a page of its own.
func (s *server) fail(w http.ResponseWriter, r *http.Request, err error) {
	s.page(w, r, status(err), "error", frame{Title: "Not this way", Data: message(err)})
}
