package web

import (
	"fmt"
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

// hand is the hand of the person, with a pause after each key and click.
func (p *person) hand(pause time.Duration) *testkit.Hand {
	return testkit.NewHand(p.ctx, 28).Every(pause)
}

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
	if got, want := says(), fmt.Sprintf("%d selected", len(first)); !strings.HasPrefix(got, want) {
		t.Errorf("Select all says %q; want %q: all lanes of the plan", got, want)
	}
	done(t, hand.Click("#mark-all"))
	p.quiet()
	if got := says(); got != "" {
		t.Errorf("selected no more, it says %q", got)
	}
	// By the bus that they are routed to: on every part of the list.
	see[bool](p, `(s => { s.value = [...s.options].find(o => o.text.includes("Strings")).value;
		return s.dispatchEvent(new Event("change", { bubbles: true })) })(document.getElementById("mark-family"))`)
	p.quiet()
	if got, want := says(), fmt.Sprintf("%d selected", len(first)); !strings.HasPrefix(got, want) {
		t.Errorf("selected by the bus Strings it says %q; want %q", got, want)
	}
	p.turns(func() { done(t, hand.Click(".windowbar a[rel=next]")) })
	if got, want := says(), fmt.Sprintf("%d selected", len(first)); !strings.HasPrefix(got, want) {
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

// A search finds words, phrases, numbers as numbers, and a column that it is told.
func TestASearchIsReadAsItIsMeant(t *testing.T) {
	columns := []tableColumn{{Title: "Select"}, {Key: "name", Title: "Name"}, {Key: "to", Title: "Routed to"}}
	rows := [][]string{{"Vln 1", "Strings"}, {"Vln 10", "Strings"}, {"Solo 1 Vln", "main mix"}, {"Strings Pad", "main mix"}}
	for find, want := range map[string][]int{"vln 1": {0, 2}, `"vln 1"`: {0, 1}, "name:strings": {3}, `to:"main mix" vln`: {2},
		"Name:vln to:strings": {0, 1}, "": {0, 1, 2, 3}, "nothing": nil, "size:1": nil, `"solo`: {2}} {
		var got []int
		for _, i := range searchIn([]int{0, 1, 2, 3}, find, columns, func(i int) string { return strings.Join(rows[i], " ") },
			func(i int) []string { return rows[i] }) {
			got = append(got, i)
		}
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
