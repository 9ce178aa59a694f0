package app

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/store"
)

// Over a year of days each backup of the last seven days is there, and one of each of the four
// weeks before; those made by hand stay.
func TestBackupsStayForSevenDaysAndFourWeeks(t *testing.T) {
	day := time.Date(2026, 1, 1, 9, 0, 0, 0, time.Local)
	hand := Backup{Name: "hand", Why: ByHand, Made: day}
	all := []Backup{hand}
	for n := range 365 {
		now := day.AddDate(0, 0, n)
		all = slices.Insert(all, 0, Backup{Name: fmt.Sprint(n), Why: Daily, Made: now})
		gone := outlived(all, now)
		all = slices.DeleteFunc(all, func(b Backup) bool { return slices.Contains(gone, b) })
		if n < 60 {
			continue
		}
		ages := map[int]bool{}
		weeks := 0
		for _, b := range all[:len(all)-1] {
			age := int(now.Sub(b.Made).Hours()+1) / 24
			ages[age] = true
			if age >= 7 {
				weeks++
			}
		}
		for age := range 7 {
			if !ages[age] {
				t.Fatalf("on day %d the backup of %d days ago is gone", n, age)
			}
		}
		if weeks < 4 || weeks > 6 || all[len(all)-1] != hand {
			t.Fatalf("on day %d there are %d older ones, last %+v; want one of each of four weeks, and the one by hand", n,
				weeks,
				all[len(all)-1])
		}
	}
	lonely := []Backup{{Name: "only", Why: Daily, Made: day}}
	if gone := outlived(lonely, day.AddDate(3, 0, 0)); len(gone) > 0 {
		t.Error("the only backup there is goes after three years")
	}
}

func TestOnlyNamesOfOursAreBackups(t *testing.T) {
	good := "2026-11-27_06-05-04_by-hand.db"
	if made, why, ok := readBackupName(good); !ok || why != ByHand || made.Second() != 4 {
		t.Errorf("%s is read as %v %q %v", good, made, why, ok)
	}
	for _, bad := range []string{"", "x.db", "2026-11-27_06-05-04_by-hand", "2026-13-27_06-05-04_daily.db",
		"2026-11-27_06-05-04_../../x.db", "2026-11-27_06-05-04_daily.db.part", "2026-11-27_6-05-04_daily.db"} {
		if _, _, ok := readBackupName(bad); ok {
			t.Errorf("%q is taken for a backup", bad)
		}
	}
}

func named(t *testing.T, a *App, names ...string) {
	t.Helper()
	for _, n := range names {
		if _, err := a.CreateProjects(t.Context(), &plan.Project{Name: n}); err != nil {
			t.Fatal(err)
		}
	}
}

// Keeping house makes a backup a day; restoring tells before what it does, and does it, also
// when the library was looked at before.
func TestABackupADayIsMadeComparedAndRestored(t *testing.T) {
	a, ctx := open(t), t.Context()
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.Local)
	a.now = func() time.Time { return now }
	named(t, a, "Stays", "Changes", "Removed")
	for _, c := range []struct {
		hours int
		want  int
	}{{0, 1}, {2, 1}, {24, 2}, {24, 3}} {
		now = now.Add(time.Duration(c.hours) * time.Hour)
		if _, err := a.KeepHouse(ctx); err != nil {
			t.Fatal(err)
		}
		if all, err := a.Backups(); err != nil || len(all) != c.want {
			t.Fatalf("after %d hours there are %d backups, %v; want %d", c.hours, len(all), err, c.want)
		}
	}
	p, err := a.Project(ctx, 2)
	if err != nil {
		t.Fatal(err)
	}
	_, err = a.Edit(ctx, 2, p.Revision, edits.Rename("Changed"))
	_, _, errShelf := a.AddInstruments(ctx, rig.Instrument{Name: "Reeds"})
	if err := errors.Join(err, errShelf, a.RemoveProject(ctx, 3, true)); err != nil {
		t.Fatal(err)
	}
	named(t, a, "New")
	all, err := a.Backups()
	if err != nil {
		t.Fatal(err)
	}
	would, err := a.CompareBackup(ctx, all[0].Name)
	if err != nil {
		t.Fatal(err)
	}
	if got, want := strings.Join(would.Says(), " "), "1 project made since would be gone: New. "+
		"1 project would stand as it did then: Changes. 1 project would come back: Removed. Instruments on the shelf: 0 "+
		"instead of 1."; got != want ||
		would.Projects != 3 || would.Same != 1 {
		t.Errorf("it would do %+v, in words %q; want %q", would, got, want)
	}
	if l, err := a.Library(ctx); err != nil || len(l.Entries) != 3 {
		t.Fatalf("%d projects before, %v", len(l.Entries), err)
	}
	before, err := a.Restore(ctx, all[0].Name)
	if err != nil {
		t.Fatal(err)
	}
	names := func() (out []string) {
		l, err := a.Library(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range l.Entries {
			out = append(out, e.Name)
		}
		slices.Sort(out)
		return out
	}
	if got := names(); !slices.Equal(got, []string{"Changes", "Removed", "Stays"}) {
		t.Errorf("restored, there are %q", got)
	}
	if _, err := a.Restore(ctx, before.Name); err != nil { // and back again
		t.Fatal(err)
	}
	if got := names(); !slices.Equal(got, []string{"Changed", "New", "Stays"}) {
		t.Errorf("restored from what was before, there are %q", got)
	}
	if _, err := a.Restore(ctx, "../hiddenlanes.db"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a file that is not a backup gives %v; want that it is not found", err)
	}
}

