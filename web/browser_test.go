package web

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/format/smf"
	"hiddenlanes/internal/testkit"
)

// person drives the pages as somebody at the desk does.
type person struct {
	t    *testing.T
	ctx  context.Context
	site site
}

// browser is the one Chromium of all browser tests; each has a context of its own in it,
// with its own storage and cookies.
var browser = sync.OnceValues(func() (context.Context, error) {
	ctx, stop := testkit.Browser(context.Background())
	stopBrowser = stop
	return ctx, chromedp.Do(ctx)
})

var stopBrowser = func() {}

func TestMain(m *testing.M) {
	code := m.Run()
	stopBrowser()
	os.Exit(code)
}

// desks bounds how many browser tests run at a time.
var desks = make(chan struct{}, 2)

// sitDown sits a person down in front of the application, with the sample world if asked;
// another test may run beside this one.
func sitDown(t *testing.T, sample bool) *person {
	t.Helper()
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	t.Parallel()
	desks <- struct{}{}
	t.Cleanup(func() { <-desks })
	return sitAt(t, start(t, sample))
}

// sitAt is sitDown in front of an application that runs already.
func sitAt(t *testing.T, s site) *person {
	t.Helper()
	with, err := browser()
	if err != nil {
		t.Fatalf("starting Chromium: %v; run ./test, which installs it", err)
	}
	ctx, stop := chromedp.NewContext(with, chromedp.WithNewBrowserContext())
	t.Cleanup(stop)
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		t.Fatal(err)
	}
	if _, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled,
		emulation.SetFocusEmulationEnabledParams{Enabled: true}); err != nil {
		t.Fatal(err)
	}
	messages := chromedp.Console(ctx)
	done := make(chan struct{})
	go func() { // whatever the page complains of is a defect: errors, and what the security policy stops
		defer close(done)
		for m := range messages {
			if (m.Type == "error" || m.IsException()) && !strings.Contains(m.Text, "status of 4") &&
				!strings.Contains(m.Text, "ERR_EMPTY_RESPONSE") { // a test has stopped the server
				t.Errorf("the page complains: %s", m)
			}
		}
	}()
	t.Cleanup(func() { stop(); <-done })
	return &person{t, ctx, s}
}

func (p *person) do(actions ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	limited, cancel := context.WithTimeout(p.ctx, 60*time.Second)
	defer cancel()
	if err := chromedp.Do(limited, actions...); err != nil {
		shot, _ := chromedp.Run(p.ctx,
			chromedp.Evaluate[string](`document.getElementById("main")?.innerText ?? document.body.innerText`))
		p.t.Fatalf("%v\non the page:\n%.1500s", err, shot)
	}
}

func see[T any](p *person, js string) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](js))
	if err != nil {
		p.t.Fatalf("%s: %v", js, err)
	}
	return v
}

func (p *person) goTo(path string) {
	p.t.Helper()
	p.do(chromedp.Navigate(p.site.URL + path))
	p.settled()
}

func (p *person) click(css string) {
	p.t.Helper()
	p.reveal(css)
	p.do(chromedp.WaitVisible(chromedp.CSS(css)))
	p.by(p.hand(time.Millisecond).Click(css))
}

// hand is the hand of the person, with a pause after each key and click.
func (p *person) hand(pause time.Duration) *testkit.Hand {
	return testkit.NewHand(p.ctx, 28).Every(pause)
}

// quick is the pause after a key of somebody who types fast.
const quick = 30 * time.Millisecond

// by is what a hand has done.
func (p *person) by(err error) {
	p.t.Helper()
	if err != nil {
		p.t.Fatal(err)
	}
}

// reveal opens the group of the bar that something is in.
func (p *person) reveal(css string) {
	p.t.Helper()
	see[bool](p, fmt.Sprintf(`(typeof HL !== "undefined" && HL.reveal?.(document.querySelector(%q)), true)`, css))
}

// until waits for something to be seen on a page whose script has run.
func (p *person) until(css string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(chromedp.CSS(css)))
	p.settled()
}

func (p *person) press(keys string, opts ...chromedp.KeyOption) {
	p.t.Helper()
	p.by(p.hand(quick).Type(keys, opts...))
}

