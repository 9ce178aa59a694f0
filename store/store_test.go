package store

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// simply derives a little, by no rules of the job: names, and how many there are.
var simply = Derivation{Rules: "v1 ",
	Analyse: func(*plan.Project) any { return nil },
	Project: func(p *plan.Project, _ any) (ProjectColumns, error) {
		return ProjectColumns{Name: p.Name, Lanes: len(p.Lanes), Facts: "v1 " + p.Name}, nil
	},
	Hash: func(p *plan.Project) string { return fmt.Sprint(p.Name, " of ", len(p.Lanes), " lanes") },
	Instrument: func(in *rig.Instrument) InstrumentColumns {
		c := InstrumentColumns{Name: in.Name, Voices: len(in.Voices)}
		for _, v := range in.Voices {
			c.Words += strings.ToLower(v.Name) + " "
			if v.Sure < role.Sure {
				c.Unsure++
			}
		}
		return c
	}}

func open(t *testing.T, path string) *Store {
	t.Helper()
	s, err := Open(t.Context(), path, simply, Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func begin(t *testing.T, s *Store) *Project {
	t.Helper()
	id, err := s.CreateProject(t.Context(), &plan.Project{Name: "One"})
	if err != nil {
		t.Fatal(err)
	}
	p, err := s.Project(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func must(t *testing.T) func(p *Project, err error) *Project {
	return func(p *Project, err error) *Project {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
}

func TestUndoAndRedoWalkTheRevisions(t *testing.T) {
	s, ctx, ok := open(t, filepath.Join(t.TempDir(), "odd name ?#%.db")), t.Context(), must(t)
	p := begin(t, s)
	for _, n := range []string{"Two", "Three"} {
		p = ok(s.Edit(ctx, p.ID, p.Revision, edits.Rename(n)))
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "Two" || p.Redo != "name the project Three" || !p.Undo {
		t.Errorf("after undo: %+v", p)
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "One" || p.Undo {
		t.Errorf("after two: %+v", p)
	}
	if _, err := s.Undo(ctx, p.ID, p.Revision); !errors.Is(err, errNothing) {
		t.Errorf("undo before the beginning: %v", err)
	}
	p = ok(s.Redo(ctx, p.ID, p.Revision))
	p = ok(s.Redo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "Three" || p.Redo != "" {
		t.Errorf("after redo: %+v", p)
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	p = ok(s.Edit(ctx, p.ID, p.Revision, edits.Rename("Four"))) // a new line begins; Three is no longer ahead
	if _, err := s.Redo(ctx, p.ID, p.Revision); !errors.Is(err, errNothing) {
		t.Errorf("redo along a line that was left: %v", err)
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "Two" {
		t.Errorf("undo of the new line leads to %s", p.Plan.Name)
	}
	rows, err := s.Projects(ctx)
	if err != nil || len(rows) != 1 || rows[0].Name != "Two" {
		t.Errorf("the list says %+v, %v", rows, err)
	}
}

func TestALaterSaveOnAnOldStateIsRefusedWithWhatChanged(t *testing.T) {
	s, ctx, ok := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context(), must(t)
	seen := begin(t, s)
	other := ok(s.Edit(ctx, seen.ID, seen.Revision, edits.Rename("By the other window")))
	_, err := s.Edit(ctx, seen.ID, seen.Revision, edits.Rename("Mine"))
	var stale *StaleError
	if !errors.As(err, &stale) || !reflect.DeepEqual(stale.Since, []string{"name the project By the other window"}) {
		t.Fatalf("got %v; want errors.As(err, &stale), %v", err, []string{"name the project By the other window"})
	}
	if now := ok(s.Project(ctx, seen.ID)); now.Plan.Name != "By the other window" || now.Revision != other.Revision {
		t.Errorf("something was lost: %+v", now)
	}
	if _, err := s.Undo(ctx, seen.ID, seen.Revision); !errors.As(err, &stale) {
		t.Errorf("undo on an old state: %v", err)
	}
}

func TestManyWindowsAtOnceLoseNothing(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	p := begin(t, s)
	var wg sync.WaitGroup
	for w := range 4 {
		wg.Go(func() {
			for i := 0; i < 10; {
				now, err := s.Project(ctx, p.ID)
				if err != nil {
					t.Error(err)
					return
				}
				_, err = s.Edit(ctx, p.ID, now.Revision, edits.AddLane(plan.OutputRef{}, 0, fmt.Sprintf("window %d lane %d", w, i)))
				var stale *StaleError
				if err == nil {
					i++
				} else if !errors.As(err, &stale) {
					t.Error(err)
					return
				}
			}
		})
	}
	wg.Wait()
	if now := must(t)(s.Project(ctx, p.ID)); len(now.Plan.Lanes) != 40 {
		t.Errorf("%d of 40 lanes are there", len(now.Plan.Lanes))
	}
}

func TestAnEditThatFailsChangesNothing(t *testing.T) {
	s, ctx, ok := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context(), must(t)
	p := begin(t, s)
	for _, e := range []plan.Edit{
		func(p *plan.Project) (string, error) { p.Name = "half done"; return "", errors.New("no") },
		func(p *plan.Project) (string, error) {
			p.Lanes = []plan.Lane{{ID: "l1", Number: -1}}
			return "impossible", nil
		},
	} {
		if _, err := s.Edit(ctx, p.ID, p.Revision, e); err == nil {
			t.Error("accepted")
		}
	}
	if now := ok(s.Project(ctx, p.ID)); now.Revision != p.Revision || now.Plan.Name != "One" {
		t.Errorf("got %+v; want now.Revision %v, now.Plan.Name \"One\"", now, p.Revision)
	}
	if _, err := s.Edit(ctx, 99, 1, edits.Rename("x")); !errors.Is(err, ErrNotFound) {
		t.Errorf("a project that is not there: %v", err)
	}
}

func TestTheShelfTakesNothingTwiceAndForgetsNothing(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	kit := rig.Instrument{Name: "Kit", Voices: []rig.Voice{{ID: "a", Name: "A", Width: 1}}}
	first, added, err := s.AddInstruments(ctx, []NewInstrument{{Rig: kit}, {Rig: rig.Instrument{Name: "Other"}}})
	if err != nil || added != 2 {
		t.Fatal(added, err)
	}
	again, added, err := s.AddInstruments(ctx, []NewInstrument{{Rig: kit}})
	if err != nil || added != 0 || again[0] != first[0] {
		t.Errorf("%v, %d new, %v", again, added, err)
	}
	if _, _, err := s.AddInstruments(ctx, []NewInstrument{{Rig: rig.Instrument{Name: "Fine"}},
		{Rig: rig.Instrument{Name: ""}}}); err == nil {
		t.Error("an instrument without a name was taken")
	}
	if err := s.RemoveInstrument(ctx, first[0], true); err != nil {
		t.Fatal(err)
	}
	if ins, _ := s.Shelf(ctx); len(ins) != 1 || ins[0].Name != "Other" {
		t.Errorf("the shelf holds %+v", ins)
	}
	if in, err := s.Instrument(ctx, first[0]); err != nil || !in.Removed || !reflect.DeepEqual(in.Rig, kit) {
		t.Errorf("got %+v, %v; want in.Removed, %v", in, err, kit)
	}
	if err := s.RemoveInstrument(ctx, 99, true); !errors.Is(err, ErrNotFound) {
		t.Errorf("got %v; want errors.Is(err, ErrNotFound)", err)
	}
}

// Instruments have revisions as projects do.
func TestInstrumentsAreUndoneAndTheLaterWindowIsRefused(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	ctx := t.Context()
	kit := rig.Instrument{Name: "Kit",
		Voices: []rig.Voice{{ID: "a", Name: "Boing", Role: "percussion/bells", Sure: role.Likely}}}
	ids, _, err := s.AddInstruments(ctx,
		[]NewInstrument{{Rig: kit, Source: &Source{Format: "sfz", Main: "kit.sfz", Data: []byte("PK")}}})
	if err != nil {
		t.Fatal(err)
	}
	first, err := s.Instrument(ctx, ids[0])
	if err != nil || first.Undo || !first.Source {
		t.Fatal(first, err)
	}
	set := func(name string) rig.Edit {
		return rig.SetCells("voices", []tabular.Cell{tabular.At("a", "name", name)}, midi.MiddleC3)
	}
	second, err := s.EditInstrument(ctx, ids[0], first.Revision, set("Thud"))
	if err != nil || second.Rig.Voices[0].Name != "Thud" || !second.Undo {
		t.Fatal(second, err)
	}
	var stale *StaleError
	if _, err := s.EditInstrument(ctx, ids[0], first.Revision, set("Late")); !errors.As(err, &stale) ||
		!strings.Contains(err.Error(), "Thud") {
		t.Errorf("got %v; want errors.As(err, &stale), err.Error() with \"Thud\"", err)
	}
	if _, err := s.EditInstrument(ctx, ids[0], second.Revision, rig.RemoveRows("voices", []string{"a"})); err != nil {
		t.Fatal(err)
	}
	rows, err := s.Shelf(ctx)
	if err != nil || rows[0].Voices != 0 || strings.Contains(rows[0].Words, "thud") {
		t.Errorf("the shelf does not show the change: %+v %v", rows, err)
	}
	at, _ := s.Instrument(ctx, ids[0])
	for _, step := range []struct {
		forward Direction
		name    string
	}{{false, "Thud"}, {false, "Boing"}, {true, "Thud"}} {
		if err := s.StepInstrument(ctx, ids[0], at.Revision, step.forward); err != nil {
			t.Fatal(err)
		}
		at, _ = s.Instrument(ctx, ids[0])
		rows, _ := s.Shelf(ctx)
		if at.Rig.Voices[0].Name != step.name || !strings.Contains(rows[0].Words, strings.ToLower(step.name)) ||
			rows[0].Unsure != 1 {
			t.Errorf("got %+v %+v; want at.Rig.Voices[0].Name %v, rows[0].Words with strings.ToLower(step.name), "+
				"rows[0].Unsure 1", at.Rig, rows[0], step.name)
		}
	}
	if src, err := s.SourceOf(ctx, ids[0]); err != nil || src.Main != "kit.sfz" || string(src.Data) != "PK" {
		t.Errorf("got %+v %v; want src.Main \"kit.sfz\", string(src.Data) \"PK\"", src, err)
	}
	// The same file again is the same instrument, though it was edited since.
	if again, added, err := s.AddInstruments(ctx,
		[]NewInstrument{{Rig: kit, Source: &Source{Format: "sfz", Main: "kit.sfz", Data: []byte("PK")}}}); err != nil ||
		added != 0 || again[0] != ids[0] {
		t.Errorf("got %v %d %v; want added 0, again[0] ids[0]", again, added, err)
	}
}

func TestOneSetupIsTheDefaultOfItsFormat(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	ctx := t.Context()
	for _, x := range []Setup{{Name: "Eight", Outputs: "8x2", First: 1, Default: true},
		{Name: "Sixteen", Outputs: "16x2", First: 1, Default: true},
		{Name: "Wide", Variant: "64", Outputs: "32x2", First: 1, Default: true}, {Name: "eight", Outputs: "8x1", First: 3}} {
		if err := s.KeepSetup(ctx, x); err != nil {
			t.Fatal(err)
		}
	}
	all, err := s.Setups(ctx)
	if err != nil || len(all) != 3 {
		t.Fatal(all, err)
	}
	if all[0].Outputs != "8x1" || all[0].Default || !all[1].Default || !all[2].Default {
		t.Errorf("got %+v; want all[0].Outputs \"8x1\", not all[0].Default, all[1].Default, all[2].Default", all)
	}
	if err := s.RemoveSetup(ctx, all[0].ID); err != nil {
		t.Error(err)
	}
	if err := s.RemoveSetup(ctx, all[0].ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("got %v; want errors.Is(err, ErrNotFound)", err)
	}
}

// older makes a database as it was after so many migrations.
func older(t *testing.T, migration int64) (path string, db *sqlx.DB) {
	t.Helper()
	path = filepath.Join(t.TempDir(), "old.db")
	db, err := sqlx.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	sub, _ := fs.Sub(migrations, "migrations")
	p, err := goose.NewProvider(goose.DialectSQLite3, db.DB, sub)
	if err == nil {
		_, err = p.UpTo(t.Context(), migration)
	}
	if err != nil {
		t.Fatal(err)
	}
	return path, db
}

// A database from before instruments had revisions is brought up to date with
// nothing lost.
func TestAnOlderDatabaseIsBroughtUpToDate(t *testing.T) {
	path, db := older(t, 1)
	if _, err := db.Exec(
		`INSERT INTO instruments (name, doc, hash) VALUES ('Old Kit', '{"name":"Old Kit","voices":[{"id":"a","name":"Bell","role":"percussion/bells","sure":"sure","keys":[53],"width":"mono"}]}', 'x')`); err != nil {
		t.Fatal(err)
	}
	db.Close()
	s, err := Open(t.Context(), path, simply, Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	rows, err := s.Shelf(t.Context())
	if err != nil || len(rows) != 1 || rows[0].Voices != 1 || !strings.Contains(rows[0].Words, "bell") {
		t.Fatal(rows, err)
	}
	in, err := s.Instrument(t.Context(), rows[0].ID)
	if err != nil || in.Rig.Voices[0].Name != "Bell" {
		t.Fatal(in, err)
	}
	if _, err := s.EditInstrument(t.Context(), in.ID, in.Revision, rig.AddRow("voices")); err != nil {
		t.Error(err)
	}
}

// A database from before the house chart: its projects are found by what they hold, each
// has an identity of its own, and the chart begins with the standard.
func TestADatabaseFromBeforeTheHouseChartIsBroughtUpToDate(t *testing.T) {
	path, db := older(t, 2)
	for _, name := range []string{"Reel 1", "Reel 2"} {
		if _, err := db.Exec(
			`INSERT INTO projects (head, tip, name, instruments, lanes, buses, findings, colours) VALUES (0, 0, ?, '', 0, 0, 0, '')`, name); err != nil {
			t.Fatal(err)
		}
		if _, err := db.Exec(
			`INSERT INTO revisions (project_id, parent, label, doc, made_at) VALUES ((SELECT max(id) FROM projects), 0, 'begin', ?, '2026-01-01T00:00:00Z')`,
			`{"name":"`+name+
				`","host":{"laneLimit":0,"taken":"","firstLane":1},"placed":null,"lanes":[{"id":"l1","number":3,"name":"Snare","colour":"#112233","kind":"regular","width":"stereo","to":""}],"lastId":1}`); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := db.Exec(
		`UPDATE projects SET head = (SELECT id FROM revisions r WHERE r.project_id = projects.id), tip = (SELECT id FROM revisions r WHERE r.project_id = projects.id)`); err != nil {
		t.Fatal(err)
	}
	db.Close()
	s := open(t, path)
	ids, err := s.Identities(t.Context())
	if err != nil || len(ids) != 2 || ids[0].UID == "" || ids[0].UID == ids[1].UID {
		t.Fatalf("got %v %+v; want len(ids) 2, ids[0].UID not \"\", ids[0].UID not ids[1].UID", err, ids)
	}
	rows, err := s.ProjectFacts(t.Context(), []int64{ids[0].ID})
	if err != nil || len(rows) != 1 {
		t.Fatal(err, rows)
	}
	if rows[0].Facts != "v1 Reel 1" || rows[0].Lanes != 1 {
		t.Errorf("derived is %+v", rows[0])
	}
	c, err := s.Chart(t.Context())
	if err != nil || c.Undo || c.House.Label("kit/snare") != "Snare" {
		t.Errorf("got %v %+v; want not c.Undo, c.House.Label(\"kit/snare\") \"Snare\"", err, c)
	}
	if h, err := s.HouseVersion(t.Context(), 0); err != nil || h != nil {
		t.Errorf("got %v %+v; want h nil", err, h)
	}
	if _, err := s.HouseVersion(t.Context(), 4); err == nil {
		t.Error("a version that was never kept was given")
	}
}

// A change over several projects is made in all of them or in none.
func TestAChangeOverSeveralProjectsIsAllOrNone(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	a, b := begin(t, s), begin(t, s)
	good := func(p *plan.Project) (string, error) { p.Name = "Changed"; return "change it", nil }
	for says, second := range map[string]Change{
		"one: no": {ID: b.ID, Base: b.Revision, Edit: func(*plan.Project) (string, error) {
			return "",
				errors.New("no")
		}},
		"another window": {ID: b.ID, Base: b.Revision - 1, Edit: good},
		"needs a name": {ID: b.ID, Base: b.Revision,
			Edit: func(p *plan.Project) (string, error) { p.Name = ""; return "", nil }},
		"nothing with that": {ID: 99, Base: 1, Edit: good},
	} {
		done, err := s.EditMany(ctx, "both", []Change{{ID: a.ID, Base: a.Revision, Edit: good}, second})
		if err == nil || !strings.Contains(strings.ToLower(err.Error()), says) {
			t.Errorf("%d changed, %v", done.Changed, err)
		}
		if p := must(t)(s.Project(ctx, a.ID)); p.Plan.Name != "One" || p.Revision != a.Revision {
			t.Errorf("%s: the first was changed all the same: %+v", says, p.State)
		}
	}
	if last, err := s.LastBatch(ctx); err != nil || last != nil {
		t.Errorf("got %+v %v; want last nil", last, err)
	}
	still := func(*plan.Project) (string, error) { return "", ErrUnchanged }
	done, err := s.EditMany(ctx, "one of two", []Change{{ID: a.ID, Base: a.Revision, Edit: good},
		{ID: b.ID, Base: b.Revision, Edit: still}})
	batch := done.Batch
	if err != nil || done.Changed != 1 || batch == 0 {
		t.Fatal(done, err)
	}
	if last, err := s.LastBatch(ctx); err != nil || last.Projects != 1 || last.Label != "one of two" {
		t.Errorf("got %+v %v; want last.Projects 1, last.Label \"one of two\"", last, err)
	}
	if _, _, err := s.StepBatch(ctx, batch+1, false); !errors.Is(err, ErrNotFound) {
		t.Errorf("got %v; want errors.Is(err, ErrNotFound)", err)
	}
	// Undone in the project itself, there is nothing left of the change to take back.
	p := must(t)(s.Project(ctx, a.ID))
	must(t)(s.Undo(ctx, a.ID, p.Revision))
	if _, _, err := s.StepBatch(ctx, batch, false); err == nil || !strings.Contains(err.Error(), "changed since: One") {
		t.Errorf("got %v; want an error, err.Error() with \"changed since: One\"", err)
	}
	if n, _, err := s.StepBatch(ctx, batch, true); err != nil || n != 1 {
		t.Errorf("got %d %v; want n 1", n, err)
	}
}

func TestTheSameSongIsKeptOnce(t *testing.T) {
	s, ctx := open(t, filepath.Join(t.TempDir(), "x.db")), t.Context()
	a, errA := s.AddSong(ctx, "a.mid", []byte("MThd one"))
	b, errB := s.AddSong(ctx, "b.mid", []byte("MThd two"))
	again, errC := s.AddSong(ctx, "c.mid", []byte("MThd one"))
	if err := errors.Join(errA, errB, errC); err != nil || a == b || a != again {
		t.Errorf("got %d %d %d, %v; want a not %v, a %v", a, b, again, err, b, again)
	}
	if name, err := s.SongName(ctx, a); err != nil || name != "a.mid" {
		t.Errorf("got %q %v; want name \"a.mid\"", name, err)
	}
	if _, err := s.SongName(ctx, 99); !errors.Is(err, ErrNotFound) {
		t.Errorf("got %v; want errors.Is(err, ErrNotFound)", err)
	}
}

// What is kept is remembered as it was worked out, in a transaction too; what is not kept is not.
func TestAProjectIsRememberedWhenItIsKept(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	p := begin(t, s)
	gave := p
	if err := s.AsOne(t.Context(), func(u *Unit) (err error) {
		gave, err = u.Edit(t.Context(), p.ID, p.Revision, edits.Rename("Two"))
		return err
	}); err != nil {
		t.Fatal(err)
	}
	now, err := s.Project(t.Context(), p.ID)
	if err != nil || now.Plan != gave.Plan || now.Plan.Name != "Two" {
		t.Errorf("after a transaction the project is %q, %v, read anew: %t; want Two as it was worked out", now.Plan.Name,
			err, now.Plan != gave.Plan)
	}
	broken := errors.New("broken off")
	if err := s.AsOne(t.Context(), func(u *Unit) error {
		_, err := u.Edit(t.Context(), p.ID, now.Revision, edits.Rename("Three"))
		return errors.Join(err, broken)
	}); !errors.Is(err, broken) {
		t.Fatal(err)
	}
	// The next revision takes the number of the one that was lost.
	if _, err := s.Edit(t.Context(), p.ID, now.Revision, edits.Rename("Four")); err != nil {
		t.Fatal(err)
	}
	if now, err = s.Project(t.Context(), p.ID); err != nil || now.Plan.Name != "Four" {
		t.Errorf("after one that was broken off the project is %q, %v; want Four", now.Plan.Name, err)
	}
}
