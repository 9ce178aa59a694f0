package plan_test

import (
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// A feed loses an effect of the instrument where it leaves by another output alone, and nowhere else.
func TestAnEffectIsLostByAnOutputOfOnesOwnAlone(t *testing.T) {
	plate := rig.Effect{ID: "e", Name: "Plate"}
	for name, c := range map[string]struct {
		at      plan.Assignment
		also    bool
		loses   []string
		outputs int
		want    bool
	}{
		"by its own output": {plan.Assignment{State: plan.Assigned, Output: 2}, false, []string{"Plate"}, 3,
			true},
		"by the first output": {plan.Assignment{State: plan.Assigned, Output: 1}, false, []string{"Plate"}, 3,
			false},
		"by both": {plan.Assignment{State: plan.Assigned, Output: 2}, true, []string{"Plate"}, 3,
			false},
		"parked on another output": {plan.Assignment{State: plan.Parked, Output: 2}, false, []string{"Plate"}, 3, false},
		"off":                      {plan.Assignment{State: plan.Off}, false, []string{"Plate"}, 3, false},
		"an effect that does not reach": {plan.Assignment{State: plan.Assigned, Output: 2}, false, []string{"Hall"}, 3,
			false},
		"an instrument without outputs": {plan.Assignment{State: plan.Assigned, Output: 2}, false, []string{"Plate"}, 0,
			false},
	} {
		pl := &plan.Placed{Outputs: rig.Lay([]rig.Run{{Count: c.outputs, Width: 2}}, 1),
			Feeds: map[string]plan.Assignment{"f": c.at}}
		f := rig.Feed{ID: "f", Loses: c.loses, Inside: rig.Inside{AlsoMain: c.also}}
		if got := pl.LosesEffect(f, plate); got != c.want {
			t.Errorf("%s: it is lost %v; want %v", name, got, c.want)
		}
	}
}
