package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/progress"
	"hiddenlanes/internal/testkit"
)

// bundle is a project as its exported file has it.
func (s site) bundle(t *testing.T, path string) plan.Project {
	t.Helper()
	code, body := s.get(t, path+"/project.json")
	var b struct{ Project plan.Project }
	if err := json.Unmarshal([]byte(body), &b); code != http.StatusOK || err != nil {
		t.Fatalf("got %s: %d %v; want code %v", path, code, err, http.StatusOK)
	}
	return b.Project
}

// order lists the roles below the kit as the page shows them.
const kitOrder = `[...document.querySelectorAll('table.house tr[data-parent="kit"]')].map(r => r.dataset.id.slice(4)).join(" ")`

// A chart is changed at the desk, tried out, kept, and projects are brought into line;
// the outcome is read from their exported files.
func TestTheHouseChartIsChangedTriedKeptAndFollowed(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/house")

	// A cell is typed into in place; the next one down has the focus.
	p.do(chromedp.Focus(chromedp.CSS(`[id="h-kit/snare-name"]`)))
	p.changes(func() { p.press("Crack" + kb.Enter) })
	if at := see[string](p, `document.activeElement.id`); at != "h-kit/snare/top-name" && at != "h-kit/snare/bottom-name" {
		t.Errorf("after Enter the focus is on %q", at)
	}
	if below := see[string](p, `document.querySelector('[id="h-kit/snare/top-name"]').innerText`); below != "Crack Top" {
		t.Errorf("what stands below is called %q, not after it", below)
	}
	// Moved by key, twice, and taken back once.
	before := see[string](p, kitOrder)
	p.do(chromedp.Focus(chromedp.CSS(`[id="h-kit/snare-name"]`)))
	p.changes(func() { p.press(kb.ArrowUp, chromedp.KeyModifiers(chromedp.ModifierAlt)) })
	if order := see[string](p, kitOrder); !strings.HasPrefix(order, "snare kick") {
		t.Errorf("%s, before it was %s", order, before)
	}
	p.changes(func() { p.press("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)) })
	if order := see[string](p, kitOrder); order != before {
		t.Errorf("undone it is %s", order)
	}
	// Dragged: the overheads before the kick.
	p.changes(func() {
		p.by(p.hand(quick).Drag(`tr[data-id="kit/overhead"] .rolestep`, `tr[data-id="kit/kick"] td`, false))
	})
	if order := see[string](p, kitOrder); !strings.HasPrefix(order, "overhead kick") {
		t.Errorf("dragged it is %s", order)
	}
	// A bad cell is refused and changes nothing.
	p.do(chromedp.Focus(chromedp.CSS(`[id="h-kit/snare-wish"]`)))
	p.press("7" + kb.Enter)
	p.until("#flash.bad")
	cell := `(c => c.innerText + " " + c.getAttribute("aria-invalid") + " " + c.dataset.was)(document.querySelector('[id="h-kit/snare-wish"]'))`
	if got := see[string](p, cell); got != "7 true if possible" {
		t.Errorf("the refused cell is %q, want what was typed, marked, and what it holds", got)
	}
	p.do(chromedp.Focus(chromedp.CSS(`[id="h-kit/snare-wish"]`)))
	p.press(kb.Escape)
	if got := see[string](p, cell); got != "if possible null undefined" {
		t.Errorf("after Escape the cell is %q", got)
	}

	// Tried out before it is kept: nothing is changed by that.
	p.choose("select[name=try]", "4")
	p.turns(func() { p.click("#try-it") })
	if says := see[string](p,
		`document.querySelector("#try-says").innerText`); says != "On Cue 03 Fog Bell this would rename 2 lanes, move 1, "+
		"route 1 to another bus." {
		t.Errorf("got %s; want says %v", says, "On Cue 03 Fog Bell this would rename 2 lanes, move 1, "+
			"route 1 to another bus.")
	}
	if l := testkit.Lane(ptr(p.site.bundle(t, fogBell)), "Snare"); l == nil {
		t.Error("trying it out changed the project")
	}
	p.fill("[name=note]", "the second half")
	p.changes(func() { p.press(kb.Enter) })

	// Drift: two cues have a snare that is called otherwise; they are brought into line.
	p.goTo("/drift")
	figures := see[map[string]string](p,
		`Object.fromEntries([...document.querySelectorAll("th.proj")].map(h => [h.querySelector("a").title, h.querySelector(".figure").innerText]))`)
	if figures["Cue 03 Fog Bell"] != "4" || figures["Cue 07 Night Crossing"] != "2" ||
		figures["Cue 11 Market Day"] != "1" {
		t.Errorf("got %v; want figures[\"Cue 03 Fog Bell\"] \"4\", figures[\"Cue 07 Night Crossing\"] \"2\", "+
			"figures[\"Cue 11 Market Day\"] \"1\"", figures)
	}
	// The filters leave one attribute, and one family of the kit.
	pick := func(name, value string) []string {
		t.Helper()
		p.turns(func() { p.choose(".driftbar [name="+name+"]", value) })
		return see[[]string](p, `[...document.querySelectorAll("table.drift tbody th")].map(h => h.innerText)`)
	}
	if rows := pick("attribute", "bus"); !slices.Equal(rows, []string{"Overheads"}) {
		t.Errorf("otherwise on a bus: %q", rows)
	}
	pick("attribute", "")
	if rows := pick("family", "kit/snare"); !slices.Equal(rows, []string{"Crack"}) {
		t.Errorf("of the snare: %q", rows)
	}
	pick("family", "")
	p.turns(func() { p.click("#preview-all") })
	p.click(`#preview input[name=on][value^="2:"]`) // not the pans of Cue 11
	p.turns(func() { p.click("#do-align") })
	fog, night := p.site.bundle(t, fogBell), p.site.bundle(t, "/projects/3")
	if l := testkit.Lane(&fog, "Overheads"); l == nil || l.Number != 7 || l.AlsoMain ||
		testkit.Lane(&fog, "Crack") == nil || testkit.Lane(&night, "Crack") == nil || testkit.Lane(&night, "Hats") == nil ||
		fog.Chart.VersionNumber() != 3 {
		t.Errorf("%+v, version %d", l, fog.Chart.VersionNumber())
	}
	if pans := p.site.bundle(t, "/projects/2"); testkit.Lane(&pans, "Mallets") == nil {
		t.Error("a project that was not marked was changed")
	}
	// One step takes all of it back.
	p.turns(func() { p.click("#walk-batch") })
	fog, night = p.site.bundle(t, fogBell), p.site.bundle(t, "/projects/3")
	if testkit.Lane(&fog, "Snare") == nil || testkit.Lane(&night, "Snare") == nil ||
		testkit.Lane(&fog, "Overheads").Number == 5 {
		t.Error("it is not taken back")
	}
	// Meant to differ: it counts no longer.
	p.goTo("/drift?project=3")
	p.fill(`#one form:has(input[name=attribute][value=name]) input[name=reason]`, "as the drummer says")
	p.turns(func() { p.press(kb.Enter) })
	if n := see[string](p,
		`[...document.querySelectorAll("th.proj")].find(h => h.querySelector("a").title === "Cue 07 Night Crossing").querySelector(".figure").innerText`); n != "1" {
		t.Errorf("it still counts %s", n)
	}
}

func ptr[T any](v T) *T { return &v }

func TestProjectsAreFoundArchivedDuplicatedAndTakenAlong(t *testing.T) {
	p := sitDown(t, true)
	p.goTo("/")
	names := func() []string {
		return see[[]string](p, `[...document.querySelectorAll("#list tbody th a")].map(a => a.innerText)`)
	}
	shown := func(n int) {
		t.Helper()
		if _, err := chromedp.Run(p.ctx,
			chromedp.Poll[bool](
				fmt.Sprintf(
					`document.querySelectorAll("#list tbody th a").length === %d && !document.querySelector(".htmx-request")`,
					n))); err != nil {
			t.Fatalf("%v, shown are %q", err, names())
		}
	}
	p.press("/")
	p.turns(func() { p.press("steel-pan") })
	shown(1)
	if got := names(); !slices.Equal(got, []string{"Cue 11 Market Day"}) {
		t.Errorf("got %q; want %v", got, []string{"Cue 11 Market Day"})
	}
	p.turns(func() { p.fill("#find", "flint night") })
	shown(1)
	p.turns(func() { p.click(`form[action="/projects/3/state"] button[value=archived]`) })
	shown(0)
	if find := see[string](p, `document.getElementById("find").value`); find != "flint night" {
		t.Errorf("after a change one looks for %q", find)
	}
	p.turns(func() { p.click("#flash button") }) // put back to work, and archived again
	p.turns(func() { p.click(`form[action="/projects/3/state"] button[value=archived]`) })
	shown(3)
	p.goTo("/?state=archived")
	if got := names(); !slices.Equal(got, []string{"Cue 07 Night Crossing"}) {
		t.Errorf("archived: %q", got)
	}
	p.goTo("/")
	p.turns(func() { p.click(`form[action="/projects/4/duplicate"] button`) })
	p.until("main.view-map")
	if name := see[string](p, `document.querySelector(".crumbs b").innerText`); name != "Cue 03 Fog Bell 2" {
		t.Errorf("the copy is called %q", name)
	}
	p.goTo("/")
	p.turns(func() { p.click(`form[action="/projects/5/state"] button[value=template]`) })
	shown(3)

	// The library goes to an empty desk, whole; brought again it doubles nothing.
	_, file := p.site.get(t, "/library.json")
	q := sitAt(t, start(t, false))
	q.goTo("/")
	q.upload("form.wholelibrary", "library.json", []byte(file))
	if says := see[string](q, `document.getElementById("flash").innerText`); !strings.Contains(says, "Projects: 5 new") ||
		!strings.Contains(says, "instruments: 4 new") {
		t.Errorf("got %q; want says with \"Projects: 5 new\", says with \"instruments: 4 new\"", says)
	}
	q.upload("form.wholelibrary", "library.json", []byte(file))
	if says := see[string](q, `document.getElementById("flash").innerText`); !strings.Contains(says, "Projects: 0 new") ||
		!strings.Contains(says, "5 here already") {
		t.Errorf("got %q; want says with \"Projects: 0 new\", says with \"5 here already\"", says)
	}
	q.upload("form.wholelibrary", "library.json", []byte(strings.Replace(file, `"uid"`, `"id"`, 1)))
	if says := see[string](q, `document.getElementById("flash").innerText`); !strings.Contains(says,
		"Nothing was changed") {
		t.Errorf("a spoilt file: %q", says)
	}
	q.goTo("/?state=all")
	if n := see[int](q, `document.querySelectorAll("#list tbody th a").length`); n != 5 {
		t.Errorf("%d projects are there", n)
	}

	// The next cue begins from the template: its lanes wait for an instrument.
	q.goTo("/projects/new")
	q.fill("#name", "Cue 15 Ebb")
	q.choose("#from", "template")
	q.click("#list tr:nth-child(1) input[name=choose]") // the Brinework Kit
	q.click("main form .acts .btn-primary")
	q.until("main.view-proposal")
	q.changes(func() { q.click("[id^=accept-all]") })
	id := see[string](q, `location.pathname.split("/")[2]`)
	cue, old := q.site.bundle(t, "/projects/"+id), p.site.bundle(t, fogBell)
	if len(cue.Lanes) != len(old.Lanes) {
		t.Errorf("%d lanes, the template has %d", len(cue.Lanes), len(old.Lanes))
	}
	for _, name := range []string{"Kick", "Overheads", "Drums"} {
		a, b := testkit.Lane(&cue, name), testkit.Lane(&old, name)
		if a == nil || a.Number != b.Number || a.Colour != b.Colour || len(a.Sources) != len(b.Sources) {
			t.Errorf("%s: %+v, in the template %+v", name, a, b)
		}
	}
}

func TestAnInstrumentIsReplacedByHandAndTheSongFollows(t *testing.T) {
	p := sitDown(t, true)
	p.goTo(fogBell + "/replace")
	if offers := see[[]string](p,
		`[...document.querySelectorAll("#offers tbody tr")].map(r => r.innerText.replace(/\s+/g, " "))`); len(offers) != 4 ||
		!strings.HasPrefix(offers[0], "Brinework Kit 18 of 18 – – ") ||
		!strings.HasPrefix(offers[1], "Flint Twelve 10 of 18 3 1 44") || !strings.Contains(offers[3], "0 of 18 10 ") {
		t.Errorf("offered are %q", offers)
	}
	p.choose("#replace-to", "2")
	p.until("#do-replace")
	if text := see[string](p, `document.querySelector("tr:has(#hand-kin)").innerText`); !strings.Contains(text,
		"Kick In") || !strings.Contains(text, "kit/kick") {
		t.Errorf("the kick: %q", text)
	}
	p.turns(func() { p.fill("#hand-sbot", "nothing"+kb.Tab) })
	p.turns(func() { p.choose(`select[name="key-84"]`, "drop") }) // the bell tree has no pad
	p.changes(func() { p.click("#do-replace") })

	cue := p.site.bundle(t, fogBell)
	kick := testkit.Lane(&cue, "Kick")
	if kick == nil || kick.Number != 7 || len(kick.Sources) != 1 || len(cue.Placed) != 1 ||
		cue.Placed[0].Instrument.Name != "Flint Twelve" {
		t.Fatalf("got %+v; want kick not nil, kick.Number 7, len(kick.Sources) 1, len(cue.Placed) 1, "+
			"cue.Placed[0].Instrument.Name \"Flint Twelve\"", kick)
	}
	if on := cue.FeedsOn(kick.Sources[0]); len(on) != 1 || on[0].Name != "Kick" {
		t.Errorf("on the kick's lane is %+v", on)
	}
	keys := cue.Song.Channels[0].Keys
	if keys[84] != 0 || keys[36] != 32 || keys[41] != 0 || keys[45]+keys[50]+keys[48]+keys[43] == 0 {
		t.Errorf("the song plays %v", keys)
	}
	// One undo brings all of it back, the song too.
	p.changes(func() { p.press("z") })
	if back := p.site.bundle(t, fogBell); back.Placed[0].Instrument.Name != "Brinework Kit" ||
		back.Song.Channels[0].Keys[84] == 0 {
		t.Errorf("got %s %v; want back.Placed[0].Instrument.Name \"Brinework Kit\", back.Song.Channels[0].Keys[54] not 0",
			back.Placed[0].Instrument.Name, back.Song.Channels[0].Keys)
	}
}

func TestPartsShowWhichNotesReachThemAndWhereTheyGo(t *testing.T) {
	p := sitDown(t, true)
	reeds := "/projects/1/parts"
	p.goTo(reeds)
	p.fill(`[id="addr-i1:part2"]`, "1")
	p.changes(func() { p.press(kb.Tab) })
	if text := see[string](p, `document.querySelector("main").innerText`); !strings.Contains(text, "same as Piccolo") ||
		!strings.Contains(text, "Mark as intended") {
		t.Errorf("got %q; want text with \"same as Piccolo\", text with \"it is a layer\"", text)
	}
	p.changes(func() { p.click(`button[value="ch 2"]`) }) // the next free address, offered
	p.fill(`[id="addr-i1:part6"]`, "17")
	p.press(kb.Tab)
	p.until("#flash.bad")
	// A song dropped in: one channel plays a part, one nothing.
	var song bytes.Buffer
	if err := smf.Encode(&song,
		&smf.File{Division: 96,
			Tracks: []smf.Track{{{Status: 0x92, Data: []byte{60, 90}}, {Tick: 9, Status: 0x82, Data: []byte{60, 0}},
				{Tick: 9, Status: 0x9e, Data: []byte{61, 90}}, {Tick: 19, Status: 0x8e, Data: []byte{61, 0}}}}}); err != nil {
		t.Fatal(err)
	}
	p.goTo(reeds)
	p.upload("form.bring", "reeds.mid", song.Bytes())
	rows := see[[]string](p, `[...document.querySelectorAll(".songtable tbody tr")].map(r => r.innerText)`)
	if len(rows) != 2 || !strings.Contains(rows[0], "Oboe") || !strings.Contains(rows[1], "nothing") {
		t.Errorf("got %q; want len(rows) 2, rows[0] with \"Oboe\", rows[1] with \"nothing\"", rows)
	}
	// The template song has a named track for each part on its channel.
	f, err := smf.Decode(strings.NewReader(second(p.site.get(t, "/projects/1/template.mid"))))
	if err != nil || len(f.Tracks) != 7 {
		t.Fatalf("%v, %d tracks", err, len(f.Tracks))
	}
	if tr := f.Tracks[3]; string(tr[0].Data) != "Oboe" || tr[2].Meta != smf.MetaChannelPrefix || tr[2].Data[0] != 2 {
		t.Errorf("got %+v; want string(tr[0].Data) \"Oboe\", tr[2].Meta %v, tr[2].Data[0] 2", tr, smf.MetaChannelPrefix)
	}
}

func second[A, B any](_ A, b B) B { return b }

func TestTheChartIsLearnedFromAFileDroppedIn(t *testing.T) {
	p := sitDown(t, true)
	_, whole := p.site.get(t, fogBell+"/project.json")
	other := strings.ReplaceAll(whole, `"name":"Snare"`, `"name":"Crack"`)
	p.goTo("/house/learn")
	p.upload("form.bring", "other.json", []byte(other))
	p.turns(func() { p.click("#accept-learned") }) // most of them call it Hat, which is marked
	if name := see[string](p, `document.querySelector('[id="h-kit/hat-name"]').innerText`); name != "Hat" {
		t.Errorf("the chart calls it %q", name)
	}
	p.goTo("/house/learn")
	p.upload("form.bring", "other.json", []byte("neither"))
	if says := see[string](p, `document.getElementById("flash").innerText`); !strings.Contains(says,
		"Import DAWproject (.dawproject) or Project bundle (.json).") {
		t.Errorf("got %q; want says with \"Import DAWproject (.dawproject) or Project bundle (.json).\"", says)
	}
}

func TestAnUploadToLearnFromThatStopsShortIsToldOf(t *testing.T) {
	s := start(t, true)
	_, whole := s.get(t, fogBell+"/project.json")
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	part, _ := m.CreateFormFile("file", "whole.json")
	_, _ = part.Write([]byte(whole))
	part, _ = m.CreateFormFile("file", "half.json")
	_, _ = part.Write([]byte(whole[:len(whole)/2]))
	r, err := s.Client().Post(s.URL+"/house/learn", m.FormDataContentType(), &b) // no closing boundary
	code, body := read(t, r, err)
	if code != http.StatusUnprocessableEntity || !strings.Contains(body, "The upload broke off") ||
		!strings.Contains(body, "1 file among them") {
		t.Errorf("got %d: %s; want code %v, body with \"The upload broke off\", body with \"1 file among them\"", code, body,
			http.StatusUnprocessableEntity)
	}
}

func TestWhatIsNotThereIsRefusedOnTheHousePages(t *testing.T) {
	s := start(t, true)
	post := func(path string, form url.Values) (int, string) {
		t.Helper()
		r, err := s.Client().PostForm(s.URL+path, form)
		return read(t, r, err)
	}
	if code, body := s.get(t, "/drift?preview=selected"); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "No project is selected") {
		t.Errorf("nothing marked: %d", code)
	}
	for _, c := range []struct {
		path string
		form url.Values
		says string
	}{
		{"/house", url.Values{"rev": {"1"}, "do": {"keep"}}, "changed in another window"},
		{"/house", url.Values{"do": {"keep"}}, "reload it"},
		{"/drift/align", url.Values{}, "no project is selected"},
		{"/drift/align", url.Values{"on": {"1"}, "attribute": {"smell"}}, "none of"},
		{"/drift/edit", url.Values{"do": {"differ"}, "project": {"4"}, "role": {"kit/hat"}, "reason": {""}}, "reason"},
		{"/drift/batches/9/undo", nil, "There is nothing"},
		{"/projects/4/state", url.Values{"state": {"lost"}}, "not &#34;lost&#34;"},
		{"/projects/4/edit", url.Values{"rev": {"1"}, "do": {"replace"}, "to": {"2"}, "placed": {"i1"}}, "another window"},
	} {
		if code, body := post(c.path, c.form); code < 400 || code >= 500 ||
			!strings.Contains(strings.ToLower(body), strings.ToLower(c.says)) {
			t.Errorf("%s %v: %d, does not say %q", c.path, c.form, code, c.says)
		}
	}
}

// reels is a site with 2,000 projects.
func reels(b *testing.B) site {
	b.Helper()
	s := start(b, true)
	p := testkit.Mapped(b, plan.Host{}, "19x2", sample.BrineworkKit(), sample.SaltpanSection())
	var all []*plan.Project
	for i := range 2000 {
		c := p.Clone()
		c.Name = fmt.Sprintf("Reel %04d", i)
		all = append(all, c)
	}
	if _, err := s.app.CreateProjects(b.Context(), all...); err != nil {
		b.Fatal(err)
	}
	return s
}

// The first page after a start, of 2000 projects.
func BenchmarkHome2000Cold(b *testing.B) {
	s := reels(b)
	for b.Loop() {
		s.app.Forget()
		if code, _ := s.get(b, "/"); code != http.StatusOK {
			b.Fatal(code)
		}
	}
}

func BenchmarkHome2000(b *testing.B) {
	s := reels(b)
	s.get(b, "/")
	b.ResetTimer()
	for b.Loop() {
		if code, _ := s.get(b, "/?find=reel+snare+19"); code != http.StatusOK {
			b.Fatal(code)
		}
	}
}

// A track on all channels is shown with what one key there would play, and a layer can be
// said to be meant.
func TestTracksOnAllChannelsAndLayersAreShown(t *testing.T) {
	s := start(t, true)
	edit := func(more url.Values) string {
		t.Helper()
		more.Set("rev", s.revision(t, 1))
		more.Set("back", "parts")
		code, body := s.post(t, "/projects/1/edit", more)
		if code != http.StatusOK {
			t.Fatalf("got %v: %d; want code %v", more, code, http.StatusOK)
		}
		return body
	}
	// new tracks there play all channels
	edit(url.Values{"do": {"profile"}, "profile": {"Outputs switched on one by one"}})
	body := edit(url.Values{"do": {"all-done"}})
	if strings.Contains(body, "all channels") {
		t.Error("every step is done, and a track still plays all channels")
	}
	p, err := s.app.Project(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.app.Edit(t.Context(), 1, p.Revision, edits.SetPatched("set a track to all channels",
		func(_ *plan.Project, st *plan.Patched) error {
			st.Tracks[plan.TrackRef("i1", "part3")] = plan.Track{Address: midi.Address{Port: 1}}
			return nil
		})); err != nil {
		t.Fatal(err)
	}
	if _, body = s.get(t, "/projects/1/parts"); !strings.Contains(body,
		"one key on it plays Piccolo, Flute, Oboe, Clarinet, Bass Clarinet, Bassoon") {
		t.Error("what a track on all channels would play is not shown")
	}
	body = edit(url.Values{"do": {"address"}, "part": {"i1:part2"}, "address": {"ch 1"}})
	if !strings.Contains(body, "Mark as intended") {
		t.Error("a layer cannot be said to be meant")
	}
	body = edit(url.Values{"do": {"accept"}, "finding": {"midi-layer feed:i1:part2"}, "reason": {"a layer on purpose"}})
	if !strings.Contains(body, "layer with Piccolo: a layer on purpose") {
		t.Error("a layer that is meant is not told as such")
	}
}

// A song is taken in a browser as the page says: the link carries what was chosen on it.
func TestASongIsRewrittenOnItsPageAndTaken(t *testing.T) {
	p := sitDown(t, true)
	var song bytes.Buffer
	if err := smf.Encode(&song, sample.Song()); err != nil {
		t.Fatal(err)
	}
	before, err := smf.Decode(bytes.NewReader(song.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	old := before.Channels()[0].Keys
	p.goTo("/songs?to=2") // Flint Twelve, which has no woodblock and no pedal hat
	p.upload("form.bring", "drums.mid", song.Bytes())
	if at := see[string](p, `location.pathname + location.search`); !strings.HasPrefix(at, "/songs/") ||
		!strings.Contains(at, "to=2") {
		t.Errorf("a fresh page would be %s, without the song", at)
	}
	choose := func(key, fate string) {
		t.Helper()
		p.turns(func() { p.choose(`select[name="key-`+key+`"]`, fate) })
	}
	p.goTo("/songs?to=2") // come back to it
	p.turns(func() {
		p.click(`#kept-songs a[href^="/songs/2"]`)
	})
	choose("76", "39") // its claps stand in
	take := see[string](p, `document.getElementById("take-song").getAttribute("href")`)
	got, err := smf.Decode(bytes.NewReader(p.export(take)))
	if err != nil {
		t.Fatal(err)
	}
	now := got.Channels()[0].Keys
	if old[76] == 0 || now[76] != 0 || now[39] != old[39]+old[76] || now[36] != old[36] {
		t.Errorf("the song plays %v, it played %v", now, old)
	}
	choose("43", "45") // and a floor tom that shared the high tom goes to the low one
	choose("76", "drop")
	if got, err = smf.Decode(
		bytes.NewReader(
			p.export(see[string](p, `document.getElementById("take-song").getAttribute("href")`)))); err != nil ||
		got.Channels()[0].Keys[39] != old[39] || got.Channels()[0].Keys[76] != 0 ||
		got.Channels()[0].Keys[45] != now[45]+old[43] {
		t.Errorf("%v, dropped it plays %v", err, got.Channels()[0].Keys)
	}
}

// What the page is asked for stays: a filter holds for the preview of all, and for the page
// that one comes back to.
func TestDriftFiltersHoldForWhatFollows(t *testing.T) {
	s := start(t, true)
	links := func(path, about string) (out []string) {
		t.Helper()
		_, body := s.get(t, path)
		for _, m := range regexp.MustCompile(`href="(/drift\?[^"#]*)`).FindAllStringSubmatch(body, -1) {
			if strings.Contains(m[1], about) {
				out = append(out, html.UnescapeString(m[1]))
			}
		}
		if len(out) == 0 {
			t.Fatalf("%s has no link with %s", path, about)
		}
		return out
	}
	all := links("/drift?family=mallets&attribute=name", "preview=1")[0]
	_, preview := s.get(t, all)
	if !strings.Contains(preview, "Apply the chart to 1 project") || !strings.Contains(preview, "Cue 11 Market Day") {
		t.Errorf("%s previews more than the filters leave", all)
	}
	one := links("/drift?attribute=name&all=1", "project=2")[0]
	if _, body := s.get(t, one); !strings.Contains(body, `<option selected>name`) ||
		!strings.Contains(body, `name="all" value="1" checked`) {
		t.Errorf("%s has lost the filters", one)
	}
	code, body := s.post(t, "/drift/edit", url.Values{"do": {"differ"}, "project": {"2"}, "role": {"mallets"},
		"attribute": {"name"}, "reason": {"as the players say"}, "view": {"attribute=name&all=1"}})
	if code != http.StatusOK || !strings.Contains(body, `<option selected>name`) {
		t.Errorf("%d, the filters are lost after a change", code)
	}
}

// What happens is what was previewed, or nothing.
func TestBringingIntoLineDoesWhatWasPreviewed(t *testing.T) {
	s := start(t, true)
	_, page := s.get(t, "/drift?preview=1")
	form := url.Values{}
	for _, m := range regexp.MustCompile(`name="on" value="([^"]+)"`).FindAllStringSubmatch(page, -1) {
		form.Add("on", m[1])
	}
	night, err := s.app.Project(t.Context(), 3)
	if err != nil {
		t.Fatal(err)
	}
	kick := night.Plan.OwnLanes()[0]
	if _, err := s.app.Edit(t.Context(), 3, night.Revision, plan.NameLane(kick.ID, "Thud")); err != nil {
		t.Fatal(err)
	}
	code, body := s.post(t, "/drift/align", form)
	if code != http.StatusConflict || !strings.Contains(body, "Cue 07 Night Crossing is not what would happen now") ||
		!strings.Contains(body, "Thud") || strings.Contains(body, "previewed for Cue 03") {
		t.Errorf("%d, the preview that followed: %.200s", code, body)
	}
	if p, err := s.app.Project(t.Context(), 4); err != nil || testkit.Lane(p.Plan, "Hat") == nil {
		t.Error("it was done in part")
	}
	form = url.Values{}
	for _, m := range regexp.MustCompile(`name="on" value="([^"]+)"`).FindAllStringSubmatch(body, -1) {
		form.Add("on", m[1])
	}
	if code, _ = s.post(t, "/drift/align", form); code != http.StatusOK {
		t.Errorf("what the second preview showed is refused: %d", code)
	}
	if p, err := s.app.Project(t.Context(), 3); err != nil || testkit.Lane(p.Plan, "Thud") != nil {
		t.Error("it was not brought into line")
	}
}

// The chart's own keys are a map like an instrument's: a song can be written for them.
func TestSongsAreRewrittenForTheHousesKeys(t *testing.T) {
	s := start(t, true)
	_, page := s.get(t, drumSong+"")
	if strings.Contains(page, "the house chart") {
		t.Error("the chart has no keys, and is offered all the same")
	}
	c, err := s.app.Chart(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if err := s.app.EditChart(t.Context(), c.Revision,
		house.SetCells([]tabular.Cell{tabular.At("kit/kick", "keys", "24"),
			tabular.At("kit/snare", "keys", "26")}, midi.MiddleC3)); err != nil {
		t.Fatal(err)
	}
	if c, err = s.app.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.app.KeepChart(t.Context(), c.Revision, "keys"); err != nil {
		t.Fatal(err)
	}
	if _, page = s.get(t, drumSong+"?from=gm&to=house"); !strings.Contains(page, "the keys of the house chart") ||
		!strings.Contains(page, ">24 C0, Kick<") {
		t.Errorf("got %.300s; want page with \"the keys of the house chart\", page with \">24 C0, Kick<\"", page)
	}
	count := func(query string) map[midi.Key]int {
		t.Helper()
		code, body := s.get(t, drumSong+"/rewritten.mid?"+query)
		f, err := smf.Decode(strings.NewReader(body))
		if code != http.StatusOK || err != nil {
			t.Fatalf("got %d %v; want code %v", code, err, http.StatusOK)
		}
		return f.Channels()[0].Keys
	}
	// snare, side stick and ride
	if k := count("from=gm&to=house&key-42=drop&key-51=26"); k[24] != 32 || k[26] != 32+16+32 || k[36] != 0 ||
		k[42] != 0 || k[56] != 16 {
		t.Errorf("got %v; want k[24] 32, k[26] %v, k[36] 0, k[42] 0, k[56] 16", k, 32+16+32)
	}
	for _, bad := range []string{"from=gm&to=99", "from=x&to=gm", "from=gm&to=house&key-42=200",
		"from=gm&to=house&key-999=drop"} {
		if code, _ := s.get(t, drumSong+"/rewritten.mid?"+bad); code < 400 || code > 499 {
			t.Errorf("got %s: %d; want code at least 400, code at most 499", bad, code)
		}
	}
	if code, body := s.send(t, "/songs", "x.mid", []byte("MThd")); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "not a Standard MIDI File") {
		t.Errorf("got %d; want code %v, body with \"not a Standard MIDI File\"", code, http.StatusUnprocessableEntity)
	}
}

// A change over many projects tells how far it is, and what is stopped has changed nothing.
func TestALongChangeTellsHowFarItIsAndCanBeStopped(t *testing.T) {
	s := start(t, true)
	_, file := s.get(t, "/library.json")
	empty := start(t, false)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var heard []string
	ctx = progress.With(ctx, func(what string, done, of int) {
		if what == "projects kept" {
			heard = append(heard, fmt.Sprint(done, " of ", of))
			if done == 2 {
				stop()
			}
		}
	})
	if _, err := empty.app.MergeLibrary(ctx, strings.NewReader(file), app.Merging{}); err == nil ||
		fmt.Sprint(heard) != "[0 of 4 1 of 4 2 of 4]" {
		t.Errorf("%v, heard %q", err, heard)
	}
	l, err := empty.app.Library(t.Context())
	shelf, errShelf := empty.app.Shelf(t.Context())
	versions, errVersions := empty.app.ChartVersions(t.Context())
	if err := errors.Join(err, errShelf, errVersions); err != nil || len(l.Entries)+len(shelf)+len(versions) != 0 {
		t.Errorf("%v; stopped, it left %d projects, %d instruments and %d versions", err, len(l.Entries), len(shelf),
			len(versions))
	}

	// The page asks by the name that the change was sent under.
	u := underWay{name: map[string]progressOf{}}
	r := chi.NewRouter()
	r.Use(u.follow)
	ask := func() string {
		w := httptest.NewRecorder()
		r.ServeHTTP(w, httptest.NewRequest("GET", "/progress/mine", nil))
		return strings.TrimSpace(w.Body.String())
	}
	during := ""
	r.Get("/progress/{name}", u.serve)
	r.Post("/long", func(_ http.ResponseWriter, r *http.Request) {
		progress.Report(r.Context(), "projects changed", 3, 8)
		during = ask()
	})
	post := httptest.NewRequest("POST", "/long", nil)
	post.Header.Set(progressHeader, "mine")
	r.ServeHTTP(httptest.NewRecorder(), post)
	if after := ask(); during != `{"what":"projects changed","done":3,"of":8}` || !strings.Contains(after, `"of":0`) {
		t.Errorf("during %s, after %s", during, after)
	}
}
