package web

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/core/rig"
)

func with(m chromedp.Modifier) chromedp.KeyOption { return chromedp.KeyModifiers(m) }

func (p *person) focus(id string) {
	p.t.Helper()
	p.do(chromedp.Focus(chromedp.CSS(`[id="` + id + `"]`)))
}

func (p *person) at() string { p.t.Helper(); return see[string](p, `document.activeElement.id`) }

func (p *person) isAt(what, want string) {
	p.t.Helper()
	if got := p.at(); got != want {
		p.t.Errorf("%s leads to %q, want %q", what, got, want)
	}
}

// feedAt is where a feed of the first project of the sample world goes, from an exported file.
func (p *person) feedAt(feed string) string {
	p.t.Helper()
	b := p.site.bundle(p.t, fogBell)
	a := b.Placed[0].Feeds[feed]
	return strings.TrimSpace(fmt.Sprintf("%s %s", a.State, a.At()))
}

// documented are the keys that help lists, each with what it is tested by. Whoever documents
// another key adds it here.
var documented = map[string]func(*person){
	"Esc": func(p *person) {
		p.goTo(fogBell + "/?feed=i1:stop")
		p.press(kb.Escape)
		p.until("#map:not(.has-lit)")
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		before := see[string](p, `document.activeElement.innerText`)
		p.press("x" + kb.Escape)
		if now := see[string](p, `document.activeElement.innerText`); now != before {
			p.t.Errorf("Escape left %q in a cell that held %q", now, before)
		}
	},
	"← → ↑ ↓ in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.ArrowDown)
		p.isAt("down", "name-l10")
		p.press(kb.ArrowRight)
		p.isAt("right", "colour-l10")
		p.press(kb.ArrowUp)
		p.press(kb.ArrowLeft)
		p.isAt("up and left", "name-l9")
		p.press(kb.ArrowDown, with(chromedp.ModifierShift))
		if n := see[int](p, `document.querySelectorAll("[aria-selected=true]").length`); n != 2 {
			p.t.Errorf("with Shift %d cells are selected; want 2", n)
		}
	},
	"Home End Page Up Page Down in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.PageDown)
		p.isAt("page down", see[string](p, `[...document.querySelectorAll("#lanes tbody [data-col=name]")].at(-1).id`))
		p.press(kb.PageUp)
		p.isAt("page up", see[string](p, `document.querySelector("#lanes tbody [data-col=name]").id`))
		p.press(kb.Home)
		p.isAt("home", see[string](p, `document.querySelector("#lanes tbody input").id`))
		p.press(kb.End)
		if on := see[string](p, `document.activeElement.innerText`); on != "Remove" {
			p.t.Errorf("end leads to %q, want the button of the row", on)
		}
	},
	"Ctrl Home End a in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.End, with(chromedp.ModifierCtrl))
		p.press(kb.Home, with(chromedp.ModifierCtrl))
		p.isAt("Ctrl+Home", see[string](p, `document.querySelector("#lanes tbody input").id`))
		p.press("a", with(chromedp.ModifierCtrl))
		if n, all := see[int](p, `document.querySelectorAll("#lanes [aria-selected=true]").length`),
			see[int](p, `document.querySelectorAll("#lanes tbody [data-col]").length`); n != all {
			p.t.Errorf("Ctrl+a selects %d of %d cells", n, all)
		}
	},
	"Enter F2 Enter Tab Esc in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.F2)
		p.changes(func() { p.press("Boom" + kb.Enter) })
		p.isAt("Enter", "name-l10")
		p.press(kb.Enter)
		p.changes(func() { p.press("Tock" + kb.Tab) })
		p.isAt("Tab", "colour-l10")
		b := p.site.bundle(p.t, fogBell)
		if b.Lane("l9").Name != "Boom" || b.Lane("l10").Name != "Tock" {
			p.t.Errorf("the lanes are called %q and %q", b.Lane("l9").Name, b.Lane("l10").Name)
		}
	},
	"Delete in tables": func(p *person) {
		p.site.post(p.t, fogBell+"/edit", url.Values{"rev": {p.site.revision(p.t, 4)}, "do": {"send"}, "lane": {"l9"},
			"sendto": {"Hall"}, "level": {"-6"}})
		p.goTo(fogBell + "/lanes")
		p.focus("sends-l9")
		p.changes(func() { p.press(kb.Delete) })
		if b := p.site.bundle(p.t, fogBell); len(b.Lane("l9").Sends) != 0 {
			p.t.Error("Delete left the send")
		}
	},
	"Ctrl c v in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.ArrowDown, with(chromedp.ModifierShift))
		got := see[string](p,
			`(() => { const d = new DataTransfer(), e = new ClipboardEvent("copy", { clipboardData: d, bubbles: true, cancelable: true });
			document.activeElement.dispatchEvent(e); return d.getData("text/plain"); })()`)
		if !regexp.MustCompile(`^[^\n\t]+\n[^\n\t]+$`).MatchString(got) {
			p.t.Errorf("copied %q; want two names, one a line", got)
		}
		p.focus("name-l11")
		p.changes(func() {
			see[bool](p, fmt.Sprintf(`(() => { const d = new DataTransfer(); d.setData("text/plain", %q);
				document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); return true; })()`, got))
		})
		b := p.site.bundle(p.t, fogBell)
		if names := b.Lane("l11").Name + "\n" + b.Lane("l12").Name; names != got {
			p.t.Errorf("pasted %q, the lanes are called %q", got, names)
		}
	},
	"Ctrl z y in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.changes(func() { p.press("Undone" + kb.Enter) })
		p.changes(func() { p.press("z", with(chromedp.ModifierCtrl)) })
		if b := p.site.bundle(p.t, fogBell); b.Lane("l9").Name == "Undone" {
			p.t.Error("Ctrl+z undid nothing")
		}
		p.changes(func() { p.press("y", with(chromedp.ModifierCtrl)) })
		if b := p.site.bundle(p.t, fogBell); b.Lane("l9").Name != "Undone" {
			p.t.Error("Ctrl+y redid nothing")
		}
		p.isAt("undo and redo in a table", "name-l10")
	},
	"Alt ↑ ↓ in tables": func(p *person) {
		p.goTo("/house?branch=kit")
		order := func() string { _, body := p.site.get(p.t, "/house?branch=kit"); return kitRows(body) }
		before := order()
		p.focus("h-kit/snare-name")
		p.changes(func() { p.press(kb.ArrowUp, with(chromedp.ModifierAlt)) })
		if order() == before {
			p.t.Error("Alt+up moved nothing")
		}
		p.changes(func() { p.press(kb.ArrowDown, with(chromedp.ModifierAlt)) })
		if order() != before {
			p.t.Error("Alt+down did not move it back")
		}
	},
	"Menu in tables": func(p *person) { // TestTheMenuOfARowHoldsTheActsOfTheBar presses what it holds
		p.goTo(fogBell + "/lanes")
		p.focus("name-l9")
		p.press(kb.ContextMenu)
		if !see[bool](p, `(document.activeElement.dispatchEvent(new MouseEvent("contextmenu", {bubbles: true, cancelable: true})),
			document.activeElement.getAttribute("role") === "menuitem")`) {
			p.t.Error("the menu key opens no menu")
		}
	},
	"Space Shift in tables": func(p *person) {
		p.goTo(fogBell + "/lanes")
		p.focus(see[string](p, `document.querySelector("#lanes tbody input").id`))
		p.press(" ")
		if n := see[int](p, `document.querySelectorAll("[data-mark]:checked").length`); n != 1 {
			p.t.Errorf("Space selected %d rows", n)
		}
	},
	"Enter in the crosspoints": func(p *person) {
		p.goTo(fogBell + "/outputs")
		p.focus("x-i1:hat-9")
		p.changes(func() { p.press(kb.Enter) })
		if at := p.feedAt("hat"); at != "assigned 9" {
			p.t.Errorf("Enter: the hat is %s", at)
		}
		p.changes(func() { p.press(kb.Enter) })
		if at := p.feedAt("hat"); strings.HasPrefix(at, "assigned") {
			p.t.Errorf("Enter again: the hat is %s", at)
		}
		p.isAt("Enter", "x-i1:hat-9")
	},
	"Shift Enter in the crosspoints": func(p *person) {
		p.goTo(fogBell + "/outputs")
		p.focus("x-i1:hat-4") // where it is assigned: the point's own value does not win
		p.changes(func() { p.press(kb.Enter, with(chromedp.ModifierShift)) })
		if at := p.feedAt("hat"); at != "parked 4" {
			p.t.Errorf("Shift+Enter: the hat is %s, want parked 4", at)
		}
	},
	"Delete in the crosspoints": func(p *person) {
		p.goTo(fogBell + "/outputs")
		p.focus("x-i1:hat-3")
		p.press(kb.ArrowRight)
		p.changes(func() { p.press(kb.Delete) })
		if at := p.feedAt("hat"); !strings.HasPrefix(at, "off") {
			p.t.Errorf("Delete on its point: the hat is %s, want off", at)
		}
	},
	"↑ ↓ on the map": func(p *person) {
		p.goTo(fogBell + "/")
		p.focus("n-i1:kin")
		p.press(kb.ArrowDown)
		p.isAt("down", "n-i1:kout")
		p.press(kb.ArrowUp)
		p.isAt("up", "n-i1:kin")
	},
	"← → on the map": func(p *person) {
		p.goTo(fogBell + "/")
		p.focus("n-i1:kin")
		p.press(kb.ArrowRight)
		p.isAt("right", "n-oi1:1")
		p.press(kb.ArrowLeft)
		p.isAt("left", "n-i1:kin")
	},
	"Enter on the map": func(p *person) {
		p.goTo(fogBell + "/")
		p.focus("n-i1:kin")
		p.press(kb.Enter)
		p.until("#panel .path")
		if current := see[string](p, `document.querySelector("#map [aria-current=true]").id`); current != "n-i1:kin" {
			p.t.Errorf("chosen is %s", current)
		}
		p.isAt("choosing", "n-i1:kin")
		p.press(kb.Tab)
		if !see[bool](p, `document.activeElement.closest("#mapwrap, #panel, .mapfoot") !== null`) {
			p.t.Errorf("after the chosen node Tab leads to %s", p.at())
		}
	},
	"← → in a proposal": func(p *person) {
		p.goTo(fogBell + "/proposal")
		p.focus("ladder-i1")
		p.press(kb.ArrowRight)
		p.do(chromedp.WaitReady(chromedp.CSS(`#ladder-i1[aria-valuenow="9"]:focus`)))
		p.press(kb.ArrowLeft)
		p.do(chromedp.WaitReady(chromedp.CSS(`#ladder-i1[aria-valuenow="10"]:focus`)))
	},
	"↑ ↓ on the run sheet": func(p *person) {
		p.goTo(fogBell + "/run")
		p.focus("tick-1")
		p.press(kb.ArrowDown)
		p.isAt("down", "tick-2")
		p.press(kb.ArrowUp)
		p.isAt("up", "tick-1")
	},
	"Enter Space on the run sheet": func(p *person) {
		p.goTo(fogBell + "/run")
		p.focus("tick-1")
		p.changes(func() { p.press(kb.Enter) })
		if p.at() == "" {
			p.t.Error("after a step is marked the focus is lost")
		}
		p.changes(func() { p.press(" ") })
		if b := p.site.bundle(p.t, fogBell); b.Patched == nil || len(b.Patched.Instruments) != 1 {
			p.t.Error("nothing is marked as done")
		}
	},
}

