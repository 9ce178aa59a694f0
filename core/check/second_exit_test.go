package check_test

import (
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	standin "hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// A kit whose feeds leave by outputs of their own from 2 on, and two of them by the main output as
// well, which arrives on a lane of its own: that lane is used, though nothing is assigned to output 1.
func twoExitsProject(t *testing.T) (p *plan.Project, main string) {
	t.Helper()
	p = testkit.Project(t, plan.Host{FirstLane: 2}, "18x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 0))
	pr := testkit.Propose(t, p, "i1")
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	testkit.Edit(t, p, edits.AddLane(plan.OutputRef{Placed: "i1", Output: 1}, 1, "Kit through its own effects"))
	main = p.Lanes[len(p.Lanes)-1].ID
	testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
		for i := range in.Microphones[:2] {
			in.Microphones[i].AlsoMain = true
		}
		return "set two to own and main", nil
	}))
	return p, main
}

func TestTheLaneOfASecondExitIsUsed(t *testing.T) {
	p, main := twoExitsProject(t)
	ways := func(p *plan.Project) (n int) {
		g := trace.New(p)
		for _, f := range g.Feeds {
			for _, path := range g.Paths(f) {
				if path.Reaches {
					n++
				}
			}
		}
		return n
	}
	before := ways(p)
	without := p.Clone()
	testkit.Edit(t, without, edits.DeleteLane(main))
	if after := ways(without); after >= before {
		t.Fatalf("without the lane of the main output %d ways reach the main mix, and with it %d; the test shows nothing",
			after, before)
	}
	for _, f := range check.Project(p) {
		if f.Lane() == main && slices.Contains([]string{"lane-no-output", "output-no-lane"}, f.Rule.Code) {
			t.Errorf("the lane is said to be of no use: %s", f.Title())
		}
		for way := range 1 + len(f.Others()) {
			q := p.Clone()
			if _, err := check.Fix(f.Key(), way)(q); err == nil && q.Lane(main) == nil {
				t.Errorf("%q, way %d, removes the lane", f.Title(), way)
			}
		}
	}
	pr := testkit.Propose(t, p, "i1")
	for _, l := range pr.Closing {
		t.Errorf("a proposal removes lane %d %s; want none removed", l.Number, l.Name)
	}
	// A feed that is switched off takes its own lane along, not this one.
	q := p.Clone()
	hat := testkit.Feed("hat")
	testkit.Edit(t, q, edits.Decide(hat, plan.Assigned, plan.Jack{Output: 1}))
	testkit.Edit(t, q, edits.SwitchOff(hat))
	if q.Lane(main) == nil {
		t.Error("switching feeds off has removed the lane by which they leave as well")
	}
	// Nor does the run sheet, where the plan has forgotten it.
	for _, profile := range rig.Profiles {
		q := without.Clone()
		testkit.Edit(t, q, edits.SetProfile(profile))
		s := p.AsPlanned()
		for _, st := range runsheet.From(q, s) {
			for _, a := range st.Actions {
				if gone, ok := a.(standin.CloseLane); ok && gone.Lane == main {
					t.Errorf("%s: %q removes the lane", profile.Name, st.Text)
				}
			}
		}
	}
	// With both back on their own outputs alone, it is of no use, and that is said.
	testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
		for i := range in.Microphones {
			in.Microphones[i].AlsoMain = false
		}
		return "own outputs alone", nil
	}))
	if !slices.ContainsFunc(check.Project(p), func(f check.Problem) bool {
		return f.Lane() == main && f.Rule.Code == "lane-no-output" && strings.HasPrefix(f.Mend(), "Remove lane 1")
	}) {
		t.Error("a lane that takes nothing is not found")
	}
}
