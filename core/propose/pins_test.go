package propose_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Whatever leaves by an output of its own no longer passes the instrument's effects, and
// the proposal says which and for whom; the first output still does.
func TestAProposalSaysWhichEffectsAreLost(t *testing.T) {
	kit := sample.BrineworkKit()
	kit.Effects = []rig.Effect{{ID: "glue", Name: "glue compressor"}}
	p := testkit.Project(t, plan.Host{}, "20x2", kit)
	pr := testkit.Propose(t, p, "i1")
	var notes []string
	for _, n := range pr.Notes {
		if strings.Contains(n, kit.Effects[0].Name) {
			notes = append(notes, n)
		}
	}
	if len(notes) != 1 || !strings.Contains(notes[0], "does not reach feeds that leave by their own output") {
		t.Fatalf("of %s it says %q; want one note", kit.Effects[0].Name, notes)
	}
	first := pr.Rows[0].Feeds[0].Name
	if strings.Contains(notes[0], first+",") || strings.HasSuffix(notes[0], ": "+first+".") {
		t.Errorf("%s stays on the first output and is said to lose it: %s", first, notes[0])
	}
	one := testkit.Project(t, plan.Host{}, "1x2", kit)
	o, err := propose.Make(one, propose.Options{Placed: "i1"})
	if err == nil && strings.Contains(strings.Join(o.Notes, " "), "does not reach") {
		t.Errorf("on one output nothing is lost, and it says %q", o.Notes)
	}
}
