package web

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/app"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// table reads an instrument's CSV as rows by name.
func tableOf(t *testing.T, s site, id int64) map[string]map[string]string {
	t.Helper()
	code, body := s.get(t, fmt.Sprintf("/instruments/%d/instrument.csv", id))
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	if code != http.StatusOK || err != nil {
		t.Fatal(code, err)
	}
	out := map[string]map[string]string{}
	for _, r := range rows[1:] {
		cells := map[string]string{}
		for i, c := range r {
			cells[rows[0][i]] = c
		}
		out[cells["name"]] = cells
	}
	return out
}

// An instrument is edited as a spreadsheet is: keys move and mark, typing changes,
// a block is pasted as one change, and undo takes it back. Read back from the CSV.
func TestAnInstrumentIsEditedLikeASpreadsheet(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/instruments/2")
	p.do(chromedp.Focus(chromedp.CSS("#c-voices-pad1-name")))
	p.press(kb.ArrowRight)
	p.press(kb.ArrowRight)
	if at := see[string](p, `document.activeElement.id`); at != "c-voices-pad1-keys" {
		t.Fatalf("two steps to the right lead to %s", at)
	}
	p.press("35, 3")
	p.changes(func() { p.press("6" + kb.Enter) })
	if at := see[string](p, `document.activeElement.id`); at != "c-voices-pad2-keys" {
		t.Errorf("after Enter the keys stand on %s", at)
	}
	if got := tableOf(t, p.site, 2)["Kick"]["keys"]; got != "35 B0, 36 C1" {
		t.Errorf("the kick is on %s", got)
	}
	// A letter that is a shortcut elsewhere is typed here; Escape leaves the cell as it was.
	p.press("z" + kb.Escape)
	if got := see[string](p, `document.activeElement.textContent`); got != "38 D1" {
		t.Errorf("Escape left %q", got)
	}
	paste := func(text string) {
		t.Helper()
		p.changes(func() {
			see[bool](p,
				fmt.Sprintf(
					`(d => { d.setData("text/plain", %q); document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); return true })(new DataTransfer())`, text))
		})
	}
	p.do(chromedp.Focus(chromedp.CSS("#c-voices-pad3-name")))
	p.press(kb.ArrowLeft) // nothing is left of it
	paste("Hand Claps\tpercussion/clap\t39\tstereo\nEdge\tkit/snare/side\t37\tmono\n")
	got := tableOf(t, p.site, 2)
	if got["Hand Claps"]["width"] != "stereo" || got["Edge"]["role"] != "kit/snare/side" || got["Clap"] != nil {
		t.Errorf("got %v; want got[\"Hand Claps\"][\"width\"] \"stereo\", got[\"Edge\"][\"role\"] \"kit/snare/side\", "+
			"got[\"Clap\"] nil", got)
	}
	// One value pasted on a marked range fills it; Delete empties it again.
	p.do(chromedp.Focus(chromedp.CSS("#c-voices-pad7-choke")))
	p.click("#c-voices-pad7-choke")
	for range 2 {
		p.press(kb.ArrowDown, chromedp.KeyModifiers(8))
	}
	if n := see[int](p, `document.querySelectorAll("[aria-selected=true]").length`); n != 3 {
		t.Errorf("%d cells are marked", n)
	}
	paste("9")
	got = tableOf(t, p.site, 2)
	if got["Tom Low"]["choke"] != "9" || got["Crash"]["choke"] != "9" || got["Ride"]["choke"] != "" {
		t.Errorf("got %v; want got[\"Tom Low\"][\"choke\"] \"9\", got[\"Crash\"][\"choke\"] \"9\", "+
			"got[\"Ride\"][\"choke\"] \"\"", got)
	}
	p.changes(func() { p.press(kb.Delete) })
	if got := tableOf(t, p.site, 2)["Crash"]["choke"]; got != "" {
		t.Errorf("emptied to %q", got)
	}
	p.changes(func() { p.press("z", chromedp.KeyModifiers(2)) })
	p.changes(func() { p.click("#undo") })
	p.changes(func() { p.click("#undo") })
	if got := tableOf(t, p.site, 2); got["Clap"] == nil || got["Kick"]["keys"] != "35 B0, 36 C1" {
		t.Errorf("three undos lead to %v", got)
	}
	// What cannot be is refused with its place, and nothing changes.
	p.do(chromedp.Focus(chromedp.CSS("#c-voices-pad1-width")))
	p.press("wide" + kb.Enter)
	p.until("#flash.bad")
	if said := see[string](p, `document.getElementById("flash").innerText`); !strings.Contains(said, "Row 1, width") {
		t.Error(said)
	}
	if got := tableOf(t, p.site, 2)["Kick"]["width"]; got != "mono" {
		t.Errorf("a refused cell is %q", got)
	}
	p.changes(func() { p.click("#s-voices .gridhead form:has([value=add]) button") })
	if n := see[int](p, `document.querySelectorAll('[data-cells="voices"] tbody tr').length`); n != 13 {
		t.Errorf("%d voices after one was added", n)
	}
}