// changes waits until what is done has brought the page of a new revision.
func (p *person) changes(what func()) {
	p.t.Helper()
	before := see[string](p, `document.getElementById("state").dataset.rev`)
	what()
	p.do(chromedp.WaitReady(chromedp.CSS(`#state[data-rev]:not([data-rev="` + before + `"])`)))
	p.settled()
}

// turns waits until what is done has brought another page, by exchange or a fresh one.
func (p *person) turns(what func()) {
	p.t.Helper()
	see[bool](p, `(document.getElementById("page").dataset.old = "1", true)`)
	what()
	p.do(chromedp.WaitReady(chromedp.CSS(`#page:not([data-old])`)))
	p.settled()
}

// settled waits until the script has run and no exchange is under way.
func (p *person) settled() {
	p.t.Helper()
	if _, err := chromedp.Run(p.ctx,
		chromedp.Poll[bool](
			`document.readyState === "complete" && !document.querySelector(".htmx-request, .htmx-replacing, .htmx-settling, .htmx-added")`)); err != nil {
		p.t.Fatal(err)
	}
}

// fill types into a field in place of what it holds.
func (p *person) fill(css, text string) {
	p.t.Helper()
	p.reveal(css)
	p.do(chromedp.WaitVisible(chromedp.CSS(css)))
	p.by(p.hand(quick).Write(css, text))
}

// insert puts a text into a field in place of what it holds, as pasting does.
func (p *person) insert(css, text string) {
	p.t.Helper()
	p.by(p.hand(quick).Insert(css, text))
}

// choose takes a choice of a list, by its value, by what it says, or by some of that.
func (p *person) choose(css, choice string) {
	p.t.Helper()
	p.reveal(css)
	p.do(chromedp.WaitVisible(chromedp.CSS(css)))
	p.by(p.hand(quick).Choose(css, choice))
}

// upload chooses a file and sends it; the page is exchanged when it is there.
func (p *person) upload(form, name string, data []byte) {
	p.t.Helper()
	path := filepath.Join(p.t.TempDir(), name)
	if err := os.WriteFile(path, data, 0o600); err != nil {
		p.t.Fatal(err)
	}
	p.do(chromedp.SetUploadFiles(chromedp.CSS(form+" input[type=file]"), []string{path}))
	p.turns(func() { p.click(form + " button:not([data-stop])") })
}

// export fetches a file as the links on the patch sheet do.
func (p *person) export(path string) []byte {
	p.t.Helper()
	href := see[string](p, `document.querySelector('a[href$="`+path+`"]').getAttribute("href")`)
	code, body := p.site.get(p.t, href)
	if code != 200 {
		p.t.Fatalf("got %s: %d; want code 200", href, code)
	}
	return []byte(body)
}

func (p *person) csv() map[string][]string {
	p.t.Helper()
	rows, err := csv.NewReader(bytes.NewReader(p.export("patch-sheet.csv"))).ReadAll()
	if err != nil {
		p.t.Fatal(err)
	}
	out := map[string][]string{}
	for _, r := range rows {
		out[r[1]] = r
	}
	return out
}

