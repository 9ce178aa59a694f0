package check_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// No button sends a feed to an output that is to stay free, nor takes the last that is to be spare.
func TestFixesLeaveFreeOutputsAlone(t *testing.T) {
	for _, c := range []struct {
		name string
		free []int
		keep int
		want string
	}{
		{"nothing is to stay free", nil, 0, "Assign to output 3"},
		{"output 3 is to stay free", []int{3}, 0, "Assign to output 5"},
		{"one of two is to be spare", nil, 1, "Assign to output 3"},
		{"both are to be spare", nil, 2, "with"},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "10x2", sample.BrineworkKit())
			pl := p.Find("i1")
			for id, a := range pl.Feeds {
				if a.Output == 3 || a.Output == 5 {
					testkit.Edit(t, p, edits.Decide(plan.FeedRef{Placed: "i1", Feed: id}, plan.Off, plan.Jack{}))
				}
			}
			testkit.Edit(t, p, edits.KeepOutputsFree("i1", c.free, c.keep))
			testkit.Edit(t, p, edits.Decide(plan.FeedRef{Placed: "i1", Feed: "hat"}, plan.Undecided, plan.Jack{}))
			for _, f := range testkit.Problems(p) {
				if strings.HasPrefix(f.Title(), "Hat has no output") {
					if fix := f.Mend(); !strings.Contains(fix, c.want) {
						t.Errorf("the button says %q, want %q", fix, c.want)
					}
					return
				}
			}
			t.Error("a hat without an output is not a problem")
		})
	}
}
