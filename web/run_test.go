package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/testkit"
)

// The run sheet is ticked by keyboard and mouse, undone, resumed on a fresh page,
// rewritten for another host, and moves the map from dashed to solid.
func TestTheRunSheetIsTickedUndoneAndResumed(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/run")
	left := func() int { return see[int](p, `document.querySelectorAll(".step").length`) }
	text := func() string { return see[string](p, `document.querySelector(".step .do b").innerText`) }
	all := left()
	if text() != "Load Brinework Kit in the version 20 ports on lane 7" {
		t.Fatalf("it begins with %q", text())
	}
	p.do(chromedp.Focus(chromedp.CSS("#tick-1")))
	p.press(kb.ArrowDown)
	if at := see[string](p, `document.activeElement.id`); at != "tick-2" {
		t.Errorf("the arrow leads to %s", at)
	}
	p.press(kb.ArrowUp)
	p.changes(func() { p.press(kb.Enter) })
	p.changes(func() { p.click("#tick-2") }) // a number stays with its step
	if left() != all-2 {
		t.Errorf("%d steps are left of %d after two", left(), all)
	}
	// the instrument, and its sixteen feeds
	if head := see[string](p, `document.querySelector(".head").innerText`); !strings.Contains(head, "17 of ") {
		t.Errorf("what is done: %s", head)
	}
	p.changes(func() { p.click("#undo") })
	p.goTo(fogBell + "/run") // tomorrow
	if left() != all-1 || !strings.HasPrefix(text(), "Assign 16 feeds of Brinework Kit") {
		t.Errorf("%d steps are left, the first is %q", left(), text())
	}
	p.choose("#profile", "Lanes fed by sends")
	p.until("#kind-change")
	if says := see[string](p, `document.getElementById("kind-change").innerText`); !strings.Contains(says,
		"Lanes fed by sends") ||
		!strings.Contains(says, "settings instead of") {
		t.Errorf("before it is chosen the kind is said to change\n%s", says)
	}
	p.changes(func() { p.click("#use-kind") })
	if body := see[string](p, `document.getElementById("main").innerText`); !strings.Contains(body,
		"Remove the route to the main mix") || !strings.Contains(body, "Sends to lanes") {
		t.Errorf("the sheet is not rewritten for a host with sends:\n%.900s", body)
	}
	p.goTo(fogBell + "/")
	solid := func() int { return see[int](p, `document.querySelectorAll("#map .way.patched").length`) }
	before := solid()
	p.goTo(fogBell + "/run")
	p.changes(func() { p.click("#all-done") })
	p.goTo(fogBell + "/")
	if after := solid(); before >= after || see[int](p, `document.querySelectorAll("#map .way.planned").length`) != 0 {
		t.Errorf("%d lines were solid, %d are", before, after)
	}
	p.goTo(fogBell + "/run")
	p.changes(func() { p.click(".tickbox") }) // by ear
	p.until(".empty")
}

// The stand-in host is worked by hand, shows the traps, is broken on purpose, and
// the run sheet puts it right.
func TestTheStandInHostIsWorkedByHand(t *testing.T) {
	s := start(t, true)
	do := func(what string, more ...string) (int, string) {
		t.Helper()
		f := url.Values{"rev": {s.revision(t, 4)}, "back": {"practice"}, "do": {"practise-" + what}}
		if len(more) == 0 || more[0] != "" {
			f.Set("placed", "i1")
		}
		for i := 0; i+1 < len(more); i += 2 {
			f.Set(more[i], more[i+1])
		}
		return s.post(t, fogBell+"/edit", f)
	}
	if _, err := s.app.Project(t.Context(), 4); err != nil {
		t.Fatal(err)
	}
	if code, _ := s.post(t, fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)}, "back": {"run"}, "do": {"profile"},
		"profile": {"Lanes fed by sends"}}); code != 200 {
		t.Fatal(code)
	}
	_, body := do("load")
	if !strings.Contains(body, "silent: no lane takes output 1") {
		t.Error("a loaded instrument without a lane is not silent")
	}
	do("setup", "outputs", "14x2")
	if _, body = do("assign", "feed", "hat", "jack", "13"); !strings.Contains(body,
		"silent: the host has not seen output 13 yet") {
		t.Error("an output that was not reloaded is not explained")
	}
	if _, body = do("reload"); !strings.Contains(body, "output 13 does not exist") ||
		!strings.Contains(body, `value="10x2"`) {
		t.Error("an unsaved set-up was not forgotten")
	}
	if code, body := do("assign", "feed", "hat", "jack", "40"); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "no output 40") {
		t.Errorf("got %d; want code %v, body with \"no output 40\"", code, http.StatusUnprocessableEntity)
	}
	if _, body = do("all", ""); !strings.Contains(body, "Everything is patched as planned.") {
		t.Error("doing all steps does not end in the plan")
	}
	if _, body = do("break", ""); !strings.Contains(body, "the host sees 9x2") {
		t.Errorf("nothing is broken: %s", flashOf(body))
	}
	if _, body = do("next", ""); !strings.Contains(body, "Everything is patched as planned.") {
		t.Error("the next step does not put it right")
	}
	if p, err := s.app.Project(t.Context(), 4); err != nil || p.Plan.Patched != nil {
		t.Errorf("practising has touched what is patched: %v", err)
	}
}

