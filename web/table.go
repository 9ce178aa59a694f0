package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
)

// A table as pages show it: its columns, which of them it is sorted by, and the window of
// its rows that is on the page. The rows themselves are the page's; the table knows their
// names and texts, for searching, copying and moving beyond the window.

// windowRows is how many rows of a table a page holds at most, and windowColumns how many
// columns of a wide one.
const windowRows, windowColumns = 100, 64

// table is one table of a page.
type table struct {
	ID      string // of the element, and in the address
	Caption string
	Class   string
	Cells   string // what the command that types into it calls it; "": it cannot be typed into
	Post    string // where that command goes
	Columns []tableColumn
	Window  window
	IDs     []string   // of all rows, in the order shown
	Texts   [][]string // of all rows: what their named columns hold
	Clears  bool       // Delete gives a cell back to what it inherits
	Groups  []string   // of all rows, where rows can be selected: the keys of the groups each is selected by
	Aside   []bool     // of all rows: it is selected by name or group only, not with all
	Sorted  string     // by which column; "-" before it: the other way round
	address func(map[string]string) template.URL
}

// tableColumn is one column.
type tableColumn struct {
	Key    string // "": none to type into, copy or sort by
	Title  string
	Hidden bool   // its title is for those who cannot see the table
	List   string // the list that its cells are chosen from
	Kind   string // "colour"
	Number bool   // stands on the right
	Sort   bool
	Class  string
	Word   string // that help explains
}

// window is the part of a long list that is on the page, counted from 0.
type window struct {
	Name         string // in the address
	From, To, Of int
	Size         int
	One, Many    string // what is counted
	First, Prev  template.URL
	Next, Last   template.URL
	Paper        template.URL // the whole list, for paper
	Steps        []windowStep
	ID, Rows     string
	Found        bool // what is counted is what a search left
}

// windowStep is a link to a part of the list.
type windowStep struct {
	From, To int
	Here     bool
	Href     template.URL
}

// Whole reports whether all of the list is on the page.
func (w window) Whole() bool { return w.Of <= w.Size }

// addresses makes links to the page as it is, with some of the query changed; "" takes a
// name out.
func addresses(path string, q url.Values) func(map[string]string) template.URL {
	return func(change map[string]string) template.URL {
		out := url.Values{}
		for k, v := range q {
			if k != "index" {
				out[k] = v
			}
		}
		for k, v := range change {
			if v == "" {
				out.Del(k)
			} else {
				out.Set(k, v)
			}
		}
		return template.URL(addressOf(path, out))
	}
}

// windowOf is the window of a list that a query asks for: so many rows at most, or all of
// them for paper.
func windowOf(path string, q url.Values, name string, of, size int) window {
	if forPaper(q) {
		size = max(size, of)
	}
	w := window{Name: name, Of: of, Size: size, Paper: addresses(path, q)(map[string]string{"print": "1"})}
	from, _ := strconv.Atoi(q.Get(name))
	from = max(0, min(from, max(of-1, 0)))
	w.From = from - from%size
	w.To = min(w.From+size, of)
	link := addresses(path, q)
	at := func(from int) template.URL {
		if from == 0 {
			return link(map[string]string{name: ""})
		}
		return link(map[string]string{name: strconv.Itoa(from)})
	}
	if w.From > 0 {
		w.Prev = at(w.From - size)
	}
	if w.To < of {
		w.Next = at(w.To)
	}
	for f := 0; f < of; f += size {
		w.Steps = append(w.Steps, windowStep{f + 1, min(f+size, of), f == w.From, at(f)})
	}
	w.Steps = fewSteps(w.Steps)
	return w
}

// forPaper reports whether a query asks for a page to print: all of its rows are on it.
func forPaper(q url.Values) bool { return q.Has("print") }

// mostSteps is how many links to parts of a list stand beside each other.
const mostSteps = 12

// fewSteps leaves out steps that are far from where one is, the first and the last stay.
func fewSteps(all []windowStep) []windowStep {
	if len(all) <= mostSteps {
		return all
	}
	here := slices.IndexFunc(all, func(s windowStep) bool { return s.Here })
	return slices.DeleteFunc(slices.Clone(all), func(s windowStep) bool {
		i := slices.IndexFunc(all, func(x windowStep) bool { return x.From == s.From })
		every := (len(all) + mostSteps - 1) / mostSteps * 2
		return i != 0 && i != len(all)-1 && max(i-here, here-i) > 2 && i%every != 0
	})
}

