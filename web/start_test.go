package web

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/core/plan"
	"hiddenlanes/internal/testkit"
)

// steps are the titles of the run sheet, on a fresh page.
func (p *person) steps(project string) []string {
	p.t.Helper()
	p.goTo(project + "/run")
	return see[[]string](p, `[...document.querySelectorAll(".step .do b")].map(b => b.innerText)`)
}

// ways are the ways of the first instrument of the page: the name and the count of each.
func (p *person) ways() map[string]int {
	p.t.Helper()
	out := map[string]int{}
	for _, row := range see[[][]string](p, `[...document.querySelectorAll('[aria-label^="Ways of"] tbody tr')].map(r => `+
		`[r.querySelector("th").innerText, r.querySelector("td b").innerText])`) {
		n, err := strconv.Atoi(row[1])
		if err != nil {
			p.t.Errorf("the way %q takes %q settings", row[0], row[1])
		}
		out[row[0]] = n
	}
	return out
}

// The page of starts is a key away; the run sheet goes the way that is said there, with as many
// settings as are counted there, and goes the shortest one again.
func TestTheRunSheetGoesTheWayThatIsChosen(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/")
	p.press("b") // from anywhere in the project
	p.until("main.view-start")
	ways := p.ways()
	if len(ways) != 2 || ways["all in order"] >= ways["each setting by itself"] || ways["all in order"] < 2 {
		t.Fatalf("the ways are %v; want all in order, which is shorter, and each setting by itself", ways)
	}
	if puts := see[string](p, `document.querySelector(".puts").textContent`); !strings.Contains(puts,
		"Deck · 1: Kick In") {
		t.Errorf("all in order puts %q", puts)
	}
	left := func() int {
		p.t.Helper()
		text := see[string](p, `document.querySelector(".head b + *, .head").innerText`)
		n := 0
		if _, err := fmt.Sscanf(text[strings.Index(text, " of ")+4:], "%d", &n); err != nil {
			t.Fatalf("the run sheet does not say how many settings there are: %q", text)
		}
		return n
	}
	short := p.steps(fogBell)
	if len(short) < 3 || !strings.HasPrefix(short[1], "Assign 16 feeds of Brinework Kit") {
		t.Fatalf("the sheet begins with %q; want each feed assigned, for the action would save but two settings",
			short[:min(3, len(short))])
	}
	total := left()
	p.goTo(fogBell + "/start")
	p.focus("way-i1-0")
	p.changes(func() { p.press(kb.Enter) })
	if other := p.steps(fogBell); !strings.HasPrefix(other[1], "Spread the feeds of Brinework Kit") ||
		total-left() != ways["each setting by itself"]-ways["all in order"] {
		t.Errorf("the other way is chosen: the sheet has %d settings and had %d, and says %q", left(), total, other)
	}
	p.goTo(fogBell + "/start")
	p.changes(func() { p.click("#shortest-i1") })
	if again := p.steps(fogBell); again[1] != short[1] || left() != total {
		t.Errorf("the sheet chooses again: %d settings, want %d; second %q", left(), total, again[1])
	}
}

// An instrument that is loaded as its layout has it needs no step for what is so already, and
// says what it begins with; the choice is one undo.
func TestALayoutThatIsLoadedNeedsNoSteps(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(marketDay + "/start")
	before := p.ways()["each setting by itself"]
	p.changes(func() { p.choose("#begins-i1", "layout:One output a microphone") })
	p.goTo(marketDay + "/start")
	if now := p.ways()["each setting by itself"]; now >= before {
		t.Errorf("loaded in a layout it takes %d settings, as delivered %d", now, before)
	}
	if said := p.startOf("i1"); !strings.Contains(said,
		"One output a microphone") {
		t.Errorf("it says it is loaded %q", said)
	}
	if steps := strings.Join(p.steps(marketDay), "\n"); !strings.Contains(steps, "One output a microphone") {
		t.Errorf("the run sheet does not say what to load: %q", steps)
	}
	p.goTo(marketDay + "/start")
	p.changes(func() { p.press("z") })
	p.goTo(marketDay + "/start")
	if back := p.ways()["each setting by itself"]; back != before {
		t.Errorf("undone, it takes %d settings, want %d", back, before)
	}
}

