package testkit

import (
	"os"
	"testing"
)

// Long reports whether tests are to try all that they can, with CI_LONG=1; else they draw a seeded
// sample that finds most.
func Long() bool { return os.Getenv("CI_LONG") == "1" }

// Of is many where tests are to try all, few elsewhere, and a third of these in ./test -fast.
func Of(many, few int) int {
	switch {
	case Long():
		return many
	case testing.Short():
		return max(1, few/3)
	}
	return few
}

// OneByOne passes a test over under the race detector: it does one thing after the other, and
// nothing of ours runs beside it. ./test runs it without.
func OneByOne(t testing.TB) {
	t.Helper()
	if Race {
		t.Skip("it does one thing after the other; it runs without the race detector")
	}
}

// Slow passes a test over in ./test -fast, for it takes many seconds.
func Slow(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("it takes many seconds; ./test runs it")
	}
}
