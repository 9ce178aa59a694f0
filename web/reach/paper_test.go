package reach

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// On paper there is nothing to press or to fill in; each page says what it is and when it was
// printed, the map has its legend and its problems, and tables break between rows only.
func TestPaperHasNoButtons(t *testing.T) {
	url := site(t)
	ctx := open(t)
	if _, err := chromedp.Call(ctx, emulation.SetEmulatedMedia,
		emulation.SetEmulatedMediaParams{Media: "print"}); err != nil {
		t.Fatal(err)
	}
	for _, path := range pages() {
		if err := chromedp.Do(ctx, chromedp.Navigate(url+path)); err != nil {
			t.Fatal(err)
		}
		if shown := eval[[]string](t, ctx,
			`(async () => [...document.querySelectorAll("button, input, select, textarea, details:has(form):not([open]) > summary")].filter((e) => e.checkVisibility() &&
			e.getBoundingClientRect().width > 0).map((e) => e.outerHTML.slice(0, 100)).slice(0, 4))()`); len(shown) > 0 {
			t.Errorf("%s prints %q", path, shown)
		}
		if head := eval[bool](t, ctx,
			`(async () => /printed \d{4}-\d\d-\d\d/.test(document.querySelector(".paperhead").innerText) &&
			document.querySelector(".paperhead").checkVisibility())()`); !head {
			t.Errorf("%s does not say on paper when it was printed", path)
		}
	}
	if err := chromedp.Do(ctx, chromedp.Navigate(url+"/projects/4/")); err != nil {
		t.Fatal(err)
	}
	said := eval[string](t, ctx, `(async () => document.querySelector("main").innerText)()`)
	for _, want := range []string{"Cue 03 Fog Bell", "arrives twice", "Planned", "Dead end"} {
		if !strings.Contains(said, want) {
			t.Errorf("the printed map does not say %q", want)
		}
	}
	if err := chromedp.Do(ctx, chromedp.Navigate(url+"/projects/4/outputs")); err != nil {
		t.Fatal(err)
	}
	if points := eval[int](t, ctx, `(async () => [...document.querySelectorAll("td.pt")].filter((e) =>
		/[●◇]/.test(getComputedStyle(e, "::before").content)).length)()`); points != 18 {
		t.Errorf("%d of the 18 assigned feeds have a point on paper", points)
	}
}
