package spool

import (
	"errors"
	"io"
	"os"
	"strings"
	"testing"
)

type broken struct{ error }

func (b broken) Read([]byte) (int, error) { return 0, b.error }

// What was taken can be read at any place, no more of it than asked for, and nothing is left behind;
// an error of who sends it is his own.
func TestWhatIsTakenCanBeReadAtPlaces(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	f, err := Take(strings.NewReader("Hidden Lanes"), 7)
	if err != nil {
		t.Fatal(err)
	}
	b := make([]byte, 3)
	if _, err := f.ReadAt(b, 3); err != nil || string(b) != "den" || f.Size != 8 {
		t.Errorf("at byte 3 of %d it reads %q, %v; want \"den\" of 8", f.Size, b, err)
	}
	if err := f.Close(); err != nil {
		t.Error(err)
	}
	unplugged := errors.New("unplugged")
	if _, err := Take(io.MultiReader(strings.NewReader("a"), broken{unplugged}), 9); !errors.Is(err, unplugged) {
		t.Errorf("got %v; want the reader's own error", err)
	}
	if left, err := os.ReadDir(os.TempDir()); err != nil || len(left) > 0 {
		t.Errorf("%d files are left, %v; want none", len(left), err)
	}
	t.Setenv("TMPDIR", os.TempDir()+"/gone")
	if _, err := Take(strings.NewReader("a"), 9); err == nil || !strings.Contains(err.Error(),
		"no room to keep the file") {
		t.Errorf("without a place for it: %v; want it said in words", err)
	}
}
