package lock

import (
	"errors"
	"path/filepath"
	"testing"
)

// One has a lock alone, or several together; who has it alone is told, and a lock that was
// freed names nobody.
func TestOneHasALockAloneOrSeveralTogether(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.lock")
	held := func(err error) string {
		var h *HeldError
		if err != nil && !errors.As(err, &h) {
			t.Fatal(err)
		}
		if h == nil {
			return "free"
		}
		return h.By
	}
	one, err := Alone(path, "serve, process 7")
	if err != nil {
		t.Fatal(err)
	}
	_, alone := Alone(path, "restore")
	_, together := Together(path)
	if held(alone) != "serve, process 7" || held(together) != "serve, process 7" {
		t.Errorf("others are told %q and %q; want who has it", held(alone), held(together))
	}
	if err := one.Free(); err != nil {
		t.Fatal(err)
	}
	a, errA := Together(path)
	b, errB := Together(path)
	if errA != nil || errB != nil {
		t.Fatalf("two together: %v, %v", errA, errB)
	}
	if _, err := Alone(path, "restore"); held(err) != "" {
		t.Errorf("beside two it is held by %q; want that nobody is named", held(err))
	}
	if err := errors.Join(a.Free(), b.Free()); err != nil {
		t.Fatal(err)
	}
	if l, err := Alone(path, "restore"); err != nil {
		t.Errorf("after all have gone: %v; want it free", err)
	} else if err := l.Free(); err != nil {
		t.Fatal(err)
	}
}
