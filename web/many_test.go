package web

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/format/smf"
)

// listed puts an instrument on the shelf by its list of names and begins a project with it on these
// outputs; it gives the project's address.
func (p *person) listed(name, names, outputs string) string {
	p.t.Helper()
	if code, body := p.site.post(p.t, "/instruments/list", url.Values{"name": {name}, "names": {names}}); code != 200 {
		p.t.Fatalf("listing %s: %d %.200s", name, code, body)
	}
	p.goTo("/instruments")
	p.click(`a[href^="/projects/new?instrument="]`)
	p.until("#name")
	p.fill("#name", "Cue of "+name)
	if outputs != "" {
		p.fill("#list tr:has(:checked) input[name^=outputs]", outputs)
	}
	p.click("main form .acts .btn-primary")
	p.until("main.view-proposal")
	return see[string](p, `location.pathname.match(/^\/projects\/\d+/)[0]`)
}

// A prepared layout has three floor toms and a gong on one output. Spread by six actions, what was
// in the way has moved, and nothing else; lanes and outputs are read back from the patch sheet.
func TestALumpedLayoutIsSpreadAndWhatIsInTheWayMoves(t *testing.T) {
	p := sitDown(t, false)
	project := p.listed("Quarry Kit", "microphones\nKick, mono, out 1\nSnare, mono, out 2\nHat, mono, out 3\n"+
		"Rack Tom, mono, out 4\nFloor Tom 1, mono, out 5\nFloor Tom 2, mono, out 5\nFloor Tom 3, mono, out 5\n"+
		"Gong, mono, out 5\nOverheads st out 6\nRoom st out 7\n", "5x1+8x2@7")
	p.goTo(project + "/outputs")
	at := func() map[string]string {
		return see[map[string]string](p,
			`Object.fromEntries([...document.querySelectorAll(".x.on")].map(b => b.value.split("|")[0]+"="+b.value.split("|")[1]).map((x) => x.split("=")))`)
	}
	before := at()
	if len(before) != 10 {
		t.Fatalf("the project begins with %d feeds on outputs: %v", len(before), before)
	}
	feed := map[string]string{}
	p.goTo(project + "/feeds")
	for name, id := range see[map[string]string](p,
		`Object.fromEntries([...document.querySelectorAll("#feeds tbody tr")].map(r => [r.querySelector("th").innerText.trim(), r.dataset.id]))`) {
		feed[name] = id
	}
	mark := func(name string) string { return fmt.Sprintf(`[id="mark-%s"]`, feed[name]) }
	p.click(mark("Floor Tom 1"))                                           // 1
	p.by(p.hand(quick).Click(mark("Floor Tom 3"), chromedp.ModifierShift)) // 2
	p.fill("#order-from", "5")                                             // 3
	p.changes(func() { p.click("#pin-order") })                            // 4
	p.press("p")                                                           // 5
	p.until("main.view-proposal")
	moves := see[string](p, `document.querySelector(".chains").innerText.replace(/\s+/g, " ")`)
	for _, want := range []string{"Floor Tom 2 5 → 6 in the way there: Overheads 6 → ",
		"Floor Tom 3 5 → 7 in the way there: Room 7 → ",
		"Gong 5 → "} {
		if !strings.Contains(moves, want) {
			t.Errorf("the proposal does not say %q: %s", want, moves)
		}
	}
	p.changes(func() { p.click("[id^=accept-all]") }) // 6
	p.goTo(project + "/outputs")
	after := at()
	for name, want := range map[string]string{"Kick": "1", "Snare": "2", "Hat": "3", "Rack Tom": "4", "Floor Tom 1": "5",
		"Floor Tom 2": "6", "Floor Tom 3": "7"} {
		if got := after[feed[name]]; got != want {
			t.Errorf("%s leaves by %s, not %s", name, got, want)
		}
	}
	seen := map[string]bool{}
	for id, o := range after {
		if seen[o] {
			t.Errorf("%s shares output %s", id, o)
		}
		seen[o] = true
	}
	// The run sheet starts in the layout: it asks for the feeds that moved, and no others.
	p.goTo(project + "/run")
	sheet := see[string](p, `document.querySelector("main").innerText`)
	for _, name := range []string{"Floor Tom 2", "Gong", "Overheads", "Room"} {
		if !strings.Contains(sheet, name) {
			t.Errorf("the run sheet does not say where %s goes", name)
		}
	}
	if strings.Contains(sheet, "Assign Snare") || strings.Contains(sheet, "Assign Kick") {
		t.Errorf("the run sheet assigns what stays: %.600s", sheet)
	}
}

