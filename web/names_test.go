package web

import (
	"cmp"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/edits"
	"hiddenlanes/internal/testkit"
)

// internalName is how documents name their things: instruments, lanes, parts, voices and what refers to
// them. People name them by their names and numbers.
var internalName = regexp.MustCompile(`(?:^|[\s“"'(,:])((?:lane|feed|output|instrument|send|part|block|track):[a-z]?\d[\w:.]*` +
	`|[ilpvmrfk]\d+:[\w.]+|[il]\d+)(?:$|[\s”"'),.:;])`)

// spoken are the texts that a page says: those that are seen, titles, and what readers of the screen
// are told.
func spoken(t *testing.T, page string) (out []string) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	for n := range root.Descendants() {
		switch {
		case n.Type == html.TextNode && !slices.Contains([]string{"script", "style"}, n.Parent.Data):
			out = append(out, strings.TrimSpace(n.Data))
		case n.Type == html.ElementNode:
			for _, key := range []string{"title", "aria-label", "alt", "placeholder", "aria-description"} {
				out = append(out, attr(n, key))
			}
			if n.Data == "input" && !slices.Contains([]string{"hidden", "checkbox", "radio"}, attr(n, "type")) {
				out = append(out, attr(n, "value"))
			}
		}
	}
	return out
}

// Nothing that people read names a thing as documents do.
func TestNoInternalNameIsRead(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	wide := testkit.Wide(t, 3, 8)
	wide.Name = "Wide"
	testkit.Edit(t, wide, edits.AddBus("Group", 0, nil))
	broken := wide.Clone()
	broken.Name = "Broken"
	broken.Lanes[0].Sources, broken.Lanes[1].To = nil, broken.Buses()[0].ID
	broken.Lanes[2].Sources = append(broken.Lanes[2].Sources, broken.Lanes[3].Sources...)
	broken.Patched = wide.AsPlanned()
	if _, err := s.app.CreateProjects(t.Context(), wide, broken); err != nil {
		t.Fatal(err)
	}
	rows, err := s.app.Projects(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	looked, sheets := 0, 0
	look := func(where string, texts ...string) {
		t.Helper()
		for _, text := range texts {
			looked++
			if m := internalName.FindStringSubmatch(text); m != nil {
				t.Errorf("%s says %q, in %.160q; want the name or the number of the thing", where, m[1], text)
			}
		}
	}
	for _, row := range rows {
		for _, p := range Pages() {
			at := p.At(row.ID)
			code, body := s.get(t, at)
			if code != http.StatusOK && strings.HasPrefix(p.Path, "/projects/") {
				t.Fatalf("%s: %d", at, code)
			}
			look(at+" of "+row.Name, spoken(t, body)...)
		}
		p, err := s.app.Project(t.Context(), row.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range app.ProjectFiles() {
			if !slices.Contains(f.Extensions, ".csv") { // others are for programs, which go by IDs
				continue
			}
			sheets++
			var b strings.Builder
			if err := s.app.ExportAs(t.Context(), &b, p.Plan, f.As); err != nil {
				t.Error(err)
			}
			look("the export "+f.As+" of "+row.Name, strings.Split(b.String(), ",")...)
		}
	}
	// What is refused says it in words too, of things that another window has removed.
	for _, c := range command.Table {
		if c.On != command.Project {
			continue
		}
		form := url.Values{"do": {c.Name}, "rev": {s.revision(t, 4)}, "back": {"lanes"}}
		for _, arg := range c.Args() {
			gone := map[string]string{"placed": "i99", "lane": "l99", "feed": "i1:v99", "bus": "l99", "output": "i1:99",
				"cell": "i99:v1|3", "step": "set lane:l99", "id": "v99", "row": "l99"}[arg.Field]
			if arg.Type != "text" && arg.Type != "several" && arg.Type != "a feed" && arg.Type != "an output of an instrument" {
				gone = "" // what is typed is said again
			}
			form.Set(arg.Field, cmp.Or(gone, "1"))
		}
		if code, body := s.post(t, fogBell+"/edit", form); code != http.StatusOK {
			look("the refusal of "+c.Name, html.UnescapeString(flashOf(body)))
		}
	}
	if looked < 20_000 || sheets < len(rows) {
		t.Errorf("%d texts and %d sheets were looked at; want 20,000, and a sheet for each of %d projects", looked, sheets,
			len(rows))
	}
}
