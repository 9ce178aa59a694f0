// Package glpk asks the solver of the GNU Linear Programming Kit, so that tests can
// compare what is called best here with what an outside program finds.
package glpk

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"hiddenlanes/internal/outside"
)

var objective = regexp.MustCompile(`Objective:\s+\S+ = (\S+)`)

// Optimum gives a programme in CPLEX LP format to glpsol, the solver of the GNU Linear
// Programming Kit, and returns the least or greatest value that it finds, which must be
// a whole number; ok is false where nothing fits.
func Optimum(t testing.TB, model string) (v int64, ok bool) {
	t.Helper()
	outside.Program(t, "glpsol", "glpk-utils")
	dir := t.TempDir()
	in, out := filepath.Join(dir, "model.lp"), filepath.Join(dir, "report.txt")
	if err := os.WriteFile(in, []byte(model), 0o600); err != nil {
		t.Fatal(err)
	}
	if log, err := exec.CommandContext(t.Context(), "glpsol", "--lp", in, "-o", out).CombinedOutput(); err != nil {
		t.Fatalf("glpsol: %v\n%s", err, log)
	}
	report, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	m := objective.FindSubmatch(report)
	if m == nil || !bytes.Contains(report, []byte("OPTIMAL")) {
		return 0, false
	}
	x, err := strconv.ParseFloat(string(m[1]), 64)
	if err != nil || x != math.Round(x) {
		t.Fatalf("glpsol finds %s: %v", m[1], err)
	}
	return int64(x), true
}
