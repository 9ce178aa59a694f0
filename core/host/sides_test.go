package host_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// A host whose lanes cannot take one side of a pair refuses it, and one whose lanes can
// does not; the whole of the pair both take.
func TestOneSideOfAPairIsTakenOnlyWhereTheHostCan(t *testing.T) {
	for _, sides := range []bool{false, true} {
		profile := rig.Profiles[0]
		profile.Sides = sides
		h := host.New((*plan.Patched)(nil).Clone(), profile)
		outputs := rig.Lay([]rig.Run{{Count: 2, Width: audio.Stereo}}, 1)
		if err := h.Do(host.Load{Instrument: "i1", Outputs: outputs}); err != nil {
			t.Fatal(err)
		}
		for _, l := range []string{"l1", "l2"} {
			if err := h.Do(host.MakeLane{Lane: l}); err != nil {
				t.Fatal(err)
			}
		}
		side := []plan.OutputRef{{Placed: "i1", Output: 2, Side: rig.Left}}
		err := h.Do(host.Point{Lane: "l1", Sources: side})
		if sides && (err != nil || len(h.Lane("l1").Sources) != 1) {
			t.Errorf("a lane that can take a side does not: %v", err)
		}
		if !sides && (err == nil || !strings.Contains(err.Error(), "one side of a pair") || len(h.Lane("l1").Sources) != 0) {
			t.Errorf("a lane that cannot take a side takes %v, %v", h.Lane("l1").Sources, err)
		}
		if err := h.Do(host.Point{Lane: "l2", Sources: []plan.OutputRef{{Placed: "i1", Output: 2}}}); err != nil {
			t.Errorf("the whole of the pair is refused: %v", err)
		}
	}
}
