package app

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/analysis"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// KindChanges says what another kind of host would change in a project: how the host behaves,
// the limits of the plan, the run sheet and the problems.
func KindChanges(of *analysis.Analysis, kind rig.Profile) (out []string) {
	p := of.Graph.Project
	then := p.Clone()
	if _, err := edits.SetProfile(kind)(then); err != nil {
		return []string{err.Error()}
	}
	other := analysis.Of(then)
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	was := p.Host.Behaviour().Sentences()
	for _, s := range then.Host.Behaviour().Sentences() {
		if !slices.Contains(was, s) {
			say("From now on %s.", s)
		}
	}
	limit := func(n plan.LaneNumber) string {
		if n == 0 {
			return "none"
		}
		return fmt.Sprintf("lane %d", n)
	}
	if a, b := p.Host.LaneLimit, then.Host.LaneLimit; a != b {
		say("The last lane is %s instead of %s.", limit(b), limit(a))
	}
	if a, b := p.Host.BlockSize, then.Host.BlockSize; a != b {
		blocks := func(n plan.LaneNumber) string {
			if n == 0 {
				return "in one row"
			}
			return fmt.Sprintf("in blocks of %d", n)
		}
		say("Lanes are %s instead of %s.", blocks(b), blocks(a))
	}
	if a, b := of.Left().Settings, other.Left().Settings; a != b {
		say("The run sheet has %s instead of %d.", words.Count(b, "setting", "settings"), a)
	} else {
		say("The run sheet has %s, as now; its steps may be others.", words.Count(a, "setting", "settings"))
	}
	now := map[string]bool{}
	before, after := of.Problems, other.Problems
	for _, f := range before {
		now[f.Key()] = true
	}
	var fresh []string
	for _, f := range after {
		if !now[f.Key()] {
			fresh = append(fresh, f.Title())
		}
	}
	switch gone := len(before) - (len(after) - len(fresh)); {
	case len(fresh) > 0:
		say("%s: %s.", words.Capital(words.Count(len(fresh), "new problem", "new problems")),
			strings.Join(fresh[:min(3, len(fresh))], "; "))
	case gone > 0:
		say("%s would be gone.", words.Capital(words.Count(gone, "problem", "problems")))
	default:
		say("No new problems.")
	}
	return out
}