// The writing stage is one edit: what is patched for mixing leaves a sheet of the difference, on
// the same lanes, and the way back is as long.
func TestTheStageIsSwitchedOnTheSameLanes(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(marketDay + "/run")
	p.changes(func() { p.click("#all-done") })
	lanes := func() string {
		var out []string
		b := p.site.bundle(t, marketDay)
		for _, l := range b.ByNumber() {
			out = append(out, fmt.Sprint(l.Number, l.Name, l.To))
		}
		return strings.Join(out, " ")
	}
	before := lanes()
	p.goTo(marketDay + "/start")
	costs := see[[]string](p, `[...document.querySelectorAll('[aria-label^="Stages of"] td.num')].map(c => c.innerText)`)
	if len(costs) != 4 || costs[0] >= costs[2] || costs[3] != "–" {
		t.Fatalf("the stages cost %q; want less memory for writing, and settings to switch there only", costs)
	}
	p.focus("stage-i1-writing")
	p.changes(func() { p.press(kb.Enter) })
	if now := lanes(); now != before {
		t.Errorf("the lanes were\n%s, are\n%s", before, now)
	}
	steps := p.steps(marketDay)
	if all := strings.Join(steps, "\n"); len(steps) == 0 || strings.Contains(all, "Add lane") || strings.Contains(all,
		"Load ") {
		t.Errorf("the sheet of the difference says %q", steps)
	}
	if all := see[string](p, `document.getElementById("main").innerText`); !strings.Contains(all,
		costs[1]+" differences from the plan") {
		t.Errorf("switching was said to take %s settings, the sheet says %.900q", costs[1], all)
	}
	p.goTo(marketDay + "/start")
	p.changes(func() { p.click("#stage-i1-mixing") })
	if steps := p.steps(marketDay); len(steps) > 1 { // what is by ear
		t.Errorf("back at mixing there are %q to do", steps)
	}
}

// One instance becomes two on the same lanes, and one again.
func TestAnInstrumentIsDividedAndGathered(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(marketDay + "/start")
	names := func() string {
		p.goTo(marketDay + "/sheet")
		var out []string
		for name, row := range p.csv() {
			if row[2] == "lane" {
				out = append(out, name)
			}
		}
		return fmt.Sprint(len(out))
	}
	before := names()
	p.goTo(marketDay + "/start")
	p.changes(func() { p.click("#divide-i1-2") })
	b := p.site.bundle(t, marketDay)
	if len(b.Placed) != 2 || len(b.Placed[0].Instrument.Parts) != 2 || len(b.Placed[1].Instrument.Parts) != 2 {
		t.Fatalf("divided, there are %d instances", len(b.Placed))
	}
	if now := names(); now != before {
		t.Errorf("there were %s lanes, there are %s", before, now)
	}
	p.goTo(marketDay + "/start")
	p.changes(func() { p.click("#gather-i1") })
	if b = p.site.bundle(t, marketDay); len(b.Placed) != 1 || len(b.Placed[0].Instrument.Parts) != 4 {
		t.Errorf("gathered, there are %d instances", len(b.Placed))
	}
	p.changes(func() { p.press("z") })
	p.changes(func() { p.press("z") })
	if b = p.site.bundle(t, marketDay); len(b.Placed) != 1 || b.Placed[0].Instrument.Name != "Saltpan Section" {
		t.Errorf("undone twice, there are %d instances", len(b.Placed))
	}
}

