package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/testkit"
)

// documents are all documents there are, as they are kept, with where they stand.
func documents(t *testing.T, s *Store) (out []string) {
	t.Helper()
	for _, q := range []string{
		`SELECT 'project ' || id || ' ' || head || ' ' || tip || ' ' || removed || ' ' || state || ' ' || uid FROM projects`,
		`SELECT 'revision ' || id || ' ' || project_id || ' ' || parent || ' ' || label || ' ' || doc FROM revisions`,
		`SELECT 'instrument ' || instrument_id || ' ' || id || ' ' || doc FROM instrument_revisions`,
		`SELECT 'chart ' || id || ' ' || doc FROM chart_revisions`, `SELECT 'content ' || hash || ' ' || doc FROM contents`,
		`SELECT 'song ' || id || ' ' || name || ' ' || hex(data) FROM songs`,
		`SELECT 'setting ' || name || ' ' || value FROM settings`,
		`SELECT 'step ' || project_id || ' ' || step || ' ' || number FROM step_numbers`} {
		var rows []string
		if err := s.db.Select(&rows, q+` ORDER BY 1`); err != nil {
			t.Fatal(err)
		}
		out = append(out, rows...)
	}
	return out
}

// full is a database with something of everything in it.
func full(t *testing.T, path string) *Store {
	t.Helper()
	s, ctx := open(t, path), t.Context()
	one, two := begin(t, s), begin(t, s)
	one = must(t)(s.Edit(ctx, one.ID, one.Revision, edits.Rename("First")))
	one = must(t)(s.Edit(ctx, one.ID, one.Revision, edits.Rename("Second")))
	must(t)(s.Undo(ctx, one.ID, one.Revision))
	_, _, err := s.AddInstruments(ctx, []NewInstrument{{Rig: rig.Instrument{Name: "Reeds"}}})
	_, errSong := s.AddSong(ctx, "a.mid", []byte{0, 1, 2, 255})
	_, errStep := s.StepNumbers(ctx, one.ID, []string{"load"})
	if err := errors.Join(err, errSong, errStep, s.RemoveProject(ctx, two.ID, true), s.Set(ctx, SettingsDocument,
		`{"version":1}`),
		s.SetProjectState(ctx, one.ID, Archived)); err != nil {
		t.Fatal(err)
	}
	return s
}

// restore reads a backup and restores it.
func restore(t *testing.T, s *Store, file string) error {
	h, err := HoldsFile(t.Context(), file)
	if err != nil {
		return err
	}
	return s.Restore(t.Context(), h)
}

