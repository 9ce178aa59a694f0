package web

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
)

// Two people have the lanes of one project open. What they type into different lanes is kept, of both;
// what the second types into the same cell is shown beside what the first has made from it, and the
// second chooses.
func TestTwoWindowsEditOneProject(t *testing.T) {
	one := sitDown(t, true)
	two := sitAt(t, one.site)
	const key = 60 * time.Millisecond
	for _, p := range []*person{one, two} {
		p.goTo(fogBell + "/lanes")
	}
	ids := see[[]string](one, `[...document.querySelectorAll('[id^="name-l"]')].map((c) => c.id.slice(5))`)
	typeInto := func(p *person, lane, text string) {
		p.click("#name-" + lane)
		p.types(text, key)
		p.press(kb.Enter)
		p.quiet()
	}
	names := func() string {
		plan := one.site.bundle(t, fogBell)
		return plan.Lane(ids[0]).Name + ", " + plan.Lane(ids[3]).Name
	}
	typeInto(one, ids[0], "Low Drum")
	typeInto(two, ids[3], "Wide Air")
	if got := names(); got != "Low Drum, Wide Air" {
		t.Fatalf("two lanes were renamed in two windows: %s; want both", got)
	}
	if got := two.cellText("name-" + ids[0]); got != "Low Drum" {
		t.Errorf("after its change the second window shows %q; want what the first has made of that lane", got)
	}
	typeInto(two, ids[0], "Deep Drum") // the first window has not seen it
	typeInto(one, ids[0], "Soft Drum")
	said := see[string](one, `document.querySelector("#flash")?.innerText ?? ""`)
	if !strings.Contains(said, "“Deep Drum” now, and would be “Soft Drum”") || names() != "Deep Drum, Wide Air" {
		t.Errorf("the same lane again: the page says %q, the lanes are %s; want both names said, and the other's kept", said,
			names())
	}
	if got := one.cellText("name-" + ids[0]); got != "Soft Drum" {
		t.Errorf("the cell shows %q; want what was typed", got)
	}
	one.click("#name-" + ids[0])
	one.press(kb.Enter) // opens it with what was typed
	one.press(kb.Enter) // and saves that
	one.quiet()
	if got := names(); got != "Soft Drum, Wide Air" {
		t.Errorf("saved again the lanes are %s; want what the first window typed", got)
	}
	typeInto(two, ids[0], "Loud Drum") // collides, and is left
	two.click("#name-" + ids[0])
	two.press(kb.Escape)
	if got := two.cellText("name-" + ids[0]); got != "Soft Drum" || names() != "Soft Drum, Wide Air" {
		t.Errorf("given back with Escape the cell shows %q, the lanes are %s; want Soft Drum", got, names())
	}
}
