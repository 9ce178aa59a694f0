package web

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"html"
	"io"
	"io/fs"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"unicode/utf8"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
)

// site is the whole application on a real port, with the sample world if asked.
type site struct {
	*httptest.Server
	app *app.App
}

// sampleData is the database of the sample world, made once for all tests.
var sampleData = sync.OnceValues(func() ([]byte, error) {
	dir, err := os.MkdirTemp("", "hiddenlanes-sample-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	a, err := app.Open(context.Background(), dir, app.Options{})
	if err != nil {
		return nil, err
	}
	if err := errors.Join(demo.Fill(context.Background(), a), a.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(dir, "hiddenlanes.db"))
})

// sampleFolder is a data folder with the sample world, a copy of its own.
func sampleFolder(t testing.TB) string {
	t.Helper()
	data, err := sampleData()
	dir := t.TempDir()
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "hiddenlanes.db"), data, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	return dir
}

func start(t testing.TB, sample bool) site {
	t.Helper()
	dir := t.TempDir()
	if sample {
		dir = sampleFolder(t)
	}
	return startIn(t, dir, app.Options{}, io.Discard)
}

// startIn starts the application with a data folder, writing its log to log.
func startIn(t testing.TB, dir string, o app.Options, log io.Writer) site {
	t.Helper()
	a, err := app.Open(t.Context(), dir, o)
	if err != nil {
		t.Fatal(err)
	}
	a.OfferSample(demo.Add)
	h, err := New(a, slog.New(slog.NewTextHandler(log, nil)))
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(h)
	t.Cleanup(func() { s.Close(); a.Close() })
	return site{s, a}
}

func (s site) get(t testing.TB, path string) (int, string) {
	t.Helper()
	r, err := s.Client().Get(s.URL + path)
	return read(t, r, err)
}

func read(t testing.TB, r *http.Response, err error) (int, string) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	if strings.HasPrefix(r.Header.Get("Content-Type"), "text/html") {
		return r.StatusCode, strings.Join(strings.Fields(string(b)), " ") // as it is shown
	}
	return r.StatusCode, string(b)
}

func (s site) send(t testing.TB, path, name string, data []byte) (int, string) {
	t.Helper()
	return s.sendWith(t, path, name, data, nil)
}

// sendWith sends a file behind fields.
func (s site) sendWith(t testing.TB, path, name string, data []byte, fields map[string]string) (int, string) {
	t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for k, v := range fields {
		_ = m.WriteField(k, v)
	}
	part, err := m.CreateFormFile("file", name)
	if err != nil {
		t.Fatal(err)
	}
	_, _ = part.Write(data)
	m.Close()
	r, err := s.Client().Post(s.URL+path, m.FormDataContentType(), &b)
	return read(t, r, err)
}

// Of the sample world: "Cue 03 Fog Bell", and its song.
const fogBell, drumSong = "/projects/4", "/songs/2"

// everyPage lists the address of every page there is, with something of the sample world.
func everyPage() (out []string) {
	for _, p := range Pages() {
		id := int64(1)
		switch {
		case strings.HasPrefix(p.Path, "/projects/"):
			id = 4
		case strings.HasPrefix(p.Path, "/songs/"):
			id = 2
		}
		out = append(out, p.At(id))
	}
	return out
}

