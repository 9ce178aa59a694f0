package web

import (
	"bytes"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
)

// A backup is made, looked at and restored by keyboard: what it would do is told first, what was
// here before is backed up, and the project that was removed is back on a fresh page and in the
// exported library, with its history.
func TestABackupIsMadeAndRestored(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/")
	p.focus("to-backups")
	p.turns(func() { p.press(kb.Enter) })
	if text := see[string](p, `document.querySelector("main").innerText`); !strings.Contains(text, "No backup yet") {
		t.Fatalf("without a backup the page says %q", text)
	}
	p.focus("make-backup")
	p.turns(func() { p.press(kb.Enter) })
	rows := func() []string {
		return see[[]string](p, `[...document.querySelectorAll("#backups tbody tr td:nth-child(2)")].map(c => c.innerText)`)
	}
	if got := rows(); len(got) != 1 || got[0] != "by hand" {
		t.Fatalf("the list has %q; want one by hand", got)
	}
	file := p.export(see[string](p, `document.querySelector("#backups a[download]").getAttribute("href")`))
	if !bytes.HasPrefix(file, []byte("SQLite format 3\x00")) {
		t.Errorf("what is downloaded begins with %q; want an SQLite database", file[:min(len(file), 16)])
	}
	if code, _ := p.site.post(t, "/projects/4/remove", nil); code != http.StatusOK {
		t.Fatal(code)
	}
	p.goTo("/backups")
	see[bool](p, `document.querySelector('#backups a[href*="?restore="]').focus() || true`)
	p.turns(func() { p.press(kb.Enter) })
	says := see[[]string](p, `[...document.querySelectorAll("#preview li")].map(l => l.innerText)`)
	if len(says) != 1 || says[0] != "1 project would come back: Cue 03 Fog Bell." {
		t.Errorf("the preview says %q; want the project that comes back, and nothing else", says)
	}
	if code, _ := p.site.get(t, fogBell+"/lanes"); code != http.StatusOK {
		t.Errorf("a removed project answers %d", code)
	}
	p.focus("restore-backup")
	p.turns(func() { p.press(kb.Enter) })
	if got := rows(); len(got) != 2 || got[0] != "before restore" {
		t.Errorf("the list has %q; want what was here before on top", got)
	}
	p.goTo("/")
	if text := see[string](p, `document.querySelector("#list").innerText`); !strings.Contains(text, "Cue 03 Fog Bell") {
		t.Errorf("after restoring the list says %q", text)
	}
	if !bytes.Contains(p.export("/library.json"), []byte(`"Cue 03 Fog Bell"`)) {
		t.Error("the exported library does not have the project that came back")
	}
	p.goTo("/backups?verify=1")
	if text := see[string](p, `document.querySelector("#verified").innerText`); !strings.Contains(text,
		"Everything is as it should be") {
		t.Errorf("verify says %q", text)
	}
}

// Names that are none of ours lead nowhere, and a backup that is damaged is refused in words.
func TestOnlyBackupsAreRestored(t *testing.T) {
	s := start(t, true)
	for _, name := range []string{"x.db", "..%2Fhiddenlanes.db", "2026-11-27_06-05-04_daily.db"} {
		if code, _ := s.get(t, "/backups/"+name); code != http.StatusNotFound {
			t.Errorf("downloading %s answers %d; want 404", name, code)
		}
		if code, _ := s.post(t, "/backups/"+name+"/restore", nil); code != http.StatusNotFound {
			t.Errorf("restoring %s answers %d; want 404", name, code)
		}
		if code, _ := s.get(t, "/backups?restore="+name); code != http.StatusNotFound {
			t.Errorf("previewing %s answers %d; want 404", name, code)
		}
	}
}