// newTable makes a table of a page at an address.
func newTable(path string, q url.Values, id, caption string, columns ...tableColumn) table {
	return table{ID: id, Caption: caption, Columns: columns, Sorted: q.Get("sort-" + id), address: addresses(path, q)}
}

// FromName is what the window is called in the address.
func (t table) FromName() string { return "from-" + t.ID }

// SortName is what the order is called in the address.
func (t table) SortName() string { return "sort-" + t.ID }

// SortLink leads to the table sorted by a column, or the other way round.
func (t table) SortLink(key string) template.URL {
	to := key
	if t.Sorted == key {
		to = "-" + key
	} else if t.Sorted == "-"+key {
		to = ""
	}
	return t.address(map[string]string{t.SortName(): to, t.FromName(): ""})
}

// Order is how a column is sorted, as ARIA calls it.
func (t table) Order(key string) string {
	switch t.Sorted {
	case key:
		return "ascending"
	case "-" + key:
		return "descending"
	}
	return "none"
}

// sortRows sorts rows by the column that the address names; without one they stay as they
// are. Rows that are alike stay in their order.
func sortRows[R any](t *table, rows []R, by map[string]func(a, b R) int) {
	key := strings.TrimPrefix(t.Sorted, "-")
	compare, ok := by[key]
	if !ok {
		t.Sorted = ""
		return
	}
	slices.SortStableFunc(rows, func(a, b R) int {
		if t.Sorted != key {
			return compare(b, a)
		}
		return compare(a, b)
	})
}

// byText and byNumber compare rows by something of theirs.
func byText[R any](of func(R) string) func(a, b R) int {
	return func(a, b R) int { return cmp.Compare(strings.ToLower(of(a)), strings.ToLower(of(b))) }
}

func byNumber[R any, N cmp.Ordered](of func(R) N) func(a, b R) int {
	return func(a, b R) int { return cmp.Compare(of(a), of(b)) }
}

// selectable lets rows be selected: group gives the keys of the groups that a row is selected by, and
// whether it stays out where all are selected.
func selectable[R any](t *table, rows []R, group func(R) (keys string, aside bool)) {
	for _, r := range rows {
		keys, aside := group(r)
		t.Groups, t.Aside = append(t.Groups, keys), append(t.Aside, aside)
	}
}

// Selectable is how many rows are selected where all are.
func (t table) Selectable() (n int) {
	for _, aside := range t.Aside {
		if !aside {
			n++
		}
	}
	return n
}

// search leaves the rows whose text has all that is searched for; see termsOf.
func search[R any](rows []R, find string, text func(R) string) []R {
	return searchIn(rows, find, nil, text, nil)
}

// searchIn is search for a table whose columns can be named: "name:vln". cells are what a row has in
// them.
func searchIn[R any](rows []R, find string, columns []tableColumn, text func(R) string, cells func(R) []string) []R {
	terms := termsOf(find, columns)
	if len(terms) == 0 {
		return rows
	}
	var out []R
	for _, r := range rows {
		if !slices.ContainsFunc(terms, func(t searchTerm) bool {
			if t.column >= 0 {
				return !t.in(cells(r)[t.column])
			}
			return !t.in(text(r))
		}) {
			out = append(out, r)
		}
	}
	return out
}

// searchTerm is one thing that is searched for: a text, in the column with a number or, where that is −1,
// anywhere.
type searchTerm struct {
	text   string
	column int
	number bool
}

// termsOf takes what is searched for apart: words, each of which is found, phrases in quotes, and words
// and phrases of a column, such as name:"vln 1". A number is found as a number: 1 is not in 10.
func termsOf(find string, columns []tableColumn) (out []searchTerm) {
	column, quoted, text := -1, false, ""
	end := func() {
		if text != "" {
			_, err := strconv.Atoi(text)
			out = append(out, searchTerm{text, column, err == nil && !quoted})
		}
		column, text = -1, ""
	}
	for _, r := range strings.ToLower(find) {
		switch {
		case strings.ContainsRune("\"“”„", r):
			if quoted {
				end()
			}
			quoted = !quoted
		case quoted:
			text += string(r)
		case r == ' ' || r == '\t':
			end()
		case r == ':' && column < 0:
			column = columnNamed(columns, text)
			if text += ":"; column >= 0 {
				text = ""
			}
		default:
			text += string(r)
		}
	}
	quoted = false
	end()
	return out
}