func kitRows(body string) string {
	var out []string
	for _, m := range regexp.MustCompile(`data-id="(kit/[\w-]+)"`).FindAllStringSubmatch(body, -1) {
		out = append(out, m[1])
	}
	return strings.Join(out, " ")
}

// Every key that help documents does what it says, read from a fresh page or a file.
func TestEveryDocumentedKeyWorks(t *testing.T) {
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	_, help := start(t, true).get(t, "/help")
	table := regexp.MustCompile(`(?s)<table class="sheet keys">.*?</table>`).FindString(help)
	section, found := "", 0
	kbd := regexp.MustCompile(`<kbd>(.*?)</kbd>`)
	for _, row := range regexp.MustCompile(`(?s)<tr>.*?</tr>`).FindAllString(table, -1) {
		if m := regexp.MustCompile(`<th colspan="2" scope="rowgroup">(.*?)</th>`).FindStringSubmatch(row); m != nil {
			section = " " + strings.ToLower(m[1][:1]) + m[1][1:]
			continue
		}
		var keys []string
		for _, m := range kbd.FindAllStringSubmatch(strings.Split(row, "</th>")[0], -1) {
			keys = append(keys, m[1])
		}
		what := strings.Join(keys, " ") + section
		if section == "" && slices.ContainsFunc(shortcuts, func(s shortcut) bool { return s.Key == what }) {
			continue // TestKeysLeadEverywhereAndDoNotTypeOver
		}
		found++
		if what == "Enter F2 in tables" {
			what = "Enter F2 Enter Tab Esc in tables"
		}
		press := documented[what]
		if press == nil {
			if len(keys) > 0 {
				t.Errorf("help documents %q, which is tested nowhere", what)
			}
			continue
		}
		t.Run(what, func(t *testing.T) { press(sitDown(t, true)) })
	}
	if found < len(documented) {
		t.Errorf("help documents %d keys; %d are tested", found, len(documented))
	}
}

