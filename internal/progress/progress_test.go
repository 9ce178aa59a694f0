package progress_test

import (
	"fmt"
	"slices"
	"testing"

	"hiddenlanes/internal/progress"
)

// Who listens in a context hears of what is done with it, and nobody else; the innermost
// listener is the one.
func TestProgressIsHeardInItsContext(t *testing.T) {
	var outer, inner []string
	hear := func(into *[]string) func(string, int, int) {
		return func(what string, done, of int) { *into = append(*into, fmt.Sprintf("%d of %d %s", done, of, what)) }
	}
	progress.Report(t.Context(), "projects", 1, 2) // nobody listens
	ctx := progress.With(t.Context(), hear(&outer))
	progress.Report(ctx, "projects", 1, 2)
	progress.Report(progress.With(ctx, hear(&inner)), "songs", 3, 3)
	if want := []string{"1 of 2 projects"}; !slices.Equal(outer, want) {
		t.Errorf("heard outside: %q, want %q", outer, want)
	}
	if want := []string{"3 of 3 songs"}; !slices.Equal(inner, want) {
		t.Errorf("heard inside: %q, want %q", inner, want)
	}
}
