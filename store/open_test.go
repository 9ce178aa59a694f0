package store

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
)

func TestADatabaseOfALaterReleaseIsRefusedUntouched(t *testing.T) {
	path := filepath.Join(t.TempDir(), "hiddenlanes.db")
	s := open(t, path)
	if _, err := s.db.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	before, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	_, err = Open(t.Context(), path, simply, Options{})
	if err == nil || fault.Of(err) != fault.Storage || !strings.Contains(err.Error(), "a later Hidden Lanes wrote it") ||
		!strings.Contains(err.Error(), "Nothing was changed") {
		t.Errorf("it says %v", err)
	}
	after, err := os.ReadFile(path)
	if err != nil || sha256.Sum256(before) != sha256.Sum256(after) {
		t.Errorf("the file was written to, %v", err)
	}
	if copies, _ := filepath.Glob(filepath.Join(filepath.Dir(path), "*-version-*")); len(copies) > 0 {
		t.Errorf("a copy was made of what is refused: %v", copies)
	}
}

func TestADamagedFileNamesItsCopies(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "hiddenlanes.db")
	for file, data := range map[string][]byte{path: bytes.Repeat([]byte{7}, 8192), copyName(path, "3"): {1}} {
		if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	_, err := Open(t.Context(), path, simply, Options{})
	if err == nil || !strings.Contains(err.Error(), "damaged. Restore a backup; there is "+
		copyName(path, "3")) {
		t.Errorf("it says %v", err)
	}
}

const openAs = "HIDDENLANES_OPEN_AS_NOBODY"

// TestOpenAsNobody is run as a process of its own, by a user who may not write.
func TestOpenAsNobody(t *testing.T) {
	path := os.Getenv(openAs)
	if path == "" {
		t.Skip("only run by TestAFolderThatMayNotBeWritten")
	}
	_, err := Open(t.Context(), path, simply, Options{})
	fmt.Printf("said: %v\n", err)
}

func TestAFolderThatMayNotBeWritten(t *testing.T) {
	dir, err := os.MkdirTemp("", "hiddenlanes-closed-") // t.TempDir lies below a closed folder
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.Chmod(dir, 0o700); os.RemoveAll(dir) })
	self, err := os.ReadFile(os.Args[0])
	if err != nil {
		t.Fatal(err)
	}
	program := filepath.Join(dir, "program")
	if err := os.WriteFile(program, self, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o555); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(dir, "hiddenlanes.db")
	c := exec.CommandContext(t.Context(), program, "-test.run=^TestOpenAsNobody$")
	c.Env = append(os.Environ(), openAs+"="+path)
	if os.Getuid() == 0 { // nothing is closed to root
		c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	}
	out, err := c.CombinedOutput()
	if err != nil || !strings.Contains(string(out), "said: "+path+" cannot be opened: the data folder") ||
		!strings.Contains(string(out), "--data") || strings.Contains(string(out), "SQL") {
		t.Errorf("got %v: %s; want string(out) with %v, string(out) with \"--data\", string(out) without \"SQL\"", err, out,
			"said: "+path+" cannot be opened: the data folder")
	}
}

// An instrument that several projects use is kept once; a project keeps what it changes.
func TestWhatProjectsUseIsKeptOnce(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	in := rig.Instrument{Name: "Reeds", Parts: []rig.Part{
		{ID: "p1", Name: "Flute", Role: "woodwind/flute", Width: audio.Stereo, Address: midi.Address{Port: 1, Channel: 1}},
		{ID: "p2", Name: "Oboe", Role: "woodwind/oboe", Width: audio.Stereo, Address: midi.Address{Port: 1, Channel: 2}}}}
	var ids []int64
	for i := range 3 {
		p := &plan.Project{Name: fmt.Sprint("Cue ", i)}
		if _, err := edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: 2, Width: audio.Stereo}}, 1), 0)(p); err != nil {
			t.Fatal(err)
		}
		id, err := s.CreateProject(t.Context(), p)
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, id)
	}
	p, err := s.Project(t.Context(), ids[1])
	if err != nil {
		t.Fatal(err)
	}
	at := plan.FeedRef{Placed: "i1", Feed: "p2"}
	if _, err := s.Edit(t.Context(), ids[1], p.Revision,
		edits.SetAddress(at, midi.Address{Port: 1, Channel: 9})); err != nil {
		t.Fatal(err)
	}
	var contents int
	var doc string
	if err := s.db.Get(&contents, `SELECT count(*) FROM contents`); err != nil || contents != 1 {
		t.Errorf("%d contents are kept, %v; want the instrument once", contents, err)
	}
	if err := s.db.Get(&doc, `SELECT doc FROM revisions ORDER BY id DESC LIMIT 1`); err != nil ||
		strings.Contains(doc, "Flute") || !strings.Contains(doc, `"channel":{"set":9}`) {
		t.Errorf("the project keeps %s, %v; want the change and nothing else of the instrument", doc, err)
	}
	for i, want := range []midi.Channel{2, 9, 2} {
		p, err := s.Project(t.Context(), ids[i])
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Plan.Placed[0].Instrument.Parts[1].Address.Channel; got != want {
			t.Errorf("in project %d the oboe plays on %d; want %d", i, got, want)
		}
		if came := p.Plan.Placed[0].AsItCame; came == nil || came.Parts[1].Address.Channel != 2 {
			t.Errorf("in project %d the instrument came as %+v", i, came)
		}
	}
}

