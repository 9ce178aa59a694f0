package web

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"hiddenlanes/internal/testkit"
)

// elements lists the elements of a kind in a page or a part of it.
func elements(n *html.Node, kind atom.Atom) (out []*html.Node) {
	for x := range n.Descendants() {
		if x.DataAtom == kind {
			out = append(out, x)
		}
	}
	return out
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// Who cannot see a table is told what it is of, and for each cell the row and the column.
func TestTablesHaveCaptionsAndHeads(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	for _, path := range append(everyPage(), "/projects/1/", "/projects/2/parts", "/drift?project=4",
		"/projects/4/replace?to=2", "/songs/2?to=2",
		"/instruments/1?table=layouts", "/house?try=4") {
		_, body := s.get(t, path)
		root, err := html.Parse(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		for _, table := range elements(root, atom.Table) {
			caption := elements(table, atom.Caption)
			if len(caption) != 1 || textOf(caption[0]) == "" {
				t.Errorf("%s has a table without a caption: id %q", path, attribute(table, "id"))
				continue
			}
			for _, th := range elements(table, atom.Th) {
				if !slices.Contains([]string{"col", "row", "colgroup", "rowgroup"}, attribute(th, "scope")) {
					t.Errorf("%s, %s: the head %q has no scope", path, textOf(caption[0]), textOf(th))
				}
			}
			for _, body := range elements(table, atom.Tbody) {
				for _, tr := range elements(body, atom.Tr) {
					if heads := elements(tr, atom.Th); len(heads) == 0 && !slices.ContainsFunc(elements(tr, atom.Td),
						func(td *html.Node) bool { return attribute(td, "colspan") != "" }) {
						t.Errorf("%s, %s: the row %.60q has no head", path, textOf(caption[0]), textOf(tr))
						break
					}
				}
			}
		}
	}
}

func textOf(n *html.Node) string {
	var b strings.Builder
	for x := range n.Descendants() {
		if x.Type == html.TextNode {
			b.WriteString(x.Data + " ")
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

// What a list is sorted by is in the address, is told, and turns round on the second press;
// links to other parts and a search keep it.
func TestListsAreSortedByTheirColumns(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	links := regexp.MustCompile(`<a class="sort" data-soft href="([^"]+)"`)
	for path, least := range map[string]int{"/": 7, "/instruments": 3, fogBell + "/lanes": 5, fogBell + "/feeds": 5,
		fogBell + "/sheet": 7} {
		_, body := s.get(t, path)
		found := links.FindAllStringSubmatch(body, -1)
		if len(found) < least {
			t.Errorf("%s can be sorted by %d columns; want %d at least", path, len(found), least)
		}
		for _, m := range found {
			to := html.UnescapeString(m[1])
			if strings.HasPrefix(to, "?") {
				to = path + to
			}
			code, sorted := s.get(t, to)
			if code != http.StatusOK || strings.Count(sorted, `aria-sort="ascending"`) != 1 {
				t.Errorf("%s: %d, and %d columns are told to be sorted; want one", to, code,
					strings.Count(sorted, `aria-sort="ascending"`))
			}
		}
	}
	order := func(path string) (names []string) {
		_, body := s.get(t, path)
		root, err := html.Parse(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		for _, th := range elements(root, atom.Th) {
			if attribute(th, "scope") == "row" {
				names = append(names, textOf(th))
			}
		}
		return names
	}
	up, down := order("/?sort-list=name"), order("/?sort-list=-name")
	slices.Reverse(down)
	if len(up) != 4 || !slices.Equal(up, down) || !slices.IsSorted(up) {
		t.Errorf("projects by name: %q, the other way %q", up, down)
	}
	if byLanes := order("/?sort-list=-lanes&find=cue"); len(byLanes) != 4 || byLanes[3] != "Cue 14 Spring Tide" {
		t.Errorf("projects by lanes, most first: %q", byLanes)
	}
}
