package web

import (
	"regexp"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
)

// Two computers, each with work of its own on one project: the page says so with both dates, and adds
// the file's version beside mine where that is asked for.
func TestALibraryThatDivergedIsToldAndAddedBeside(t *testing.T) {
	mine, theirs := start(t, true), start(t, true)
	rename := func(s site, name string) {
		p, err := s.app.Project(t.Context(), 4)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.app.Edit(t.Context(), 4, p.Revision, edits.Rename(name)); err != nil {
			t.Fatal(err)
		}
	}
	rename(mine, "Bell of mine")
	rename(theirs, "Bell of theirs")
	_, file := theirs.get(t, "/library.json")
	code, page := mine.send(t, "/library", "library.json", []byte(file))
	told := regexp.MustCompile(`Bell of mine \(changed here [\d-]{10} [\d:]{5} UTC, in the file [\d-]{10} [\d:]{5} UTC\)`)
	if code != 200 || !told.MatchString(page) || !strings.Contains(page, "0 updated") {
		t.Errorf("got %d and a page that does not name the project with both dates: %.900s", code, page[strings.Index(page,
			"flash"):])
	}
	if _, list := mine.get(t, "/"); strings.Contains(list, "Bell of theirs") || !strings.Contains(list, "Bell of mine") {
		t.Error("the list has other projects than before")
	}
	if code, _ := mine.sendWith(t, "/library", "library.json", []byte(file),
		map[string]string{"second": "on"}); code != 200 {
		t.Fatalf("adding second projects answers %d", code)
	}
	if _, list := mine.get(t, "/"); !strings.Contains(list, "Bell of theirs, from this file") || !strings.Contains(list,
		"Bell of mine") {
		t.Error("the list does not have both")
	}
}
