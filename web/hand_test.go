package web

import (
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/internal/testkit"
)

func done(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// Twenty cells that are typed faster than the server answers all arrive, at the right rows.
func TestEditsThatAreFasterThanTheServerAllArrive(t *testing.T) {
	p := sitDown(t, true)
	by := slowed(&p.site)
	p.goTo(fogBell + "/lanes")
	by.Store(int64(500 * time.Millisecond))
	ids := see[[]string](p, `[...document.querySelectorAll("#lanes tbody tr")].map(r => r.dataset.id)`)
	n := min(20, len(ids))
	hand := p.hand(15 * time.Millisecond)
	done(t, hand.Click("#name-"+ids[0]))
	for i := range n {
		done(t, hand.Type(fmt.Sprintf("N%d", i)+kb.Enter))
	}
	p.quiet()
	names := map[string]string{}
	for _, l := range p.site.bundle(t, fogBell).Lanes {
		names[l.ID] = l.Name
	}
	for i := range n {
		if want := fmt.Sprintf("N%d", i); names[ids[i]] != want {
			t.Errorf("row %d is called %q; want %q", i+1, names[ids[i]], want)
		}
	}
}

// What is half typed stays while other things are answered: in the cell that is typed into, in a field
// that has lost the focus, in one that an input method composes in; what is open stays open.
func TestWhatIsHalfTypedStays(t *testing.T) {
	p := sitDown(t, true)
	by := slowed(&p.site)
	p.goTo(fogBell + "/lanes")
	by.Store(int64(400 * time.Millisecond))
	ids := see[[]string](p, `[...document.querySelectorAll("#lanes tbody tr")].map(r => r.dataset.id)`)
	hand := p.hand(25 * time.Millisecond)
	done(t, hand.Click("#others summary"))
	done(t, hand.Click("#others-text"))
	done(t, hand.Type("7 Ferry horn"))
	done(t, hand.Click("#name-"+ids[1]))
	done(t, hand.Type("Slow one"+kb.Enter))
	done(t, hand.Type("half"))
	p.quiet()
	if got := see[string](p, `document.activeElement.className + " " + document.activeElement.value`); got != "editing half" {
		t.Errorf("the cell that is typed into is %q; want one that holds half", got)
	}
	done(t, hand.Type(kb.Escape))
	if got := see[string](p, `document.getElementById("others-text").value`); got != "7 Ferry horn" {
		t.Errorf("the text that nobody has sent is %q; want what was typed", got)
	}
	if !see[bool](p, `document.getElementById("others").open`) {
		t.Error("what was open is closed after another change")
	}
	// An input method goes on where it composes, whatever is answered.
	done(t, hand.Click("#name-"+ids[0]))
	done(t, hand.Type("Another"+kb.Enter))
	done(t, hand.Click("#others-text"))
	done(t, hand.Type(strings.Repeat(kb.Backspace, 20)))
	hand.Every(150 * time.Millisecond)
	done(t, hand.Compose([]string{"k", "ka", "かn", "かん", "かんj"}, "漢字"))
	p.quiet()
	if got := see[string](p, `document.getElementById("others-text").value`); got != "漢字" {
		t.Errorf("composed while an answer came, the text is %q; want 漢字", got)
	}
}

// Select all takes the lanes of the plan that are found, on every part of the list; buses and other
// lanes only where they are asked for. What is selected stays.
func TestWhatIsSelectedIsWhatWasMeant(t *testing.T) {
	p := sitDown(t, true)
	wide := testkit.Wide(t, 4, 30)
	wide.Name = "Wide"
	own := wide.OwnLanes()
	var first []string
	for i, l := range own {
		if l.Kind == plan.Regular {
			if i < 14 {
				testkit.Edit(t, wide, plan.NameLane(l.ID, fmt.Sprintf("Vln %d", i+1)))
			}
			first = append(first, l.ID)
		}
	}
	testkit.Edit(t, wide, edits.AddBus("Strings", 0, first))
	others, err := plan.ParseOthers("1001-1035 Vln 1 take")
	done(t, err)
	testkit.Edit(t, wide, edits.AddOthers(others))
	ids, err := p.site.app.CreateProjects(t.Context(), wide)
	done(t, err)
	at := fmt.Sprintf("/projects/%d/lanes", ids[0])
	hand := p.hand(30 * time.Millisecond)
	says := func() string { return see[string](p, `document.querySelector("[data-selected]").textContent`) }

	p.goTo(at)
	done(t, hand.Click("#mark-all"))
	p.quiet()
	if got, want := says(), fmt.Sprintf("%d lanes selected", len(first)); !strings.HasPrefix(got, want) {
		t.Errorf("Select all says %q; want %q: all lanes of the plan", got, want)
	}
	done(t, hand.Click("#mark-all"))
	p.quiet()
	if got := says(); got != "" {
		t.Errorf("selected no more, it says %q", got)
	}
	// By the bus that they are routed to: on every part of the list.
	p.choose("#mark-family", "Strings")
	p.quiet()
	if got, want := says(), fmt.Sprintf("%d lanes selected", len(first)); !strings.HasPrefix(got, want) {
		t.Errorf("selected by the bus Strings it says %q; want %q", got, want)
	}
	p.turns(func() { done(t, hand.Click(".windowbar a[rel=next]")) })
	if got, want := says(), fmt.Sprintf("%d lanes selected", len(first)); !strings.HasPrefix(got, want) {
		t.Errorf("on the next part of the list it says %q; want %q", got, want)
	}
	done(t, hand.Click("#mark-all"))
	done(t, hand.Click("#mark-all"))
	p.quiet()
	// A phrase in a column, then renamed: nothing else is.
	p.goTo(at)
	done(t, hand.Click("#find"))
	done(t, hand.Type(`name:"vln 1"`))
	p.quiet()
	done(t, hand.Click("#mark-all"))
	p.quiet()
	done(t, hand.Click("#bussing-acts button:nth-child(2)")) // Names
	done(t, hand.Click("#pattern"))
	done(t, hand.Type("Deck {n}"))
	p.changes(func() { done(t, hand.Click("#rename-lanes")) })
	renamed := 0
	for _, l := range p.site.bundle(t, strings.TrimSuffix(at, "/lanes")).Lanes {
		if !strings.HasPrefix(l.Name, "Deck ") {
			continue
		}
		renamed++
		if l.Owner == plan.Found || l.Kind == plan.Bus {
			t.Errorf("%s, which the plan did not make or which is a bus, was renamed", l.Name)
		}
	}
	if renamed == 0 || renamed > 6 {
		t.Errorf("%d lanes were renamed; want the few that are called Vln 1 and Vln 10 to 14", renamed)
	}
}

// What is selected is sent though the list shows none of it: somebody has searched for what there is not.
func TestTheSelectionIsSentWhereASearchFindsNothing(t *testing.T) {
	p := sitDown(t, true)
	hand := p.hand(quick)
	p.goTo(fogBell + "/lanes")
	ids := see[[]string](p, `[...document.querySelectorAll("#lanes tbody tr:not(.other)")].map(r => r.dataset.id)`)
	done(t, hand.Click("#mark-"+ids[1]))
	done(t, hand.Click("#mark-"+ids[2]))
	done(t, hand.Click("#find"))
	done(t, hand.Type("no such lane"))
	p.quiet()
	if n := see[int](p, `document.querySelectorAll("#lanes tbody tr[data-id]").length`); n != 0 {
		t.Fatalf("the search finds %d rows; want none", n)
	}
	done(t, hand.Click("#bussing-acts button:nth-child(2)")) // Names
	done(t, hand.Click("#pattern"))
	done(t, hand.Type("Deck {n}"))
	p.changes(func() { done(t, hand.Click("#rename-lanes")) })
	var renamed []string
	for _, l := range p.site.bundle(t, fogBell).Lanes {
		if strings.HasPrefix(l.Name, "Deck ") {
			renamed = append(renamed, l.ID)
		}
	}
	if slices.Sort(renamed); !slices.Equal(renamed, slices.Sorted(slices.Values(ids[1:3]))) {
		t.Errorf("renamed are the lanes %q; want the two that were selected, %q", renamed, ids[1:3])
	}
}

// A search finds words, phrases, numbers as numbers, and a column that it is told.
func TestASearchIsReadAsItIsMeant(t *testing.T) {
	columns := []tableColumn{{Title: "Select"}, {Key: "name", Title: "Name"}, {Key: "to", Title: "Routed to"}}
	rows := [][]string{{"Vln 1", "Strings"}, {"Vln 10", "Strings"}, {"Solo 1 Vln", "main mix"}, {"Strings Pad", "main mix"}}
	for find, want := range map[string][]int{"vln 1": {0, 2}, `"vln 1"`: {0, 1}, "name:strings": {3}, `to:"main mix" vln`: {2},
		"Name:vln to:strings": {0, 1}, "": {0, 1, 2, 3}, "nothing": nil, "size:1": nil, `"solo`: {2}} {
		got := searchIn([]int{0, 1, 2, 3}, find, columns, func(i int) string { return strings.Join(rows[i], " ") },
			func(i int) []string { return rows[i] })
		if !slices.Equal(got, want) {
			t.Errorf("%s finds the rows %v; want %v", find, got, want)
		}
	}
}

// After a refusal the focus is on the field at fault, not on the first of its form.
func TestTheFieldAtFaultHasTheFocus(t *testing.T) {
	p := sitDown(t, true)
	hand := p.hand(25 * time.Millisecond)
	p.goTo(fogBell + "/lanes")
	done(t, hand.Click("#lanes [data-mark]"))
	done(t, hand.Click("#bussing-acts button:first-child")) // Bus
	done(t, hand.Click("#busnumber"))
	done(t, hand.Type("zero"))
	p.turns(func() { done(t, hand.Click("#add-bus")) })
	if got := see[string](p, `document.activeElement.id`); got != "busnumber" {
		t.Errorf("a bus on lane zero leaves the focus on %q; want busnumber", got)
	}
	p.script(false) // a page of its own, without the script
	p.do(chromedp.Navigate(p.site.URL + fogBell + "/lanes"))
	done(t, hand.Click("#lanes [data-mark]"))
	done(t, hand.Click("#busnumber"))
	done(t, hand.Type("zero"))
	done(t, hand.Click("#add-bus"))
	p.do(chromedp.WaitReady(chromedp.CSS(`#busnumber[aria-invalid="true"]`)))
	if got := see[string](p, `document.activeElement.id`); got != "busnumber" {
		t.Errorf("without the script the focus is on %q; want busnumber", got)
	}
}

// What was typed stays until it is saved or thrown away: through a server that is stopped, a reload and
// a visit elsewhere.
func TestWhatIsTypedStaysUntilItIsSavedOrThrownAway(t *testing.T) {
	p := sitDown(t, true)
	hand := p.hand(25 * time.Millisecond)
	stopped := interrupted(&p.site)
	p.goTo(fogBell + "/lanes")
	ids := see[[]string](p, `[...document.querySelectorAll("#lanes tbody tr")].map(r => r.dataset.id)`)
	cell := "#name-" + ids[1]
	was := see[string](p, `document.querySelector("`+cell+`").innerText`)

	// The server is stopped while a cell is typed.
	stopped.Store(true)
	done(t, hand.Click(cell))
	done(t, hand.Type("Kept name"+kb.Enter))
	p.quiet()
	if got := see[string](p, `document.querySelector("`+cell+`").innerText`); got != "Kept name" {
		t.Errorf("without an answer the cell shows %q; want what was typed", got)
	}
	stopped.Store(false)
	p.goTo(fogBell + "/lanes")
	if got := see[string](p, `document.querySelector("`+cell+`").innerText + " " + !!document.getElementById("drafts")`); got !=
		"Kept name true" {
		t.Errorf("after a reload the cell and the offer are %q; want the text again", got)
	}
	done(t, hand.Click(cell))
	done(t, hand.Type(kb.Enter))
	p.changes(func() { done(t, hand.Type(kb.Enter)) })
	p.goTo(fogBell + "/lanes")
	if got := see[string](p, `document.querySelector("`+cell+`").innerText + " " + !!document.getElementById("drafts")`); got !=
		"Kept name false" {
		t.Errorf("saved, the cell and the offer are %q", got)
	}
	if was == "Kept name" {
		t.Fatal("the lane was called so before")
	}

	// A new project and a list of names that are half filled in.
	for _, half := range []struct{ page, field, text string }{{"/projects/new", "#name", "Night Ferry"},
		{"/instruments", "#list-names", "Kick In, mono"}, {fogBell + "/lanes", "#others-text", "7 Horn"}} {
		p.goTo(half.page)
		see[bool](p, `(() => { for (const d of document.querySelectorAll("details")) d.open = true; return true; })()`)
		done(t, hand.Click(half.field))
		see[bool](p, `(document.activeElement.select(), true)`)
		done(t, hand.Type(half.text))
		p.goTo("/")
		p.goTo(half.page)
		field := fmt.Sprintf("document.querySelector(%q).value", half.field)
		if got := see[string](p, field); got != half.text {
			t.Errorf("%s: after a visit elsewhere %s holds %q; want %q", half.page, half.field, got, half.text)
		}
		done(t, hand.Click("#drafts button"))
		p.goTo(half.page)
		if got := see[string](p, field); got == half.text || see[bool](p, `!!document.getElementById("drafts")`) {
			t.Errorf("%s: thrown away, %s holds %q and the offer is there", half.page, half.field, got)
		}
	}
}

// A cell that another window changes while the answer to an edit before is under way is not overwritten
// unseen: both values are shown, and the user chooses.
func TestAQueuedEditOfWhatHasChangedShowsBothValues(t *testing.T) {
	p := sitDown(t, true)
	by := slowed(&p.site)
	p.goTo(fogBell + "/lanes")
	ids := see[[]string](p, `[...document.querySelectorAll("#lanes tbody tr")].map(r => r.dataset.id)`)
	hand := p.hand(25 * time.Millisecond)
	name := func() string {
		for _, l := range p.site.bundle(t, fogBell).Lanes {
			if l.ID == ids[2] {
				return l.Name
			}
		}
		return ""
	}
	edit := func(name string) { // in the other window
		project, err := p.site.app.Project(t.Context(), 4)
		done(t, err)
		_, err = p.site.app.Edit(t.Context(), 4, project.Revision, plan.NameLane(ids[2], name))
		done(t, err)
	}
	by.Store(int64(700 * time.Millisecond))
	done(t, hand.Click("#name-"+ids[1]))
	edit("Theirs")
	done(t, hand.Type("First"+kb.Enter)) // its answer brings what the other window did
	done(t, hand.Type("Mine"+kb.Enter))  // typed before that
	p.quiet()
	if got := see[string](p, `document.getElementById("name-`+ids[2]+`").innerText + "|" +
		document.getElementById("flash").innerText`); !strings.HasPrefix(got, "Mine|") || !strings.Contains(got, "“Theirs” now") {
		t.Errorf("the cell and what is said are %q; want what was typed, and that Theirs is there now", got)
	}
	if got := name(); got != "Theirs" {
		t.Errorf("the lane is called %q; want Theirs until the user has chosen", got)
	}
	by.Store(0)
	done(t, hand.Click("#name-"+ids[2]))
	done(t, hand.Type(kb.Enter))
	p.changes(func() { done(t, hand.Type(kb.Enter)) })
	if got := name(); got != "Mine" {
		t.Errorf("chosen, the lane is called %q; want Mine", got)
	}
}

// Lanes are dragged to another number and onto a bus, feeds on the map onto an output and points from
// output to output; what would happen is said before, Escape cancels, and each is one undo.
func TestThingsAreDraggedWherePeopleDragThem(t *testing.T) {
	p := sitDown(t, true)
	hand := p.hand(40 * time.Millisecond)
	lanes := func() map[string]plan.Lane {
		out := map[string]plan.Lane{}
		for _, l := range p.site.bundle(t, fogBell).Lanes {
			out[l.Name] = l
		}
		return out
	}
	undo := func() { p.changes(func() { done(t, hand.Type(kb.Escape)); p.click("#undo") }) }
	before := lanes()
	grip := func(name string) string { return "#row-" + before[name].ID + " .grip" }
	p.goTo(fogBell + "/lanes")

	done(t, hand.Drag(grip("Kick"), "#name-"+before["Hat"].ID, true))
	p.quiet()
	if got := lanes()["Kick"].Number; got != before["Kick"].Number {
		t.Errorf("a drag that was cancelled moved the lane from %d to %d", before["Kick"].Number, got)
	}
	p.changes(func() { done(t, hand.Drag(grip("Kick"), "#name-"+before["Hat"].ID, false)) })
	if now := lanes(); now["Kick"].Number != before["Hat"].Number || now["Hat"].Number != before["Hat"].Number-1 {
		t.Errorf("dragged onto lane %d, Kick is on %d and Hat on %d", before["Hat"].Number, now["Kick"].Number, now["Hat"].Number)
	}
	undo()
	if got := lanes()["Kick"].Number; got != before["Kick"].Number {
		t.Errorf("one undo leaves the lane on %d; want %d", got, before["Kick"].Number)
	}
	p.changes(func() { done(t, hand.TouchDrag(grip("Snare"), "#name-"+before["Rack 1"].ID)) }) // by a finger, too
	if got := lanes()["Snare"].Number; got != before["Rack 1"].Number {
		t.Errorf("dragged by a finger, Snare is on lane %d; want %d", got, before["Rack 1"].Number)
	}
	undo()
	overheads := before["Overheads"]
	p.changes(func() { done(t, hand.Drag("#row-"+overheads.ID+" .grip", "#name-"+before["Drums"].ID, false)) })
	if got := lanes()["Overheads"]; got.To != before["Drums"].ID || got.AlsoMain {
		t.Errorf("dragged onto the bus Drums, the lane goes to %q, and to the main mix %v", got.To, got.AlsoMain)
	}
	undo()

	// Instruments in their order.
	wide := testkit.Wide(t, 3, 4)
	wide.Name = "Three"
	ids, err := p.site.app.CreateProjects(t.Context(), wide)
	done(t, err)
	p.goTo(fmt.Sprintf("/projects/%d/feeds", ids[0]))
	order := func() []string {
		return see[[]string](p, `[...document.querySelectorAll(".line[data-instrument]")].map(l => l.dataset.instrument)`)
	}
	listed := order()
	if len(listed) < 2 {
		t.Fatalf("the project has the instruments %q; want several", listed)
	}
	last := listed[len(listed)-1]
	p.changes(func() {
		done(t, hand.Drag(`[data-instrument="`+last+`"] .grip`, `[data-instrument="`+listed[0]+`"]`, false))
	})
	if got, want := order(), append([]string{last}, listed[:len(listed)-1]...); !slices.Equal(got, want) {
		t.Errorf("dragged to the head of the list, the instruments are %q; want %q", got, want)
	}
	undo()

	// The map: what would happen is said before the drop.
	p.goTo(fogBell + "/")
	feed := func() plan.Assignment {
		project, err := p.site.app.Project(t.Context(), 4)
		done(t, err)
		return project.Plan.Placed[0].Feeds["hat"]
	}
	was := feed()
	done(t, hand.Press(`[id="n-i1:hat"]`))
	done(t, hand.MoveOnto(`[id="n-oi1:5"]`))
	if got := see[string](p, `document.getElementById("draghint").textContent`); !strings.HasPrefix(got, "Hat → output 5") {
		t.Errorf("before the drop it says %q; want Hat → output 5", got)
	}
	p.changes(func() { done(t, hand.Release()) })
	if got := feed(); got.Output != 5 {
		t.Errorf("dropped on output 5, the feed is on %d", got.Output)
	}
	undo()
	if got := feed(); got != was {
		t.Errorf("one undo leaves the feed at %+v; want %+v", got, was)
	}

	p.changes(func() { done(t, hand.Drag(`[id="n-i1:hat"]`, `#map .node.lane[data-name="Rooms"]`, false)) })
	if got := feed(); got.Output != 9 {
		t.Errorf("dropped on the lane Rooms, which takes output 9, the feed is on %d", got.Output)
	}
	undo()

	// The crosspoints: from point to point of a row.
	p.goTo(fogBell + "/outputs")
	p.changes(func() { done(t, hand.Drag(`[id="x-i1:hat-3"]`, `[id="x-i1:hat-6"]`, false)) })
	if got := feed(); got.Output != 6 {
		t.Errorf("dragged to output 6, the feed is on %d", got.Output)
	}
}

// The menu of a row holds the acts of the bar, for what is selected or else for the row, by the right
// button and by keys.
func TestTheMenuOfARowHoldsTheActsOfTheBar(t *testing.T) {
	p := sitDown(t, true)
	hand := p.hand(30 * time.Millisecond)
	p.goTo(fogBell + "/lanes")
	kick := see[string](p, `[...document.querySelectorAll("#lanes tbody tr")].find(
		r => r.querySelector("th").innerText === "Kick").dataset.id`)
	done(t, hand.Menu("#name-"+kick))
	has := see[[]string](p, `[...document.querySelectorAll("#menu [role=menuitem]")].map(b => b.innerText)`)
	for _, want := range []string{"Bus…", "Names…", "Move up", "Remove lanes", "Set automated"} {
		if !slices.Contains(has, want) {
			t.Errorf("the menu holds %q; want %q among them", has, want)
		}
	}
	done(t, hand.Type(kb.Escape))
	if see[bool](p, `!!document.getElementById("menu")`) {
		t.Error("Escape leaves the menu open")
	}
	// The menu key, then down to what automates the lane.
	p.do(chromedp.Focus(chromedp.CSS("#name-" + kick)))
	see[bool](p, `document.activeElement.dispatchEvent(new MouseEvent("contextmenu", {bubbles: true, cancelable: true})) || true`)
	done(t, hand.Type(strings.Repeat(kb.ArrowDown, slices.Index(has, "Set automated"))))
	p.changes(func() { done(t, hand.Type(kb.Enter)) })
	for _, l := range p.site.bundle(t, fogBell).Lanes {
		if l.Track != (l.ID == kick) {
			t.Errorf("lane %s is automated: %v", l.Name, l.Track)
		}
	}
}

var walkSeed = flag.Uint64("walk", 0, "the seed of the random walk; 0: another one each time")

// walk is a person who works on the lanes at random, and what the document should then be.
type walk struct {
	t     *testing.T
	p     *person
	hand  *testkit.Hand
	rng   *rand.Rand
	ids   []string // of the lanes of the plan
	names map[string]string
	past  []map[string]string // before each change that undo takes back
	mark  map[string]bool     // what is selected
	did   []string            // the acts
}

func (w *walk) note(format string, args ...any) { w.did = append(w.did, fmt.Sprintf(format, args...)) }

func (w *walk) lane() string { return w.ids[w.rng.IntN(len(w.ids))] }

func (w *walk) changed(to map[string]string) {
	w.past, w.names = append(w.past, w.names), to
}

// rename types a name and ends it in one of the ways that people do.
func (w *walk) rename() {
	id, name := w.lane(), ""
	for range 3 + w.rng.IntN(4) {
		name += string(rune('a' + w.rng.IntN(26)))
	}
	end := w.rng.IntN(4)
	w.note("%s called %s, then %d", id, name, end)
	done(w.t, w.hand.Click("#name-"+id))
	done(w.t, w.hand.Type(name))
	switch end {
	case 0:
		done(w.t, w.hand.Type(kb.Enter))
	case 1:
		done(w.t, w.hand.Type(kb.Tab))
	case 2:
		done(w.t, w.hand.Click("#number-"+w.lane()))
	default:
		done(w.t, w.hand.Type(kb.Escape))
		return
	}
	if w.names[id] != name {
		to := maps.Clone(w.names)
		to[id] = name
		w.changed(to)
	}
}

// undo takes the last change back, once everything is answered.
func (w *walk) undo() {
	w.p.quiet()
	if len(w.past) == 0 {
		return
	}
	at := w.lane()
	w.note("undo at %s", at)
	done(w.t, w.hand.Click("#number-"+at))
	done(w.t, w.hand.Type("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	w.names, w.past = w.past[len(w.past)-1], w.past[:len(w.past)-1]
}

// search looks for something and gives up on it.
func (w *walk) search() {
	w.note("search")
	done(w.t, w.hand.Click("#find"))
	done(w.t, w.hand.Type("kick"))
	done(w.t, w.hand.Type(strings.Repeat(kb.Backspace, 4)))
	w.p.quiet()
}

// drag moves a lane onto another, which no name goes by, and undo takes back.
func (w *walk) drag() {
	w.p.quiet()
	from, to := w.lane(), w.lane()
	if from == to {
		return
	}
	w.note("drag %s onto %s", from, to)
	done(w.t, w.hand.Drag("#row-"+from+" .grip", "#name-"+to, false))
	if !w.mark[from] || !w.mark[to] { // a block is not moved onto itself
		w.changed(w.names)
	}
	w.p.quiet()
}

// sure holds that the document is what it should be.
func (w *walk) sure(acts int) {
	w.t.Helper()
	w.p.quiet()
	for _, l := range w.p.site.bundle(w.t, fogBell).Lanes {
		if want, ours := w.names[l.ID]; ours && l.Name != want {
			w.t.Fatalf("after %d acts lane %d, %s, is called %q; want %q; done last: %q", acts, l.Number, l.ID, l.Name, want,
				w.did[max(0, len(w.did)-12):])
		}
	}
}

// A person who works on the lanes at random, at a person's speed and on a slow server, has what was done
// and nothing else.
func TestARandomWalkLeavesWhatWasDone(t *testing.T) {
	p := sitDown(t, true)
	by := slowed(&p.site)
	p.goTo(fogBell + "/lanes")
	by.Store(int64(150 * time.Millisecond))
	seed := *walkSeed
	if seed == 0 {
		seed = uint64(time.Now().UnixNano())
	}
	t.Logf("walk again with -walk %d", seed)
	w := &walk{t: t, p: p, hand: testkit.NewHand(p.ctx, seed), rng: rand.New(rand.NewPCG(seed, 14)),
		names: map[string]string{}, mark: map[string]bool{}}
	if !testkit.Long() {
		w.hand.From, w.hand.To = 30*time.Millisecond, 110*time.Millisecond
	}
	for _, l := range p.site.bundle(t, fogBell).Lanes {
		if !l.IsOther() && l.Kind == plan.Regular {
			w.ids, w.names[l.ID] = append(w.ids, l.ID), l.Name
		}
	}
	acts := []func(){w.rename, w.rename, w.rename, w.rename, w.undo, w.search, w.drag, func() {
		at := w.lane()
		w.note("mark %s", at)
		done(t, w.hand.Click("#mark-"+at))
		w.mark[at] = !w.mark[at]
	}}
	began, n := time.Now(), 0
	for ; n < testkit.Of(3000, 1000) && (testkit.Long() || time.Since(began) < 6*time.Second); n++ {
		acts[w.rng.IntN(len(acts))]()
		if n%5 == 4 {
			w.sure(n + 1)
		}
	}
	w.sure(n)
	t.Logf("%d acts", n)
}

// Search, cells, a paste and a drag hold in projects of 64 and of 500 lanes, however slow the answers
// are: every run tries one of the six, and with CI_LONG=1 all.
func TestHandsAtEverySizeAndPace(t *testing.T) {
	var all []struct {
		lanes int
		slow  time.Duration
	}
	for _, lanes := range []int{64, 500} {
		for _, slow := range []time.Duration{0, 120, 1000} {
			all = append(all, struct {
				lanes int
				slow  time.Duration
			}{lanes, slow * time.Millisecond})
		}
	}
	if !testkit.Long() {
		i := rand.IntN(len(all))
		all = all[i : i+1]
	}
	p := sitDown(t, true)
	by := slowed(&p.site)
	for _, c := range all {
		by.Store(0)
		wide := testkit.Wide(t, c.lanes/32, 32)
		wide.Name = fmt.Sprintf("Wide %d %d", c.lanes, c.slow)
		ids, err := p.site.app.CreateProjects(t.Context(), wide)
		done(t, err)
		at := fmt.Sprintf("/projects/%d", ids[0])
		own := wide.OwnLanes()
		a, b, to, pasted := own[1], own[3], own[6], own[9]
		p.goTo(at + "/lanes")
		by.Store(int64(c.slow))
		hand := p.hand(20 * time.Millisecond)
		done(t, hand.Click("#name-"+a.ID))
		done(t, hand.Type("Aa typed"))
		done(t, hand.Click("#name-"+b.ID))
		done(t, hand.Type("Bb typed"+kb.Enter))
		done(t, hand.Click("#name-"+pasted.ID))
		see[bool](p, `(() => { const d = new DataTransfer(); d.setData("text/plain", "Pasted");
			return document.activeElement.dispatchEvent(new ClipboardEvent("paste",
				{ clipboardData: d, bubbles: true, cancelable: true })) || true; })()`)
		p.quiet()
		done(t, hand.Drag("#row-"+own[2].ID+" .grip", "#name-"+to.ID, false))
		p.quiet()
		done(t, hand.Click("#find"))
		done(t, hand.Type(`name:"aa typed"`))
		p.quiet()
		if got := see[[]string](p, `[...document.querySelectorAll("#lanes tbody th")].map(h => h.innerText)`); !slices.Equal(got,
			[]string{"Aa typed"}) {
			t.Errorf("%d lanes, answers after %v: the search finds %q; want Aa typed", c.lanes, c.slow, got)
		}
		want := map[string]string{a.ID: "Aa typed", b.ID: "Bb typed", pasted.ID: "Pasted"}
		for _, l := range p.site.bundle(t, at).Lanes {
			if name, ours := want[l.ID]; ours && l.Name != name || l.ID == own[2].ID && l.Number != to.Number {
				t.Errorf("%d lanes, answers after %v: lane %d is called %q; want %q, and the dragged one on %d", c.lanes, c.slow,
					l.Number, l.Name, name, to.Number)
			}
		}
	}
}

// A person who presses, types and ticks at random on every main page has in front of them, once
// everything is answered, what a fresh page shows: each region is the one that the server has.
func TestARandomWalkOverThePagesLeavesThemAsFreshOnes(t *testing.T) {
	p := sitDown(t, true)
	by := slowed(&p.site)
	seed := *walkSeed
	if seed == 0 {
		seed = uint64(time.Now().UnixNano())
	}
	t.Logf("walk again with -walk %d", seed)
	rng, hand := rand.New(rand.NewPCG(seed, 15)), testkit.NewHand(p.ctx, seed).Every(35*time.Millisecond)
	pages := []string{"/", "/feeds", "/outputs", "/lanes", "/parts", "/inside", "/start", "/proposal", "/run", "/check"}
	const marks = `(() => { let n = 0; for (const el of document.querySelectorAll("[data-walk]")) delete el.dataset.walk;
		for (const el of document.querySelectorAll("main :is(button, input:not([type=file], [type=color], [type=hidden]), select, summary, #map .node, a[data-soft])"))
			if (el.checkVisibility() && !el.disabled && !el.closest("form[data-upload], noscript, .practice") &&
				!/^(print|export)/i.test(el.textContent.trim())) el.dataset.walk = n++;
		return n; })()`
	const stale = `(async () => {
		if (document.querySelector('[aria-invalid="true"], .flash.bad, #drafts, input.editing')) return [];
		const hashes = (doc) => Object.fromEntries([...doc.querySelectorAll("[data-region]")].map((r) => [r.id, r.dataset.region]));
		const fresh = hashes(new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html"));
		const now = hashes(document);
		return [...new Set([...Object.keys(fresh), ...Object.keys(now)])].filter((id) => id !== "flashbox" && fresh[id] !== now[id]);
	})()`
	began, acts, compared := time.Now(), 0, 0
	for acts < testkit.Of(3000, 1000) && (testkit.Long() || time.Since(began) < 6*time.Second) {
		by.Store(0)
		p.goTo(fogBell + pages[rng.IntN(len(pages))])
		by.Store(int64(80 * time.Millisecond))
		var did []string
		for range 4 {
			n := see[int](p, marks)
			if n == 0 {
				break
			}
			at := fmt.Sprintf(`[data-walk="%d"]`, rng.IntN(n))
			did = append(did, see[string](p, `document.querySelector('`+at+`')?.outerHTML.slice(0, 90) ?? "gone"`))
			if hand.Click(at) != nil {
				continue // it went away meanwhile
			}
			if see[bool](p, `!!document.activeElement?.matches("input[type=text], input:not([type]), input[type=search]")`) {
				done(t, hand.Type([]string{"3", "Deck", "off", "-2"}[rng.IntN(4)]+[]string{kb.Enter, kb.Tab, kb.Escape}[rng.IntN(3)]))
			}
			acts++
		}
		p.quiet()
		v, err := chromedp.Run(p.ctx, chromedp.Evaluate[[]string](stale, chromedp.EvalAwaitPromise))
		done(t, err)
		compared++
		if len(v) > 0 {
			t.Fatalf("after %d acts on %s the regions %q are not those of a fresh page; done last: %q", acts,
				see[string](p, `location.pathname + location.search`), v, did)
		}
	}
	t.Logf("%d acts, %d pages compared", acts, compared)
}