// Moving the cut with the arrow keys re-proposes at once; accepted, it is what the
// patch sheet says.
func TestTheCutMovesWithTheArrowKeys(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/proposal")
	cost := func() string { return see[string](p, `document.querySelector(".head b").innerText`) }
	if cost() != "97" {
		t.Fatalf("cost %s", cost())
	}
	p.do(chromedp.Focus(chromedp.CSS("#ladder-i1")))
	for _, step := range []struct{ key, cost string }{{kb.ArrowRight, "241"}, {kb.ArrowRight, "433"},
		{kb.ArrowLeft, "241"}} {
		p.press(step.key)
		p.do(chromedp.WaitReady(chromedp.CSS(`#ladder-i1[aria-valuetext$="cost ` + step.cost + `"]:focus`)))
		p.settled()
		if cost() != step.cost {
			t.Errorf("cost %s, want %s", cost(), step.cost)
		}
	}
	p.changes(func() { p.click("#accept-all-i1") })
	p.goTo(fogBell + "/sheet")
	sheet := p.csv()
	if row := sheet["Floor Toms"]; row == nil || row[8] != "Floor 1, Floor 2" {
		t.Errorf("got %v; want row not nil, row[8] \"Floor 1, Floor 2\"", sheet)
	}
	if lane := sheet["Kick"][0]; lane != "7" {
		t.Errorf("the kick moved to lane %s", lane)
	}
}

// What is asked on the proposal's page is in the next proposal, and can be freed.
func TestFeedsAreAskedToBeTogetherApartAndPinned(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/proposal")
	carries := func(feed string) string {
		return see[string](p,
			fmt.Sprintf(
				`[...document.querySelectorAll(".proposal tbody tr")].find(r => [...r.querySelectorAll(".why b:first-child")].some(b => b.innerText === %q))?.innerText ?? ""`, feed))
	}
	p.click("#mark-i1-ride")
	p.click("#mark-i1-hat")
	p.changes(func() { p.click("#ask-i1 button[value=together]") })
	if row := carries("Ride"); !strings.Contains(row, "Hat") || !strings.Contains(row, "together with Hat") {
		t.Errorf("got %q; want row with \"Hat\", row with \"together with Hat\"", row)
	}
	p.click("#mark-i1-kin")
	p.do(chromedp.Focus(chromedp.CSS("#pinto-i1")))
	p.press("9")
	p.changes(func() { p.click("#ask-i1 button[value=pin]") })
	if row := carries("Kick In"); !strings.HasPrefix(strings.TrimSpace(row), "9") ||
		!strings.Contains(row, "pinned to 9") {
		t.Errorf("got %q; want strings.TrimSpace(row) beginning with \"9\", row with \"pinned to 9\"", row)
	}
	p.changes(func() { p.choose("#wish-i1-kout", "3") })
	if row := carries("Kick Out"); !strings.Contains(row, "it always has its own output") {
		t.Errorf("what never shares shares: %q", row)
	}
	for _, id := range []string{"ride", "hat", "kin", "kout"} {
		p.click("#mark-i1-" + id)
	}
	p.changes(func() { p.click("#ask-i1 button[value=clear]") })
	if said := see[string](p, `document.querySelector(".fine")?.innerText ?? ""`); !strings.Contains(said,
		"No changes") {
		t.Errorf("freed, but %q", said)
	}
}

