package web

import (
	"net/url"
	"strings"
	"testing"
)

// A lane that is turned over is so in every place that tells of it: cell, map, run sheet, patch sheet,
// trace and file.
func TestALaneThatIsTurnedOverSaysSoEverywhere(t *testing.T) {
	s := start(t, true)
	for _, p := range []string{"/lanes", "/sheet"} { // before, nobody speaks of it
		if _, page := s.get(t, fogBell+p); strings.Contains(page, "polarity inverted") ||
			strings.Contains(page, "not-in-session") {
			t.Fatalf("%s speaks of an inverted polarity before there is one", p)
		}
	}
	s.post(t, fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)}, "do": {"cells"}, "table": {"lanes"}, "row": {"l10"},
		"col": {"polarity"}, "value": {"inverted"}})
	for path, want := range map[string]string{
		"/lanes":           `id="polarity-l10">inverted</td>`,
		"/?lane=l10":       "· polarity inverted",
		"/run":             "Set the polarity of 1 lane",
		"/sheet":           "cannot hold what is in the column “Set”",
		"/patch-sheet.csv": ",polarity inverted",
		"/project.json":    `"inverted": true`,
	} {
		if code, page := s.get(t, fogBell+path); code != 200 || !strings.Contains(page, want) {
			t.Errorf("%s answers %d without %q", path, code, want)
		}
	}
	_, file := s.get(t, fogBell+"/project.dawproject")
	if n := strings.Count(string(projectXML(t, []byte(file))), "set by hand: polarity inverted"); n != 1 {
		t.Errorf("the file says it %d times; want once, in the lane's comment", n)
	}
}