// Twelve pads become the left and right halves of six outputs, named in pad order, by four actions.
func TestTwelvePadsAreHalvesOfSixOutputs(t *testing.T) {
	p := sitDown(t, false)
	var names strings.Builder
	for i := range 12 {
		fmt.Fprintf(&names, "Pad %d, mono, key %d\n", i+1, 36+i)
	}
	project := p.listed("Dock Pads", names.String(), "6x2")
	p.goTo(project + "/feeds")
	p.click("#mark-all")                           // 1
	p.fill("#order-lane", "3")                     // 2
	p.click("#order-halves")                       // 3
	p.changes(func() { p.click("#assign-order") }) // 4
	p.goTo(project + "/sheet")
	rows := p.csv()
	for i := range 12 {
		name := fmt.Sprintf("Pad %d", i+1)
		row := rows[name]
		want := fmt.Sprintf("%d%s", i/2+1, []string{"L", "R"}[i%2])
		if row == nil || row[0] != fmt.Sprint(3+i) || row[5] != want || row[8] != name {
			t.Errorf("%s is on the sheet as %q; want lane %d, output %s", name, row, 3+i, want)
		}
	}
}

// Many lanes at once: selected by family, by Shift and by search, renamed, coloured, moved by keys,
// each one change that undo takes back; a folded bus stays folded.
func TestManyLanesAreWorkedOnTogether(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/projects/4/lanes")
	names := func() []string {
		return see[[]string](p,
			`[...document.querySelectorAll('#lanes tbody tr:not(.other):not(.busrow) th')].map(c => c.innerText)`)
	}
	numbers := func(name string) string {
		return see[string](p, fmt.Sprintf(
			`[...document.querySelectorAll('#lanes tbody tr')].find(r => r.querySelector("th").innerText === %q)?.querySelector("[data-col=number] text").textContent ?? ""`, name))
	}
	before := names()
	selected := func() int { return see[int](p, `document.querySelectorAll("[data-mark]:checked").length`) }

	p.choose("#mark-family", "kit/tom")
	if n := selected(); n != 3 {
		t.Errorf("the family of toms selects %d lanes, want 3", n)
	}
	p.fill("#pattern", "Deck {role}")
	p.changes(func() { p.press(kb.Enter) })
	if got := names(); !slices.Contains(got, "Deck Rack 1") || !slices.Contains(got, "Deck Floor 2") ||
		slices.Contains(got, "Deck Kick") {
		t.Errorf("renamed by a pattern: %q", got)
	}
	if n := selected(); n != 3 {
		t.Errorf("after the change %d lanes are selected; the selection stays", n)
	}
	p.choose("#tint", "shades")
	p.changes(func() { p.click("#colours") })
	p.changes(func() { p.press("z") })
	p.changes(func() { p.press("z") })
	if got := names(); !slices.Equal(got, before) {
		t.Errorf("after two undos: %q, not %q", got, before)
	}

	// The keys that move a row move the selected ones.
	first := numbers("Rack 1")
	p.focus(see[string](p, `document.querySelector("[data-mark]:checked").closest("tr").querySelector("th").id`))
	p.changes(func() { p.press(kb.ArrowUp, chromedp.KeyModifiers(chromedp.ModifierAlt)) })
	if a, b := numbers("Rack 1"), numbers("Hat"); a == first || b != "12" {
		t.Errorf("moved up past the hat, the first tom is on %s and the hat on %s", a, b)
	}
	p.changes(func() { p.click("#undo") }) // a letter would be typed into the cell

	// A bus folds with its lanes, on this page and on the map, and stays so.
	p.changes(func() { p.click(`[aria-label="Fold Drums"]`) })
	p.goTo("/projects/4/lanes")
	if got := names(); slices.Contains(got, "Kick") {
		t.Errorf("folded, the page lists %q", got)
	}
	p.goTo("/projects/4/")
	if text := see[string](p, `document.querySelector("#map").textContent`); !strings.Contains(text, "17 feeds") {
		t.Errorf("the map does not say how many feeds are folded: %.300s", text)
	}
	p.goTo("/projects/4/lanes")
	p.changes(func() { p.click(`[aria-label="Unfold Drums"]`) })
	if got := names(); !slices.Equal(got, before) {
		t.Errorf("unfolded, the page lists %q", got)
	}
}

// Several problems are marked as intended together, and the reason stands beside each.
func TestSeveralProblemsAreMarkedTogether(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/projects/4/lanes")
	for _, name := range []string{"Kick", "Snare"} { // two more that arrive twice
		p.click(fmt.Sprintf(`[aria-label="Select %s"]`, name))
	}
	id := see[string](p, `[...document.querySelectorAll("#routeto option")].find(o => o.text === "Drums").value`)
	for _, name := range []string{"Kick", "Snare"} {
		lane := see[string](p, fmt.Sprintf(`document.querySelector('[aria-label="Select %s"]').value`, name))
		if code, _ := p.site.post(t, "/projects/4/edit", url.Values{"do": {"route"}, "lane": {lane}, "to": {id + "+main"},
			"rev": {see[string](p, `document.querySelector("#state").dataset.rev`)}}); code != 200 {
			t.Fatalf("routing %s twice: %d", name, code)
		}
		p.goTo("/projects/4/lanes")
	}
	p.goTo("/projects/4/check")
	if n := see[int](p, `document.querySelectorAll(".finding").length`); n != 3 {
		t.Fatalf("%d problems, want 3", n)
	}
	p.click("#mark-all")
	p.fill("#several-reason", "parallel on purpose")
	p.changes(func() { p.press(kb.Enter) })
	p.goTo("/projects/4/check")
	rows := see[[]string](p,
		`[...document.querySelectorAll("main table.sheet tbody td:nth-child(2)")].map(c => c.innerText)`)
	if len(rows) != 3 || rows[0] != "parallel on purpose" || rows[2] != "parallel on purpose" {
		t.Errorf("intended are %q", rows)
	}
}