// The first output is kept free: the next proposal leaves it, and says so; a default and a
// template that are asked for end the run sheet.
func TestOutputsAreKeptFreeAndWhatIsSavedComesLast(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/start")
	p.do(chromedp.Focus(chromedp.CSS("#free-i1")))
	p.changes(func() { p.press("1" + kb.Tab) })
	p.goTo(fogBell + "/start")
	p.changes(func() { p.click("#save-i1") })
	p.changes(func() { p.click("#keep-template") })
	p.goTo(fogBell + "/proposal")
	if page := see[string](p, `document.getElementById("main").innerText`); !strings.Contains(page,
		"Output Deck · 1 stays free") || !strings.Contains(page, "would need 19 outputs and 18 lanes") {
		t.Errorf("the proposal does not leave output 1: %.300s", page)
	}
	p.changes(func() { p.click("[id^=accept-all]") })
	p.goTo(fogBell + "/sheet")
	for name, row := range p.csv() {
		if row[5] == "1" {
			t.Errorf("%s takes output 1", name)
		}
	}
	steps := p.steps(fogBell)
	if n := len(steps); n < 3 || !strings.Contains(strings.Join(steps[n-3:], "\n"), "default") ||
		!strings.Contains(strings.Join(steps[n-3:], "\n"), "template") {
		t.Errorf("the sheet ends with %q; want the default and the template saved", steps[max(0, len(steps)-3):])
	}
	p.goTo(fogBell + "/start")
	p.fill("#free-i1", "x"+kb.Tab)
	p.until("#flash.bad")
	if b := p.site.bundle(t, fogBell); fmt.Sprint(b.Placed[0].KeepFree) != "[1]" {
		t.Errorf("a refused range is kept as %v", b.Placed[0].KeepFree)
	}
}

// A default that was saved once needs no set-up in the next project.
func TestADefaultSavedOnceIsThereInTheNextProject(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/start")
	p.changes(func() { p.click("#save-i1") })
	p.goTo(fogBell + "/run")
	p.changes(func() { p.click("#all-done") })
	p.goTo("/projects/new")
	p.fill("#name", "Cue 20 Slack Water")
	p.click("#list tr:nth-child(1) input[name=choose]") // the Brinework Kit
	p.click("main form .acts .btn-primary")
	p.until("main.view-proposal")
	p.changes(func() { p.click("[id^=accept-all]") })
	project := strings.TrimSuffix(see[string](p, `location.pathname.match(/^\/projects\/\d+/)[0]`), "/")
	p.goTo(project + "/start")
	if said := p.startOf("i1"); !strings.Contains(said,
		"default") {
		t.Errorf("in the next project it is loaded %q; want with the default that was saved", said)
	}
	if steps := strings.Join(p.steps(project), "\n"); strings.Contains(steps, "Assign ") || strings.Contains(steps,
		"outputs in") {
		t.Errorf("what is in the default is on the sheet again: %q", steps)
	}
}

// Lanes that are in the mixer already are typed, whole ranges at once; they are drawn dim and
// counted as taken, routed to the same buses, and no step names them.
func TestOtherLanesAreTypedAndLeftAlone(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/lanes")
	p.click("#others summary")
	p.fill("#others-text", "20-22 Crew\n23 Gulls, mono > Drums\n24 Slapback, return")
	p.changes(func() { p.click("#add-others") })
	b := p.site.bundle(t, fogBell)
	gulls := testkit.Lane(&b, "Gulls")
	if testkit.Lane(&b, "Crew 1") == nil || testkit.Lane(&b, "Crew 3") == nil || gulls == nil || gulls.Number != 23 ||
		gulls.Width != 1 || gulls.To != testkit.Lane(&b, "Drums").ID || gulls.Owner != plan.Found {
		t.Fatalf("added were %+v", b.Lanes[len(b.Lanes)-5:])
	}
	p.goTo(fogBell + "/")
	if dim := see[int](p,
		`[...document.querySelectorAll("#map .other")].filter(n => n.textContent.includes("Gulls")).length`); dim == 0 {
		t.Error("a lane that is in the mixer already is not drawn dim on the map")
	}
	p.goTo(fogBell + "/sheet")
	sheet := p.csv()
	if row := sheet["Gulls"]; row == nil || row[2] != "other lane" || row[10] != "Drums (lane 17)" {
		t.Errorf("the sheet says %q", row)
	}
	p.goTo(fogBell + "/run")
	run := see[string](p, `document.querySelector(".steps").innerText`)
	for _, name := range []string{"Gulls", "Crew", "Slapback", "Dialogue"} {
		if strings.Contains(run, name) {
			t.Errorf("the run sheet names %s, which the plan did not make", name)
		}
	}
	p.goTo(fogBell + "/check")
	check := see[string](p, `document.querySelector(".findings").innerText`)
	if strings.Contains(check, "Gulls") || strings.Contains(check, "Crew") {
		t.Error("the check names a lane that the plan did not make")
	}
	// Our lane sends to their return; a range that is taken is refused with its reason.
	p.goTo(fogBell + "/lanes")
	p.focus("sends-" + testkit.Lane(&b, "Snare").ID)
	p.changes(func() { p.press("slapback -15" + kb.Enter) })
	if steps := strings.Join(p.steps(fogBell), "\n"); !strings.Contains(steps, "Slapback") {
		t.Errorf("the send to a return that is there already is not on the sheet: %q", steps)
	}
	p.goTo(fogBell + "/lanes")
	p.click("#others summary")
	p.fill("#others-text", "16-18 Late")
	p.turns(func() { p.click("#add-others") })
	p.until("#flash.bad")
	if b = p.site.bundle(t, fogBell); testkit.Lane(&b, "Late 1") != nil || testkit.Lane(&b, "Late 3") != nil {
		t.Error("a range that meets a taken lane was added in part")
	}
}