func TestInstrumentsThatDoNotFitInMemoryAreFound(t *testing.T) {
	s := start(t, true)
	host := url.Values{"rev": {s.revision(t, 4)}, "back": {"outputs"}, "do": {"host"}, "first": {"1"}, "memory": {"a lot"}}
	if code, body := s.post(t, fogBell+"/edit", host); code != 422 || !strings.Contains(body, "memory for instruments") {
		t.Errorf("got %d %s; want code 422, body with \"memory for instruments\"", code, flashOf(body))
	}
	host.Set("memory", "10")
	if code, body := s.post(t, fogBell+"/edit", host); code != 200 || !strings.Contains(body, `name="memory" value="10"`) {
		t.Errorf("got %d %s; want code 200, body with \"name=\\\"memory\\\" value=\\\"10\\\"\"", code, flashOf(body))
	}
	if _, body := s.get(t, fogBell+"/check"); !strings.Contains(body, "and there are 10") {
		t.Error("nothing is found")
	}
}

func TestAHostOfOnesOwn(t *testing.T) {
	s := start(t, true)
	own := url.Values{"rev": {s.revision(t, 4)}, "back": {"run"}, "do": {"own-profile"}, "name": {"Barge mixer"},
		"lanes": {"blocks"}, "block": {"8"}, "appears": {"cabled"}, "after": {"reopen"}, "ports": {"2"}}
	code, body := s.post(t, fogBell+"/edit", own)
	if code != 200 || !strings.Contains(body, "<option selected>Barge mixer") || !strings.Contains(body, "Connect lanes") {
		t.Errorf("got %d %s; want code 200, body with \"<option selected>Barge mixer\", body with \"Connect lanes\"", code,
			flashOf(body))
	}
	if code, body := s.post(t, "/projects/1/edit", url.Values{"rev": {s.revision(t, 1)}, "back": {"run"},
		"do": {"profile"}, "profile": {"Barge mixer"}}); code != 200 ||
		!strings.Contains(body, "<option selected>Barge mixer") {
		t.Errorf("another project does not have it: %d %s", code, flashOf(body))
	}
	shipped := url.Values{"name": {"ports connected one by one"}}
	for k, v := range own {
		if k != "name" {
			shipped[k] = v
		}
	}
	shipped.Set("rev", s.revision(t, 4))
	if code, body := s.post(t, fogBell+"/edit", shipped); code != 422 || !strings.Contains(body, "another name") {
		t.Errorf("got %d %s; want code 422, body with \"another name\"", code, flashOf(body))
	}
	own.Set("rev", s.revision(t, 4))
	own.Set("block", "1")
	if code, body = s.post(t, fogBell+"/edit", own); code != 422 || !strings.Contains(body, "locks hold 2 to 512 lanes") {
		t.Errorf("got %d %s; want code 422, body with \"locks hold 2 to 512 lanes\"", code, flashOf(body))
	}
}

// A session file tells what is in the host; a lane under another name is asked.
func TestASessionFileTellsWhatStands(t *testing.T) {
	s := start(t, true)
	r, err := s.Client().Get(s.URL + fogBell + "/project.dawproject")
	_, data := read(t, r, err)
	p, err := s.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	lane := p.Plan.OwnLanes()[2]
	if code, _ := s.post(t, fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)}, "back": {"lanes"}, "do": {"name"},
		"lane": {lane.ID}, "name": {"HH of the house"}}); code != 200 {
		t.Fatal(code)
	}
	code, body := s.sendWith(t, fogBell+"/song", "cue.dawproject", []byte(data),
		map[string]string{"rev": s.revision(t, 4), "back": "run"})
	if code != 200 || !strings.Contains(body, "is, by its role") ||
		!strings.Contains(body, fmt.Sprintf(`<option value="%s" selected>`, lane.ID)) {
		t.Errorf("got %d %s; want code 200, body with \"is, by its role\", body with fmt.Sprintf(`<option value=\"%%s\" "+
			"selected>`, lane.ID)", code, flashOf(body))
	}
	if p, err = s.app.Project(t.Context(), 4); err != nil || p.Plan.Patched == nil || p.Plan.Patched.Lane(lane.ID) != nil {
		t.Fatal(err)
	}
	for _, l := range p.Plan.Patched.Lanes {
		if p.Plan.Lane(l.ID) == nil {
			if code, body = s.post(t, fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)}, "back": {"run"}, "do": {"match"},
				"lane": {l.ID}, "to": {lane.ID}}); code != 200 || strings.Contains(body, "is, by its role") {
				t.Errorf("got %d %s; want code 200, body without \"is, by its role\"", code, flashOf(body))
			}
		}
	}
	if code, body = s.sendWith(t, fogBell+"/song", "bad.dawproject", []byte("no zip"),
		map[string]string{"rev": s.revision(t, 4), "back": "run"}); code != 422 || !strings.Contains(body, "This is a text") {
		t.Errorf("got %d %s; want code 422, body with \"This is a text\"", code, flashOf(body))
	}
}