// A set-up that is typed is drawn on the ports at once, with what is wrong.
func TestASetupIsDrawnAsItIsTyped(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/outputs")
	p.fill("#set-i1", "6x2+4x1")
	p.do(chromedp.WaitReady(chromedp.CSS(`.portsvg[data-outputs="10"][data-ports="16"]`)))
	p.fill("#set-i1", "4x2@2+1x2@3")
	p.until(".faults")
	if said := see[string](p, `document.querySelector(".faults").innerText`); !strings.Contains(said,
		"straddles the pairs 1–2 and 3–4") || !strings.Contains(said, "are both on port 3") {
		t.Error(said)
	}
	p.fill("#set-i1", "23x2")
	p.do(chromedp.WaitReady(chromedp.CSS(`.portsvg[data-outputs="23"][data-ports="46"]`)))
	if said := see[string](p, `document.querySelector(".faults").innerText`); !strings.Contains(said,
		"and there are only 44") {
		t.Error(said)
	}
	p.fill("#set-i1", "lots")
	p.until(".portserr")
	p.goTo(fogBell + "/outputs")
	p.changes(func() { p.click("#missing-i1") }) // seven more make 19 stereo outputs, for which 32 ports do not do…
}

func TestTheShelfIsSearchedAsOneTypes(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/instruments")
	left := func() []string {
		return see[[]string](p,
			`[...document.querySelectorAll("#list tbody tr:not([hidden]) .strong")].map(a => a.innerText)`)
	}
	p.turns(func() { p.fill("#find", "clap") }) // a voice of the Flint Twelve
	if got := left(); !slices.Equal(got, []string{"Flint Twelve"}) {
		t.Errorf("got %q; want %v", got, []string{"Flint Twelve"})
	}
	p.turns(func() { p.fill("#find", " ") })
	p.turns(func() { p.click(`.picks a[href*="family=mallets"]`) })
	if got := left(); !slices.Equal(got, []string{"Saltpan Section"}) {
		t.Errorf("got %q; want %v", got, []string{"Saltpan Section"})
	}
}

func TestAFolderIsTakenWithItsPaths(t *testing.T) {
	s := start(t, false)
	send := func(files map[string]string) (int, string) {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		for name, text := range files {
			h := textproto.MIMEHeader{}
			h.Set("Content-Disposition", fmt.Sprintf(`form-data; name="folder"; filename="%s"`, name))
			part, err := m.CreatePart(h)
			if err != nil {
				t.Fatal(err)
			}
			_, _ = part.Write([]byte(text))
		}
		m.Close()
		r, err := s.Client().Post(s.URL+"/instruments/folder", m.FormDataContentType(), &b)
		return read(t, r, err)
	}
	if code, body := send(map[string]string{"Keel/keel.sfz": "<group> key=36\n#include \"in/k.sfz\"",
		"Keel/in/k.sfz": "<region> sample=a.wav"}); code != 200 || !strings.Contains(body, "1 new instrument from Keel") {
		t.Errorf("got %d %.400s; want code 200, body with \"1 new instrument from Keel\"", code, body)
	}
	for says, files := range map[string]map[string]string{
		"outside the imported folder":       {"Bad/bad.sfz": "#include \"../../other.sfz\"\n<region> key=36"},
		"there is no instrument file in it": {"Bad/readme.txt": "hello"},
		"leads outside":                     {"../up.sfz": "<region> key=36"},
		"Nothing was imported.":             {"Bad/x.sfz": "<group>"},
	} {
		if code, body := send(files); code < 400 || code > 499 || !strings.Contains(body, says) {
			t.Errorf("got %q: %d; want code at least 400, code at most 499, body with %v", says, code, says)
		}
	}
	if rows, err := s.app.Shelf(t.Context()); err != nil || len(rows) != 1 || rows[0].Voices != 1 {
		t.Errorf("got %+v %v; want len(rows) 1, rows[0].Voices 1", rows, err)
	}
}

// A default set-up is offered again where an instrument came with one of its own.
func TestTheDefaultIsOfferedAgain(t *testing.T) {
	s := start(t, true)
	if code, body := s.post(t, "/setups", url.Values{"name": {"House sixteen"}, "outputs": {"16x2"}, "port": {"1"},
		"default": {"on"}}); code != 200 || !strings.Contains(body, "House sixteen") {
		t.Fatal(code)
	}
	if code, body := s.post(t, "/setups", url.Values{"name": {"Bad"}, "outputs": {"many"}}); code != 422 ||
		!strings.Contains(body, "count x width") {
		t.Errorf("got %d; want code 422, body with \"count x width\"", code)
	}
	_, body := s.get(t, fogBell+"/outputs")
	if !strings.Contains(body, "came with its own outputs, 10x2. Your default is") {
		t.Error("the default is not offered")
	}
	p, err := s.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	code, body := s.post(t, fogBell+"/edit", url.Values{"rev": {fmt.Sprint(p.Revision)}, "back": {"outputs"},
		"do": {"setup"}, "placed": {"i1"}, "setup": {"House sixteen"}})
	if code != 200 || strings.Contains(body, "came with its own outputs, 10x2") ||
		!strings.Contains(body, `value="16x2"`) {
		t.Errorf("got %d; want code 200, body without \"came with its own outputs\", body with \"value=\\\"16x2\\\"\"",
			code)
	}
}