// A backup holds everything, and what is restored is the same to the byte, with what was undone
// still to be redone; a page from before is never taken for one of now.
func TestWhatIsRestoredIsTheSameToTheByte(t *testing.T) {
	dir, ctx := t.TempDir(), t.Context()
	s := full(t, filepath.Join(dir, "x.db"))
	file := filepath.Join(dir, "backup.db")
	want := documents(t, s)
	if err := s.BackUp(ctx, file); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the backup has the rights %v, %v; want the owner's alone", info.Mode(), err)
	}
	if err := s.BackUp(ctx, file); err == nil || !strings.Contains(err.Error(), "is there already") {
		t.Errorf("a second backup to the same file: %v; want it refused", err)
	}
	p := must(t)(s.Project(ctx, 1))
	since := must(t)(s.Edit(ctx, 1, p.Revision, edits.Rename("Since")))
	if _, err := s.AddSong(ctx, "b.mid", []byte{9}); err != nil {
		t.Fatal(err)
	}
	if err := restore(t, s, file); err != nil {
		t.Fatal(err)
	}
	if got := documents(t, s); !slices.Equal(got, want) {
		t.Errorf("restored, it holds\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	again := must(t)(s.Project(ctx, 1))
	if again.Redo != "rename project to “Second”" && again.Redo == "" {
		t.Errorf("redo brings back %q", again.Redo)
	}
	again = must(t)(s.Edit(ctx, 1, again.Revision, edits.Rename("Anew")))
	if again.Revision <= since.Revision {
		t.Errorf("the first revision after restoring is %d; one of before was %d already", again.Revision, since.Revision)
	}
	if _, err := s.Edit(ctx, 1, since.Revision, edits.Rename("From an old page")); fault.Of(err) != fault.Conflict {
		t.Errorf("a change from a page of before gives %v; want a conflict", err)
	}

	// And into a new folder.
	other := open(t, filepath.Join(t.TempDir(), "y.db"))
	if err := restore(t, other, file); err != nil {
		t.Fatal(err)
	}
	if got := documents(t, other); !slices.Equal(got, want) {
		t.Errorf("a new folder holds\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// What is no whole backup changes nothing, and is named.
func TestWhatIsNoBackupIsRefused(t *testing.T) {
	testkit.OneByOne(t)
	dir, ctx := t.TempDir(), t.Context()
	s := full(t, filepath.Join(dir, "x.db"))
	good := filepath.Join(dir, "good.db")
	if err := s.BackUp(ctx, good); err != nil {
		t.Fatal(err)
	}
	whole, err := os.ReadFile(good)
	if err != nil {
		t.Fatal(err)
	}
	want := documents(t, s)
	damaged := slices.Clone(whole)
	for i := len(damaged) / 3; i < len(damaged)*2/3; i++ {
		damaged[i] = 0xA5
	}
	for says, data := range map[string][]byte{"damaged, or no backup": whole[:len(whole)/2],
		"restored: it is damaged":      damaged,
		"or no backup of Hidden Lanes": []byte("not a database, but long enough to be looked at as one"),
		"none of its tables":           {}, "is not there": nil} {
		file := filepath.Join(dir, "bad.db")
		if data == nil {
			os.Remove(file)
		} else if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
		if err := restore(t, s, file); err == nil || !strings.Contains(err.Error(), says) || !strings.Contains(err.Error(),
			file) {
			t.Errorf("%d bytes: %v; want that it names the file and says %q", len(data), err, says)
		}
	}
	if got := documents(t, s); !slices.Equal(got, want) {
		t.Error("a backup that was refused changed something")
	}
}

// Every fault that is put into the data is found and named; without one nothing is.
func TestVerifyNamesWhatIsWrong(t *testing.T) {
	testkit.OneByOne(t)
	settings := func(text string) error {
		if !strings.HasPrefix(text, `{"version":1`) {
			return errors.New("not a document of settings")
		}
		return nil
	}
	for says, break1 := range map[string]string{
		"":                                     ``,
		"revision 2 of project 2 cannot be":    `UPDATE revisions SET doc = '{"version":3,"lanes":7}' WHERE id = 2`,
		"does not show project 1, First":       `UPDATE projects SET lanes = 12 WHERE id = 1`,
		"shelf does not show instrument 1":     `UPDATE instruments SET name = 'Brass' WHERE id = 1`,
		"stands at a revision that is not":     `UPDATE projects SET head = 99 WHERE id = 1`,
		"is not what it was":                   `INSERT INTO contents (hash, kind, doc) VALUES ('ff', 'chart', '{}')`,
		"the settings cannot be read":          `UPDATE settings SET value = '[]'`,
		"refers to something in projects that": `UPDATE revisions SET project_id = 77 WHERE id = 4`,
		"house chart 1 cannot be used":         `UPDATE chart_revisions SET doc = '[]'`,
	} {
		s := full(t, filepath.Join(t.TempDir(), "x.db"))
		if _, err := s.db.Exec(`PRAGMA foreign_keys = 0; ` + break1); err != nil {
			t.Fatal(err)
		}
		v, err := s.Verify(t.Context(), settings)
		if err != nil {
			t.Fatalf("%s: %v", says, err)
		}
		found := strings.Join(v.Wrong, "\n")
		if (says == "") != (len(v.Wrong) == 0) || !strings.Contains(found, says) || v.Revisions < 3 {
			t.Errorf("%s: it names %q, of %d documents; want %q", break1, found, v.Revisions, says)
		}
	}
}

// Undo reaches 200 steps and 90 days; of what lies beyond both, the document goes, and the rest
// stays, so that every state there ever was is known.
func TestUndoReachesTwoHundredStepsAndNinetyDays(t *testing.T) {
	testkit.Slow(t)
	testkit.OneByOne(t)
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	day := time.Date(2026, 1, 1, 9, 0, 0, 0, time.UTC)
	s.now = func() time.Time { return day }
	p := begin(t, s)
	edit := func(n int) {
		for range n {
			p = must(t)(s.Edit(ctx, p.ID, p.Revision, edits.Rename(fmt.Sprint("Name ", p.Revision))))
		}
	}
	edit(300)
	old := p.Plan.Name
	if n, err := s.Thin(ctx); err != nil || n != 0 {
		t.Fatalf("%d documents of today went, %v; want none", n, err)
	}
	text := func() (out string) {
		for _, rev := range []int64{1, 2, 150, p.Revision} {
			_, doc, err := s.docOf(ctx, projectLine, rev)
			if err != nil {
				t.Fatal(err)
			}
			out += doc
		}
		return out
	}
	whole := text()
	day = day.AddDate(0, 0, 8)
	if n, err := s.Thin(ctx); err != nil || n != 0 {
		t.Fatalf("%d documents of last week went, %v; want none", n, err)
	}
	var packed, large int
	if err := s.db.Get(&packed, `SELECT count(*) FROM revisions WHERE packed IS NOT NULL AND doc = 'null'`); err != nil ||
		packed != 300 {
		t.Errorf("%d documents of last week are packed, %v; want 300, all but the one that stands", packed, err)
	}
	if err := s.db.Get(&large, `SELECT count(*) FROM revisions WHERE doc <> 'null'`); err != nil || large != 1 {
		t.Errorf("%d documents are kept as they are, %v; want one", large, err)
	}
	if got := text(); got != whole {
		t.Errorf("packed, they read\n%s\nwant\n%s", got, whole)
	}
	day = day.AddDate(0, 0, 83)
	edit(100)
	went, err := s.Thin(ctx)
	if want := 401 - 1 - reachSteps - slack; err != nil || went != want {
		t.Fatalf("%d of 401 documents went, %v; want %d", went, err, want)
	}
	if again, err := s.Thin(ctx); err != nil || again != 0 {
		t.Errorf("thinned again, %d went, %v; want none", again, err)
	}
	for name, want := range map[string]bool{"Name 2": true, old: true, "Never": false} {
		_, had, err := s.Had(ctx, p.ID, simply.Hash(&plan.Project{Name: name}))
		if err != nil || had != want {
			t.Errorf("that it was called %s once is known: %v, %v; want %v", name, had, err, want)
		}
	}
	steps := 0
	for ; p.Undo; steps++ {
		p = must(t)(s.Undo(ctx, p.ID, p.Revision))
	}
	if steps < 200 {
		t.Errorf("undo reaches %d steps; want 200", steps)
	}
	if _, err := s.Undo(ctx, p.ID, p.Revision); !errors.Is(err, errNothing) {
		t.Errorf("beyond its reach undo gives %v; want that there is nothing more", err)
	}
	var kept int
	if err := s.db.Get(&kept, `SELECT count(*) FROM revisions WHERE label <> '' AND parent >= 0`); err != nil ||
		kept != 401 {
		t.Errorf("%d revisions are known, %v; want all 401", kept, err)
	}
	if v, err := s.Verify(ctx, func(string) error { return nil }); err != nil || len(v.Wrong) > 0 || v.Thinned != went {
		t.Errorf("verify says %q of %d thinned, %v", v.Wrong, v.Thinned, err)
	}
}

// Room that is taken up no more goes back to the disk.
func TestRoomIsGivenBack(t *testing.T) {
	testkit.OneByOne(t)
	path := filepath.Join(t.TempDir(), "x.db")
	s, ctx := open(t, path), t.Context()
	if _, err := s.AddSong(ctx, "long.mid", make([]byte, 4<<20)); err != nil {
		t.Fatal(err)
	}
	size := func() int64 {
		if _, err := s.db.Exec(`PRAGMA wal_checkpoint(TRUNCATE)`); err != nil {
			t.Fatal(err)
		}
		info, err := os.Stat(path)
		if err != nil {
			t.Fatal(err)
		}
		return info.Size()
	}
	before := size()
	if _, err := s.db.Exec(`DELETE FROM songs`); err != nil {
		t.Fatal(err)
	}
	bytes, err := s.Compact(ctx)
	if after := size(); err != nil || before-after < 4<<20 || bytes < 4<<20 {
		t.Errorf("the file went from %d to %d bytes, %d are said to be given back, %v; want 4 MiB", before, after, bytes, err)
	}
}

// brought stages projects, of which the first updates one that is here.
func brought(t *testing.T, s *Store, updates *Project) *Import {
	t.Helper()
	im, err := s.BeginImport(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	all := []Arrival{{NewProject: NewProject{Plan: &plan.Project{Name: "Newer"}}, Updates: updates.ID,
		Base: updates.Revision}}
	for i := range 80 {
		all = append(all, Arrival{NewProject: NewProject{Plan: &plan.Project{Name: fmt.Sprint("Cue ", i),
			Song: &plan.Song{Name: "a.mid"}}, UID: fmt.Sprint("uid ", i), Song: []byte{byte(i)}}})
	}
	ids, added, err := im.AddInstruments(t.Context(), []NewInstrument{{Rig: rig.Instrument{Name: "Reeds"}}})
	for _, a := range all {
		err = errors.Join(err, im.Add(t.Context(), a))
	}
	if err != nil || added != 1 || len(ids) != 1 {
		t.Fatal(ids, added, err)
	}
	return im
}

// seen is what anybody sees of what there is.
func seen(t *testing.T, s *Store) string {
	t.Helper()
	rows, err := s.Projects(t.Context())
	heads, errHeads := s.Heads(t.Context())
	shelf, errShelf := s.Shelf(t.Context())
	songs, errSongs := s.Songs(t.Context(), 1000)
	if err := errors.Join(err, errHeads, errShelf, errSongs); err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("%d projects, %d heads, %d instruments, %d songs; %s", len(rows), len(heads), len(shelf),
		len(songs),
		must(t)(s.Project(t.Context(), 1)).Plan.Name)
}

const nothingSeen, allSeen = "1 projects, 1 heads, 0 instruments, 0 songs; One", "81 projects, 81 heads, 1 " +
	"instruments, 80 songs; Newer"

// Nothing of an import is seen before all of it is, edits go on meanwhile, and its updates are
// undone as one.
func TestAnImportIsSeenAsAWhole(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	im := brought(t, s, begin(t, s))
	if got := seen(t, s); got != nothingSeen {
		t.Errorf("before it is published %s are seen; want %s", got, nothingSeen)
	}
	if _, err := s.Project(ctx, 2); !errors.Is(err, ErrNotFound) {
		t.Errorf("a project that is not there yet gives %v; want that it is not found", err)
	}
	if err := s.RemoveProject(ctx, 2, false); !errors.Is(err, ErrNotFound) {
		t.Errorf("putting a project back that is not there yet gives %v; want that it is not found", err)
	}
	done, err := im.Publish(ctx, func(n int) string { return fmt.Sprint("update ", n) },
		func(u *Unit) error { return u.Set(ctx, "x", "y") })
	if err != nil || done.New != 80 || done.Updated != 1 || len(done.Left) > 0 || seen(t, s) != allSeen {
		t.Errorf("published, it brought %+v, %v; seen are %s; want %s", done, err, seen(t, s), allSeen)
	}
	p := must(t)(s.Project(ctx, 1))
	if !p.Undo || p.Label != "update from a library file" {
		t.Errorf("the project that was updated stands at %+v; want an update that can be undone", p.State)
	}
	if n, left, err := s.StepBatch(ctx, done.Batch, Back); err != nil || n != 1 || len(left) > 0 {
		t.Errorf("taken back: %d, %q, %v; want the one", n, left, err)
	}
	var rest int
	if err := s.db.Get(&rest, `SELECT (SELECT count(*) FROM imports) + (SELECT count(*) FROM incoming)
		+ (SELECT count(*) FROM projects WHERE removed = 2)`); err != nil || rest != 0 {
		t.Errorf("%d rows of the import are left, %v; want none", rest, err)
	}
}

// A project that was changed while an import was read stays as it is, and is named.
func TestAnImportLeavesAloneWhatWasChangedMeanwhile(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	p := begin(t, s)
	im := brought(t, s, p)
	must(t)(s.Edit(ctx, p.ID, p.Revision, edits.Rename("Mine")))
	done, err := im.Publish(ctx, func(int) string { return "update" }, func(*Unit) error { return nil })
	if err != nil || done.Updated != 0 || !slices.Equal(done.Left, []string{"Newer"}) || done.New != 80 {
		t.Errorf("it brought %+v, %v; want 80 new, and one named that stays", done, err)
	}
	if got := must(t)(s.Project(ctx, p.ID)).Plan.Name; got != "Mine" {
		t.Errorf("the project that was changed is called %s; want Mine", got)
	}
}

// An import that is broken off, by whoever started it or by the end of its process, leaves
// nothing that is seen, and at the next start nothing at all.
func TestAnImportThatIsBrokenOffLeavesNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.db")
	s := open(t, path)
	p := begin(t, s)
	brought(t, s, p).Drop(t.Context())
	if got := seen(t, s); got != nothingSeen {
		t.Errorf("dropped, it leaves %s; want %s", got, nothingSeen)
	}
	left := func(s *Store) (n int) {
		if err := s.db.Get(&n,
			`SELECT (SELECT count(*) FROM imports) + (SELECT count(*) FROM incoming) + (SELECT count(*) FROM songs)
			+ (SELECT count(*) FROM projects) + (SELECT count(*) FROM instruments) + (SELECT count(*) FROM revisions)`); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := left(s); n != 2 {
		t.Errorf("dropped, %d rows are left; want the project and its revision", n)
	}
	im := brought(t, s, p)
	second := open(t, path) // beside one that is at work
	if n := left(second); n < 80 {
		t.Errorf("a second process leaves %d rows of an import that is at work", n)
	}
	if err := im.lock.Free(); err != nil { // as the end of its process does
		t.Fatal(err)
	}
	third := open(t, path)
	if n := left(third); n != 2 || seen(t, third) != nothingSeen {
		t.Errorf("at the next start %d rows and %s are left; want 2 and %s", n, seen(t, third), nothingSeen)
	}
}

// Writers have their turn in the order they came, and readers wait for nobody.
func TestWritersWaitInTurn(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	p := begin(t, s)
	began, goOn := make(chan bool), make(chan bool)
	var all sync.WaitGroup
	all.Go(func() {
		if err := s.AsOne(ctx, func(u *Unit) error { close(began); <-goOn; return u.Set(ctx, "first", "1") }); err != nil {
			t.Error(err)
		}
	})
	<-began
	if _, err := s.Project(ctx, p.ID); err != nil {
		t.Errorf("reading beside a change gives %v", err)
	}
	gone, leave := context.WithCancel(ctx)
	left := make(chan error)
	go func() { left <- s.Set(gone, "never", "1") }()
	leave()
	if err := <-left; !errors.Is(err, context.Canceled) {
		t.Errorf("who goes while waiting is told %v; want that it was cancelled", err)
	}
	for i := range 20 {
		all.Go(func() {
			if err := s.Set(ctx, fmt.Sprint("one of many ", i), "1"); err != nil {
				t.Error(err)
			}
		})
	}
	close(goOn)
	all.Wait()
	var n int
	if err := s.db.Get(&n, `SELECT count(*) FROM settings`); err != nil || n != 21 {
		t.Errorf("%d changes are kept, %v; want 21", n, err)
	}
}

// One process serves or restores a folder; who has it is named, and others work beside it.
func TestAFolderHasOneOwner(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.db")
	owner, err := Open(t.Context(), path, simply, Options{Owner: "serve"})
	if err != nil {
		t.Fatal(err)
	}
	_, err = Open(t.Context(), path, simply, Options{Owner: "restore"})
	if err == nil || !strings.Contains(err.Error(), fmt.Sprintf("in use by hiddenlanes serve (process %d, since",
		os.Getpid())) {
		t.Errorf("a second owner is told %v; want who has it", err)
	}
	begin(t, open(t, path)) // beside it
	if err := owner.Close(); err != nil {
		t.Fatal(err)
	}
	again, err := Open(t.Context(), path, simply, Options{Owner: "restore"})
	if err != nil {
		t.Fatalf("after the owner has gone: %v", err)
	}
	again.Close()
}

// Where the data folder disappears nothing more is acknowledged, and when it is back all that was
// is there.
func TestAFolderThatDisappearsStopsChanges(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	if err := os.Mkdir(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	s, ctx := open(t, filepath.Join(dir, "x.db")), t.Context()
	p := begin(t, s)
	p = must(t)(s.Edit(ctx, p.ID, p.Revision, edits.Rename("Kept"))) // all connections are open
	if err := os.Rename(dir, dir+" elsewhere"); err != nil {
		t.Fatal(err)
	}
	_, err := s.Edit(ctx, p.ID, p.Revision, edits.Rename("Lost"))
	if fault.Of(err) != fault.Storage || !strings.Contains(err.Error(), "Not saved") {
		t.Errorf("a change gives %v; want a storage error", err)
	}
	if err := s.Healthy(ctx); fault.Of(err) != fault.Storage {
		t.Errorf("it says of itself %v; want a storage error", err)
	}
	if err := os.Rename(dir+" elsewhere", dir); err != nil {
		t.Fatal(err)
	}
	if err := s.Healthy(ctx); err != nil {
		t.Errorf("when it is back: %v", err)
	}
}

// What lists show after restoring comes from the documents of the backup, also where one that was
// read before has the same number.
func TestListsAreThoseOfWhatWasRestored(t *testing.T) {
	dir, ctx := t.TempDir(), t.Context()
	mine, theirs := open(t, filepath.Join(dir, "x.db")), open(t, filepath.Join(dir, "y.db"))
	begin(t, mine)
	if _, err := theirs.CreateProject(ctx, &plan.Project{Name: "Theirs"}); err != nil {
		t.Fatal(err)
	}
	if _, err := theirs.db.Exec(`UPDATE projects SET derived = 'by other rules'`); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "backup.db")
	if err := errors.Join(theirs.BackUp(ctx, file), restore(t, mine, file)); err != nil {
		t.Fatal(err)
	}
	if rows, err := mine.Projects(ctx); err != nil || len(rows) != 1 || rows[0].Name != "Theirs" {
		t.Errorf("the list has %+v, %v; want the project of the backup by its name", rows, err)
	}
}