// The whole path of the job, by keyboard and mouse, on an instrument built here;
// the outcome is read from fresh pages and the exported files.
func TestFromAnInstrumentFileToAFileTheHostCanOpen(t *testing.T) {
	p := sitDown(t, false)

	// An empty desk says what comes first, and a bad file does no harm.
	p.goTo("/")
	p.click(".empty .btn")
	p.until("form.bring")
	p.upload("form.bring", "holiday.sf2", []byte("not a bank"))
	if text := see[string](p, `document.getElementById("flash").innerText`); !strings.Contains(text,
		"Nothing was imported") {
		t.Errorf("the failed import says %q", text)
	}
	p.upload("form.bring", "harbour.sf2", testkit.Kit().Bytes())
	if rows := see[[]string](p, `[...document.querySelectorAll("#list .strong")].map(a => a.innerText)`); !slices.Equal(
		rows, []string{"Harbour", "Harbour Kit"}) {
		t.Fatalf("the shelf holds %q", rows)
	}

	// A project on six outputs, from lane 5, with lane 8 taken.
	p.click(`#list tr:nth-child(2) a[href^="/projects/new"]`)
	p.until("#name")
	p.fill("#name", "Night Ferry")
	p.fill("#first", "5")
	p.fill("#taken", "1-4, 8")
	p.fill("#list tr:has(:checked) input[name^=outputs]", "6x2")
	p.click("main form .acts .btn-primary")
	p.until("main.view-proposal")
	if err := see[string](p, `document.querySelector("main").innerText`); !strings.Contains(err,
		"Proposal for Harbour Kit") {
		t.Fatalf("got %s; want err with \"Proposal for Harbour Kit\"", err)
	}

	// The song says what is used: it never plays the crash.
	p.press("1")
	p.until("main.view-feeds")
	var song bytes.Buffer
	track := smf.Track{}
	for i, k := range []byte{36, 38, 36, 41, 46, 70, 42} {
		track = append(track, smf.Event{Tick: int64(i * 240), Status: 0x99, Data: []byte{k, 100}},
			smf.Event{Tick: int64(i*240 + 100), Status: 0x89, Data: []byte{k, 0}})
	}
	if err := smf.Encode(&song, &smf.File{Division: 480, Tracks: []smf.Track{track}}); err != nil {
		t.Fatal(err)
	}
	p.upload("form.bring", "ferry.mid", song.Bytes())

	// The proposal, asked for by key, accepted whole.
	p.press("p")
	p.until("main.view-proposal")
	if text := see[string](p, `document.querySelector("tr.aside").innerText`); !strings.Contains(text, "Crash wide") ||
		!strings.Contains(text, "the song never plays it") {
		t.Errorf("the crash: %q", text)
	}
	p.changes(func() { p.fill("#bus-i1", "Deck"); p.press(kb.Tab) })
	p.changes(func() { p.click("[id^=accept-all]") })

	// The crosspoints: along the row by arrow keys, Enter assigns.
	p.press("2")
	p.until("main.view-outputs")
	p.do(chromedp.Focus(chromedp.CSS(`.x`)))
	p.press(kb.ArrowDown)
	p.press(kb.End)
	p.changes(func() { p.press(kb.Enter) }) // the snare to output 6
	if id := see[string](p, `document.activeElement.id`); id != "x-i1:k38-6" {
		t.Errorf("after the change the focus is on %q", id)
	}
	p.press(kb.ArrowLeft)
	p.changes(func() { p.press(kb.Enter, chromedp.KeyModifiers(chromedp.ModifierShift)) }) // parked on 5
	p.changes(func() { p.press("z") })
	p.changes(func() { p.press("z") })
	p.changes(func() { p.press("y") })
	p.goTo("/projects/1/outputs") // a fresh page
	p.settled()
	if on := see[[]string](p,
		`[...document.querySelectorAll('.x[id^="x-i1:k38"].on')].map(b => b.id)`); !slices.Equal(on,
		[]string{"x-i1:k38-6"}) {
		t.Errorf("the snare is on %q", on)
	}

	// Lanes: a name typed in place and kept with Enter, a number, a colour.
	p.press("3")
	p.until("main.view-lanes")
	lane := func(name string) string {
		t.Helper()
		id := see[string](p, `[...document.querySelectorAll("[id^=name-]")].find(i => i.innerText === "`+name+
			`")?.id.slice(5) ?? ""`)
		if id == "" {
			t.Fatalf("no lane is called %s; there are %q", name,
				see[[]string](p, `[...document.querySelectorAll("[id^=name-]")].map(i => i.innerText)`))
		}
		return id
	}
	kick := lane("Kick In")
	p.do(chromedp.Focus(chromedp.CSS("#name-" + kick)))
	p.changes(func() { p.press("Big Kick" + kb.Enter) })
	p.do(chromedp.Focus(chromedp.CSS("#number-" + kick)))
	p.changes(func() { p.press("12" + kb.Tab) })
	p.do(chromedp.Focus(chromedp.CSS("#colour-" + kick)))
	p.changes(func() { p.press("#123456" + kb.Enter) })

	// A bus of marked lanes, instead of the bus they had.
	hat := lane("HH open")
	p.click("#mark-" + kick)
	p.click("#mark-" + hat)
	p.fill("#busname", "Thump")
	p.changes(func() { p.click(`button[value=bus]`) })

	// The map: a click on a feed shows its whole way.
	p.press("m")
	p.until("main.view-map")
	p.click(`[id="n-i1:k36"]`)
	p.until(".path")
	if way := see[[]string](p, `[...document.querySelectorAll(".path b")].map(b => b.innerText)`); !slices.Equal(way,
		[]string{"Output 1 · ports 1–2", "Lane 12 · Big Kick", "Thump bus · lane 16", "Deck bus · lane 15", "Main mix"}) {
		t.Errorf("the kick's way is %q", way)
	}
	if lit := see[int](p, `document.querySelectorAll("#map .way.lit").length`); lit != 5 {
		t.Errorf("%d lines are lit", lit)
	}

	// A mistake, found and mended with its button; then the kick switched off by key and back by undo.
	p.do(chromedp.Focus(chromedp.CSS("#n-" + hat)))
	p.press(kb.Enter)
	p.until("#lto")
	p.changes(func() {
		p.choose("#lto", "Thump and main mix")
		p.click("form:has(#lto) button:not([disabled])")
	})
	p.press("7")
	p.until("main.view-check")
	// the fork, the snare's lane, which nothing takes now, and the output it shares though others are spare
	if n := see[int](p, `document.querySelectorAll(".finding").length`); n != 3 {
		t.Errorf("%d findings", n)
	}
	at := see[int](p,
		`[...document.querySelectorAll(".finding")].findIndex(f => f.innerText.includes("share an output")) + 1`)
	p.click(fmt.Sprintf("#f%d summary", at))
	p.fill(fmt.Sprintf("#reason-%d", at), "one sound to me")
	p.changes(func() { p.press(kb.Enter) })
	if stands := see[string](p, `document.querySelector("main table.sheet")?.innerText ?? ""`); !strings.Contains(stands,
		"one sound to me") {
		t.Errorf("let stand: %q", stands)
	}
	p.changes(func() { p.click(".finding.wrong .btn") })
	p.changes(func() { p.click(".finding.untidy .btn") })
	p.until(".empty")

	// Taken away.
	p.press("8")
	p.until("main.view-sheet")
	sheet := p.csv()
	for name, want := range map[string]string{
		"Big Kick": "12|Big Kick|lane|stereo|Harbour Kit|1|1–2|1–2|Kick In|36 C1|Thump (lane 16)|#123456|Big " +
			"Ki|||||||the folded group of Harbour Kit, lanes 10–14|",
		"Crash wide": "|Crash wide|off|stereo|Harbour Kit||||Crash wide|49 C#2|||||||||||",
	} {
		if got := strings.Join(sheet[name], "|"); got != want {
			t.Errorf("the sheet says\n%s, want\n%s", got, want)
		}
	}
	if got := sheet["Thump"]; got == nil || got[2] != "bus" {
		t.Errorf("the bus: %q", got)
	}
	checkDAWproject(t, p.export("project.dawproject"))
}

