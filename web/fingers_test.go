package web

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/internal/testkit"
)

// What people do at a person's speed, on a server that may be slow: keys one by one, clicks before
// the answer is there.

// slowed lets the answers of a site come so much later from then on; set to 0 they come at once.
func slowed(s *site) (by *atomic.Int64) {
	by = &atomic.Int64{}
	inner := s.Config.Handler
	slow := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(time.Duration(by.Load()))
		inner.ServeHTTP(w, r)
	}))
	old := s.Server
	s.Server = slow
	slow.Config.RegisterOnShutdown(old.Close)
	return by
}

// interrupted lets a site break its answers off while it is set.
func interrupted(s *site) *atomic.Bool {
	off := &atomic.Bool{}
	inner := s.Config.Handler
	broken := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if off.Load() {
			panic(http.ErrAbortHandler)
		}
		inner.ServeHTTP(w, r)
	}))
	old := s.Server
	s.Server = broken
	broken.Config.RegisterOnShutdown(old.Close)
	return off
}

// types presses keys as a person does, with a pause after each.
func (p *person) types(text string, pause time.Duration) {
	p.t.Helper()
	p.by(p.hand(pause).Type(text))
}

// quiet waits until every answer is there that was asked for.
func (p *person) quiet() {
	p.t.Helper()
	time.Sleep(150 * time.Millisecond) // a search is asked for when the typing stops
	if _, err := chromedp.Run(p.ctx, chromedp.Evaluate[bool](`HL.idle()`, chromedp.EvalAwaitPromise)); err != nil {
		p.t.Fatal(err)
	}
	p.settled()
}

// script lets the pages' script run from the next page on, or not.
func (p *person) script(on bool) {
	p.t.Helper()
	if _, err := chromedp.Call(p.ctx, emulation.SetScriptExecutionDisabled,
		emulation.SetScriptExecutionDisabledParams{Value: !on}); err != nil {
		p.t.Fatal(err)
	}
}

type pace struct{ key, server time.Duration }

func (a pace) String() string {
	return fmt.Sprintf("a key every %v, answers after %v", a.key, a.server)
}

// paces are how fast somebody types and how slow the server is. Every run tries those from a place
// on, and with CI_LONG=1 all.
func paces(from, n int) (out []pace) {
	for _, key := range []time.Duration{220 * time.Millisecond, 90 * time.Millisecond} {
		for _, server := range []time.Duration{0, 120 * time.Millisecond, 600 * time.Millisecond} {
			out = append(out, pace{key, server})
		}
	}
	if testkit.Long() {
		return out
	}
	var some []pace
	for i := range n {
		some = append(some, out[(from+5*i)%len(out)]) // first one end, then the other
	}
	return some
}

// A search box holds what was typed into it, in that order, with the caret behind it, and the list
// below is what it finds.
func TestASearchBoxKeepsWhatIsTyped(t *testing.T) {
	rows := regexp.MustCompile(`<tr[^>]* data-(?:row|id)\b`)
	for i, page := range []string{"/?", "/instruments?", fogBell + "/lanes?", fogBell + "/feeds?", fogBell + "/run?",
		"/drift?"} {
		t.Run(page, func(t *testing.T) {
			p := sitDown(t, true)
			by := slowed(&p.site)
			for _, pace := range paces(i, 1) {
				by.Store(0)
				p.goTo(page)
				by.Store(int64(pace.server))
				p.click("#find")
				p.types("fog", pace.key)
				time.Sleep(200 * time.Millisecond) // long enough for the list to follow
				p.types(" bell", pace.key)
				p.quiet()
				got := see[string](p,
					`[document.activeElement.id, document.activeElement.value, document.activeElement.selectionStart].join()`)
				if want := "find,fog bell,8"; got != want {
					t.Errorf("%s: got the focus, the text and the caret %q; want %q", pace, got, want)
					continue
				}
				at := see[string](p, `location.pathname + location.search`)
				if !strings.Contains(at, "find=fog+bell") && !strings.Contains(at, "find=fog%20bell") {
					t.Errorf("%s: the address is %s; want one that finds fog bell", pace, at)
				}
				_, fresh := p.site.get(t, at)
				if shown, want := len(rows.FindAllString(see[string](p, `document.querySelector("main").innerHTML`), -1)),
					len(rows.FindAllString(fresh, -1)); shown != want {
					t.Errorf("%s: %d rows are shown; a fresh page has %d", pace, shown, want)
				}
			}
		})
	}
}

