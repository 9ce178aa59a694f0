package store

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/internal/testkit"
)

var kills = flag.Int("kills", 30, "how often the process is killed at work")

// worker is the variable that makes a process of this test the one that is killed: the path of
// the database.
const worker = "HIDDENLANES_KILLED_STORE"

// How many projects are changed one by one, how many together, and how many an import brings.
const (
	alone, together, arrivals = 3, 4, 40
)

// A process that is killed at work, with changes, changes over several projects and imports under
// way, also at the moment of a commit, has lost nothing that it had said was accepted, has done
// nothing by halves, and leaves data without a fault. The test runs itself again as that process.
func TestKillingTheProcessLosesNothing(t *testing.T) {
	testkit.Slow(t)
	if path := os.Getenv(worker); path != "" {
		workUntilKilled(t, path)
		return
	}
	path := filepath.Join(t.TempDir(), "x.db")
	s := open(t, path)
	for i := range alone + together {
		if _, err := s.CreateProject(t.Context(), &plan.Project{Name: name(i, 0)}); err != nil {
			t.Fatal(err)
		}
	}
	s.Close()
	rng := rand.New(rand.NewPCG(17, uint64(*kills)))
	accepted := map[string]int{} // by what was changed: how often
	var moments [3]int
	for n := range *kills {
		k := killer{moment: rng.IntN(3), after: 1 + rng.IntN(12)}
		moments[k.moment]++
		k.run(t, path, rng.Uint64(), accepted)
		s := open(t, path)
		compare(t, n, s, accepted)
		s.Close()
		if t.Failed() {
			t.FailNow()
		}
	}
	t.Logf("killed %d times: %d while it worked, %d before and %d after a commit; accepted were %v", *kills, moments[0],
		moments[1],
		moments[2], accepted)
}

// name says of a project which one it is and which change of it was the last.
func name(project, change int) string { return fmt.Sprintf("%d changed %d", project, change) }

// workUntilKilled changes and imports, and says what was accepted and where it is.
func workUntilKilled(t *testing.T, path string) {
	s, ctx := open(t, path), t.Context()
	var out sync.Mutex
	say := func(what string) {
		out.Lock()
		defer out.Unlock()
		fmt.Println("\n" + what)
	}
	s.atCommit = func(done bool) { say(map[bool]string{false: "moment 1", true: "moment 2"}[done]) }
	seed, _ := strconv.ParseUint(os.Getenv(worker+"_SEED"), 10, 64)
	say("moment 0")
	for i := range alone {
		go func() {
			for {
				p := must(t)(s.Project(ctx, int64(i+1)))
				var was, change int
				_, _ = fmt.Sscanf(p.Plan.Name, "%d changed %d", &was, &change)
				must(t)(s.Edit(ctx, p.ID, p.Revision, edits.Rename(name(i, change+1))))
				say(fmt.Sprint("accepted project ", i, " ", change+1))
			}
		}()
	}
	go func() {
		for {
			var changes []Change
			n := 0
			for i := alone; i < alone+together; i++ {
				p := must(t)(s.Project(ctx, int64(i+1)))
				var was int
				_, _ = fmt.Sscanf(p.Plan.Name, "%d changed %d", &was, &n)
				changes = append(changes, Change{ID: p.ID, Base: p.Revision, Edit: edits.Rename(name(i, n+1))})
			}
			if _, err := s.EditMany(ctx, "together", changes); err != nil {
				t.Error(err)
			}
			say(fmt.Sprint("accepted together 0 ", n+1))
		}
	}()
	rng := rand.New(rand.NewPCG(seed, 1))
	for {
		if rng.IntN(8) != 0 {
			if err := s.Set(ctx, "pause", fmt.Sprint(rng.Uint64())); err != nil {
				t.Error(err)
			}
			say("moment 0")
			continue
		}
		if err := importSome(ctx, s, rng); err != nil {
			t.Error(err)
		}
		say("accepted import 0 +1")
	}
}