// projectXML is the project in a DAWproject file.
func projectXML(t *testing.T, data []byte) []byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	doc, err := fs.ReadFile(z, "project.xml")
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// checkDAWproject walks the file's elements one by one, apart from the structs
// it was written from.
func checkDAWproject(t *testing.T, data []byte) {
	t.Helper()
	track, tracks, channels, colours, to, notes := "", []string{}, map[string]string{}, map[string]string{},
		map[string]string{}, 0
	for d := xml.NewDecoder(bytes.NewReader(projectXML(t, data))); ; {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		e, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		attr := map[string]string{}
		for _, a := range e.Attr {
			attr[a.Name.Local] = a.Value
		}
		switch e.Name.Local {
		case "Track":
			track = attr["name"]
			tracks = append(tracks, track)
			colours[track] = attr["color"]
		case "Channel":
			channels[attr["id"]] = track
			to[track] = attr["destination"]
		case "Note":
			notes++
		}
	}
	for _, want := range [][2]string{{"Big Kick", "Thump"}, {"Thump", "Deck"}, {"HH open", "Thump"},
		{"Deck", "Main mix"}} {
		if !slices.Contains(tracks, want[0]) || channels[to[want[0]]] != want[1] {
			t.Errorf("%s goes to %q, want %s; tracks %q", want[0], channels[to[want[0]]], want[1], tracks)
		}
	}
	if colours["Big Kick"] != "#123456" || notes != 7 {
		t.Errorf("colour %s, %d notes", colours["Big Kick"], notes)
	}
}

