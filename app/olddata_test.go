package app

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/testkit"
)

// oldFile gives a file that an older release wrote; see testdata/README.md.
func oldFile(t testing.TB, name string) []byte {
	t.Helper()
	f, err := os.Open(filepath.Join("testdata", "release-1", name+".gz"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// oldFolder is a data folder as the older release left it.
func oldFolder(t testing.TB) string {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "hiddenlanes.db"), oldFile(t, "hiddenlanes.db"), 0o600); err != nil {
		t.Fatal(err)
	}
	return dir
}

func openFolder(t testing.TB, dir string, o Options) *App {
	t.Helper()
	a, err := Open(t.Context(), dir, o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { a.Close() })
	return a
}

type oldRevision struct {
	ID    int64  `db:"id"`
	Of    int64  `db:"of"`
	Label string `db:"label"`
	Doc   string `db:"doc"`
}

// rowsOf reads revisions as they stand in a database file, by no code of ours.
func rowsOf(t testing.TB, dir, query string) (rows []oldRevision) {
	t.Helper()
	db, err := sqlx.Open("sqlite", filepath.Join(dir, "hiddenlanes.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.Select(&rows, query); err != nil {
		t.Fatal(err)
	}
	return rows
}

const projectRows = `SELECT id, project_id AS of, label, doc FROM revisions ORDER BY project_id, id DESC`

func tree(t testing.TB, doc []byte) map[string]any {
	t.Helper()
	var m map[string]any
	if err := json.Unmarshal(doc, &m); err != nil {
		t.Fatal(err)
	}
	return m
}

// withoutNews takes out of a document what version 1 says in another way or for the first
// time; that is compared by itself.
func withoutNews(doc map[string]any) map[string]any {
	for _, k := range []string{"version", "accepted", "patched", "practice", "lastId", "exceptions", "departs"} {
		delete(doc, k)
	}
	if c, ok := doc["chart"].(map[string]any); ok {
		delete(c, "version")
		delete(c, "number")
	}
	if lanes, ok := doc["lanes"].([]any); ok { // those of the mixer were not in the document
		doc["lanes"] = slices.DeleteFunc(lanes, func(l any) bool { return l.(map[string]any)["owner"] == "found" })
	}
	if host, ok := doc["host"].(map[string]any); ok { // it names its kind, with shared MIDI channels
		if kind, ok := host["profile"].(map[string]any); ok && kind["name"] == rig.Profiles[0].Name {
			delete(host, "profile")
		} else if ok {
			delete(kind, "midiScope")
		}
		delete(host, "sides") // a lane could take one where no kind was named
	}
	lanes, _ := doc["lanes"].([]any)
	for _, x := range lanes { // a level or pan other than zero counts as typed
		l, typed := x.(map[string]any), map[string]any{}
		for _, name := range []string{"gain", "pan"} {
			if l[name] != nil {
				typed[name] = true
			}
		}
		if reflect.DeepEqual(l["typed"], any(typed)) {
			delete(l, "typed")
		}
	}
	placed, _ := doc["placed"].([]any)
	for _, x := range placed {
		pl := x.(map[string]any)
		delete(pl, "asItCame")
		delete(pl["instrument"].(map[string]any), "version")
	}
	return doc
}

// sameState compares what is patched in a document of version 0 with what it is read as.
func sameState(t *testing.T, where string, old any, now *plan.Patched) {
	t.Helper()
	was, ok := old.(map[string]any)
	if !ok {
		if now != nil {
			t.Errorf("%s: something is patched that was not", where)
		}
		return
	}
	instruments, _ := was["instruments"].(map[string]any)
	if len(instruments) != len(now.Instruments) {
		t.Errorf("%s: %d instruments stand, there were %d", where, len(now.Instruments), len(instruments))
	}
	for id, x := range instruments {
		in, got := x.(map[string]any), now.Instruments[id]
		for name, list := range map[string]any{"setup": got.Setup, "kept": got.Kept, "seen": got.Seen} {
			if text, _ := json.Marshal(list); !same(t, text, in[name]) {
				t.Errorf("%s: the %s of %s is %s, was %v", where, name, id, text, in[name])
			}
		}
		feeds, _ := in["feeds"].(map[string]any)
		if len(feeds) != len(got.Feeds) {
			t.Errorf("%s: %d feeds of %s stand somewhere, there were %d", where, len(got.Feeds), id, len(feeds))
		}
		for f, jack := range feeds {
			if got.Feeds[f] != jack {
				t.Errorf("%s: %s is on %s, was on %v", where, f, got.Feeds[f], jack)
			}
		}
	}
	lanes, _ := was["lanes"].([]any)
	if len(lanes) != len(now.Lanes) {
		t.Errorf("%s: %d lanes stand, there were %d", where, len(now.Lanes), len(lanes))
	}
	for _, x := range lanes {
		old := x.(map[string]any)
		l := now.Lane(old["id"].(string))
		if l == nil || l.Name != old["name"] || float64(l.Number) != old["number"] || l.To != old["to"] ||
			l.Colour != old["colour"] {
			t.Errorf("%s: the lane %v stands as %+v", where, old, l)
		}
		sends, _ := old["sends"].([]any)
		if len(sends) != len(l.Sends) {
			t.Errorf("%s: lane %s has %d sends, had %d", where, l.ID, len(l.Sends), len(sends))
		}
		for _, s := range l.Sends {
			if now.Knows(plan.SendEntity(l.ID, s.To), plan.AttrLevel) {
				t.Errorf("%s: the level of a send of %s is known, and nobody had told it", where, l.Name)
			}
		}
	}
	tracks, _ := was["tracks"].(map[string]any)
	for ref, c := range tracks {
		if a := now.Tracks[ref]; float64(a.Channel) != c || now.Knows(plan.TrackEntity(ref), plan.AttrPort) {
			t.Errorf("%s: the track %s plays %+v, played channel %v of a port that nobody had told", where, ref, a, c)
		}
	}
}

func same(t *testing.T, doc []byte, was any) bool {
	t.Helper()
	var v any
	if err := json.Unmarshal(doc, &v); err != nil {
		t.Fatal(err)
	}
	return reflect.DeepEqual(v, was)
}

// The folder of an older release opens: every revision of every project says what it
// said, and nothing else was taken away.
func TestOldDataOpensWithNothingLost(t *testing.T) {
	testkit.OneByOne(t)
	dir := oldFolder(t)
	old := rowsOf(t, dir, projectRows)
	oldShelf := rowsOf(t, dir, `SELECT id, instrument_id AS of, label, doc FROM instrument_revisions ORDER BY id`)
	var log strings.Builder
	a := openFolder(t, dir, Options{Log: slog.New(slog.NewTextHandler(&log, nil))})
	if c := filepath.Join(dir, "hiddenlanes-version-3.db"); !strings.Contains(log.String(), c) {
		t.Errorf("the log does not name the copy %s: %s", c, &log)
	} else if at, err := sqlx.Open("sqlite", c); err != nil || at.Ping() != nil {
		t.Errorf("the copy cannot be opened: %v", err)
	} else {
		var n int
		if err := at.Get(&n, `SELECT count(*) FROM revisions`); err != nil || n != len(old) {
			t.Errorf("the copy holds %d revisions of %d, %v", n, len(old), err)
		}
		at.Close()
	}
	byProject := map[int64][]oldRevision{}
	for _, r := range old {
		byProject[r.Of] = append(byProject[r.Of], r)
	}
	for _, id := range slices.Sorted(maps.Keys(byProject)) {
		at := 0
		if err := a.store.Past(t.Context(), id, func(p *plan.Project) bool {
			r := byProject[id][at]
			where := fmt.Sprintf("project %d, revision %d (%s)", id, r.ID, r.Label)
			at++
			doc, err := json.Marshal(p)
			if err != nil {
				t.Fatal(err)
			}
			was := tree(t, []byte(r.Doc))
			sameState(t, where, was["patched"], p.Patched)
			sameState(t, where, was["practice"], p.StandIn)
			accepted, _ := was["accepted"].(map[string]any)
			departs, _ := was["departs"].([]any)
			if len(accepted) != len(p.Intended) || len(departs) != len(p.Exceptions) {
				t.Errorf("%s: %d acceptances and %d exceptions of %d and %d", where, len(p.Intended), len(p.Exceptions),
					len(accepted), len(departs))
			}
			if c, ok := was["chart"].(map[string]any); ok && float64(p.Chart.Number) != c["version"] {
				t.Errorf("%s follows version %d of the chart, followed %v", where, p.Chart.Number, c["version"])
			}
			now := tree(t, doc)
			if !reflect.DeepEqual(withoutNews(now), withoutNews(was)) {
				t.Errorf("%s says something else:\n%v\nwas\n%v", where, now, was)
			}
			return false
		}); err != nil {
			t.Fatal(err)
		}
		if at != len(byProject[id]) {
			t.Errorf("project %d has %d revisions, had %d", id, at, len(byProject[id]))
		}
	}
	shelf := rowsOf(t, dir, `SELECT id, instrument_id AS of, label, doc FROM instrument_revisions ORDER BY id`)
	for i, r := range shelf {
		now := tree(t, []byte(r.Doc))
		delete(now, "version")
		if i >= len(oldShelf) || r.Label != oldShelf[i].Label || !reflect.DeepEqual(now, tree(t, []byte(oldShelf[i].Doc))) {
			t.Errorf("revision %d of the shelf says %v", r.ID, now)
		}
	}
	used := rowsOf(t, dir, `SELECT 0 AS id, 0 AS of, kind AS label, doc FROM contents`)
	names := map[string]int{}
	for _, c := range used {
		if c.Label == string(plan.AnInstrument) {
			names[tree(t, []byte(c.Doc))["name"].(string)]++
		}
	}
	for name, n := range names {
		if n != 1 {
			t.Errorf("%s is kept %d times; want once, with what projects change in it beside", name, n)
		}
	}
	night, err := a.ProjectNamed(t.Context(), "Cue 07 Night Crossing")
	if err != nil || len(names) != 4 || night.Plan.Placed[0].AsItCame.BaseMiB == 300 ||
		night.Plan.Placed[0].Instrument.BaseMiB != 300 {
		t.Errorf("%d instruments are kept, want 4; what the project changed in one is lost: %v", len(names), err)
	}
	profiles, err := a.Profiles(t.Context())
	naming, _ := a.Naming(t.Context())
	if err != nil || profiles[len(profiles)-1].Name != "The old desk" || naming != midi.MiddleC4 {
		t.Errorf("the settings are lost: %v, %v", profiles, err)
	}
}

// What the older release showed of its projects is shown again: problems that are let
// stand, steps ticked off, and lanes the plan did not make.
func TestOldDecisionsStillHold(t *testing.T) {
	testkit.OneByOne(t)
	a := openFolder(t, oldFolder(t), Options{})
	for name, want := range map[string]struct{ open, accepted int }{
		"Cue 03 Fog Bell": {0, 1}, "Cue 11 Market Day": {9, 3}, "Cue 07 Night Crossing": {3, 3}} {
		p, err := a.ProjectNamed(t.Context(), name)
		if err != nil {
			t.Fatal(err)
		}
		open, accepted := check.Both(trace.New(p.Plan))
		if len(open) != want.open || len(accepted) != want.accepted {
			t.Errorf("%s: %d findings are open and %d stand; want %d and %d", name, len(open), len(accepted), want.open,
				want.accepted)
		}
		if name == "Cue 07 Night Crossing" && !slices.ContainsFunc(open, func(f check.Problem) bool {
			return f.Before == "as it is on the ferry: bus-unfed"
		}) {
			t.Errorf("the problem with a new cause does not keep its reason: %+v", open)
		}
		for _, f := range accepted { // and can be brought back
			if _, err := check.UnmarkIntended(f.Key())(p.Plan); err != nil {
				t.Errorf("%s: %v", f.Key(), err)
			}
		}
		if open, _ := check.Both(trace.New(p.Plan)); len(open) != want.open+want.accepted {
			t.Errorf("%s: %d findings are open once all were brought back; want %d", name, len(open), want.open+want.accepted)
		}
	}
	gone, err := a.ProjectNamed(t.Context(), "Spring Tide without reeds")
	if err != nil {
		t.Fatal(err)
	}
	if steps := runsheet.Make(gone.Plan); len(steps) == 0 ||
		steps[0].Text != "Remove Reed Cabinet, which the plan no longer has" {
		t.Errorf("of an instrument that was removed while it stood in the host the sheet says %v", steps)
	}
	p, err := a.ProjectNamed(t.Context(), "Cue 11 Market Day")
	if err != nil {
		t.Fatal(err)
	}
	steps := runsheet.Make(p.Plan)
	for _, st := range steps {
		if strings.Contains(st.Text, "Ferry engine") || strings.HasPrefix(st.Text, "Close") {
			t.Errorf("a lane that the plan did not make is to be closed: %s", st.Text)
		}
	}
	sends := 0
	for _, l := range p.Plan.Lanes {
		sends += len(l.Sends)
	}
	tracks := len(p.Plan.Placed[0].Instrument.Parts)
	if len(steps) == 0 || steps[0].Count != sends+tracks+1 || sends == 0 {
		t.Fatalf("the sheet begins with %+v; want the levels of %d sends, the ports of %d tracks and the inside to be "+
			"confirmed",
			steps[0], sends, tracks)
	}
	if p, err = a.Edit(t.Context(), p.ID, p.Revision, runsheet.Tick(steps[0].Key())); err != nil {
		t.Fatal(err)
	}
	maps.DeleteFunc(p.Plan.Patched.Unknown, func(k plan.Key, _ bool) bool {
		kind, ref := k.Entity.Parts()
		return kind == "lane" && p.Plan.Lane(ref) == nil // of lanes the plan did not make nobody asks
	})
	if left := runsheet.Make(p.Plan); len(left) != len(steps)-1 || len(p.Plan.Patched.Unknown) != 0 {
		t.Errorf("confirmed, %d steps are left of %d, and %d settings are unknown", len(left), len(steps),
			len(p.Plan.Patched.Unknown))
	}
}

// Files that the older release exported are taken; what is here already is not doubled.
func TestOldBundlesAreTaken(t *testing.T) {
	testkit.Slow(t)
	testkit.OneByOne(t)
	a := openFolder(t, oldFolder(t), Options{})
	m, err := a.MergeLibrary(t.Context(), strings.NewReader(string(oldFile(t, "library.json"))), Merging{})
	if err != nil || m.New+m.Updated+m.Instruments > 0 || m.Same == 0 {
		t.Errorf("the library of the same release gives %+v, %v; want everything here already", m, err)
	}
	b := open(t)
	if again, err := b.MergeLibrary(t.Context(), strings.NewReader(string(oldFile(t, "library.json"))),
		Merging{}); err != nil ||
		again.New != m.Same || again.Charts != 2 {
		t.Errorf("an empty folder takes %+v, %v; want %d projects and 2 charts", again, err, m.Same)
	}
	for _, name := range []string{"03-fog-bell", "07-night-crossing", "11-market-day"} {
		id, err := b.ImportBundle(t.Context(), strings.NewReader(string(oldFile(t, name+".json"))))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		p, err := b.Project(t.Context(), id)
		was := tree(t, oldFile(t, name+".json"))["project"].(map[string]any)
		if lanes := was["lanes"].([]any); err != nil || len(p.Plan.OwnLanes()) != len(lanes) || p.Plan.Name != was["name"] {
			t.Errorf("%s came as %s with %d lanes of %d, %v", name, p.Plan.Name, len(p.Plan.OwnLanes()), len(lanes), err)
		}
	}
	newer := strings.Replace(string(oldFile(t, "03-fog-bell.json")), `"version": 1`, `"version": 3`, 1)
	if _, err := b.ImportBundle(t.Context(), strings.NewReader(newer)); err == nil ||
		!strings.Contains(err.Error(), "use a later Hidden Lanes") {
		t.Errorf("a bundle of a later release gives %v", err)
	}
}

// all is everything that a folder's database holds, as text, but for when it was migrated.
func all(t testing.TB, dir string) string {
	t.Helper()
	db, err := sqlx.Open("sqlite", filepath.Join(dir, "hiddenlanes.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var tables []string
	if err := db.Select(&tables, `SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'goose%'
		AND name NOT LIKE 'sqlite%' ORDER BY name`); err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for _, table := range tables {
		rows, err := db.Queryx(`SELECT * FROM ` + table + ` ORDER BY 1, 2`)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			row, err := rows.SliceScan()
			if err != nil {
				t.Fatal(err)
			}
			fmt.Fprintf(&b, "%s %q\n", table, fmt.Sprint(row...))
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			t.Fatal(err)
		}
	}
	return b.String()
}

const openHere, dieAt = "HIDDENLANES_OPEN_HERE", "HIDDENLANES_DIE_AT"

// moments is a log that counts what it is told, and kills the process at one of them.
type moments struct {
	slog.Handler
	n   *atomic.Int64
	die int64
}

func (m moments) Enabled(context.Context, slog.Level) bool { return true }

func (m moments) Handle(context.Context, slog.Record) error {
	if m.n.Add(1) == m.die {
		return syscall.Kill(os.Getpid(), syscall.SIGKILL)
	}
	return nil
}

// TestOpenHere is run as a process of its own, to be killed.
func TestOpenHere(t *testing.T) {
	dir := os.Getenv(openHere)
	if dir == "" {
		t.Skip("only run by TestAKilledMigrationLosesNothing")
	}
	die, err := strconv.ParseInt(os.Getenv(dieAt), 10, 64)
	if err != nil {
		t.Fatal(err)
	}
	openFolder(t, dir, Options{Log: slog.New(moments{slog.DiscardHandler, &atomic.Int64{}, die})})
	t.Error("it was not killed")
}

func TestAKilledMigrationLosesNothing(t *testing.T) {
	testkit.Slow(t)
	testkit.OneByOne(t)
	times := int64(testkit.Of(50, 5))
	whole := oldFolder(t)
	var told atomic.Int64
	openFolder(t, whole, Options{Log: slog.New(moments{slog.DiscardHandler, &told, -1})}).Close()
	want := all(t, whole)
	if told.Load() < 50 {
		t.Fatalf("the migration has %d moments to be killed at; want 50", told.Load())
	}
	for i := range times {
		dir := oldFolder(t)
		moment := 1 + i*(told.Load()-1)/(times-1)
		c := exec.CommandContext(t.Context(), os.Args[0], "-test.run=^TestOpenHere$")
		c.Env = append(os.Environ(), openHere+"="+dir, fmt.Sprint(dieAt, "=", moment))
		out, err := c.CombinedOutput()
		var exit *exec.ExitError
		if !errors.As(err, &exit) || exit.Sys().(syscall.WaitStatus).Signal() != syscall.SIGKILL {
			t.Fatalf("it was not killed at moment %d: %v, %s", moment, err, out)
		}
		openFolder(t, dir, Options{}).Close()
		if got := all(t, dir); got != want {
			t.Fatalf("killed at moment %d of %d, the folder holds something else afterwards:\n%.2000s\nwant\n%.2000s",
				moment, told.Load(), got, want)
		}
		if parts, _ := filepath.Glob(filepath.Join(dir, "*.part")); len(parts) > 0 {
			t.Errorf("killed at moment %d, %v is left", moment, parts)
		}
	}
}
