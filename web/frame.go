package web

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/tabular"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
)

// frame is what every page has around its content.
type frame struct {
	Name     string // of its template
	Title    string // of the view
	Of       string // what it is a view of; "": of the whole site
	At       string // the address of what is shown; "": the request's
	Theme    string // light, dark, or "" for the system's choice
	Naming   midi.Naming
	Keys     map[string]string // by the names of shortcuts
	Section  string            // of the navigation that is here
	Flash    *flash
	Refused  *refused
	Project  *projectFrame
	Document *document // what the page's forms change; nil: nothing with revisions
	Data     any
}

// Nav lists the sections of the site.
func (frame) Nav() (out []*page) {
	for _, p := range sitePages {
		if p.InNav {
			out = append(out, p)
		}
	}
	return out
}

// Views lists the pages of a project, for the tools on top and for help.
func (frame) Views() []*view { return views }

// Steps lists the stops of the road, for help.
func (frame) Steps() []*stop { return stops }

// Titles is the title of the page: "Lanes · Market Day · Hidden Lanes".
func (f frame) Titles() string {
	var parts []string
	for _, p := range []string{f.Title, f.Of, "Hidden Lanes"} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	return strings.Join(parts, " · ")
}

// OnPaper heads a printed page: what it is, of which project, and when it was printed.
func (f frame) OnPaper() string {
	return fmt.Sprintf("%s · printed %s", strings.TrimSuffix(f.Titles(), " · Hidden Lanes"),
		time.Now().Format(time.DateOnly))
}

// said is what came of an action, for those who cannot see it: what was changed since the
// revision that the browser showed, and how many problems are left.
func (f frame) said(r *http.Request) string {
	if f.Flash != nil {
		if f.Flash.Bad {
			return "" // an alert says itself
		}
		return f.Flash.Text
	}
	shown, err := strconv.ParseInt(r.Header.Get(revisionHeader), 10, 64)
	switch {
	case f.Document == nil || err != nil:
		return ""
	case shown == f.Document.Revision.Revision && r.Method == http.MethodPost:
		return "Nothing changed."
	case shown == f.Document.Revision.Revision:
		return ""
	}
	said := "Done: " + f.Document.Label
	if shown > f.Document.Revision.Revision {
		said = "Undone: " + f.Document.Redo
	}
	if f.Project != nil {
		said += "; " + plural(len(f.Project.Problems), "problem", "problems") + " left"
	}
	return said + "."
}

// HelpFor is the part of help that is for the page.
func (f frame) HelpFor() string {
	if f.Name == "help" || f.Name == "error" {
		return ""
	}
	return "#" + f.Name
}

// document is where a document stands, for undo, redo and the forms that change it.
type document struct {
	app.Revision
	On   command.Document
	Path string // "/projects/3"
	Edit string // where its forms are sent to
	Back string // the page with its query, for coming back after a change
}

func projectDocument(p *app.Project, back string) *document {
	path := fmt.Sprintf("/projects/%d", p.ID)
	return &document{p.State, command.Project, path, path + "/edit", back}
}

func instrumentDocument(in *app.Instrument, back string) *document {
	path := fmt.Sprintf("/instruments/%d", in.ID)
	return &document{in.State, command.Instrument, path, path + "/edit", back}
}

func chartDocument(c *app.Chart, back string) *document {
	return &document{c.State, command.Chart, "/house", "/house", back}
}

// flash is a message on top of a page.
type flash struct {
	Bad  bool
	Text string
	// Act and Post are a button and where it posts to, if something is offered.
	Act, Post string
}

// said is what a page says on top, and the form that was refused, to be filled in again.
type said struct {
	flash   *flash
	refused *refused
}

// refused is a form that was refused, and why.
type refused struct {
	Action string // where it was sent
	Form   url.Values
	Field  string         // the field at fault; "": none
	Cell   *tabular.Error // the cell at fault; nil: none is named
}

