package web

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/draw"
)

// The widths that names are cut by are those that the browser measures in the font of the
// labels.
func TestTextIsAsWideAsTheBrowserMeasures(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/")
	for _, text := range []string{"Kick In + Snare Bottom 12", "WWWWWWWWWW", "iiiiiiiiii", "Große Trommel Übersprechen",
		"Žalūzijų būgnas",
		"0123456789 – 1…"} {
		for _, bold := range []bool{false, true} {
			weight := map[bool]int{false: 500, true: 600}[bold]
			got, err := chromedp.Run(p.ctx,
				chromedp.Evaluate[float64](fmt.Sprintf(`document.fonts.load('%d 1000px "Barlow Semi Condensed"', %q).then(() => {
				const c = document.createElement("canvas").getContext("2d"); c.font = '%d 1000px "Barlow Semi Condensed"'; c.fontKerning = "none";
				return c.measureText(%q).width; })`, weight, text, weight, text), chromedp.EvalAwaitPromise))
			want := draw.TextWidth(text, 1000, bold)
			if err != nil || got < want-0.01*want || got > want+0.01*want {
				t.Errorf("%q, bold %v, is %.1f wide; the table says %.1f, %v", text, bold, got, want, err)
			}
		}
	}
}

// Names of any script and length fit their place on the map and in the file it is exported
// as, and are there in full as titles.
func TestNamesOfAnyScriptFitTheMap(t *testing.T) {
	p := sitDown(t, true)
	names := []string{strings.Repeat("W", 80), strings.Repeat("鼓", 80), strings.Repeat("🥁", 40),
		strings.Repeat("طبل كبير ", 9), strings.Repeat("תוף ", 20),
		strings.Repeat("Große Trommel ", 5), strings.Repeat("i", 80), "Kick"}
	b := p.site.bundle(t, fogBell)
	for i, l := range b.ByNumber() {
		if rev, err := p.site.app.Project(t.Context(), 4); err != nil {
			t.Fatal(err)
		} else if _, err := p.site.app.Edit(t.Context(), 4, rev.Revision,
			plan.NameLane(l.ID, names[i%len(names)])); err != nil {
			t.Fatal(err)
		}
	}
	p.goTo(fogBell + "/?lane=l10")
	const beyond = `[...document.querySelectorAll("svg text")].filter((n) => n.ownerSVGElement.viewBox.baseVal.width === 940 && !n.closest("[transform]")).filter((n) => {
		const b = n.getBBox(), lane = n.matches(".name") && n.parentElement.matches(".lane");
		return b.x < 0 || b.x + b.width > 940 || lane && b.x + b.width > 672; }).map((n) => n.textContent.slice(0, 40) + " " + Math.round(n.getBBox().x + n.getBBox().width))`
	if out := see[[]string](p, beyond); len(out) > 0 {
		t.Errorf("on the map %d texts leave their place: %q", len(out), out)
	}
	if over := see[int](p, `document.documentElement.scrollWidth - innerWidth`); over > 0 {
		t.Errorf("a long name makes the page %d pixels too wide", over)
	}
	code, svg := p.site.get(t, fogBell+"/map.svg")
	if code != 200 || !strings.Contains(svg, "<title>"+names[0]+"</title>") {
		t.Fatalf("the exported map answers %d, and has the whole name as a title: %v", code, strings.Contains(svg, names[0]))
	}
	p.do(chromedp.Navigate("about:blank"))
	see[bool](p, fmt.Sprintf(`(document.body.innerHTML = %q, true)`, svg)) // with none of our fonts
	if out := see[[]string](p, strings.ReplaceAll(beyond, `.name") && n.parentElement.matches(".lane"`,
		`g > text"`)); len(out) > 0 {
		t.Errorf("in the file %d texts leave their place: %q", len(out), out)
	}
}

// Long names break nothing in tables, tabs and crumbs.
func TestLongNamesWrap(t *testing.T) {
	p := sitDown(t, true)
	for i, name := range []string{strings.Repeat("W", 80), strings.Repeat("طبل", 26), strings.Repeat("🥁", 79)} {
		pr, err := p.site.app.Project(t.Context(), 4)
		if err != nil {
			t.Fatal(err)
		}
		if pr, err = p.site.app.Edit(t.Context(), 4, pr.Revision, edits.Rename(name)); err != nil {
			t.Fatal(err)
		}
		for _, l := range pr.Plan.ByNumber()[:3] {
			if pr, err = p.site.app.Edit(t.Context(), 4, pr.Revision,
				plan.NameLane(l.ID, fmt.Sprintf("%.70s%d", name, i))); err != nil {
				t.Fatal(err)
			}
		}
		for _, path := range []string{"/", fogBell + "/", fogBell + "/lanes", fogBell + "/run", fogBell + "/sheet", fogBell +
			"/feeds", "/drift?all=1"} {
			for _, width := range []int64{1280, 320} {
				p.do(chromedp.EmulateViewport(width, 800))
				p.goTo(path)
				if over := see[int](p, `document.documentElement.scrollWidth - innerWidth`); over > 0 {
					t.Errorf("%s at %d is %d pixels too wide with the name %.12s: %s", path, width, over, name,
						see[string](p,
							`[...document.querySelectorAll("body *")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest(".tablewrap, .mapwrap")).map((e) => e.outerHTML.slice(0, 70)).slice(0, 4).join(" / ")`))
				}
			}
		}
	}
}
