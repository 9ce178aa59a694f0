package web

import (
	"cmp"
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/plan"
	"hiddenlanes/internal/testkit"
)

// Documents that are read are shared between requests: neither a page nor an export nor a change,
// taken or refused, leaves anything else in the one that others look at.
func TestNobodyChangesADocumentThatIsShared(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	rows, err := s.app.Projects(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	asked := 0
	for _, row := range rows {
		shared, err := s.app.Project(t.Context(), row.ID)
		if err != nil {
			t.Fatal(err)
		}
		was := docOf(t, shared)
		unchanged := func(by string) {
			t.Helper()
			asked++
			if now := docOf(t, shared); now != was {
				t.Fatalf("%s of %s changed what others look at:\n%s\nwas\n%s", by, row.Name, now, was)
			}
		}
		var paths []string
		for _, p := range Pages() {
			if below, ok := strings.CutPrefix(p.Path, "/projects/{id}/"); ok {
				paths = append(paths, below)
			}
		}
		for _, as := range app.ExportFormats() {
			paths = append(paths, "export/"+as, "files/"+as)
		}
		for _, placed := range shared.Plan.Placed {
			paths = append(paths, "proposal?placed="+placed.ID+"&outputs=3x2", "replace?placed="+placed.ID+"&to=2")
		}
		for _, below := range paths {
			code, _ := s.get(t, projectPath(row.ID, below))
			if code >= http.StatusInternalServerError {
				t.Errorf("%s of %s: %d", below, row.Name, code)
			}
			unchanged(below)
		}
		if err := s.app.ExportAs(t.Context(), &strings.Builder{}, shared.Plan, "bundle"); err != nil {
			t.Error(err)
		}
		unchanged("the bundle")
	}
	if _, err := s.app.WriteLibrary(t.Context(), &strings.Builder{}); err != nil {
		t.Error(err)
	}
	shared, err := s.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	pl := &shared.Plan.Placed[0]
	feed, lane := plan.FeedRef{Placed: pl.ID, Feed: pl.AllFeeds()[0].ID}.String(), shared.Plan.OwnLanes()[0].ID
	fits := map[string]string{"placed": pl.ID, "lane": lane, "feed": feed, "name": "Otherwise", "number": "90",
		"bus": shared.Plan.Buses()[0].ID, "to": "off", "cell": feed + "|5", "output": pl.ID + ":5", "outputs": "12x2",
		"gain": "-3", "pan": "20", "wish": "3", "colour": "#123456",
		"port": "1", "offset": "0", "id": pl.AllFeeds()[0].ID, "width": "mono", "reason": "so", "state": "off", "key": ""}
	was, taken := docOf(t, shared), 0
	for _, c := range command.Table {
		if c.On != command.Project {
			continue
		}
		form := url.Values{"do": {c.Name}, "rev": {s.revision(t, 4)}, "back": {"lanes"}}
		for _, arg := range c.Args() {
			form.Set(arg.Field, cmp.Or(fits[arg.Field], "1"))
		}
		if code, _ := s.post(t, fogBell+"/edit", form); code == http.StatusOK {
			taken++
		}
		if now := docOf(t, shared); now != was {
			t.Fatalf("%s changed a document that others look at:\n%s\nwas\n%s", c.Name, now, was)
		}
	}
	if taken < 20 || asked < 100 {
		t.Errorf("only %d commands were taken and %d pages looked at; want 20 and 100", taken, asked)
	}
}

func docOf(t *testing.T, p *app.Project) string {
	t.Helper()
	doc, err := json.Marshal(p.Plan)
	if err != nil {
		t.Fatal(err)
	}
	return string(doc)
}