// The layout that an instrument is loaded in is said where it is added, in a new project and in one
// that is there.
func TestALayoutIsChosenWhereAnInstrumentIsAdded(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/projects/new")
	p.fill("#name", "Cue 21 Quay")
	row := `[...document.querySelectorAll("#list tbody tr")].find(r => r.innerText.includes("Saltpan Section"))`
	if offered := see[[]string](p, `[...`+row+`.querySelectorAll("option")].map(o => o.value)`); len(offered) != 5 {
		t.Errorf("offered are %q; want three starts and two layouts", offered)
	}
	see[bool](p, `(`+row+`.id ||= "saltpan", true)`)
	at := "#" + see[string](p, row+`.id`)
	p.click(at + " [name=choose]")
	p.choose(at+" select", "layout:One output a part")
	p.click("main form .acts .btn-primary")
	p.until("main.view-proposal")
	project := see[string](p, `location.pathname.match(/^\/projects\/\d+/)[0]`)
	p.goTo(project + "/start")
	if said := p.startOf("i1"); !strings.Contains(said, "in the layout One output a part") {
		t.Errorf("added, it starts %q", said)
	}
	p.goTo(project + "/feeds")
	if groups := see[[]string](p, `[...document.querySelectorAll("#adds optgroup")].map(o => o.label)`); len(groups) < 2 {
		t.Errorf("layouts are offered of %q; want of each instrument that has some", groups)
	}
	p.choose("#addi", "Flint Twelve")
	p.fill("#addo", "7x2")
	p.choose("#adds", "layout:All on the first")
	p.changes(func() { p.click("form.add .btn-primary") })
	b := p.site.bundle(t, project)
	if len(b.Placed) != 2 || b.Placed[1].Start.Kind != plan.FromLayout || b.Placed[1].Start.Name != "All on the first" {
		t.Errorf("added to the project, it is %d instruments, the last loaded %+v", len(b.Placed),
			b.Placed[len(b.Placed)-1].Start)
	}
	// A layout of another instrument is refused, and nothing is added.
	p.goTo(project + "/feeds")
	p.fill("#addo", "10x2")
	p.choose("#adds", "layout:All on the first")
	p.turns(func() { p.click("form.add .btn-primary") })
	p.until("#flash.bad")
	if b = p.site.bundle(t, project); len(b.Placed) != 2 {
		t.Errorf("a layout of another instrument was taken: %d instruments", len(b.Placed))
	}
}

// startOf is what the page of starts says of an instrument.
func (p *person) startOf(placed string) string {
	p.t.Helper()
	return see[string](p, fmt.Sprintf(`document.querySelector("#start-%s .gridhead .soft").innerText`, placed))
}
