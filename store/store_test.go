package store

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

func open(t *testing.T, path string) *Store {
	t.Helper()
	s, err := Open(t.Context(), path)
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
		p = ok(s.Edit(ctx, p.ID, p.Revision, plan.Rename(n)))
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "Two" || p.Redo != "name the project Three" || !p.Undo {
		t.Errorf("after undo: %+v", p)
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "One" || p.Undo {
		t.Errorf("after two: %+v", p)
	}
	if _, err := s.Undo(ctx, p.ID, p.Revision); !errors.Is(err, ErrNothing) {
		t.Errorf("undo before the beginning: %v", err)
	}
	p = ok(s.Redo(ctx, p.ID, p.Revision))
	p = ok(s.Redo(ctx, p.ID, p.Revision))
	if p.Plan.Name != "Three" || p.Redo != "" {
		t.Errorf("after redo: %+v", p)
	}
	p = ok(s.Undo(ctx, p.ID, p.Revision))
	p = ok(s.Edit(ctx, p.ID, p.Revision, plan.Rename("Four"))) // a new line begins; Three is no longer ahead
	if _, err := s.Redo(ctx, p.ID, p.Revision); !errors.Is(err, ErrNothing) {
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
	other := ok(s.Edit(ctx, seen.ID, seen.Revision, plan.Rename("By the other window")))
	_, err := s.Edit(ctx, seen.ID, seen.Revision, plan.Rename("Mine"))
	var stale *StaleError
	if !errors.As(err, &stale) || !reflect.DeepEqual(stale.Since, []string{"name the project By the other window"}) {
		t.Fatalf("%v", err)
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
				_, err = s.Edit(ctx, p.ID, now.Revision, plan.AddLane(plan.OutputRef{}, 0, fmt.Sprintf("window %d lane %d", w, i)))
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
		t.Errorf("%+v", now)
	}
	if _, err := s.Edit(ctx, 99, 1, plan.Rename("x")); !errors.Is(err, ErrNotFound) {
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
	if _, _, err := s.AddInstruments(ctx, []NewInstrument{{Rig: rig.Instrument{Name: "Fine"}}, {Rig: rig.Instrument{Name: ""}}}); err == nil {
		t.Error("an instrument without a name was taken")
	}
	if err := s.RemoveInstrument(ctx, first[0], true); err != nil {
		t.Fatal(err)
	}
	if ins, _ := s.Shelf(ctx); len(ins) != 1 || ins[0].Name != "Other" {
		t.Errorf("the shelf holds %+v", ins)
	}
	if in, err := s.Instrument(ctx, first[0]); err != nil || !in.Removed || !reflect.DeepEqual(in.Rig, kit) {
		t.Errorf("%+v, %v", in, err)
	}
	if err := s.RemoveInstrument(ctx, 99, true); !errors.Is(err, ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// A process that is killed in the middle of its work has lost no change that it
// had said was accepted. The test runs itself again as that process.
func TestKillingTheProcessLosesNoAcceptedChange(t *testing.T) {
	const variable = "HIDDENLANES_KILLED_STORE"
	if path := os.Getenv(variable); path != "" {
		s := open(t, path)
		p := begin(t, s)
		fmt.Printf("\nproject %d\n", p.ID)
		for i := 1; ; i++ {
			p = must(t)(s.Edit(t.Context(), p.ID, p.Revision, plan.AddLane(plan.OutputRef{}, 0, fmt.Sprint(i))))
			fmt.Printf("accepted %d\n", i)
		}
	}
	path := filepath.Join(t.TempDir(), "x.db")
	c := exec.Command(os.Args[0], "-test.run=^TestKillingTheProcess")
	c.Env = append(os.Environ(), variable+"="+path)
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	var id int64
	accepted := 0
	for lines := bufio.NewScanner(out); lines.Scan(); {
		line := lines.Text()
		if _, err := fmt.Sscanf(line, "project %d", &id); err == nil {
			continue
		}
		if n, ok := strings.CutPrefix(line, "accepted "); ok {
			fmt.Sscan(n, &accepted)
		}
		if accepted == 25 {
			if err := c.Process.Kill(); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := c.Wait(); err == nil || accepted < 25 {
		t.Fatalf("the process was not killed at work: %v after %d changes", err, accepted)
	}
	p := must(t)(open(t, path).Project(t.Context(), id))
	if len(p.Plan.Lanes) < accepted || !p.Undo {
		t.Errorf("%d changes were accepted, %d are there", accepted, len(p.Plan.Lanes))
	}
}
