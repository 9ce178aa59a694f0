// Package reach tests that everybody can use every page: with axe-core, by keyboard and on a
// narrow screen. It is apart from the tests of web because it takes minutes; the whole matrix
// is run by
//
//	go test ./web/reach -matrix
package reach

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/web"
)

// matrix asks for every page in every theme and width, with and without forced colours.
var matrix = flag.Bool("matrix", false, "look at every page in every theme and width, with and without forced colours")

//go:embed testdata/axe.min.js
var axe string

// look is how a page is looked at.
type look struct {
	theme  string // light or dark
	width  int
	forced bool // colours that the user forces
}

func (l look) String() string {
	s := fmt.Sprintf("%s %d", l.theme, l.width)
	if l.forced {
		s += " forced"
	}
	return s
}

// looks are those of every run; with -matrix all that there are.
func looks() (out []look) {
	if !*matrix {
		return []look{{"light", 1280, false}, {"dark", 1024, false}, {"light", 640, true}, {"dark", 320, false}}
	}
	for _, theme := range []string{"light", "dark"} {
		for _, width := range []int{1280, 1024, 640, 320} {
			for _, forced := range []bool{false, true} {
				out = append(out, look{theme, width, forced})
			}
		}
	}
	return out
}

// site is the application with the sample world, and with a project whose steps were done.
func site(t *testing.T) string {
	t.Helper()
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	a, err := app.Open(t.Context(), t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	h, err := web.New(a, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err := errors.Join(err, demo.Fill(t.Context(), a)); err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(h)
	t.Cleanup(func() { s.Close(); a.Close() })
	return s.URL
}

// pages are the addresses of all pages, with more of those that show something else.
func pages() (out []string) {
	for _, p := range web.Pages() {
		id := int64(1)
		switch {
		case strings.HasPrefix(p.Path, "/projects/"):
			id = 4
		case strings.HasPrefix(p.Path, "/songs/"):
			id = 2
		}
		out = append(out, p.At(id))
	}
	return append(out, "/projects/4/?feed=i1:stop", "/projects/4/?lane=l10", "/projects/1/lanes",
		"/projects/4/replace?to=2",
		"/drift?all=1", "/drift?preview=1", "/instruments/3", "/projects/2/parts", "/nowhere", "/?find=nothing+has+this")
}

var browser = sync.OnceValues(func() (context.Context, error) {
	ctx, _ := testkit.Browser(context.Background())
	return ctx, chromedp.Do(ctx)
})

// open opens a window of its own.
func open(t *testing.T) context.Context {
	t.Helper()
	with, err := browser()
	if err != nil {
		t.Fatalf("starting Chromium: %v; run ./test, which installs it", err)
	}
	ctx, stop := chromedp.NewContext(with, chromedp.WithNewBrowserContext())
	t.Cleanup(stop)
	if err := chromedp.Do(ctx); err != nil {
		t.Fatal(err)
	}
	return ctx
}

// canBeRead holds that under colours that the user forces every text differs from its ground, as both
// are computed: that of its own or of what is around it where an element keeps its colours, else the
// plate that the browser draws behind texts (CSS Color Adjustment 1, section 3.1).
func canBeRead(t *testing.T, ctx context.Context, path string) {
	t.Helper()
	lost := eval[[]string](t, ctx, `(() => {
		const probe = document.body.appendChild(document.createElement("i"));
		const colour = (name) => ((probe.style.color = name), getComputedStyle(probe).color);
		const canvas = colour("Canvas");
		const out = [];
		for (const el of document.querySelectorAll("body *")) {
			const own = [...el.childNodes].some((n) => n.nodeType === 3 && n.data.trim());
			if (!own || el === probe || !el.checkVisibility() || el.closest("svg, option, select, .visually-hidden")) continue;
			const cs = getComputedStyle(el);
			let ground = canvas;
			if (cs.forcedColorAdjust === "none")
				for (let n = el; n; n = n.parentElement) {
					const c = getComputedStyle(n).backgroundColor;
					if (!/^rgba.*, 0\)$/.test(c)) {
						ground = c;
						break;
					}
				}
			if (cs.color === ground) out.push(el.tagName + "." + el.className + " " + el.textContent.trim().slice(0, 30));
		}
		probe.remove();
		return out;
	})()`)
	for i, text := range lost {
		if i < 4 {
			t.Errorf("%s: with forced colours %q has the colour of its ground", path, text)
		}
	}
}

// see looks at a page so.
func see(t *testing.T, ctx context.Context, l look) {
	t.Helper()
	features := []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: l.theme}}
	if l.forced {
		features = append(features, &emulation.MediaFeature{Name: "forced-colors", Value: "active"})
	} else {
		features = append(features, &emulation.MediaFeature{Name: "forced-colors", Value: "none"})
	}
	if _, err := chromedp.Call(ctx, emulation.SetEmulatedMedia,
		emulation.SetEmulatedMediaParams{Features: features}); err != nil {
		t.Fatal(err)
	}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(int64(l.width), 800)); err != nil {
		t.Fatal(err)
	}
}

