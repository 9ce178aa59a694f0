package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/app"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/testkit"
)

// buffer is a log that several goroutines write to.
type buffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (b *buffer) Write(p []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.b.Write(p)
}

func (b *buffer) String() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.b.String()
}

// raw is what only libraries say.
var raw = regexp.MustCompile(`(?i)sqlite|\bsql\b|database|constraint|goroutine|panic|strconv|json:|xml:|zip:|\(\d+\)`)

// What can go wrong with the disk is told in words with the right status, logged with
// what was being done, and nothing is lost by it.
func TestTroubleWithTheDataIsToldAndLogged(t *testing.T) {
	rename := func(t *testing.T, s site) (int, string) {
		return s.post(t, fogBell+"/edit", url.Values{"rev": {s.revision(t, 4)}, "back": {"lanes"}, "do": {"rename"},
			"name": {"Another name"}})
	}
	for name, c := range map[string]struct {
		options app.Options
		before  func(t *testing.T, dir string)
		does    func(t *testing.T, s site) (int, string)
		code    int
		says    string
		logs    string
	}{
		"a full disk": {app.Options{Pages: 1}, nil, func(t *testing.T, s site) (int, string) {
			var song bytes.Buffer
			long := sample.Song()
			for range 9 { // more than the pages that are there have room for
				long.Tracks = append(long.Tracks, long.Tracks...)
			}
			if err := smf.Encode(&song, long); err != nil {
				t.Fatal(err)
			}
			return s.sendWith(t, fogBell+"/song", "long.mid", song.Bytes(), map[string]string{"rev": s.revision(t, 4)})
		}, http.StatusInsufficientStorage, "Not saved: the disk is full. Nothing was lost. Make room", "full"},
		"a read-only disk": {app.Options{ReadOnly: true}, nil, rename, http.StatusServiceUnavailable,
			"Not saved: the data folder is read-only. Nothing was lost. Allow writing", "readonly"},
		"data in use": {app.Options{Wait: 30 * time.Millisecond}, func(t *testing.T, dir string) {
			db, err := sqlx.Open("sqlite", filepath.Join(dir, "hiddenlanes.db"))
			if err != nil {
				t.Fatal(err)
			}
			db.SetMaxOpenConns(1)
			if _, err := db.Exec("BEGIN IMMEDIATE"); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { db.Close() })
		}, rename, http.StatusServiceUnavailable, "Not saved: the data is in use by another program. Nothing was lost. Close",
			"locked"},
		"a damaged project": {app.Options{}, func(t *testing.T, dir string) {
			db, err := sqlx.Open("sqlite", filepath.Join(dir, "hiddenlanes.db"))
			if err != nil {
				t.Fatal(err)
			}
			defer db.Close()
			if _, err := db.Exec(`UPDATE revisions SET doc = '{"version":1,"placed":7}'
				WHERE id = (SELECT head FROM projects WHERE id = 4)`); err != nil {
				t.Fatal(err)
			}
		}, func(t *testing.T, s site) (int, string) {
			if code, _ := s.get(t, "/projects/3/"); code != http.StatusOK {
				t.Errorf("another project answers %d", code)
			}
			return s.get(t, fogBell+"/")
		}, http.StatusServiceUnavailable, "project 4 cannot be read: it is damaged. All others can", "unmarshal"},
	} {
		t.Run(name, func(t *testing.T) {
			var log buffer
			dir := sampleFolder(t)
			s := startIn(t, dir, c.options, &log)
			if c.before != nil {
				c.before(t, dir) // the trouble comes while the application runs
			}
			code, body := c.does(t, s)
			text := shown(body)
			if code != c.code || !strings.Contains(strings.ToLower(text), strings.ToLower(c.says)) {
				t.Errorf("it answers %d and says %q; want %d and %q", code, flashOf(body)+text, c.code, c.says)
			}
			if m := raw.FindString(text); m != "" {
				t.Errorf("the page shows a library's text: %q in %q", m, text)
			}
			if l := log.String(); !strings.Contains(l, "the data could not be reached") || !strings.Contains(l, c.logs) ||
				!strings.Contains(l, "/projects/4") {
				t.Errorf("the log says %q; want the kind, %q and what was being done", l, c.logs)
			}
			if name != "a damaged project" {
				if code, body := s.get(t, fogBell+"/"); code != http.StatusOK || !strings.Contains(body, "Cue 03 Fog Bell") {
					t.Errorf("afterwards the project answers %d", code)
				}
			}
		})
	}
}

