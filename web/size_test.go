package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"golang.org/x/net/html"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/testkit"
)

// Limits of a page, for a project of 500 lanes.
const (
	mostBytes = 1_500_000
	mostNodes = 8_000
)

// large is a site with a project of 500 lanes of so many instruments, and so many more
// buses; with problems, a run sheet and a stand-in host that is worked to the end.
func large(tb testing.TB, instruments, buses int) (site, int64) {
	tb.Helper()
	s := start(tb, true)
	p := testkit.Wide(tb, instruments, 500/instruments)
	p.Name = "Five Hundred"
	p.Host.LaneLimit = 2000
	testkit.Edit(tb, p, edits.SetProfile(rig.Profiles[0]))
	for i := range buses {
		testkit.Edit(tb, p, edits.AddBus(fmt.Sprintf("Group %d", i+1), 0, nil))
	}
	p.StandIn = p.AsPlanned()
	ids, err := s.app.CreateProjects(tb.Context(), p)
	if err != nil {
		tb.Fatal(err)
	}
	return s, ids[0]
}

// nodesOf counts the elements of a page, as a browser that runs the script has them.
func nodesOf(t testing.TB, body string) (n int) {
	t.Helper()
	root, err := html.ParseWithOptions(strings.NewReader(body), html.ParseOptionEnableScripting(true))
	if err != nil {
		t.Fatal(err)
	}
	for x := range root.Descendants() {
		if x.Type == html.ElementNode {
			n++
		}
	}
	return n
}

func TestLargeProjectsHaveSmallPages(t *testing.T) {
	testkit.Slow(t)
	for _, c := range []struct{ instruments, buses int }{{10, 0}, {10, 500}, {1, 0}} {
		s, id := large(t, c.instruments, c.buses)
		paths := []string{"?feed=i1:v0", "?fold=0", "lanes?from-lanes=400", "outputs?from-grid-i1=40", "proposal?cut-i1=20",
			"replace?to=2"}
		for _, p := range Pages() {
			if below, ok := strings.CutPrefix(p.Path, "/projects/{id}/"); ok {
				paths = append(paths, below)
			}
		}
		for _, below := range append(paths, "/", "/drift?all=1", "/instruments", "/projects/new", "/house") {
			path := below
			if !strings.HasPrefix(below, "/") {
				path = projectPath(id, below)
			}
			code, body := s.get(t, path)
			if n := nodesOf(t, body); code != http.StatusOK || len(body) > mostBytes || n > mostNodes {
				t.Errorf("%s of %d instruments with %d buses: %d, %d bytes, %d nodes; want at most %d and %d", path,
					c.instruments, c.buses, code, len(body), n, mostBytes, mostNodes)
			}
		}
	}
}

// Paper has all rows, however many there are, and no links to parts.
func TestPrintedTablesAreWhole(t *testing.T) {
	testkit.Slow(t)
	s, id := large(t, 10, 0)
	for below, rows := range map[string]int{"lanes": 500, "feeds": 500, "sheet": 500, "outputs": 500,
		"practice": 1000, "run": 4} {
		code, body := s.get(t, projectPath(id, below+"?print=1"))
		_, windowed := s.get(t, projectPath(id, below))
		row := "<tr"
		if below == "run" {
			row = `<li class="step"`
		}
		if got, part := strings.Count(body, row), strings.Count(windowed, row); code != http.StatusOK || got < rows ||
			strings.Contains(body, "windowbar") || below != "run" && part >= rows {
			t.Errorf("%s for paper: %d, %d rows, on the page %d; want %d at least, and no links to parts", below, code,
				got, part, rows)
		}
	}
	if _, body := s.get(t, projectPath(id, "lanes")); !strings.Contains(body, `lanes?print=1">Print all</a>`) {
		t.Error("a windowed table does not offer to print all")
	}
}

// One request for each page of a project of 500 lanes.
func BenchmarkPagesOf500Lanes(b *testing.B) {
	s, id := large(b, 10, 0)
	for _, p := range Pages() {
		if strings.HasPrefix(p.Path, "/projects/{id}/") {
			b.Run(p.Name, func(b *testing.B) {
				for b.Loop() {
					if code, _ := s.get(b, p.At(id)); code != http.StatusOK {
						b.Fatal(code)
					}
				}
			})
		}
	}
}

// A lane of 64 is renamed by typing into its cell. What is measured is the browser's own time
// from the key that saves it until the new name is painted: server, exchange and layout.
func BenchmarkRenameOf64Lanes(b *testing.B) {
	s := start(b, true)
	p := testkit.Wide(b, 4, 16)
	ids, err := s.app.CreateProjects(b.Context(), p)
	if err != nil {
		b.Fatal(err)
	}
	with, err := browser()
	if err != nil {
		b.Fatal(err)
	}
	ctx, stop := chromedp.NewContext(with, chromedp.WithNewBrowserContext())
	defer stop()
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800),
		chromedp.Navigate(s.URL+projectPath(ids[0], "lanes")),
		chromedp.WaitReady(chromedp.CSS("#lanes [tabindex='0']"))); err != nil {
		b.Fatal(err)
	}
	sum, n := 0.0, 0
	for b.Loop() {
		n++
		name := fmt.Sprintf("Renamed %d", n)
		took, err := chromedp.Run(ctx, chromedp.Evaluate[float64](fmt.Sprintf(`new Promise((done) => {
			const cell = document.querySelectorAll('#lanes tbody [data-col="name"]')[20], rev = document.getElementById("state").dataset.rev;
			cell.focus();
			cell.dispatchEvent(new KeyboardEvent("keydown", { key: "F2", bubbles: true }));
			const input = document.querySelector(".editing");
			input.value = %q;
			const began = performance.now();
			new MutationObserver((_, o) => {
				if (document.getElementById("state").dataset.rev === rev) return;
				o.disconnect();
				requestAnimationFrame(() => setTimeout(() => { // the frame is painted by then
					const now = document.querySelectorAll('#lanes tbody [data-col="name"]')[20].innerText;
					done(now === %q ? performance.now() - began : -1);
				}));
			}).observe(document.body, { subtree: true, childList: true, attributes: true });
			input.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
		})`, name, name), chromedp.EvalAwaitPromise))
		if err != nil || took < 0 {
			b.Fatalf("renamed to %s in %v ms, %v", name, took, err)
		}
		sum += took
	}
	b.ReportMetric(sum/float64(n), "ms/painted")
}

// A lane of 500 is renamed, and the answer has the regions of the page Lanes that differ.
func BenchmarkEditOf500Lanes(b *testing.B) {
	s, id := large(b, 10, 0)
	at := projectPath(id, "lanes")
	n := 0
	for b.Loop() {
		b.StopTimer()
		_, page := s.get(b, at)
		had := regionsHad(page)
		n++
		name := fmt.Sprint("Name ", n)
		form := url.Values{"do": {"name"}, "lane": {"l60"}, "name": {name}, "rev": {s.revision(b, id)}, "back": {"lanes"}}
		b.StartTimer()
		code, body := s.exchange(b, "lanes", had, projectPath(id, "edit"), form)
		if code != http.StatusOK || !strings.Contains(body, name) {
			b.Fatal(code, body)
		}
	}
}
