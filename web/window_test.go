package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"golang.org/x/net/html"
)

// A page of a long table holds a window of it; arrow keys, search, copying and pasting go
// beyond it by the server's index.
func TestALongTableIsWorkedInBeyondItsWindow(t *testing.T) {
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	s, id := large(t, 10, 0)
	p := sitAt(t, s)
	path := projectPath(id, "lanes")
	p.goTo(path)
	rows := func() int { return see[int](p, `document.querySelectorAll("#lanes tbody tr").length`) }
	if rows() != windowRows {
		t.Errorf("the page holds %d rows; want %d", rows(), windowRows)
	}
	// Down from the last row of the window, and to the end.
	see[bool](p, `(document.querySelector("#lanes tbody tr:last-child [data-col=name]").focus(), true)`)
	p.press(kb.ArrowDown)
	p.do(chromedp.WaitReady(chromedp.CSS(`#lanes[data-from="100"] [data-col=name]:focus`)))
	p.settled()
	if at := see[string](p, `document.activeElement.parentElement.getAttribute("aria-rowindex")`); at != "102" {
		t.Errorf("down leads to row %s; want 102, the 101st below the head", at)
	}
	p.press(kb.End, with(chromedp.ModifierCtrl))
	p.do(chromedp.WaitReady(chromedp.CSS(`#lanes[data-from="500"] :focus`)))
	p.settled()
	// Without the script links lead there.
	if _, body := s.get(t, path+"?from-lanes=200"); !strings.Contains(body, `rel="next"`) ||
		!strings.Contains(body, `aria-rowindex="202"`) {
		t.Error("links do not lead to the third hundred")
	}
	// The search is the server's.
	if _, body := s.get(t, path+"?find="+url.QueryEscape("lane 9-49")); strings.Count(body, "data-id=") != 1 {
		t.Error("a lane beyond the window is not found")
	}
	// The index has all, for copying; it is pasted beyond the window as one change.
	var whole struct {
		IDs     []string
		Columns []string
		Rows    [][]string
	}
	_, body := s.get(t, path+"?index=lanes")
	if err := json.Unmarshal([]byte(body), &whole); err != nil || len(whole.IDs) != 510 || len(whole.Rows) != 510 ||
		len(whole.Rows[0]) != len(whole.Columns) {
		t.Fatalf("the index has %d rows, %v", len(whole.IDs), err)
	}
	p.goTo(path)
	see[bool](p, `(document.querySelector("#lanes tbody tr:nth-child(99) [data-col=name]").focus(), true)`)
	p.changes(func() {
		see[bool](p, `(() => { const d = new DataTransfer(); d.setData("text/plain", "P1\nP2\nP3\nP4\nP5");
			document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); return true; })()`)
	})
	_, body = s.get(t, path+"?index=lanes")
	if err := json.Unmarshal([]byte(body), &whole); err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, r := range whole.Rows[98:103] {
		names = append(names, r[1])
	}
	if got := strings.Join(names, " "); got != "P1 P2 P3 P4 P5" {
		t.Errorf("pasted across the edge of the window: %q", got)
	}
}

// Tables are sorted by what their heads say, the other way round the second time, and that
// stays in the address.
func TestTablesAreSorted(t *testing.T) {
	s := start(t, true)
	first := func(path string) string {
		_, body := s.get(t, path)
		m := regexp.MustCompile(`data-col="name"[^>]*>\s*(?:<a [^>]*>)?\s*([^<]+?)\s*<`).FindStringSubmatch(
			body[strings.Index(body, "<tbody"):])
		return m[1]
	}
	for path, want := range map[string][2]string{
		"/instruments":     {"Brinework Kit", "Saltpan Section"},
		fogBell + "/lanes": {"Cymbals", "Speech"},
		fogBell + "/feeds": {"Bell Tree", "Woodblock"},
	} {
		id := map[string]string{"/instruments": "list", fogBell + "/lanes": "lanes", fogBell + "/feeds": "feeds"}[path]
		for i, key := range []string{"name", "-name"} {
			if got := first(path + "?sort-" + id + "=" + key); got != want[i] {
				t.Errorf("%s by %s begins with %q; want %q", path, key, got, want[i])
			}
		}
		_, body := s.get(t, path+"?sort-"+id+"=name")
		if !strings.Contains(body, `aria-sort="ascending"`) || !strings.Contains(body, "sort-"+id+"=-name") {
			t.Errorf("%s does not say how it is sorted, or offers no other way round", path)
		}
	}
}