var tags = regexp.MustCompile(`<script.*?</script>|<[^>]*>`)

// shown is the text of a page's main part.
func shown(body string) string {
	if _, rest, ok := strings.Cut(body, "<main"); ok {
		body = rest
	}
	if at := strings.Index(body, `class="alert`); at >= 0 {
		body = body[at:]
	}
	text := strings.Join(strings.Fields(tags.ReplaceAllString(body, " ")), " ")
	return text[:min(600, len(text))]
}

// A panic in a goroutine that helps a request ends on the page and in the log, not the
// whole application.
func TestAPanicInAHelperReachesTheRecoverer(t *testing.T) {
	var log buffer
	s := startIn(t, t.TempDir(), app.Options{}, io.Discard)
	h := &server{app: s.app, log: slog.New(slog.NewTextHandler(&log, nil))}
	static, err := fs.Sub(files, "static")
	if err != nil {
		t.Fatal(err)
	}
	linked, err := newStatics(static)
	if err != nil {
		t.Fatal(err)
	}
	if h.templates, err = parseTemplates(linked); err != nil {
		t.Fatal(err)
	}
	w := httptest.NewRecorder()
	h.recoverer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		_ = bundle.OnEveryProcessor(context.Background(), "projects read", 50, func(i int) error {
			if i == 33 {
				panic(fmt.Sprint("no lane ", i))
			}
			return nil
		})
	})).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/library.json", nil))
	if w.Code != http.StatusInternalServerError || !strings.Contains(w.Body.String(), "Nothing was changed") ||
		strings.Contains(w.Body.String(), "no lane") {
		t.Errorf("it answers %d: %s", w.Code, shown(w.Body.String()))
	}
	if l := log.String(); !strings.Contains(l, "itself broke") || !strings.Contains(l, "no lane 33") ||
		!strings.Contains(l, "TestAPanicInAHelperReachesTheRecoverer") {
		t.Errorf("the log says %q; want the panic and the stack it came from", l)
	}
}

// Files that are cut off or garbled are refused in our words, whatever a library says of
// them.
func TestBrokenFilesAreRefusedInOurWords(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	var song bytes.Buffer
	if err := smf.Encode(&song, sample.Song()); err != nil {
		t.Fatal(err)
	}
	_, csv := s.get(t, "/instruments/1/instrument.csv")
	_, names := s.get(t, "/instruments/1/names.midnam")
	_, lib := s.get(t, "/library.json")
	_, session := s.get(t, fogBell+"/project.dawproject")
	for name, file := range map[string]string{"song.mid": song.String(), "kit.csv": csv, "kit.midnam": names,
		"library.json": lib, "mixer.dawproject": session} {
		to := map[string]string{"song.mid": "/songs", "library.json": "/library",
			"mixer.dawproject": fogBell + "/song"}[name]
		if to == "" {
			to = "/instruments"
		}
		refused := 0
		for _, part := range []int{1, 3, 9, 10, 11, 12, 13, 50, 90, 99} {
			cut := file[:len(file)*part/100]
			for _, broken := range []string{cut, strings.Replace(file, file[len(cut):min(len(file), len(cut)+6)],
				"<\"}\xff[", 1)} {
				code, body := s.sendWith(t, to, name, []byte(broken), map[string]string{"rev": s.revision(t, 4)})
				if code < 400 {
					continue
				}
				refused++
				text := shown(body)
				if m := raw.FindString(text); m != "" || code >= 500 || strings.Contains(text, "EOF") {
					t.Errorf("%s cut at %d %%: %d, %q", name, part, code, text)
				}
			}
		}
		if refused == 0 {
			t.Errorf("no broken %s was refused", name)
		}
	}
}

func TestAFolderThatIsNoneOfOursIsRefusedInWords(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "hiddenlanes.db"), bytes.Repeat([]byte("no database "), 900),
		0o600); err != nil {
		t.Fatal(err)
	}
	_, err := app.Open(t.Context(), dir, app.Options{})
	if err == nil || !strings.Contains(err.Error(), "not one of Hidden Lanes, or damaged") || raw.MatchString(
		strings.ReplaceAll(err.Error(), dir, "")) {
		t.Errorf("it says %v", err)
	}
}