// A shortcut can have another key, or none, and none fires where a key means something
// already.
func TestShortcutsCanBeChangedAndSwitchedOff(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/help")
	p.fill(`input[name="key-map"]`, "k")
	p.turns(func() { p.click(`button[name=keys][value=own]`) })
	p.goTo(fogBell + "/lanes")
	p.press("m")
	p.press("k")
	p.until("main.view-map")
	p.goTo("/help")
	p.fill(`input[name="key-map"]`, "z")
	p.click(`button[name=keys][value=own]`)
	p.until("#flash.bad")
	if !see[bool](p, `document.querySelector('[aria-invalid=true]') !== null`) {
		t.Error("two shortcuts on one key: no field is marked")
	}
	p.goTo("/help")
	p.turns(func() { p.click(`button[name=keys][value=none]`) })
	p.goTo(fogBell + "/lanes")
	p.press("3k1pz")
	if at := see[string](p, `location.pathname`); at != fogBell+"/lanes" {
		t.Errorf("keys are switched off and lead to %s", at)
	}
	p.goTo("/help")
	p.turns(func() { p.click(`button[name=keys][value=usual]`) })
	p.goTo(fogBell + "/lanes")
	p.click("#mark-all")
	for _, field := range []string{"mark-all", "sendtap"} { // a check box and a choice
		p.reveal("#" + field)
		p.focus(field)
		p.press("1")
		if at := see[string](p, `location.pathname`); at != fogBell+"/lanes" {
			t.Errorf("a key in %s leads to %s", field, at)
		}
	}
}

