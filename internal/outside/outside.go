// Package outside is how tests ask programs and files that share no code with ours. Fast
// test runs do without them.
package outside

import (
	"os"
	"os/exec"
	"testing"
)

// Program says that a test needs a program, of Debian's package; a fast run leaves the
// test out.
func Program(t testing.TB, program, debian string) {
	t.Helper()
	fast(t, program)
	if _, err := exec.LookPath(program); err != nil {
		t.Fatalf("%s is missing: run ./test, which installs %s", program, debian)
	}
}

// Bank is the path of Debian's timgm6mb-soundfont, a General MIDI bank in SoundFont 2.
func Bank(t testing.TB) string {
	t.Helper()
	const bank = "/usr/share/sounds/sf2/TimGM6mb.sf2"
	fast(t, bank)
	if _, err := os.Stat(bank); err != nil {
		t.Fatalf("%s is missing: run ./test, which installs timgm6mb-soundfont", bank)
	}
	return bank
}

func fast(t testing.TB, what string) {
	t.Helper()
	if testing.Short() {
		t.Skipf("it needs %s, which fast runs do without", what)
	}
}