// As long as nothing is done, steps are numbered in their order; from then on a number stays with its
// step, and no other ever has it.
func TestNumbersOfStepsAreNeverUsedAgain(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	p := begin(t, s)
	number := func(keys ...string) string {
		t.Helper()
		n, err := s.StepNumbers(t.Context(), p.ID, keys)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, k := range keys {
			out = append(out, fmt.Sprint(n[k]))
		}
		return strings.Join(out, " ")
	}
	for _, c := range []struct{ keys, want string }{{"load assign name", "1 2 3"}, {"assign name", "2 3"},
		{"move assign name", "1 2 3"}, {"load", "4"}} {
		if got := number(strings.Fields(c.keys)...); got != c.want {
			t.Errorf("%s are numbered %s; want %s", c.keys, got, c.want)
		}
	}
	done := func() (n int) {
		if err := s.db.Get(&n, `SELECT count(*) FROM step_numbers WHERE done IS NOT NULL`); err != nil {
			t.Fatal(err)
		}
		return n
	}
	for _, key := range []string{"load", "part of load"} {
		if err := s.StepDone(t.Context(), p.ID, key, 4, "{}"); err != nil {
			t.Fatal(err)
		}
	}
	if done() != 2 {
		t.Errorf("%d steps are done; want 2", done())
	}
	if got := number("load", "new"); got != "4 5" || done() != 1 { // undone, it is open again
		t.Errorf("a step that is open again and a new one are numbered %s, and %d are done; want 4 5 and 1", got, done())
	}
	if got := number("early", "load"); got != "6 4" {
		t.Errorf("a step is done, and one before it is numbered %s; want 6 4: numbers stay", got)
	}
	if err := s.SameStep(t.Context(), p.ID, "rest of move", 1); err != nil || number("rest of move", "move") != "1 1" {
		t.Errorf("what is left of a step is numbered %s, %v; want the step's 1", number("rest of move"), err)
	}
}

func TestAUnitOfWorkIsAllOrNothing(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	p := begin(t, s)
	err := s.AsOne(t.Context(), func(u *Unit) error {
		if err := u.Set(t.Context(), "one", "kept"); err != nil {
			return err
		}
		if _, err := u.Edit(t.Context(), p.ID, p.Revision, edits.Rename("Two")); err != nil {
			return err
		}
		if v, err := u.Setting(t.Context(), "one"); err != nil || v != "kept" {
			t.Errorf("inside it reads %q, %v", v, err)
		}
		if v, err := s.Setting(t.Context(), "one"); err != nil || v != "" {
			t.Errorf("outside it reads %q already, %v", v, err)
		}
		_, err := u.Edit(t.Context(), p.ID, p.Revision, edits.Rename("Three")) // stale by now
		return err
	})
	if fault.Of(err) != fault.Conflict {
		t.Errorf("a stale edit gives %v; want a conflict", err)
	}
	after, errAfter := s.Project(t.Context(), p.ID)
	if v, err := s.Setting(t.Context(), "one"); err != nil || errAfter != nil || v != "" || after.Plan.Name != "One" {
		t.Errorf("of a refused unit %q and %q are left, %v %v", v, after.Plan.Name, err, errAfter)
	}
}

// On a disk that takes nothing a sheet is shown all the same, numbered as it will be.
func TestStepsAreNumberedWhereNothingCanBeKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.db")
	s := open(t, path)
	p := begin(t, s)
	if _, err := s.StepNumbers(t.Context(), p.ID, []string{"load"}); err != nil {
		t.Fatal(err)
	}
	s.Close()
	closed, err := Open(t.Context(), path, simply, Options{ReadOnly: true})
	if err != nil {
		t.Fatal(err)
	}
	defer closed.Close()
	n, err := closed.StepNumbers(t.Context(), p.ID, []string{"load", "assign", "name"})
	if err != nil || n["load"] != 1 || n["assign"] != 2 || n["name"] != 3 {
		t.Errorf("the steps are numbered %v, %v; want 1 to 3", n, err)
	}
	if err := closed.StepDone(t.Context(), p.ID, "load", 1, "{}"); fault.Of(err) != fault.Storage {
		t.Errorf("a tick that cannot be kept gives %v; want a storage error", err)
	}
}

// A disk that is full while a project's instruments are kept is told as that, and not as a
// mistake of ours.
func TestAFullDiskWhileContentsAreKeptIsTold(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.db")
	open(t, path).Close()
	s, err := Open(t.Context(), path, simply, Options{Pages: 1})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	in := rig.Instrument{Name: "Large"}
	for i := range 4000 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprint("v", i), Name: fmt.Sprint("Voice ", i), Width: audio.Mono})
	}
	p := &plan.Project{Name: "One"}
	if _, err := edits.AddInstrument(in, nil, 0)(p); err != nil {
		t.Fatal(err)
	}
	_, err = s.CreateProject(t.Context(), p)
	var f *fault.Error
	if !errors.As(err, &f) || f.Kind != fault.Storage || !f.Full {
		t.Errorf("it says %v; want that the disk is full", err)
	}
}

// Nobody but the owner may read the database, what is beside it and the copies that are made from it; one
// that others could read before is closed to them.
func TestFilesAreTheOwnersAlone(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a.db")
	if err := os.WriteFile(path, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	s, err := Open(t.Context(), path, simply, Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	files, err := filepath.Glob(filepath.Join(dir, "*"))
	if err != nil || len(files) < 2 {
		t.Fatalf("%v, %v; want the database and its log", files, err)
	}
	for _, f := range files {
		if i, err := os.Stat(f); err != nil || i.Mode().Perm() != 0o600 {
			t.Errorf("%s has the rights %v; want those of the owner alone", filepath.Base(f), i.Mode().Perm())
		}
	}
}
