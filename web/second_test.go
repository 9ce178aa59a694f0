package web

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/core/plan"
)

// The second project begins with what was saved at the end of the first: its default inside the kit,
// and the template of the host, which is one step.
func TestTheSecondProjectBeginsWithWhatWasSaved(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/start")
	p.changes(func() { p.click("#save-i1") })
	p.fill("#template-name", "Drum room")
	p.changes(func() { p.click("#keep-template") })
	if text := see[string](p, `document.querySelector(".head").innerText`); !strings.Contains(text, "“Drum room” of the host") {
		t.Errorf("the page says %q; want the template's name", text)
	}
	steps := p.steps(fogBell)
	if last := steps[len(steps)-1]; last != "Keep the session as the template “Drum room” of the host" {
		t.Errorf("the sheet ends with %q; want the template kept", last)
	}
	p.changes(func() { p.click("#all-done") })
	if left := p.steps(fogBell); len(left) > 1 {
		t.Errorf("all is done, and left is %q; want to listen", left)
	}

	begin := func(name string, from bool) string {
		t.Helper()
		p.goTo("/projects/new")
		p.fill("#name", name)
		if from {
			p.choose("#from", "Cue 03 Fog Bell")
		}
		p.click("#list tr:nth-child(1) input[name=choose]") // the Brinework Kit
		p.click("main form .acts .btn-primary")
		p.until("main.view-proposal")
		p.changes(func() { p.click("[id^=accept-all]") })
		return see[string](p, `location.pathname.match(/^\/projects\/\d+/)[0]`)
	}
	second := begin("Cue 16 Slack Water", true)
	steps = p.steps(second)
	if len(steps) != 2 || steps[0] != "Open a new session from the template “Drum room” of the host" ||
		!strings.HasPrefix(steps[1], "Play each voice alone") {
		t.Fatalf("from the first, the second has the steps %q; want the template opened, and to listen", steps)
	}
	if text := see[string](p, `document.querySelector(".head").innerText`); !strings.Contains(text, "of 1 setting made") {
		t.Errorf("it says %q; want one setting", text)
	}
	p.changes(func() { p.click("#tick-1") })
	if steps = p.steps(second); len(steps) != 1 {
		t.Errorf("the template is opened, and left is %q; want to listen", steps)
	}
	first, then := p.site.bundle(t, fogBell), p.site.bundle(t, second)
	if names(first.Lanes) != names(then.Lanes) {
		t.Errorf("the lanes are\n%s\nwant those of the first\n%s", names(then.Lanes), names(first.Lanes))
	}

	third := begin("Cue 17 Neap", false)
	for _, step := range p.steps(third) {
		if strings.Contains(step, "feeds of Brinework Kit") || strings.Contains(step, "outputs to Brinework Kit") {
			t.Errorf("of the same kit alone, the sheet has %q; want nothing inside, for the default is saved", step)
		}
	}
	if start := p.site.bundle(t, third).Placed[0].Start; start.Kind != plan.FromDefault {
		t.Errorf("the kit starts %+v; want with the default of this machine", start)
	}
}

func names(lanes []plan.Lane) string {
	var out []string
	for _, l := range lanes {
		if !l.IsOther() {
			out = append(out, l.Name)
		}
	}
	return strings.Join(out, ", ")
}

// The lane that an instrument was loaded on is shown where the plan has nothing for it.
func TestAHomeWithoutAFeedIsShown(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/start")
	p.changes(func() { p.fill("#free-i1", "1"+kb.Tab) })
	p.goTo(fogBell + "/proposal")
	p.changes(func() { p.click("[id^=accept-all]") })
	p.goTo(fogBell + "/run")
	p.changes(func() { p.click("#tick-1") })
	p.goTo(fogBell + "/lanes")
	if text := see[string](p, `document.querySelector("p.home")?.innerText ?? ""`); !strings.Contains(text,
		" is the home of Brinework Kit") {
		t.Errorf("the lanes say %q; want the lane that the kit was loaded on", text)
	}
}