// Where somebody clicks is where the next text goes, whenever the answer to the last one comes.
func TestAClickDecidesWhereTheNextTextGoes(t *testing.T) {
	lane := func(p *person, id string) (name string) {
		for _, l := range p.site.bundle(p.t, fogBell).Lanes {
			if l.ID == id {
				return l.Name
			}
		}
		return ""
	}
	p := sitDown(t, true)
	by := slowed(&p.site)
	p.goTo(fogBell + "/lanes")
	ids := see[[]string](p, `[...document.querySelectorAll('[id^="name-l"]')].map((c) => c.id.slice(5))`)
	if len(ids) < 6 {
		t.Fatalf("the page has the lanes %q; want six or more", ids)
	}
	for i, pace := range paces(0, 2) {
		first, second, third := ids[0], ids[2], ids[4]
		before := lane(p, third)
		by.Store(0)
		p.goTo(fogBell + "/lanes")
		by.Store(int64(pace.server))
		foo, bar := fmt.Sprintf("Foo %d", i), fmt.Sprintf("Bar %d", i)
		p.click("#name-" + first)
		p.types(foo, pace.key)
		p.click("#name-" + second)
		p.types(bar, pace.key)
		if got := see[string](p, `document.activeElement.value ?? document.activeElement.id`); got != bar {
			t.Errorf("%s: the box that is typed in holds %q; want %q", pace, got, bar)
		}
		p.press(kb.Enter)
		p.quiet()
		if a, b, c := lane(p, first), lane(p, second), lane(p, third); a != foo || b != bar || c != before {
			t.Errorf("%s: the lanes are %q, %q and %q; want %q, %q and %q", pace, a, b, c, foo, bar, before)
		}
	}
	// A paste goes where the last click was, too.
	by.Store(int64(600 * time.Millisecond))
	p.click("#name-" + ids[0])
	p.types("Baz", 90*time.Millisecond)
	p.click("#name-" + ids[2])
	see[bool](p, `(() => { const d = new DataTransfer(); d.setData("text/plain", "Pasted");
		return document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); })()`)
	p.quiet()
	if a, b := lane(p, ids[0]), lane(p, ids[2]); a != "Baz" || b != "Pasted" {
		t.Errorf("after a paste the lanes are %q and %q; want Baz and Pasted", a, b)
	}
}

// The Enter key on a box in a row presses no button, with script and without.
func TestEnterOnABoxDoesNothing(t *testing.T) {
	p := sitDown(t, true)
	for _, at := range []struct{ page, box string }{{fogBell + "/feeds", `[data-mark]`}, {fogBell + "/lanes",
		`[data-mark]`},
		{"/instruments/1", `[data-mark]`}, {fogBell + "/check", `[data-mark]`}} {
		for _, script := range []bool{true, false} {
			p.script(true)
			p.goTo(at.page)
			if see[bool](p, `!document.querySelector('`+at.box+`')`) {
				continue // nothing to select: no problems, say
			}
			if !script {
				p.script(false)
				p.do(chromedp.Navigate(p.site.URL + at.page))
			}
			before := see[string](p, `document.querySelector('#state')?.dataset.rev + location.href`)
			p.do(chromedp.Focus(chromedp.CSS(at.box)))
			p.press(" ")
			p.press(kb.Enter)
			time.Sleep(150 * time.Millisecond)
			if now := see[string](p, `document.querySelector('#state')?.dataset.rev + location.href`); now != before {
				t.Errorf("%s, script %v: Enter on a box led from %s to %s", at.page, script, before, now)
			}
		}
	}
}
