package web

import (
	"fmt"
	"html"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/app"
	"hiddenlanes/internal/testkit"
)

// paste pastes a text into a cell, as from a spreadsheet.
func (p *person) paste(css, text string) {
	p.t.Helper()
	see[bool](p, fmt.Sprintf(`(c => { const d = new DataTransfer(); d.setData("text/plain", %q); c.focus(); `+
		`c.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); return true })`+
		`(document.querySelector(%q))`, text, css))
}

// cellText is what a cell shows.
func (p *person) cellText(id string) string {
	p.t.Helper()
	return see[string](p, fmt.Sprintf(`document.getElementById(%q).innerText`, id))
}

// The table of the inside is filled by a block from a spreadsheet, as one change: gains and
// pans of three microphones beside each other. It is on the run sheet and in the CSV, and one
// undo takes it back.
func TestTheInsideIsFilledByPaste(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/")
	p.press("i") // from anywhere in the project
	p.until("main.view-inside")
	p.changes(func() { p.paste(`[id="gain-i1:r1"]`, "3\t-20\n3 dB\t20 left\n-1,5\tcentre") })
	p.goTo(fogBell + "/inside")
	for id, want := range map[string]string{"gain-i1:r1": "+3.0 dB", "pan-i1:r1": "20 % left", "gain-i1:f1": "+3.0 dB",
		"pan-i1:f1": "20 % left", "gain-i1:f2": "−1.5 dB", "pan-i1:f2": "centre", "gain-i1:ride": "0.0 dB"} {
		if got := p.cellText(id); got != want {
			t.Errorf("%s shows %q, want %q", id, got, want)
		}
	}
	// The keys walk it, and a cell is typed into; what is changed stands out.
	p.do(chromedp.Focus(chromedp.CSS(`[id="polarity-i1:stop"]`)))
	p.press(kb.ArrowDown)
	p.changes(func() { p.press("inverted" + kb.Enter) })
	if !see[bool](p, `document.getElementById("polarity-i1:sbot").classList.contains("changed")`) {
		t.Error("a changed setting looks like those as delivered")
	}
	_, run := p.site.get(t, fogBell+"/run")
	for _, want := range []string{"Set 3 gains in Brinework Kit", "Rack 1: +3.0 dB", "Set 2 pans in Brinework Kit",
		"Turn the polarity of Snare Bottom in Brinework Kit"} {
		if !strings.Contains(html.UnescapeString(run), want) {
			t.Errorf("the run sheet does not say %q", want)
		}
	}
	p.goTo(fogBell + "/sheet")
	if sheet := p.csv(); sheet["Rack 1"][15] != "'+3.0 dB, 20 % left" ||
		sheet["Snare"][15] != "Snare Bottom: inverted" {
		t.Errorf("the sheet has %q inside for Rack 1 and %q for the snare", sheet["Rack 1"], sheet["Snare"])
	}
	p.goTo(fogBell + "/inside")
	p.changes(func() { p.press("z") })
	p.changes(func() { p.press("z") })
	if got := p.cellText("gain-i1:f1") + p.cellText("pan-i1:r1"); got != "0.0 dBcentre" {
		t.Errorf("two undos leave %q", got)
	}
	// What cannot be is refused with its reason, and nothing of the block is kept.
	p.paste(`[id="gain-i1:r1"]`, "2\n90")
	p.until("#flash.bad")
	if text := see[string](p, `document.getElementById("flash").innerText`); !strings.Contains(text, "−120 and +24 dB") {
		t.Errorf("a gain of 90 dB is refused with %q", text)
	}
	if _, body := p.site.get(t, fogBell+"/inside"); strings.Contains(body, ">+2.0 dB<") {
		t.Error("a part of a refused block was kept")
	}
}

const marketDay = "/projects/2"