// eval evaluates a promise on the page.
func eval[T any](t *testing.T, ctx context.Context, js string) T {
	t.Helper()
	limited, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	v, err := chromedp.Run(limited, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatalf("%.80s…: %v", js, err)
	}
	return v
}

// excepted are what axe-core is wrong about, with the reason, by rule and what it was found
// on.
var excepted = map[string]string{}

// violation is what axe-core found.
type violation struct {
	ID    string `json:"id"`
	Help  string `json:"help"`
	Nodes []struct {
		HTML    string `json:"html"`
		Summary string `json:"failureSummary"`
	} `json:"nodes"`
}

// staysWithin fails where anything stands beyond the edge of a page, at 320 pixels too, which is what
// 400 % of 1280 are: only tables and drawings scroll, in frames of their own.
func staysWithin(t *testing.T, ctx context.Context, path string, width int) {
	t.Helper()
	if wide := eval[[]string](t, ctx, `(async () => document.documentElement.scrollWidth <= innerWidth ? [] :
		[String(document.documentElement.scrollWidth), ...[...document.querySelectorAll("body *")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1 &&
		!e.closest(".tablewrap, .gridwrap, .mapwrap, .portwrap, .ladderscroll, .visually-hidden, .skip")).slice(0, 4).map((e) => e.outerHTML.slice(0, 120))])()`); len(wide) > 0 {
		t.Errorf("%s at %d is too wide: %q", path, width, wide)
	}
}

// Every page stays within the window's width, and is without a violation of WCAG 2.0 to 2.2, A and AA, and of
// axe-core's best
// practices. Source of the rules: axe-core (Deque Systems), from npm, in testdata.
func TestAxeFindsNothingAndNothingScrollsSideways(t *testing.T) {
	url := site(t)
	began := time.Now()
	var mu sync.Mutex
	looked := 0
	for _, l := range looks() {
		t.Run(l.String(), func(t *testing.T) {
			t.Parallel()
			ctx := open(t)
			see(t, ctx, l)
			for _, path := range pages() {
				if err := chromedp.Do(ctx, chromedp.Navigate(url+path)); err != nil {
					t.Fatal(err)
				}
				eval[bool](t, ctx, `document.fonts.ready.then(() => true)`)
				staysWithin(t, ctx, path, l.width)
				if l.forced {
					canBeRead(t, ctx, path)
				}
				eval[bool](t, ctx, "("+`async () => { if (!window.axe) {`+axe+`} return true; }`+")()")
				found := eval[string](t, ctx, `axe.run(document, { resultTypes: ["violations"], runOnly: { type: "tag", values:
					["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22a", "wcag22aa", "best-practice"] } }).then((r) => JSON.stringify(r.violations))`)
				var all []violation
				if err := json.Unmarshal([]byte(found), &all); err != nil {
					t.Fatal(err)
				}
				for _, v := range all {
					for i, n := range v.Nodes {
						if excepted[v.ID+" "+n.HTML] == "" && i < 4 {
							t.Errorf("%s: %s (%s): %.300s\n\t%s", path, v.ID, v.Help, n.HTML, strings.ReplaceAll(n.Summary, "\n", " "))
						}
					}
				}
				mu.Lock()
				looked++
				mu.Unlock()
			}
		})
	}
	t.Cleanup(func() { t.Logf("%d pages were looked at in %.0f s", looked, time.Since(began).Seconds()) })
}