// One project that cannot be read blocks no other one, not the start and not the export, which
// names it; it is left as it is.
func TestOneDamagedProjectBlocksNothing(t *testing.T) {
	dir, ctx := t.TempDir(), t.Context()
	a := openFolder(t, dir, Options{})
	named(t, a, "Good", "Bad", "Fine")
	a.Close()
	const damage = `{"version":3,"name":12}`
	db, err := sqlx.Open("sqlite", filepath.Join(dir, DataFile))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(`UPDATE revisions SET doc = ? WHERE project_id = 2; UPDATE projects SET derived = ''`,
		damage); err != nil {
		t.Fatal(err)
	}
	db.Close()
	a = openFolder(t, dir, Options{})
	if _, err := a.Project(ctx, 2); err == nil || !strings.Contains(err.Error(),
		"project 2 cannot be read: it is damaged. All others can") {
		t.Errorf("opening it says %v", err)
	}
	if l, err := a.Library(ctx); err != nil || len(l.Entries) != 3 {
		t.Errorf("the list has %d projects, %v; want all three", len(l.Entries), err)
	}
	left, err := a.store.EditMany(ctx, "both", []store.Change{{ID: 1, Base: 1, Edit: edits.Rename("Good 2")},
		{ID: 2, Base: 2, Edit: edits.Rename("Bad 2")}})
	if err != nil || left.Changed != 1 || fmt.Sprint(left.Left) != "[Bad]" {
		t.Errorf("a change over both changes %+v, %v; want the good one, and the bad one named", left, err)
	}
	var file bytes.Buffer
	if left, err := a.WriteLibrary(ctx, &file); err != nil || len(left) != 1 {
		t.Fatal(err)
	}
	f := testkit.ReadLibrary(t, &file)
	if len(f.Projects) != 2 || fmt.Sprint(f.LeftOut) != "[project 2, Bad: it is damaged]" {
		t.Errorf("the export has %d projects and leaves out %q; want two, and the bad one named", len(f.Projects), f.LeftOut)
	}
	v, err := a.Verify(ctx)
	if err != nil || len(v.Wrong) != 1 || !strings.Contains(v.Wrong[0], "project 2 cannot be used") {
		t.Errorf("verify says %q, %v", v.Wrong, err)
	}
	if b, err := a.BackUp(ctx, ByHand); err != nil {
		t.Errorf("a backup of it: %v", err)
	} else if kept, err := sqlx.Open("sqlite", filepath.Join(dir, BackupsFolder, b.Name)); err != nil {
		t.Error(err)
	} else {
		var doc string
		if err := kept.Get(&doc, `SELECT doc FROM revisions WHERE project_id = 2`); err != nil || doc != damage {
			t.Errorf("the backup has %s of it, %v; want it as it is", doc, err)
		}
		kept.Close()
	}
}

// A folder that lost its data file does not begin again without a word, and one whose file is
// damaged says what can be done.
func TestAFolderThatLostItsDataSaysWhatCanBeDone(t *testing.T) {
	dir, ctx := t.TempDir(), t.Context()
	a := openFolder(t, dir, Options{})
	named(t, a, "Kept")
	b, err := a.BackUp(ctx, Daily)
	if err := errors.Join(err, a.Close()); err != nil {
		t.Fatal(err)
	}
	data, backup := filepath.Join(dir, DataFile), filepath.Join(dir, BackupsFolder, b.Name)
	for name, spoil := range map[string]func() error{
		"missing":   func() error { return os.Remove(data) },
		"damaged":   func() error { return os.WriteFile(data, bytes.Repeat([]byte("damaged "), 4096), 0o600) },
		"truncated": func() error { return os.Truncate(data, 5000) },
	} {
		for _, f := range []string{"-wal", "-shm"} {
			os.Remove(data + f)
		}
		if err := spoil(); err != nil {
			t.Fatal(err)
		}
		_, err := Open(ctx, dir, Options{})
		if err == nil || !strings.Contains(err.Error(), "hiddenlanes restore --data "+dir+" "+backup) {
			t.Errorf("%s: it says %v; want how to restore the last backup", name, err)
		}
		aside, err := RestoreInto(ctx, dir, backup, Options{})
		if err != nil || (aside == "") != (name == "missing") {
			t.Fatalf("%s: %v, set aside as %q", name, err, aside)
		}
		again := openFolder(t, dir, Options{})
		if p, err := again.Project(ctx, 1); err != nil || p.Plan.Name != "Kept" {
			t.Errorf("%s: restored, the project is %+v, %v", name, p, err)
		}
		again.Close()
	}
}