func TestAFixedInstrumentKeepsItsOutputs(t *testing.T) {
	s := start(t, true)
	p, err := s.app.Project(t.Context(), 3)
	if err != nil {
		t.Fatal(err)
	}
	code, body := s.post(t, "/projects/3/edit", url.Values{"rev": {fmt.Sprint(p.Revision)}, "back": {"outputs"},
		"do": {"outputs"}, "placed": {p.Plan.Placed[0].ID}, "outputs": {"8x2"}})
	if code != 422 || !strings.Contains(body, "they are fixed") {
		t.Errorf("got %d; want code 422, body with \"they are fixed\"", code)
	}
}

// Two instruments are proposed for so that no lane is proposed twice, and accepted
// in one go with the cut that was moved.
func TestAllProposalsAreAcceptedInOneGo(t *testing.T) {
	s := start(t, true)
	if _, err := s.app.Create(t.Context(), app.NewProject{Name: "Both", Host: plan.Host{FirstLane: 1, LaneLimit: 64},
		Choices: []app.Choice{{Instrument: 1}, {Instrument: 2}}}); err != nil {
		t.Fatal(err)
	}
	_, body := s.get(t, "/projects/5/proposal?cut-i1=9")
	if !strings.Contains(body, `name="cut-i1" value="9"`) || !strings.Contains(body, "2 instruments, planned together") {
		t.Error("the page does not offer both")
	}
	code, body := s.post(t, "/projects/5/edit", url.Values{"rev": {s.revision(t, 5)}, "do": {"accept-every"},
		"back": {"check"}, "placed": {"i1", "i2"}, "cut-i1": {"9"}})
	if code != 200 || !strings.Contains(body, "No problems") {
		t.Errorf("got %d %s; want code 200, body with \"No problems\"", code, flashOf(body))
	}
	p, err := s.app.Project(t.Context(), 5)
	if err != nil || len(p.Plan.Lanes) != 9+7+1 || p.Plan.Placed[0].Use != 9 {
		t.Errorf("%d lanes, %v", len(p.Plan.Lanes), err)
	}
}

// fill500 puts five hundred kits on the shelf.
func fill500(b testing.TB, a *app.App) {
	b.Helper()
	var shelf []rig.Instrument
	for i := range 500 {
		in := rig.Instrument{Name: fmt.Sprintf("Kit %03d", i), Origin: "benchmark"}
		for v := range 24 {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d of %d", v, i),
				Role: "kit/tom/rack", Width: 1})
		}
		shelf = append(shelf, in)
	}
	if _, n, err := a.AddInstruments(b.Context(), shelf...); err != nil || n != 500 {
		b.Fatal(n, err)
	}
}

func BenchmarkShelf500(b *testing.B) {
	s := start(b, false)
	fill500(b, s.app)
	for b.Loop() {
		if code, _ := s.get(b, "/instruments"); code != 200 {
			b.Fatal(code)
		}
	}
}

// A button that stands outside its form says its value too, with scripts as without.
func TestAKeptLayoutIsForgottenByItsButton(t *testing.T) {
	p := sitDown(t, true)
	project, err := p.site.app.Project(t.Context(), 3)
	if err != nil {
		t.Fatal(err)
	}
	if err := p.site.app.KeepLayout(t.Context(), 3, project.Revision, rig.Layout{Name: "As on the stage"},
		"i1"); err != nil {
		t.Fatal(err)
	}
	p.goTo("/instruments/2")
	p.changes(func() { p.click(`button[form=remove-layout][value="As on the stage"]`) })
	p.goTo("/instruments/2")
	if names := see[[]string](p,
		`[...document.querySelectorAll("#layouts tbody th")].map(n => n.innerText)`); slices.Contains(names,
		"As on the stage") || len(names) != 2 {
		t.Errorf("got %q; want names without \"As on the stage\", len(names) 2", names)
	}
}