// After every action the focus is on something that can be seen: never on the page's body,
// and never under the panel that sticks to the edge. What came of it is said.
func TestFocusAndResultAfterEveryAction(t *testing.T) {
	for _, c := range []struct{ page, at, keys, says string }{
		{fogBell + "/lanes", `[id="name-l9"]`, "Boom" + kb.Enter, "Done: rename lane"},
		{fogBell + "/lanes", `button[value="close?lane=l11"]`, kb.Enter, "Done: remove lane"},
		{fogBell + "/lanes", "#undo", kb.Enter, "Undone: "},
		{fogBell + "/lanes", "#open-lane", kb.Enter, "Done: add lane"},
		{fogBell + "/feeds", `[id="wish-i1:hat"]`, "always" + kb.Enter, "Done: own output"},
		{fogBell + "/feeds", `form:has([value=rename]) button`, kb.Enter, ""},
		{fogBell + "/outputs", `[id="x-i1:hat-9"]`, kb.Enter, "Done: assign"},
		{fogBell + "/outputs", "#missing-i1", kb.Enter, "Done: "},
		{fogBell + "/check", ".finding .btn", kb.Enter, "problems left."},
		{fogBell + "/run", "#tick-1", kb.Enter, "Done: mark as done"},
		{fogBell + "/run", "#tick-2-0", kb.Enter, "Done: mark as done"},
		{fogBell + "/run", "#all-done", kb.Enter, "Done: mark all as done"},
		{fogBell + "/practice", "#next", kb.Enter, "Done: "},
		{fogBell + "/proposal", `button[value=together]`, kb.Enter, ""},
		{fogBell + "/?lane=l10", `form:has([value=name]) button`, kb.Enter, ""},
		{fogBell + "/?feed=i1:hat", `form:has([value=decide]) button`, kb.Enter, ""},
		{"/instruments/2", `[id="c-voices-pad1-name"]`, "Thud" + kb.Enter, "Done: set name"},
		{"/instruments/2", `#s-voices form:has([value=add]) button`, kb.Enter, "Done: add a voice"},
		{"/house", `[id="h-kit/snare-name"]`, "Crack" + kb.Enter, "Done: "},
	} {
		t.Run(c.page+" "+c.at, func(t *testing.T) {
			p := sitDown(t, true)
			p.goTo(c.page)
			p.do(chromedp.Focus(chromedp.CSS(c.at)))
			turns := see[int](p, `+(document.getElementById("page").dataset.turn ?? 0)`)
			p.press(c.keys)
			p.do(chromedp.WaitReady(chromedp.CSS(fmt.Sprintf(`#page[data-turn="%d"]`, turns+1))))
			p.settled()
			got := see[string](p, `(() => { const a = document.activeElement; if (a === document.body) return "the body";
				const b = a.getBoundingClientRect(), over = document.elementFromPoint(b.x + b.width / 2, Math.min(b.y + b.height / 2, innerHeight - 1));
				return !b.width || !over || a.contains(over) || over.contains(a) ? "" : a.outerHTML.slice(0, 90) + " covered by " + over.outerHTML.slice(0, 60); })()`)
			if got != "" {
				t.Errorf("the focus is on %s", got)
			}
			if c.says == "" {
				return
			}
			ctx := fmt.Sprintf(`document.getElementById("live").textContent.includes(%q)`, c.says)
			if _, err := chromedp.Run(p.ctx, chromedp.Poll[bool](ctx, chromedp.WithPollingTimeout(5*time.Second))); err != nil {
				t.Errorf("it is said %q; want %q in it", see[string](p, `document.getElementById("live").textContent`), c.says)
			}
		})
	}
}

// A choice is saved by Enter or when it is left, not at every arrow key; Escape gives back
// what it was.
func TestAChoiceIsSavedWhenItIsMade(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/feeds")
	rev := p.site.revision(t, 4)
	p.focus("voices-i1")
	p.press(kb.ArrowDown)
	p.press(kb.ArrowDown)
	if now := p.site.revision(t, 4); now != rev {
		t.Error("an arrow key saved the choice")
	}
	p.changes(func() { p.press(kb.Enter) })
	if b := p.site.bundle(t, fogBell); b.Placed[0].View.Voices == rig.Usual {
		t.Error("Enter left the voices as they were mapped")
	}
	p.focus("voices-i1")
	p.press(kb.ArrowUp)
	p.changes(func() { p.press(kb.Tab) }) // leaving it saves too
}