// Without the script every form has a button that sends it, and a row of a table is a form
// of its own.
func TestEveryFormWorksWithoutScript(t *testing.T) {
	s := start(t, true)
	for _, path := range append(everyPage(), "/projects/1/lanes", "/projects/2/parts", fogBell+"/?feed=i1:stop",
		fogBell+"/?lane=l10",
		fogBell+"/replace?to=2", "/drift?preview=1") {
		_, body := s.get(t, path)
		root, err := html.ParseWithOptions(strings.NewReader(body), html.ParseOptionEnableScripting(false))
		if err != nil {
			t.Fatal(err)
		}
		for n := range root.Descendants() {
			if n.Type != html.ElementNode || n.Data != "form" {
				continue
			}
			sends, typed := 0, 0
			for f := range fieldsOf(root, n) {
				switch {
				case f.Data == "button" && attr(f, "type") != "button":
					sends++
				case f.Data != "button" && attr(f, "type") != "hidden" && !has(f, "disabled"):
					typed++
				}
			}
			if sends == 0 && typed > 0 {
				t.Errorf("%s: the form to %s #%s has %d fields and no button", path, attr(n, "action"), attr(n, "id"), typed)
			}
		}
	}
	// A row as a form, sent as a browser does.
	_, body := s.get(t, fogBell+"/lanes?edit-lanes=l10")
	root, err := html.Parse(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	form := url.Values{}
	for n := range root.Descendants() {
		if n.Data == "input" && within(n, "form") && strings.Contains(attr(nodeAbove(n, "form"), "class"), "rowform") {
			form.Add(attr(n, "name"), attr(n, "value"))
		}
	}
	for i, col := range form["col"] {
		if col == "name" {
			form["value"][i] = "Edited by hand"
		}
	}
	if code, body := s.post(t, fogBell+"/edit", form); code != http.StatusOK || !strings.Contains(body, "Edited by hand") {
		t.Errorf("the row is sent as %v: %d %s", form, code, flashOf(body))
	}
	if got := s.bundle(t, fogBell); got.Lane("l10").Name != "Edited by hand" || got.Lane("l10").Number == 0 {
		t.Errorf("the row is %+v", got.Lane("l10"))
	}
}

var regionsIn = regexp.MustCompile(`<[^>]*\sid="([^"]+)"[^>]*data-region="([^"]+)"`)

// regionsHad are the regions of a page as the script says that it has them.
func regionsHad(page string) string {
	var have []string
	for _, m := range regionsIn.FindAllStringSubmatch(page, -1) {
		have = append(have, m[1]+"="+m[2])
	}
	return strings.Join(have, " ")
}

// exchange sends a form as the script does that has regions of a page.
func (s site) exchange(tb testing.TB, page, had, path string, form url.Values) (int, string) {
	tb.Helper()
	r, err := http.NewRequest(http.MethodPost, s.URL+path, strings.NewReader(form.Encode()))
	if err != nil {
		tb.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set(regionsHeader, had)
	r.Header.Set(pageHeader, page)
	r.Header.Set(revisionHeader, form.Get("rev"))
	resp, err := s.Client().Do(r)
	return read(tb, resp, err)
}

// A change of one row is answered by that row and what counts it, and nothing else.
func TestAChangeIsAnsweredByWhatItChanged(t *testing.T) {
	s := start(t, true)
	_, body := s.get(t, fogBell+"/lanes")
	if n := len(regionsIn.FindAllString(body, -1)); n < 15 {
		t.Fatalf("the page has %d regions", n)
	}
	_, answer := s.exchange(t, "lanes", regionsHad(body), fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)},
		"back": {"lanes"}, "do": {"name"}, "lane": {"l10"}, "name": {"New name"}})
	var got []string
	for _, m := range regexp.MustCompile(`<template><\w+[^>]*\sid="([^"]+)"`).FindAllStringSubmatch(answer, -1) {
		got = append(got, m[1])
	}
	if fmt.Sprint(got) != "[top row-l10 state]" || !strings.Contains(answer, "<output>Done: rename lane") {
		t.Errorf("a rename is answered by %q, and says %.120s; want the row, the line of undo and the revision", got,
			answer[strings.Index(answer, "<output"):])
	}
}

func has(n *html.Node, key string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == key })
}

// Of many parts of a list links lead to the first, the last and those around the one that is shown.
func TestFarStepsAreLeftOut(t *testing.T) {
	steps := func(n, here int) (out []windowStep) {
		for i := range n {
			out = append(out, windowStep{From: i * 100, Here: i == here})
		}
		return out
	}
	if got := len(fewSteps(steps(mostSteps, 3))); got != mostSteps {
		t.Errorf("of %d parts %d have links; want all", mostSteps, got)
	}
	for _, here := range []int{0, 17, 39} {
		left := map[int]bool{}
		for _, s := range fewSteps(steps(40, here)) {
			left[s.From/100] = true
		}
		for _, i := range []int{0, 39, max(here-2, 0), min(here+2, 39), here} {
			if !left[i] {
				t.Errorf("at part %d of 40 there is no link to %d: %v", here, i, left)
			}
		}
		if len(left) > mostSteps {
			t.Errorf("at part %d of 40 there are %d links; want at most %d", here, len(left), mostSteps)
		}
	}
}
