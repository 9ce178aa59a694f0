package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// twentyOne microphones, as one reads them off a mixer page of an instrument.
const twentyOne = `Microphones
Kick In, mono
Kick Out, mono
Kick Sub, mono
Snare Top, mono
Snare Bottom, mono
Snare Side, mono
Hat, mono
Rack 1, mono
Rack 2, mono
Floor 1, mono
Floor 2, mono
Ride, mono
Crash Left, mono
Crash Right, mono
Overheads st
Overhead Mono, mono
Close Room, stereo
Room Mid st
Room Far st
Corridor, mono
Talkback, mono
`

// From an empty folder, a pasted list is a proposal after six actions, and a finished map after one
// more; what each lane carries is read back from the patch sheet.
func TestAPastedListIsAFinishedMap(t *testing.T) {
	p := sitDown(t, false)
	p.goTo("/")
	p.fill("#list-name", "Tern Kit")   // 1
	p.insert("#list-names", twentyOne) // 2: pasted
	p.click("#add-list")               // 3
	p.until("main.page-instrument")
	if mics := see[int](p, `document.querySelectorAll('[data-cells="microphones"] tbody tr').length`); mics != 21 {
		t.Errorf("%d microphones are on the page of the instrument, 21 were pasted", mics)
	}
	p.click(`a[href^="/projects/new?instrument="]`) // 4
	p.until("main.page-new-project")
	p.fill("#name", "Cue 30 Sound Check")   // 5
	p.click("main form .acts .btn-primary") // 6
	p.until("main.view-proposal")
	p.changes(func() { p.click("[id^=accept-all]") })
	p.click(`main a.btn[href$="/run"]`) // what comes next is in place
	p.until("main.view-run")
	p.goTo("/projects/1/sheet")
	carried := map[string]bool{}
	for _, row := range p.csv() {
		for _, feed := range strings.Split(row[8], ", ") {
			carried[feed] = true
		}
	}
	for _, line := range strings.Split(strings.TrimSpace(twentyOne), "\n")[1:] {
		name := strings.TrimSuffix(strings.TrimSuffix(strings.TrimSuffix(line, " st"), ", mono"), ", stereo")
		if !carried[name] {
			t.Errorf("%s is on no lane of the sheet", name)
		}
	}
	p.goTo("/projects/1/check")
	if n := see[int](p, `document.querySelectorAll(".finding.wrong").length`); n != 0 {
		t.Errorf("the finished map has %d problems", n)
	}
}

// A list that is not understood is refused with the line, and stays as it was typed.
func TestAListIsRefusedWithItsLine(t *testing.T) {
	s := start(t, false)
	code, body := s.post(t, "/instruments/list", url.Values{"name": {"Tern Kit"}, "names": {"Kick\nSnare, loud"}})
	if code != http.StatusUnprocessableEntity || !strings.Contains(flashOf(body), "line 2") ||
		!strings.Contains(body, "Snare, loud</textarea>") || !strings.Contains(body, `value="Tern Kit"`) {
		t.Errorf("got %d, %s; want 422, the line, and what was typed", code, flashOf(body))
	}
	if code, body = s.post(t, "/instruments/list", url.Values{"name": {" "}, "names": {"Kick"}}); code !=
		http.StatusUnprocessableEntity || !strings.Contains(flashOf(body), "name is empty") {
		t.Errorf("got %d, %s; want 422 and that the name is empty", code, flashOf(body))
	}
	if rows, err := s.app.Shelf(t.Context()); err != nil || len(rows) != 0 {
		t.Errorf("%d instruments are on the shelf, %v", len(rows), err)
	}
}

// Five parts on five channels come from five lines, and play on them.
func TestFivePartsOnFiveChannels(t *testing.T) {
	p := sitDown(t, false)
	p.goTo("/instruments")
	p.fill("#list-name", "Quay Brass")
	p.insert("#list-names", "Trumpet 1 ch 1\nTrumpet 2 ch 2\nHorn ch 3\nTrombone ch 4\nTuba ch 5")
	p.do(chromedp.Focus(chromedp.CSS("#add-list")))
	p.press("\r")
	p.until("main.page-instrument")
	channels := see[[]string](p,
		`[...document.querySelectorAll('[data-cells="parts"] [data-col="channel"]')].map(c => c.innerText)`)
	if fmt.Sprint(channels) != "[1 2 3 4 5]" {
		t.Errorf("the parts are on channels %v", channels)
	}
}

// The sample world comes beside what is there, and goes again in one step with nothing else.
func TestTheSampleWorldIsAddedBesideAndRemovedInOneStep(t *testing.T) {
	p := sitDown(t, false)
	p.goTo("/")
	p.fill("#list-name", "Tern Kit")
	p.fill("#list-names", "Kick\nSnare Top")
	p.click("#add-list")
	p.until(`a[href^="/projects/new?instrument="]`)
	p.goTo("/projects/new")
	p.fill("#name", "Mine")
	p.click("main form .acts .btn-primary")
	p.until("main.view-feeds")
	p.goTo("/")
	p.click("#add-sample")
	p.until("#remove-sample")
	names := func() []string {
		return see[[]string](p, `[...document.querySelectorAll("#list tbody th a")].map(a => a.innerText)`)
	}
	if got := names(); len(got) != 5 || !slices.Contains(got, "Mine") {
		t.Errorf("beside the sample world there are %q", got)
	}
	p.click("#remove-sample")
	p.until("#add-sample")
	if got := names(); len(got) != 1 || got[0] != "Mine" {
		t.Errorf("after the sample world was removed there are %q", got)
	}
	rows, err := p.site.app.Shelf(t.Context())
	if err != nil || len(rows) != 1 || rows[0].Name != "Tern Kit" {
		t.Errorf("the shelf holds %v, %v", rows, err)
	}
	if code, body := p.site.get(t, "/instruments/example.csv"); code != 200 || !strings.Contains(body,
		"Example Kit,voice") {
		t.Errorf("the example CSV: %d %.80q", code, body)
	}
}

// A start fills the list in, its roles are shown as they are guessed, and one that is corrected in
// place is the instrument's when it is saved.
func TestAStartIsEditedAndItsRolesCorrectedBeforeItIsSaved(t *testing.T) {
	p := sitDown(t, false)
	p.goTo("/")
	p.fill("#list-count", "9")
	p.click("#fill-list")
	p.until("#list-read table")
	roles := func() []string {
		return see[[]string](p, `[...document.querySelectorAll("#list-read input")].map(x => x.value)`)
	}
	if got := roles(); len(got) != 9 || got[0] != "kit/kick/in" {
		t.Fatalf("nine microphones are guessed as %q", got)
	}
	p.fill("#list-read tbody tr:nth-child(2) input", "kit/kick/sub")
	p.press(kb.Tab)
	if list := see[string](p, `document.getElementById("list-names").value`); !strings.Contains(list, "kit/kick/sub") {
		t.Errorf("the role that was corrected is not in the list: %q", list)
	}
	p.fill("#list-name", "Tern Kit")
	p.click("#add-list")
	p.until("main.page-instrument")
	got := see[[]string](p,
		`[...document.querySelectorAll('[data-cells="microphones"] tbody td[data-col="role"]')].map(x => x.innerText.trim())`)
	if len(got) != 9 || got[1] != "kit/kick/sub" {
		t.Errorf("the microphones of the instrument have the roles %q", got)
	}
}