// A microphone that leaves by its own output and by the main one is drawn as a fork, and told
// with the level of each way. Both ways are at −3 dB, so together, as powers, they are at 0 dB
// (incoherent contributions add 3.01 dB).
func TestTwoExitsAreDrawnAndTraced(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/inside")
	p.do(chromedp.Focus(chromedp.CSS(`[id="exits-i1:stop"]`)))
	p.changes(func() { p.press("own and main" + kb.Enter) })
	p.do(chromedp.Focus(chromedp.CSS(`[id="gain-i1:stop"]`)))
	p.changes(func() { p.press("-3" + kb.Enter) })
	p.goTo(fogBell + "/?feed=i1:stop")
	lines := see[[]string](p, `[...document.querySelectorAll("#map .way.lit")].map(w => w.getAttribute("d")).filter(d => `+
		`d.startsWith("M" + document.querySelector('[id="n-i1:stop"] circle').getAttribute("cx") + " "))`)
	if len(lines) != 2 || lines[0] == lines[1] {
		t.Errorf("%d ways leave the feed on the map: %q; want the fork of two", len(lines), lines)
	}
	if lit := see[int](p, `document.querySelectorAll("#map .output.lit").length`); lit != 2 {
		t.Errorf("%d outputs are lit, want its own and the main one", lit)
	}
	levels := see[[]string](p, `[...document.querySelectorAll(".path")].map(x => x.lastElementChild.innerText)`)
	if len(levels) != 2 || !strings.Contains(levels[0], "−3.0 dB") || !strings.Contains(levels[1], "−3.0 dB") {
		t.Errorf("the panel tells the ways as %q, want two at −3.0 dB", levels)
	}
	if warns := see[int](p, `document.querySelectorAll(".path + .and:not(.meant), .and:not(.meant)").length`); warns != 0 {
		t.Error("a fork that is meant is shown as one that is not")
	}
	got, err := p.site.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	report, err := app.ReportTrace(got.Plan, app.LayerPlanned, "Snare Top")
	if err != nil || len(report) != 1 || len(report[0].Paths) != 2 {
		t.Fatalf("got %+v, %v; want one feed with two paths", report, err)
	}
	for _, x := range report[0].Paths {
		if x.Level == nil || math.Abs(*x.Level+3) > 0.01 || !x.Reaches {
			t.Errorf("a path is %+v, want one that reaches the main mix at −3 dB", x)
		}
	}
	if all := report[0].Arrives; all == nil || math.Abs(*all-0.01) > 0.02 {
		t.Errorf("both together arrive at %v dB, want 0.01", all)
	}
	if _, check := p.site.get(t, fogBell+"/check"); strings.Contains(check, "leaves twice") {
		t.Error("exits that are planned are found as a problem")
	}
	if _, run := p.site.get(t, fogBell+"/run"); !strings.Contains(run, "Set the exits of Snare Top in Brinework Kit") {
		t.Error("the run sheet does not say to set the exits")
	}
}

// A part that listens to all channels is found, and its button gives it its own again.
func TestAPartOnAllChannelsIsFoundAndMended(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(marketDay + "/inside")
	p.do(chromedp.Focus(chromedp.CSS(`[id="receives-i1:part2"]`)))
	p.changes(func() { p.press("all channels" + kb.Enter) })
	p.goTo(marketDay + "/check")
	const title = "Double Pan receives on all channels"
	if text := see[string](p, `document.getElementById("problems").innerText`); !strings.Contains(text, title) {
		t.Fatalf("the check says %q", text)
	}
	p.changes(func() {
		see[bool](p, `([...document.querySelectorAll("#problems button")].find(b => `+
			`b.innerText.includes("Let it receive on ch 2")).dataset.here = "1", true)`)
		p.click("#problems [data-here]")
	})
	if _, check := p.site.get(t, marketDay+"/check"); strings.Contains(check, title) {
		t.Error("it is found again after its button was pressed")
	}
	p.goTo(marketDay + "/inside")
	if got := p.cellText("receives-i1:part2"); got != "ch 2" {
		t.Errorf("it receives on %q, want ch 2", got)
	}
	p.goTo(marketDay + "/sheet")
	if sheet := p.csv(); sheet["Double Pan Close"] == nil || sheet["Double Pan Close"][14] != "ch 2" {
		t.Errorf("the sheet has %q", sheet["Double Pan Close"])
	}
}

