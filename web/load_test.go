package web

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// loaded is what the browser measured of a page that it had never seen.
type loaded struct {
	Shift  float64  `json:"shift"`
	Bytes  int      `json:"bytes"`
	Fonts  int      `json:"fonts"` // asked for before anything was painted
	Moved  []string `json:"moved"`
	Cached int      `json:"cached"`
}

// Nothing jumps when fonts arrive, a first visit is small, and a second fetches nothing but
// the page.
func TestPagesLoadLightAndDoNotJump(t *testing.T) {
	p := sitDown(t, true)
	const measure = `(async () => {
		await document.fonts.ready;
		const shifts = await new Promise((done) => { const all = [];
			new PerformanceObserver((l) => all.push(...l.getEntries())).observe({ type: "layout-shift", buffered: true });
			setTimeout(() => done(all), 60); });
		const files = performance.getEntriesByType("resource"), page = performance.getEntriesByType("navigation")[0];
		const painted = performance.getEntriesByName("first-contentful-paint")[0]?.startTime ?? 1e9;
		return { shift: shifts.reduce((n, s) => n + s.value, 0), moved: shifts.flatMap((s) => s.sources.map((x) => x.node?.outerHTML?.slice(0, 80) ?? "")).slice(0, 5),
			bytes: page.transferSize + files.reduce((n, f) => n + f.transferSize, 0),
			fonts: files.filter((f) => f.name.endsWith(".woff2") && f.startTime < painted).length,
			cached: files.filter((f) => f.transferSize > 0).length }; })()`
	look := func(path string) loaded {
		t.Helper()
		p.do(chromedp.Navigate(p.site.URL + path))
		v, err := chromedp.Run(p.ctx, chromedp.Evaluate[loaded](measure, chromedp.EvalAwaitPromise))
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	first := look(fogBell + "/lanes")
	if first.Bytes > 150_000 || first.Fonts > 3 {
		t.Errorf("a first visit fetches %d bytes and %d fonts before it is painted; want at most 150000 and 3",
			first.Bytes, first.Fonts)
	}
	for _, path := range append(everyPage(), "/projects/1/", "/projects/2/parts") {
		got := look(path)
		if got.Shift >= 0.005 {
			t.Errorf("%s shifts by %.3f: %q; want 0.00", path, got.Shift, got.Moved)
		}
		if got.Cached > 0 {
			t.Errorf("%s fetches %d files again", path, got.Cached)
		}
	}
}

// Addresses are found with a slash behind them, and asked for without their body.
func TestAddressesAreForgiving(t *testing.T) {
	s := start(t, true)
	for path, want := range map[string]string{"/instruments/": "/instruments", "/projects/4/lanes/": "/projects/4/lanes",
		"/projects/4": "/projects/4/", "/house/": "/house", "/help/?x=1": "/help?x=1"} {
		r, err := s.Client().Get(s.URL + path)
		code, _ := read(t, r, err)
		if got := r.Request.URL.RequestURI(); code != http.StatusOK || got != want {
			t.Errorf("%s answers %d at %s; want 200 at %s", path, code, got, want)
		}
	}
	for _, path := range append(everyPage(), fogBell+"/patch-sheet.csv") {
		r, err := s.Client().Head(s.URL + path)
		if err != nil || r.StatusCode != http.StatusOK {
			t.Errorf("HEAD %s: %v %v; want 200", path, r.StatusCode, err)
		}
		r.Body.Close()
	}
	if r, err := s.Client().Get(s.URL + "//ferry.example/"); err == nil {
		if strings.Contains(r.Request.URL.Host, "ferry") {
			t.Error("a double slash leads to another machine")
		}
		r.Body.Close()
	}
}