func TestEveryPageOfTheSampleWorldIsServed(t *testing.T) {
	s := start(t, true)
	outside := regexp.MustCompile(`(?i)(src|href|action)="(https?:)?//`)
	folded := regexp.MustCompile(`(?i)(href|action)="[^"]*\?[^"=]*%3d[^"]*"`)
	inline := regexp.MustCompile(`(?i)<script>|<style|\sstyle="|\son[a-z]+="`)
	for _, path := range append(everyPage(), "/?find=kick&drift=drifting", "/?state=template",
		"/drift?family=kit&attribute=name&all=1&find=cue&page=3", "/drift?preview=1&family=kit&attribute=name", drumSong+
			"?from=gm&to=2", "/instruments/3?a=One+output+a+part&b=One+output+a+microphone", fogBell+"/?feed=i1:stop", fogBell+
			"/?lane=l10", fogBell+"/?output=i1:3", fogBell+"/?fold=1", fogBell+"/?voice=i1:v38", fogBell+
			"/?voice=i9:x&feed=no&lane=no&output=no",
		"/projects/1/", "/projects/2/proposal", "/projects/2/feeds", "/projects/3/outputs", "/projects/1/proposal", fogBell+
			"/proposal?cut-i1=9", fogBell+"/proposal?cut-i1=99") {
		code, body := s.get(t, path)
		if code != http.StatusOK || !strings.Contains(body, "</html>") {
			t.Errorf("got %s: %d; want code %v, body with \"</html>\"", path, code, http.StatusOK)
		}
		if m := outside.FindString(body); m != "" {
			t.Errorf("%s points outside: %s", path, m)
		}
		if m := inline.FindString(body); m != "" {
			t.Errorf("%s has something inline that the security policy stops: %s", path, m)
		}
		if m := folded.FindString(body); m != "" {
			t.Errorf("%s has a link whose query is escaped as if it were one value: %s", path, m)
		}
	}
	for _, path := range []string{"/projects/99/", "/projects/x/", "/instruments/99", "/nowhere",
		"/projects/99/patch-sheet.csv"} {
		if code, body := s.get(t, path); code != http.StatusNotFound || !strings.Contains(body, "There is nothing") {
			t.Errorf("got %s: %d; want code %v, body with \"There is nothing\"", path, code, http.StatusNotFound)
		}
	}
}

// Those that watch over the process, and those that ask for what is not there, are answered in words.
func TestTheDoorsAnswerInWords(t *testing.T) {
	s := start(t, false)
	if code, body := s.get(t, "/healthz"); code != http.StatusOK || body != "ok\n" {
		t.Errorf("/healthz: %d %q; want 200 ok", code, body)
	}
	ask := func(method, path string) (*http.Response, string) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), method, s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := s.Client().Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		body, err := io.ReadAll(answer.Body)
		if err != nil {
			t.Fatal(err)
		}
		return answer, string(body)
	}
	for path, allow := range map[string]string{"/": "GET HEAD", "/settings": "POST", "/instruments": "GET HEAD POST"} {
		a, body := ask(http.MethodDelete, path)
		if got := strings.Join(a.Header.Values("Allow"), " "); a.StatusCode != http.StatusMethodNotAllowed || got != allow ||
			!strings.Contains(body, "DELETE is nothing that this address takes") {
			t.Errorf("DELETE %s: %d, Allow %q, %.300s; want 405, Allow %q and words", path, a.StatusCode, got, body, allow)
		}
	}
	if a, body := ask(http.MethodHead, "/healthz"); a.StatusCode != http.StatusOK || body != "" {
		t.Errorf("HEAD /healthz: %d %q; want 200 without a body", a.StatusCode, body)
	}
	for field, v := range map[string]string{"theme": "mauve", "middlec": "C9"} {
		if code, body := s.post(t, "/settings", url.Values{field: {v}}); code != http.StatusUnprocessableEntity ||
			!strings.Contains(body, v) {
			t.Errorf("%s=%s: %d; want 422 that names it", field, v, code)
		}
	}
}

func TestAVoiceIsFollowedThroughEveryMicrophone(t *testing.T) {
	s := start(t, true)
	_, body := s.get(t, fogBell+"/?voice=i1:v38")
	for _, want := range []string{"32 notes in the song", "lane 8 Snare → Drums → main mix",
		"lane 14 Overheads → Drums → main mix, and by 1 other way"} {
		if !strings.Contains(body, want) {
			t.Errorf("the snare's page does not say %q", want)
		}
	}
	if n := len(regexp.MustCompile(`class="node feed lit"`).FindAllString(body, -1)); n != 5 {
		t.Errorf("%d feeds are lit, the snare is heard in 5", n)
	}
}