func TestKeysLeadEverywhereAndDoNotTypeOver(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/")
	for _, page := range Pages() {
		if !strings.HasPrefix(page.Path, "/projects/{id}/") {
			continue
		}
		for _, key := range page.Keys {
			p.press(key)
			p.until("main.view-" + page.Name)
		}
	}
	// Escape lets go of what is chosen.
	p.goTo(fogBell + "/?feed=i1:stop")
	p.until("#map.has-lit")
	p.press(kb.Escape)
	p.until("#map:not(.has-lit)")
	// In a field the keys are letters, and the list filters as one types.
	p.press("3")
	p.until("main.view-lanes")
	p.press("/")
	p.fill("#find:focus", "rooms")
	p.quiet()
	if left := see[int](p, `document.querySelectorAll("#lanes tbody tr").length`); left != 1 {
		t.Errorf("%d rows are left", left)
	}
	if at := see[string](p, `location.pathname`); at != fogBell+"/lanes" {
		t.Errorf("typing led to %s", at)
	}
	// Hovering lights a path and leaving lets it go.
	p.press(kb.Escape)
	p.press("m")
	p.until("main.view-map")
	p.do(chromedp.Focus(chromedp.CSS(`[id="n-i1:kin"]`)))
	if lit := see[int](p, `document.querySelectorAll("#map .way.lit").length`); lit != 4 {
		t.Errorf("%d lines are lit by focus", lit)
	}
	see[bool](p, `(document.activeElement.blur(), true)`)
	if lit := see[int](p, `document.querySelectorAll("#map .lit").length`); lit != 0 {
		t.Errorf("%d things stay lit", lit)
	}
	p.press("?")
	p.until(".rules")
}

func TestNothingIsLostAtTabletWidth(t *testing.T) {
	p := sitDown(t, true)
	p.do(chromedp.EmulateViewport(1024, 768))
	for _, path := range append(everyPage(), "/instruments/3", "/projects/2/proposal", "/house?branch=percussion&try=4",
		"/drift?all=1", "/drift?preview=1",
		drumSong+"?to=2", "/projects/2/parts", "/projects/2/lanes", "/projects/2/sheet", fogBell+"/replace?to=2") {
		p.goTo(path)
		if over := see[int](p, `document.documentElement.scrollWidth - innerWidth`); over > 0 {
			t.Errorf("%s is %d pixels too wide", path, over)
		}
		if small := see[[]string](p,
			`[...document.querySelectorAll("body *")].filter(e => [...e.childNodes].some(n => n.nodeType === 3 && n.data.trim()) && e.getClientRects().length && !e.closest(".visually-hidden")).filter(e => parseFloat(getComputedStyle(e).fontSize) * (e.ownerSVGElement ? Math.hypot(e.getScreenCTM().a, e.getScreenCTM().b) : 1) < 11.99).map(e => e.textContent.trim().slice(0, 40))`); len(small) > 0 {
			t.Errorf("%s has type under 12 px: %q", path, small)
		}
		if nameless := see[[]string](p,
			`[...document.querySelectorAll("main input:not([type=hidden]), main select, main button:not([hidden]), main a")].filter(e => !(e.innerText?.trim() || e.ariaLabel || e.textContent?.trim() || e.labels?.length || e.title)).map(e => e.outerHTML.slice(0, 120))`); len(nameless) > 0 {
			t.Errorf("%s has controls without a name: %q", path, nameless)
		}
	}
}