// columnNamed is the number of the column with a key or title, among those that have one; −1: none.
func columnNamed(columns []tableColumn, name string) int {
	n := 0
	for _, c := range columns {
		if c.Key == "" {
			continue
		}
		if c.Key == name || strings.EqualFold(c.Title, name) {
			return n
		}
		n++
	}
	return -1
}

// in reports whether a text has the term.
func (t searchTerm) in(text string) bool {
	text = strings.ToLower(text)
	if !t.number {
		return strings.Contains(text, t.text)
	}
	for word := range strings.FieldsFuncSeq(text, func(r rune) bool { return r < '0' || r > '9' }) {
		if word == t.text {
			return true
		}
	}
	return false
}

// show puts the rows of the window on the page: it gives those, and keeps the names and
// texts of all.
func show[R any](t *table, path string, q url.Values, rows []R, id func(R) string, text func(R) []string) []R {
	t.Window = windowOf(path, q, t.FromName(), len(rows), windowRows)
	t.Window.Found = q.Get("find") != ""
	for _, r := range rows {
		t.IDs = append(t.IDs, id(r))
		if text != nil {
			t.Texts = append(t.Texts, text(r))
		}
	}
	return rows[t.Window.From:t.Window.To]
}

// tabled are pages whose tables can be asked for whole.
type tabled interface{ tables() []table }

// serveIndex answers with all rows of a table of the page, if the query asks for that: their
// names and the texts of their cells.
func serveIndex(w http.ResponseWriter, r *http.Request, data any) bool {
	id := r.URL.Query().Get("index")
	page, ok := data.(tabled)
	if id == "" || !ok {
		return false
	}
	for _, t := range page.tables() {
		if t.ID != id {
			continue
		}
		out := struct {
			IDs     []string   `json:"ids"`
			Columns []string   `json:"columns"`
			Rows    [][]string `json:"rows"`
			Groups  []string   `json:"groups,omitempty"`
			Aside   []bool     `json:"aside,omitempty"`
		}{IDs: t.IDs, Rows: t.Texts, Groups: t.Groups, Aside: t.Aside}
		for _, c := range t.Columns {
			if c.Key != "" {
				out.Columns = append(out.Columns, c.Key)
			}
		}
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Cache-Control", "no-store")
		_ = json.NewEncoder(w).Encode(out)
		return true
	}
	http.Error(w, fmt.Sprintf("This page has no table %q.", id), http.StatusNotFound)
	return true
}

// Label names the links to the parts of a list.
func (w window) Label() string {
	if w.Many == "" {
		return "Parts of the table"
	}
	return "Parts of the list of " + w.Many
}

// Says is which part of the list is on the page.
func (w window) Says() string {
	return fmt.Sprintf("%s %d to %d of %d", cmp.Or(w.Many, "rows"), w.From+1, w.To, w.Of)
}

// searchView is a search box that the server answers.
type searchView struct {
	Path, Label, Text string
	Keep              []hiddenField
	Press             template.HTMLAttr
}

// searchOf is the search box of a page, beside what else of its query stays.
func searchOf(path, label string, q url.Values, keep ...string) searchView {
	s := searchView{Path: path, Label: label, Text: q.Get("find")}
	for _, name := range keep {
		for _, v := range q[name] {
			s.Keep = append(s.Keep, hiddenField{name, v})
		}
	}
	return s
}

// With is the box with the key that leads to it.
func (s searchView) With(press template.HTMLAttr) searchView {
	s.Press = press
	return s
}

// placedLink leads to one instrument of a project, where a page shows one at a time.
type placedLink struct {
	Name string
	Here bool
	Href template.URL
}

// oneAtATime leaves the instrument that a query names, or the first, and gives links to all;
// with fits all of them stay.
func oneAtATime(path string, q url.Values, rows []placedRow, fits bool) ([]placedRow, []placedLink) {
	if fits || len(rows) < 2 || forPaper(q) {
		return rows, nil
	}
	here := max(0, slices.IndexFunc(rows, func(r placedRow) bool { return r.ID == q.Get("placed") }))
	link := addresses(path, q)
	var links []placedLink
	for i, r := range rows {
		links = append(links, placedLink{r.Instrument.Name, i == here, link(map[string]string{"placed": r.ID})})
	}
	return rows[here : here+1], links
}