// In a host with blocks each has a master: it is drawn on the map, chained by the run sheet and
// in the stand-in, where lanes are muted and soloed and outputs switched off too.
func TestBlocksMutesAndSolosInTheStandIn(t *testing.T) {
	s := start(t, true)
	do := func(what string, more ...string) string {
		t.Helper()
		f := url.Values{"rev": {s.revision(t, 4)}, "back": {"practice"}, "do": {what}}
		for i := 0; i+1 < len(more); i += 2 {
			f.Set(more[i], more[i+1])
		}
		code, body := s.post(t, fogBell+"/edit", f)
		if code != http.StatusOK {
			t.Fatalf("%s: %d %s", what, code, flashOf(body))
		}
		return body
	}
	do("profile", "profile", "Lanes added in blocks")
	if _, body := s.get(t, fogBell+"/"); !strings.Contains(body, "Block 2: its master") {
		t.Error("the map does not draw the master of the second block")
	}
	if _, body := s.get(t, fogBell+"/run"); !strings.Contains(body, "Chain block 2 into the main mix") {
		t.Error("the run sheet does not chain the second block")
	}
	body := do("practise-all")
	if !strings.Contains(body, "Everything is patched as planned.") ||
		!strings.Contains(body, "→ Drums → block 2 → main mix") {
		t.Error("done by the sheet, the kit does not come through its bus and the second block")
	}
	if body = do("practise-chain", "block", "2"); !strings.Contains(body, "its block does not reach the main mix") ||
		!strings.Contains(body, "Chain block 2 into the main mix") {
		t.Error("an unchained block is not silent, or the sheet does not put it right")
	}
	do("practise-chain", "block", "2")
	p, err := s.app.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	hat := testkit.Lane(p.Plan, "Hat").ID
	if body = do("practise-solo", "lane", hat); strings.Count(body, `class="silent"`) != 17 {
		t.Errorf("beside a solo %d feeds are silent; want all but the hat", strings.Count(body, `class="silent"`))
	}
	do("practise-solo", "lane", hat)
	if body = do("practise-mute", "lane", hat); !strings.Contains(body, "lane 9 Hat is muted") ||
		!strings.Contains(body, "Switch off 1 mute or solo") {
		t.Error("a muted lane is not silent, or the sheet does not put it right")
	}
	if body = do("practise-next"); !strings.Contains(body, "Everything is patched as planned.") {
		t.Error("the next step does not switch the mute off")
	}
	do("practise-restart")
	do("profile", "profile", "Outputs switched on one by one")
	do("practise-all")
	if body = do("practise-switch-off", "placed", "i1", "jack", "4", "feed", "hat"); !strings.Contains(body,
		"output 4 is not switched on") {
		t.Error("an output that is switched off is heard")
	}
}

// A project that keeps its kind of host as it was says so, and shows what the kind as it is now would
// change before it is taken.
func TestAKindOfHostThatHasChangedIsOffered(t *testing.T) {
	p := sitDown(t, true)
	old := rig.Profiles[0]
	old.MIDI = rig.WithinHost
	id := int64(4)
	stands, err := p.site.app.Project(t.Context(), id)
	done(t, err)
	_, err = p.site.app.Edit(t.Context(), id, stands.Revision, edits.SetProfile(old))
	done(t, err)
	p.goTo(fogBell + "/run")
	p.turns(func() { p.click("#renew-kind") })
	if says := see[string](p, `document.getElementById("kind-change").innerText`); !strings.Contains(says,
		"From now on each instrument has its own MIDI channels.") {
		t.Errorf("the kind as it is now is said to change %q; want the MIDI channels", says)
	}
	p.changes(func() { p.click("#use-kind") })
	if kind := p.site.bundle(t, fogBell).Host.Profile; kind != rig.Profiles[0] {
		t.Errorf("taken, the project keeps %+v; want the kind as it is now", kind)
	}
	if see[bool](p, `!!document.getElementById("renew-kind")`) {
		t.Error("it is offered again")
	}
}

// The MIDI address of a kit is typed on the page of parts like that of a part, and an empty cell is the
// usual one.
func TestTheAddressOfAKitIsTyped(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/parts")
	p.changes(func() { p.fill("#addr-i1", "ch 1"+kb.Tab) })
	if a := p.site.bundle(t, fogBell).Placed[0].Instrument.Kit; a.Channel != 1 {
		t.Errorf("the kit is kept on %s; want ch 1", a)
	}
	p.goTo(fogBell + "/parts")
	if got := see[string](p, `document.getElementById("addr-i1").value`); got != "ch 1" {
		t.Errorf("the page shows %q; want ch 1", got)
	}
	p.changes(func() { p.fill("#addr-i1", kb.Delete+kb.Tab) })
	if got := see[string](p, `document.getElementById("addr-i1").value`); got != "ch 10" {
		t.Errorf("emptied, the page shows %q; want ch 10, the usual one", got)
	}
}