// wentWell says something that went well.
func wentWell(format string, args ...any) said {
	return said{flash: &flash{Text: fmt.Sprintf(format, args...)}}
}

// refusal says why something was refused.
func refusal(err error) said {
	return said{flash: &flash{Bad: true, Text: message(err)}}
}

// refusedForm is refusal for a form, which is shown again as it was typed.
func refusedForm(r *http.Request, err error) said {
	out := refusal(err)
	out.refused = &refused{Action: r.URL.Path, Form: r.PostForm, Field: fieldAtFault(err), Cell: cellAtFault(err)}
	return out
}

// page renders a page into memory first, so that a mistake in a template never
// sends half of one.
func (s *server) page(w http.ResponseWriter, r *http.Request, code int, name string, f frame) {
	if c, err := r.Cookie("theme"); err == nil && (c.Value == "light" || c.Value == "dark") {
		f.Theme = c.Value
	}
	if serveIndex(w, r, f.Data) {
		return
	}
	f.Name = name
	// Also of a request whose time is over something is shown.
	ctx, done := context.WithTimeout(context.WithoutCancel(r.Context()), 5*time.Second)
	defer done()
	prefs, err := s.app.Preferences(ctx)
	if err != nil {
		s.log.Warn("the settings could not be read; the page is shown with the usual ones", "detail", fault.Detail(err))
	}
	f.Naming, f.Keys = prefs.Naming, keysBy(prefs)
	var b bytes.Buffer
	if err = s.templates[name].ExecuteTemplate(&b, "frame", f); err == nil && f.Refused != nil {
		refill(&b, f.Refused)
	}
	if err != nil {
		s.log.Error("a page could not be made", "page", name, "detail", err.Error())
		http.Error(w, "This page could not be drawn. Nothing was changed.", http.StatusInternalServerError)
		return
	}
	if has, ok := regionsSent(r, name); ok {
		at := f.At
		if at == "" && r.Method == http.MethodGet {
			at = r.URL.RequestURI()
		}
		w.Header().Set("At", at)
		send(w, code, exchange(b.Bytes(), f.Titles(), f.said(r), has))
		return
	}
	send(w, code, withHashes(b.Bytes(), 0, b.Len(), regionsOf(b.Bytes())))
}

// fragment renders a part of a page for a place in it.
func (s *server) fragment(w http.ResponseWriter, name string, data any) {
	var b bytes.Buffer
	if err := s.templates["error"].ExecuteTemplate(&b, name, data); err != nil {
		s.log.Error("a part of a page could not be made", "part", name, "detail", err.Error())
		http.Error(w, "This could not be drawn.", http.StatusInternalServerError)
		return
	}
	send(w, http.StatusOK, b.Bytes())
}

func send(w http.ResponseWriter, code int, b []byte) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(code)
	_, _ = w.Write(b)
}

// fail shows an error as a page of its own.
func (s *server) fail(w http.ResponseWriter, r *http.Request, err error) {
	s.page(w, r, s.status(r, err), "error", frame{Title: titles[fault.Of(err)], Data: message(err)})
}

// asQuery writes a query for a link. As a plain string a template would take it for one
// value, and escape what holds its parts apart.
func asQuery(q url.Values) template.URL { return template.URL(q.Encode()) }

// keepQuery is what of a query stays.
func keepQuery(q url.Values, names ...string) url.Values {
	out := url.Values{}
	for _, k := range names {
		if v := q.Get(k); v != "" {
			out.Set(k, v)
		}
	}
	return out
}

// listView is the view of a list that a form was sent from.
func listView(f url.Values) url.Values {
	q, err := url.ParseQuery(f.Get("view"))
	if err != nil {
		return url.Values{}
	}
	return q
}

// plural and short are what templates count and cut with.
func plural(n int, one, many string) string { return words.Count(n, one, many) }
func short(n int, s string) string          { return words.Short(n, s) }