// The same reverberation on three lanes is advised to be one return; followed, it is on the
// return alone, each lane sends to it, and the session that is exported says so.
func TestInsertsAreAddedAndShared(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/lanes")
	marks := see[[]string](p, `[...document.querySelectorAll("[data-mark]")].slice(5, 8).map(m => m.id)`)
	for _, m := range marks {
		p.click("#" + m)
	}
	p.fill("#newinsert", "reverb Hall (dark)")
	p.changes(func() { p.press(kb.Enter) })
	p.goTo(fogBell + "/lanes")
	if says := see[string](p, `document.getElementById("insert-advice").innerText`); !strings.Contains(says,
		"Hall stands on 3 lanes of Drums: one return with 3 sends saves 2") {
		t.Errorf("the advice is %q", says)
	}
	p.changes(func() { p.click("#advice-0") })
	p.goTo(fogBell + "/lanes")
	if left := see[int](p, `document.querySelectorAll("#insert-advice").length`); left != 0 {
		t.Error("the advice is still given when it was followed")
	}
	p.goTo(fogBell + "/sheet")
	data := p.export("project.dawproject")
	session := testkit.ReadSession(t, data)
	hall, sends := "", 0
	for _, l := range session.Lanes {
		if len(l.Inserts) > 0 {
			hall += l.Name + ": " + fmt.Sprint(l.Inserts)
		}
		sends += len(l.Sends)
	}
	if hall != "Hall: [reverberation Hall (dark)]" || sends != 3 {
		t.Errorf("the session has %q and %d sends, want the return alone with it and 3", hall, sends)
	}
	if sheet := p.csv(); sheet["Hall"] == nil || sheet["Hall"][17] != "reverberation Hall (dark)" {
		t.Errorf("the sheet has %q", sheet["Hall"])
	}
	if _, run := p.site.get(t, fogBell+"/run"); !strings.Contains(run, "Set 1 insert on lane 18") {
		t.Error("the run sheet does not say to insert it")
	}
}

// Inside the stand-in things are set by hand too: what differs from the plan is a step, and a
// setting that there is not is refused in words.
func TestTheInsideOfTheStandInIsSetByHand(t *testing.T) {
	s := start(t, true)
	do := func(what string, more ...string) (int, string) {
		t.Helper()
		f := url.Values{"rev": {s.revision(t, 4)}, "back": {"practice"}, "do": {what}}
		for i := 0; i+1 < len(more); i += 2 {
			f.Set(more[i], more[i+1])
		}
		return s.post(t, fogBell+"/edit", f)
	}
	do("practise-all")
	if _, body := do("practise-inside", "placed", "i1", "source", "kin", "column", "open", "value",
		"closed"); !strings.Contains(
		body, "Open Kick In in Brinework Kit") || !strings.Contains(body, "Kick In: closed") {
		t.Error("a microphone that was closed is not to be opened again")
	}
	if code, body := do("practise-inside", "placed", "i1", "source", "kin", "column", "open", "value", "ajar"); code !=
		http.StatusUnprocessableEntity || !strings.Contains(body, "neither") {
		t.Errorf("got %d; want %d and the words that there are", code, http.StatusUnprocessableEntity)
	}
	if _, body := do("practise-next"); !strings.Contains(body, "Everything is patched as planned.") {
		t.Error("the step does not open it")
	}
	mix := func() string {
		_, body := s.get(t, fogBell+"/practice")
		return body
	}
	p, err := s.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	lane := p.Plan.OwnLanes()[0].ID
	do("cells", "table", "stand-in", "row", lane, "col", "inserts", "value", "limiter")
	if body := mix(); !strings.Contains(body, "Set 1 insert on lane 7") {
		t.Error("an insert that is not planned is not to be removed")
	}
}

// Labels of what is typed into the inside are those that are offered.
func TestChoicesOfTheInsideAreOffered(t *testing.T) {
	s := start(t, true)
	_, body := s.get(t, fogBell+"/inside")
	for _, want := range []string{"inverted", "closed", "own and main", "all channels"} {
		if !strings.Contains(body, `<option value="`+want+`">`) {
			t.Errorf("the choice %q is not offered", want)
		}
	}
	if !slices.Contains(strings.Fields(body), `data-list="list-exits"`) {
		t.Error("the column of exits has no list")
	}
}