func TestAColumnOfNamesIsPastedAsOneChange(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/lanes")
	paste := func(row int, text string) {
		t.Helper()
		see[bool](p,
			fmt.Sprintf(
				`(c => { const d = new DataTransfer(); d.setData("text/plain", %q); c.focus(); c.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); return true })(document.querySelectorAll('tbody [data-col="name"]')[%d])`, text, row))
	}
	names := func() []string {
		return see[[]string](p, `[...document.querySelectorAll('tbody [data-col="name"]')].map(i => i.innerText)`)
	}
	before := names()
	p.changes(func() { paste(1, "Boom\r\nCrack\r\nTick\r\n") })
	p.goTo(fogBell + "/lanes")
	if got := names(); !slices.Equal(got[:5], []string{before[0], "Boom", "Crack", "Tick", before[4]}) {
		t.Errorf("pasted: %q", got)
	}
	p.changes(func() { p.press("z") })
	if got := names(); !slices.Equal(got, before) {
		t.Errorf("one undo did not take the paste back: %q", got)
	}
	// More names than rows are refused, and nothing changes.
	paste(len(before)-1, "One\nTwo")
	p.until("#flash.bad")
	if got := names(); !slices.Equal(got, before) {
		t.Errorf("a refused paste changed %q", got)
	}
}

func TestShiftMarksARangeAndKeysWalkTheColumn(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/lanes")
	ids := see[[]string](p, `[...document.querySelectorAll("[data-mark]")].map(m => m.id)`)
	p.click("#" + ids[1])
	p.by(p.hand(quick).Click("#"+ids[4], chromedp.ModifierShift))
	if n := see[int](p, `document.querySelectorAll("[data-mark]:checked").length`); n != 4 {
		t.Errorf("%d lanes are marked, from the second to the fifth", n)
	}
	p.do(chromedp.Focus(chromedp.CSS(`tbody [data-col="name"]`)))
	p.press(kb.ArrowDown)
	p.press(kb.ArrowDown)
	p.press(kb.ArrowUp)
	if at := see[int](p,
		`[...document.querySelectorAll('tbody [data-col="name"]')].indexOf(document.activeElement)`); at != 1 {
		t.Errorf("the keys led to row %d", at)
	}
}

