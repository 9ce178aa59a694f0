package runsheet_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Steps whose reason is not plain say it, on the hosts where it holds and on no other.
func TestStepsSayWhyWhereItIsNotPlain(t *testing.T) {
	why := map[string]map[string]string{} // by kind of host: what a step begins with, and why
	for _, profile := range rig.Profiles {
		p := testkit.Project(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
		testkit.Edit(t, p, edits.SetProfile(profile))
		for _, pl := range []string{"i1", "i2"} {
			pr := testkit.Propose(t, p, pl)
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
		}
		testkit.Edit(t, p, edits.Decide(testkit.Feed("v70"), plan.Parked, plan.Jack{Output: 3}))
		lane := testkit.Lane(p, "Hat")
		testkit.Edit(t, p, edits.AddReturn("Hall", []string{lane.ID}, plan.Send{Pre: true, Level: -6}))
		why[profile.Name] = map[string]string{}
		state := (*plan.Patched)(nil).Clone()
		state.Lanes = []plan.Lane{{ID: "h1", Number: 60, Name: "Stray", Kind: plan.Regular, Width: 2, Colour: "#112233"}}
		state.LastID = 1
		for _, st := range runsheet.From(p, state) {
			if st.Why != "" {
				first, _, _ := strings.Cut(st.Text, " ")
				why[profile.Name][first] += st.Why + "\n"
			}
		}
	}
	for _, c := range []struct {
		step, says string
		on         func(rig.Profile) bool
	}{
		{"Load", "its first output arrives on that lane",
			func(p rig.Profile) bool { return p.FirstOnOwn || p.Appears == rig.WhenAssigned }},
		{"Reload", "without it notes play and nothing is heard",
			func(p rig.Profile) bool { return p.After == rig.Reload }},
		{"Save", "is lost at the next reload", func(p rig.Profile) bool { return p.SaveFirst }},
		{"Save", "the host sees changed outputs only then", func(p rig.Profile) bool { return p.After == rig.Reopen }},
		{"Switch", "an output that is not switched on is silent",
			func(p rig.Profile) bool { return p.Appears == rig.WhenSwitched }},
		{"Park", "would stay on the first output", func(rig.Profile) bool { return true }},
		{"Remove", "they take nothing of the plan", func(rig.Profile) bool { return true }},
		{"Sends", "whose source or destination is left as it was is silent",
			func(p rig.Profile) bool { return p.Appears == rig.BySend }},
		{"Remove", "the same signal twice, 6 dB louder", func(p rig.Profile) bool { return p.Several }},
		{"Add", "it goes on sounding when the lane is pulled down", func(rig.Profile) bool { return true }},
		{"Add", "one key would play every part", func(p rig.Profile) bool { return p.AllChannels }},
	} {
		for _, profile := range rig.Profiles {
			said := strings.Contains(why[profile.Name][c.step], c.says)
			if want := c.on(profile); said != want {
				t.Errorf("%s: that %q for the step %s… is said %v; want %v (%q)", profile.Name, c.says, c.step, said, want,
					why[profile.Name][c.step])
			}
		}
	}
}