func TestStaticFilesNameNoOutsideAddress(t *testing.T) {
	address := regexp.MustCompile(`https?://[a-zA-Z0-9.-]+`)
	err := fs.WalkDir(files, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.Contains(path, "/lib/") {
			return err
		}
		b, err := files.ReadFile(path)
		for _, m := range address.FindAllString(string(b), -1) {
			if m != "http://www.w3.org" { // the name of the SVG namespace; nothing is fetched
				t.Errorf("%s names %s", path, m)
			}
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

func TestManyFeedsWithoutAnOutputLeadToAProposal(t *testing.T) {
	s := start(t, true)
	form := url.Values{"rev": {s.revision(t, 4)}, "back": {"check"}, "do": {"outputs"}, "placed": {"i1"},
		"outputs": {"4x2"}, "port": {"3"}, "offset": {"10"}}
	code, body := s.post(t, fogBell+"/edit", form)
	if code != http.StatusOK ||
		!strings.Contains(body, "12 feeds have no output. A proposal finds one for each") {
		t.Errorf("got %d, %s; want code %v, body with \"12 feeds have no output. A proposal finds one for each\"",
			code, flashOf(body), http.StatusOK)
	}
	if _, body := s.get(t, fogBell+"/?output=i1:4"); !strings.Contains(body, "ports 9–10 · host 19–20") {
		t.Error("the output's panel does not say both the instrument's and the host's numbers")
	}
	if _, body := s.get(t, fogBell+"/proposal"); !strings.Contains(body, "comes from 1–2") &&
		!strings.Contains(body, "shares 9–10") {
		t.Error("a new proposal does not use the four outputs")
	}
}

func TestWhatIsRemovedCanBePutBack(t *testing.T) {
	s := start(t, true)
	for path, name := range map[string]string{"/instruments/2": "Flint Twelve", "/projects/3": "Cue 07 Night Crossing"} {
		link := regexp.MustCompile(`href="` + path + `/?"[^>]*>`)
		_, body := s.post(t, path+"/remove", nil) // the answer is the list
		if !strings.Contains(flashOf(body), name+" was removed") || link.MatchString(body) {
			t.Errorf("got %s: %s; want flashOf(body) with %v, not link.MatchString(body)", path, flashOf(body), name+
				" was removed")
		}
		back := regexp.MustCompile(`action="([^"]*back=1)"`).FindStringSubmatch(body)
		if back == nil {
			t.Fatalf("%s: no way to put it back", path)
		}
		if _, body := s.post(t, back[1], nil); !link.MatchString(body) {
			t.Errorf("%s did not come back", path)
		}
	}
	if code, _ := s.post(t, "/projects/99/remove", nil); code != http.StatusNotFound {
		t.Errorf("got %d; want code %v", code, http.StatusNotFound)
	}
}

// A static file has the hash of its content in its name, so it can be kept for good; one
// that changes has another name.
func TestStaticFilesAreKeptForGood(t *testing.T) {
	s := start(t, false)
	_, page := s.get(t, "/")
	links := regexp.MustCompile(`(?:href|src)="(/static/[^"]+)"`).FindAllStringSubmatch(page, -1)
	if len(links) < 7 {
		t.Fatalf("the page links to %d static files; want icon, fonts, sheets and scripts", len(links))
	}
	for _, l := range links {
		r, err := s.Client().Get(s.URL + l[1])
		code, body := read(t, r, err)
		if code != http.StatusOK || body == "" || !strings.Contains(r.Header.Get("Cache-Control"), "immutable") {
			t.Errorf("%s: %d, %d bytes, Cache-Control %q; want it kept for good", l[1], code, len(body),
				r.Header.Get("Cache-Control"))
		}
		for _, inner := range regexp.MustCompile(`url\((/static/[^)]+)\)`).FindAllStringSubmatch(body, -1) {
			if code, _ := s.get(t, inner[1]); code != http.StatusOK {
				t.Errorf("%s names %s, which answers %d", l[1], inner[1], code)
			}
		}
	}
	if code, _ := s.get(t, "/static/app.css"); code != http.StatusNotFound {
		t.Errorf("without its hash a file answers %d; want 404", code)
	}
}

func TestOnlyItsOwnAddressIsAnswered(t *testing.T) {
	s := start(t, true)
	u, _ := url.Parse(s.URL)
	for host, want := range map[string]int{u.Host: 200, "localhost:" + u.Port(): 200, "ferry.example:" + u.Port(): 421,
		"127.0.0.1": 421, "127.0.0.1:1": 421} {
		r, _ := http.NewRequest(http.MethodGet, s.URL+"/", nil)
		r.Host = host
		resp, err := s.Client().Do(r)
		if code, _ := read(t, resp, err); code != want {
			t.Errorf("Host %s: %d, want %d", host, code, want)
		}
		if want == 200 && !strings.Contains(resp.Header.Get("Content-Security-Policy"), "script-src 'self'") {
			t.Errorf("no policy on %s", host)
		}
	}
}

func TestChangesFromOtherSitesAreRefused(t *testing.T) {
	s := start(t, true)
	for header, value := range map[string]string{"Sec-Fetch-Site": "cross-site", "Origin": "http://ferry.example"} {
		r, _ := http.NewRequest(http.MethodPost, s.URL+fogBell+"/undo", strings.NewReader("rev=1"))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set(header, value)
		resp, err := s.Client().Do(r)
		if code, _ := read(t, resp, err); code != http.StatusForbidden {
			t.Errorf("got %s %s: %d; want code %v", header, value, code, http.StatusForbidden)
		}
	}
}

func TestAFailedImportSaysWhyAndLeavesNoTrace(t *testing.T) {
	s := start(t, true)
	before, err := s.app.Shelf(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	good := testkit.Kit().Bytes()
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"photo.sf2": {[]byte("\x89PNG\r\n\x1a\n"),
			"This is a PNG picture: pictures hold no instrument. Import SoundFont 2 (.sf2, .sf3)"},
		"short.sf2": {good[:len(good)-100], "copy or export it again"},
		"empty.sf2": {nil, "This is an empty file"},
		"a song.mid": {[]byte("MThd\x00\x00\x00\x06\x00\x00\x00\x01\x00\x60MTrk\x00\x00\x00\x04\x00\xff\x2f\x00"),
			"this is a song"},
		"smpte.mid": {[]byte("MThd\x00\x00\x00\x06\x00\x00\x00\x01\xe7\x28MTrk\x00\x00\x00\x04\x00\xff\x2f\x00"),
			"this is a song"},
		"<b>bold.sf2": {[]byte("RIFF0000sfbkLIST"), "ends in the middle"},
	} {
		code, body := s.send(t, "/instruments", name, c.data)
		if code != http.StatusUnprocessableEntity || !strings.Contains(strings.ToLower(body), strings.ToLower(c.says)) ||
			!strings.Contains(body, "Nothing was imported.") || strings.Contains(body, "<b>bold") {
			t.Errorf("got %s: %d, %s; want code %v, strings.ToLower(body) with strings.ToLower(c.says), body with \"Nothing "+
				"was put on the shelf.\", body without \"<b>bold\"", name, code, flashOf(body), http.StatusUnprocessableEntity)
		}
	}
	after, err := s.app.Shelf(t.Context())
	if err != nil || len(after) != len(before) {
		t.Errorf("the shelf held %d, now %d, %v", len(before), len(after), err)
	}
	if code, body := s.send(t, "/projects/4/song", "x.mid", []byte("MThd")); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "Standard MIDI File: ") {
		t.Errorf("song: %d, %s", code, flashOf(body))
	}
}

func flashOf(body string) string {
	m := regexp.MustCompile(`(?s)id="flash" tabindex="-1">(.*?)</div>`).FindStringSubmatch(body)
	if m == nil {
		return "no message"
	}
	return m[1]
}

func (s site) post(t testing.TB, path string, form url.Values) (int, string) {
	t.Helper()
	r, err := s.Client().PostForm(s.URL+path, form)
	return read(t, r, err)
}

func (s site) revision(t testing.TB, id int64) string {
	t.Helper()
	p, err := s.app.Project(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprint(p.Revision)
}

func TestTwoWindowsTheLaterIsToldWhatChanged(t *testing.T) {
	s := start(t, true)
	seen := s.revision(t, 4)
	name := func(lane, n string) url.Values {
		return url.Values{"rev": {seen}, "back": {"lanes"}, "do": {"cells"}, "table": {"lanes"}, "row": {lane},
			"col":   {"name"},
			"value": {n}}
	}
	for lane, n := range map[string]string{"l2": "Kick of window one", "l3": "Snare of window two"} {
		if code, body := s.post(t, fogBell+"/edit", name(lane, n)); code != http.StatusOK {
			t.Errorf("another lane is renamed in each window: %d, %s; want both done", code, flashOf(body))
		}
	}
	code, body := s.post(t, fogBell+"/edit", name("l2", "Kick of window two"))
	for _, says := range []string{"Changed in another window: the name of lane",
		"is “Kick of window one” now, and would be “Kick of window two”"} {
		if code != http.StatusConflict || !strings.Contains(flashOf(body), says) {
			t.Errorf("got %d, %s; want code %d and %q", code, flashOf(body), http.StatusConflict, says)
		}
	}
	refused := regexp.MustCompile(
		`<t[dh][^>]*data-col="name"[^>]*data-was="Kick of window one"[^>]*aria-invalid="true"[^>]*>([^<]*)<`)
	cell := refused.FindStringSubmatch(body)
	if cell == nil || cell[1] != "Kick of window two" {
		t.Errorf("the cell is %q; want what was typed in it, and what it holds beside that", cell)
	}
	got := s.bundle(t, fogBell)
	if one, two := got.Lane("l2").Name, got.Lane("l3").Name; one != "Kick of window one" || two != "Snare of window two" {
		t.Errorf("the lanes are %q and %q; want the one of each window", one, two)
	}
	code, body = s.post(t, fogBell+"/edit", url.Values{"rev": {seen}, "back": {"proposal"}, "do": {"accept-every"},
		"placed": {"i1"}})
	if code != http.StatusConflict || !strings.Contains(flashOf(body), "your change was not saved") {
		t.Errorf("proposals for a state that is past: %d, %s; want %d", code, flashOf(body), http.StatusConflict)
	}
}

func TestARefusedChangeShowsTheViewAgainWithTheReason(t *testing.T) {
	s := start(t, true)
	cell := func(column, typed string) url.Values {
		return url.Values{"do": {"cells"}, "table": {"lanes"}, "row": {"l9"}, "col": {column}, "value": {typed}}
	}
	for _, c := range []struct {
		form url.Values
		says string
	}{
		{cell("number", "2"), "which the plan did not make"},
		{cell("number", "x"), "type a whole number"},
		{cell("name", " "), "name is empty"},
		{cell("takes", "output 99"), "No output is called"},
		{cell("to", "Nowhere"), "No bus is called"},
		{cell("sends", "Nowhere -6"), "No bus is called"},
		{url.Values{"do": {"bus"}, "name": {""}}, "name is empty"},
		{cell("gain", "loud"), "type decibels"},
		{url.Values{"do": {"decide"}, "feed": {"i1:kin"}, "to": {"99"}}, "no output 99"},
		{url.Values{"do": {"decide"}, "feed": {"nonsense"}, "to": {"1"}}, "names no feed"},
		{url.Values{"do": {"fix"}, "finding": {"double-path/l99"}}, "fixed already"},
		{url.Values{"do": {"explode"}}, "no change called"},
	} {
		c.form.Set("rev", s.revision(t, 4))
		c.form.Set("back", "lanes")
		code, body := s.post(t, fogBell+"/edit", c.form)
		if code != http.StatusUnprocessableEntity || !strings.Contains(flashOf(body), c.says) ||
			!strings.Contains(body, `class="view-lanes" `) {
			t.Errorf("got %v: %d, %s; want code %v, flashOf(body) with %v, body with \"class=\\\"view-lanes\\\"\"", c.form,
				code, flashOf(body), http.StatusUnprocessableEntity, c.says)
		}
		if c.form.Has("col") && !marksInvalid(body, c.form.Get("col")+"-l9", c.form.Get("value")) {
			t.Errorf("%v: the cell is not marked, or what was typed is lost", c.form)
		}
	}
	if code, _ := s.post(t, fogBell+"/edit",
		url.Values{"do": {"rename"}, "name": {"x"}}); code != http.StatusUnprocessableEntity {
		t.Errorf("a change that names no revision: %d", code)
	}
}

// marksInvalid reports whether one field of a page is marked, holds what was typed, and says
// where it is told why.
func marksInvalid(body, id, typed string) bool {
	all := regexp.MustCompile(`<t[dh] [^>]*aria-invalid="true"[^>]*>([^<]*)<`).FindAllStringSubmatch(body, -1)
	return len(all) == 1 && strings.Contains(all[0][0], ` id="`+id+`"`) && all[0][1] == html.EscapeString(typed) &&
		strings.Contains(all[0][0], `aria-describedby="flash"`) && strings.Contains(body, ` id="flash"`)
}

// A refused form of a list is shown as it was typed, too.
func TestARefusedProjectKeepsWhatWasTyped(t *testing.T) {
	s := start(t, true)
	_, page := s.get(t, "/projects/new")
	fields := regexp.MustCompile(`name="(first|limit|taken)"`).FindAllString(page, -1)
	if len(fields) != 3 {
		t.Fatalf("the form has %v", fields)
	}
	form := url.Values{"name": {"Cue 21"}, "first": {"5"}, "taken": {"9 and up"}, "limit": {"64"}, "choose": {"1"},
		"outputs-1": {"9x2"}, "port-1": {"3"}, "offset-1": {"0"}}
	code, body := s.post(t, "/projects", form)
	for _, want := range []string{`value="Cue 21"`, `value="9 and up"`, `value="64"`, `value="9x2"`} {
		if code != http.StatusUnprocessableEntity || !strings.Contains(body, want) {
			t.Errorf("%d, %s: %q is lost", code, flashOf(body), want)
		}
	}
	if marked := regexp.MustCompile(`name="(\w+)"[^>]*aria-invalid="true"`).FindAllStringSubmatch(body,
		-1); len(marked) != 1 || marked[0][1] != "taken" {
		t.Errorf("marked as at fault: %v", marked)
	}
	form.Set("taken", "")
	form.Set("name", " ")
	if _, body := s.post(t, "/projects", form); !regexp.MustCompile(
		`name="name"[^>]*aria-invalid="true"`).MatchString(body) {
		t.Errorf("a missing name is not marked: %s", flashOf(body))
	}
}

func TestTemplatesCanBeRead(t *testing.T) {
	const most = 120 // characters of a line
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil || len(names) < 20 {
		t.Fatalf("%d templates, %v", len(names), err)
	}
	forms := regexp.MustCompile(`(?i)<form[^>]*method="post"`)
	for _, name := range names {
		text, err := fs.ReadFile(files, name)
		if err != nil {
			t.Fatal(err)
		}
		for i, line := range strings.Split(string(text), "\n") {
			if n := utf8.RuneCountInString(line); n > most {
				t.Errorf("%s:%d has %d characters, over %d", name, i+1, n, most)
			}
		}
		if !strings.HasSuffix(name, "_frame.html") && forms.Match(text) {
			t.Errorf("%s writes a form by hand; open it with the piece \"form\"", name)
		}
	}
}

func TestDownloadsCarryTheProjectsName(t *testing.T) {
	s := start(t, true)
	for path, want := range map[string]string{
		"/patch-sheet.csv":    `attachment; filename="Cue 03 Fog Bell patch sheet.csv"`,
		"/project.dawproject": `attachment; filename="Cue 03 Fog Bell.dawproject"`} {
		r, err := s.Client().Get(s.URL + fogBell + path)
		if _, body := read(t, r, err); r.Header.Get("Content-Disposition") != want || len(body) < 500 {
			t.Errorf("%s: %q, %d bytes", path, r.Header.Get("Content-Disposition"), len(body))
		}
	}
	_, body := s.get(t, fogBell+"/patch-sheet.csv")
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	if err != nil || len(rows) != 1+10+1+5 {
		t.Errorf("%d rows, %v", len(rows), err)
	}
}

func BenchmarkProjectPage(b *testing.B) {
	s := start(b, true)
	for b.Loop() {
		if code, _ := s.get(b, fogBell+"/"); code != http.StatusOK {
			b.Fatal(code)
		}
	}
}