// An instrument of a project takes up what was typed on the shelf.
func TestAProjectTakesUpWhatChangedOnTheShelf(t *testing.T) {
	p := sitDown(t, false)
	project := p.listed("Dock Pads", "Low, mono, key 36\nHigh, mono, key 38\n", "4x2")
	p.changes(func() { p.click("[id^=accept-all]") })
	p.goTo("/instruments/1")
	p.do(chromedp.Focus(chromedp.CSS(`[id^="c-voices-"][id$="-name"]`)))
	p.changes(func() { p.press("Thud" + kb.Enter) })
	p.goTo(project + "/feeds")
	p.click(`[id^="news-"] summary`)
	if text := see[string](p, `document.querySelector('[id^="news-"] ul').innerText`); text != "Low is called Thud" {
		t.Errorf("the news are %q", text)
	}
	p.changes(func() { p.click(`[id^="update-"]`) })
	p.goTo(project + "/sheet")
	carried := ""
	for _, row := range p.csv() {
		carried += row[8] + "|"
	}
	if !strings.Contains(carried, "Thud") || strings.Contains(carried, "Low") {
		t.Errorf("the lanes carry %s", carried)
	}
	p.goTo(project + "/feeds")
	if n := see[int](p, `document.querySelectorAll('[id^="news-"]').length`); n != 0 {
		t.Errorf("after the update there are %d news", n)
	}
}

// A song without a percussion channel is rewritten on the channels that are chosen on its page.
func TestASongPageAsksForTheChannels(t *testing.T) {
	p := sitDown(t, true)
	f := &smf.File{Type: 1, Division: 480, Tracks: []smf.Track{
		{{Status: 0x90, Data: []byte{36, 90}}, {Tick: 480, Status: 0x90, Data: []byte{38, 90}}},
		{{Status: 0x91, Data: []byte{36, 90}}}}}
	var song bytes.Buffer
	if err := smf.Encode(&song, f); err != nil {
		t.Fatal(err)
	}
	p.goTo("/songs")
	p.upload("form.bring", "slack.mid", song.Bytes())
	p.until("#ask-channels")
	if n := see[int](p, `document.querySelectorAll("#take-song").length`); n != 0 {
		t.Error("the song can be exported before a channel is chosen")
	}
	p.turns(func() { p.click(`[id="channel-1:1"]`) })
	p.until("#take-song")
	if href := see[string](p, `document.querySelector("#take-song").getAttribute("href")`); !strings.Contains(href,
		"channel=1%3A1") {
		t.Errorf("the export is %s", href)
	}
}

// The overheads go out in groups that the user names, and a sample of the user's own beside them, each by
// the output it is given: read back from the patch sheet.
func TestAMicrophoneGoesOutInGroupsAndASampleBesideIt(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/feeds")
	p.click("#splits-i1 summary")
	p.changes(func() { p.choose("#split-i1-oh", "groups") })
	field := func(voice string) string { return fmt.Sprintf(`[aria-label="Group of %s in Overhead"]`, voice) }
	for _, x := range [][2]string{{"Snare", kb.Delete}, {"Kick", "thunder"}} { // one after the other
		voice, group := x[0], x[1]
		p.changes(func() {
			p.fill(field(voice), group)
			p.press(kb.Tab)
		})
	}
	if !see[bool](p, `document.querySelector("#splits-i1").open`) {
		t.Error("the groups are folded away while they are typed")
	}
	p.click("#samples-i1 summary")
	p.fill("#sample-i1", "Hull Thump")
	p.choose("#sample-with-i1", "Kick")
	p.changes(func() { p.click("#add-sample-i1") })
	for _, x := range [][2]string{{"Overhead thunder", "3"}, {"Hull Thump", "4"}} {
		name, output := x[0], x[1]
		p.goTo(fogBell + "/feeds")
		p.click("#" + see[string](p, fmt.Sprintf(`CSS.escape([...document.querySelectorAll("#feeds tbody tr")].find(
			r => r.querySelector("th").innerText.trim() == %q).querySelector("[data-mark]").id)`, name)))
		p.fill("#order-from", output)
		p.changes(func() { p.click("#assign-order") })
	}
	p.goTo(fogBell + "/sheet")
	got := map[string]string{}
	for _, row := range p.csv() {
		got[row[1]] = row[8]
	}
	for lane, want := range map[string]string{"Hat": "Overhead thunder", "Rack 1": "Hull Thump",
		"Overheads": "Overhead, Overhead snare, Overhead hat, Overhead cymbals, Overhead toms"} {
		if !strings.Contains(got[lane], want) {
			t.Errorf("lane %s carries %q; want %s in it (%v)", lane, got[lane], want, got)
		}
	}
}