func importSome(ctx context.Context, s *Store, rng *rand.Rand) error {
	im, err := s.BeginImport(ctx)
	if err != nil {
		return err
	}
	for range arrivals {
		if err := im.Add(ctx, Arrival{NewProject: NewProject{Plan: &plan.Project{Name: "Imported"},
			UID: fmt.Sprint(rng.Uint64())}}); err != nil {
			return err
		}
	}
	_, err = im.Publish(ctx, func(int) string { return "" }, func(*Unit) error { return nil })
	return err
}

// killer kills a process when it has said so often that it is at a moment.
type killer struct{ moment, after int }

func (k killer) run(t *testing.T, path string, seed uint64, accepted map[string]int) {
	t.Helper()
	c := exec.Command(os.Args[0], "-test.run=^TestKillingTheProcess")
	c.Env = append(os.Environ(), worker+"="+path, fmt.Sprint(worker, "_SEED=", seed))
	out, err := c.StdoutPipe()
	if err == nil {
		err = c.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	var said strings.Builder
	for lines := bufio.NewScanner(out); lines.Scan(); {
		var what string
		var of, n int
		line := lines.Text()
		if _, err := fmt.Sscanf(line, "accepted %s %d %d", &what, &of, &n); err == nil {
			key := fmt.Sprint(what, of)
			if what == "import" {
				n = accepted[key] + 1
			}
			accepted[key] = n
		} else if line == fmt.Sprint("moment ", k.moment) {
			if k.after--; k.after == 0 {
				if err := c.Process.Kill(); err != nil {
					t.Fatal(err)
				}
			}
		} else if line != "" && !strings.HasPrefix(line, "moment ") {
			said.WriteString(line + "\n")
		}
	}
	var ended *exec.ExitError
	if err := c.Wait(); !errors.As(err, &ended) || ended.Exited() {
		t.Fatalf("the process was not killed at work: %v; it said %s", err, &said)
	}
}

// compare looks whether all that was accepted is there, whole, and at most one more of each.
func compare(t *testing.T, kill int, s *Store, accepted map[string]int) {
	t.Helper()
	imported, all := 0, 0
	rows, err := s.Projects(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	batch := map[int]int{}
	for _, r := range rows {
		var i, n int
		if r.Name == "Imported" {
			imported++
			continue
		}
		if _, err := fmt.Sscanf(r.Name, "%d changed %d", &i, &n); err != nil {
			t.Fatal(r.Name, err)
		}
		all++
		if i >= alone {
			batch[n]++
			continue
		}
		key := fmt.Sprint("project", i)
		if was := accepted[key]; n < was || n > was+1 {
			t.Errorf("kill %d: project %d stands at change %d; %d were accepted", kill, i, n, was)
		}
		accepted[key] = n
	}
	for n, projects := range batch {
		if was := accepted["together0"]; projects != together || n < was || n > was+1 {
			t.Errorf("kill %d: %d of %d projects stand at change %d over all; %d were accepted", kill, projects, together, n,
				was)
		}
		accepted["together0"] = n
	}
	if was := accepted["import0"]; imported%arrivals != 0 || imported/arrivals < was || imported/arrivals > was+1 {
		t.Errorf("kill %d: %d imported projects; %d imports of %d were accepted", kill, imported, was, arrivals)
	}
	accepted["import0"] = imported / arrivals
	var left int
	if err := s.db.Get(&left, `SELECT (SELECT count(*) FROM imports) + (SELECT count(*) FROM incoming)
		+ (SELECT count(*) FROM projects WHERE removed = 2)`); err != nil || left != 0 || all != alone+together {
		t.Errorf("kill %d: %d rows of broken imports are left and there are %d projects, %v", kill, left, all, err)
	}
	if kill%10 != 9 && kill != *kills-1 { // it reads every document there ever was
		return
	}
	if v, err := s.Verify(t.Context(), func(string) error { return nil }); err != nil || len(v.Wrong) > 0 {
		t.Errorf("kill %d: %q is wrong, %v", kill, v.Wrong, err)
	}
}