// An effect's return is made for lanes that are marked, changed in their rows, patched by
// the run sheet, and taken along in every file.
func TestLanesSendToAReturn(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/lanes")
	marks := see[[]string](p,
		`[...document.querySelectorAll("#lanes tbody tr")].filter(r => ["Snare", "Rooms"].includes(r.querySelector('[data-col="name"]').innerText)).map(r => r.querySelector("[data-mark]").id)`)
	for _, m := range marks {
		p.click("#" + m)
	}
	p.fill("#sendto", "Fog Hall")
	p.fill("#sendlevel", "-9,5")
	p.changes(func() { p.press(kb.Enter) })
	p.goTo(fogBell + "/lanes")
	cell := func(name string) string { // of the lane's sends
		return fmt.Sprintf(`[...document.querySelectorAll("#lanes tbody tr")].find(r => `+
			`r.querySelector('[data-col="name"]').innerText === %q).querySelector('[data-col="sends"]')`, name)
	}
	level := func(name string) string { return see[string](p, cell(name)+`.innerText || "none"`) }
	if level("Snare") != "Fog Hall −9.5 dB" || level("Rooms") != "Fog Hall −9.5 dB" || level("Hat") != "none" {
		t.Errorf("snare %s, rooms %s, hat %s; want both sends at −9.5 dB", level("Snare"), level("Rooms"), level("Hat"))
	}
	see[bool](p, `(`+cell("Snare")+`.focus(), true)`)
	p.changes(func() { p.press("fog hall -20" + kb.Enter) })
	see[bool](p, `(`+cell("Rooms")+`.focus(), true)`)
	p.changes(func() { p.press(kb.Delete) }) // an empty cell has no send
	p.goTo(fogBell + "/sheet")
	sheet := p.csv()
	if s := sheet["Snare"]; s == nil || s[13] != "Fog Hall (lane 18) at −20.0 dB, after the fader" {
		t.Errorf("the snare's row says %q", s)
	}
	if s := sheet["Rooms"]; s == nil || s[13] != "" || sheet["Fog Hall"] == nil ||
		sheet["Fog Hall"][8] != "sends of 8" || sheet["Fog Hall"][10] != "Drums (lane 17)" {
		t.Errorf("the rooms' row says %q, the return's %q", s, sheet["Fog Hall"])
	}
	_, run := p.site.get(t, fogBell+"/run")
	if !strings.Contains(run, "Add a send to Fog Hall, after the fader, on lane 8") {
		t.Error("the run sheet does not say to open the send")
	}
	session := testkit.ReadSession(t, p.export("project.dawproject"))
	for _, l := range session.Lanes {
		if l.Name == "Snare" && (len(l.Sends) != 1 || l.Sends[0].Level > -19.9 || l.Sends[0].Level < -20.1) {
			t.Errorf("in the session the snare has %+v", l.Sends)
		}
	}
	// One undo brings the rooms' send back.
	p.goTo(fogBell + "/lanes")
	p.changes(func() { p.press("z") })
	if level("Rooms") != "Fog Hall −9.5 dB" {
		t.Errorf("undone, the rooms' send is %s", level("Rooms"))
	}
	// The return is drawn, and its way is lit with the snare's.
	p.goTo(fogBell + "/?feed=i1:stop")
	if lit := see[int](p, `document.querySelectorAll("#map .way.send.lit").length`); lit != 1 {
		t.Errorf("%d sends are lit", lit)
	}
	if lit := see[[]string](p, `[...document.querySelectorAll("#map .bus.lit .name")].map(b => b.textContent)`); len(
		lit) != 2 {
		t.Errorf("lit are the buses %q", lit)
	}
	// Sent where it goes anyway, it is found.
	p.site.post(t, fogBell+"/edit", url.Values{"rev": {p.site.revision(t, 4)}, "back": {"lanes"}, "do": {"send"},
		"lane": {strings.TrimPrefix(marks[0], "mark-")}, "sendto": {"drums"}, "level": {"0"}})
	if _, check := p.site.get(t, fogBell+"/check"); !strings.Contains(check, "Drums has Snare twice") {
		t.Error("a copy that meets the dry sound is not found")
	}
}

// Pointing at a thing of the map, or tabbing to it, lights its path and dims the rest; away
// from it the map is as it was: all of it plain, or the path that was asked for.
func TestAPathOnTheMapIsClearedWhereItWasOnlyPointedAt(t *testing.T) {
	p := sitDown(t, true)
	lit := func() string {
		return see[string](p, `document.getElementById("map").classList.contains("has-lit") + " " +
			[...document.querySelectorAll("#map [data-paths]")].flatMap((n, i) => n.classList.contains("lit") ? [i] : []).join(",")`)
	}
	for _, c := range []struct{ path, plain string }{{fogBell + "/", "false "}, {fogBell + "/?feed=i1:hat", ""}} {
		p.goTo(c.path)
		plain := lit()
		if c.plain != "" && plain != c.plain {
			t.Errorf("%s begins with the path %s lit; want %s", c.path, plain, c.plain)
		}
		node := `#map .feed.node:nth-of-type(2)`
		if see[bool](p, `!document.querySelector("`+node+`")`) {
			node = `#map .node`
		}
		over := func(css string) func() { return func() { p.by(p.hand(quick).Over(css)) } }
		focus := func(css string) func() { return func() { p.do(chromedp.Focus(chromedp.CSS(css))) } }
		for _, pointing := range []struct {
			way      string
			at, away func()
		}{{"the mouse", over(node), over("h1")}, {"the tab key", focus(node), focus("#find, header a")}} {
			pointing.at()
			if at := lit(); !strings.HasPrefix(at, "true ") || at == plain {
				t.Errorf("%s, by %s: pointed at, %s is lit", c.path, pointing.way, at)
			}
			pointing.away()
			if away := lit(); away != plain {
				t.Errorf("%s, by %s: away from it %s is lit; want %s as before", c.path, pointing.way, away, plain)
			}
		}
	}
}
