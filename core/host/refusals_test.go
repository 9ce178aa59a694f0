package host_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// What a kind of host cannot do is refused in words that name the kind, and changes nothing; what it
// can do is done.
func TestWhatAKindOfHostCannotDoIsRefused(t *testing.T) {
	side := []plan.OutputRef{{Placed: "i1", Output: 2, Side: rig.Left}}
	for _, kind := range rig.Profiles {
		for _, c := range []struct {
			name string
			a    host.Action
			can  bool
			says string
		}{
			{"switch an output on", host.Switch{Instrument: "i1", Jack: "2", Lane: "l2", Number: 5},
				kind.Appears == rig.WhenSwitched, "an output is not switched on or off here"},
			{"switch an output off", host.Switch{Instrument: "i1", Jack: "1", Off: true},
				kind.Appears == rig.WhenSwitched, "an output is not switched on or off here"},
			{"take one side", host.Point{Lane: "x", Sources: side}, kind.Sides, "one side of a pair"},
			{"make a track", host.MakeTrack{Lane: "x"}, kind.Tracks != rig.TracksNever, "lanes have no tracks here"},
			{"remove the home", host.CloseLane{Lane: "home"}, !plan.HasHomes(kind), "to remove the lane is to remove it"},
		} {
			h := host.New((*plan.Patched)(nil).Clone(), kind)
			load := host.Load{Instrument: "i1", Name: "Marl Kit", Outputs: rig.Lay([]rig.Run{{Count: 2,
				Width: audio.Stereo}}, 1), Lane: "home", Number: 1}
			for _, a := range []host.Action{load, host.MakeLane{Lane: "x", Number: 9}} {
				if err := h.Do(a); err != nil {
					t.Fatal(err)
				}
			}
			if h.Lane("home") == nil {
				if err := h.Do(host.MakeLane{Lane: "home", Number: 1}); err != nil {
					t.Fatal(err)
				}
			}
			lanes := len(h.State.Lanes)
			err := h.Do(c.a)
			if c.can {
				if err != nil {
					t.Errorf("%s, %s: %v; want it done", kind.Name, c.name, err)
				}
				continue
			}
			if err == nil || !strings.HasPrefix(err.Error(), strings.ToLower(kind.Name)+": ") ||
				!strings.Contains(err.Error(), c.says) {
				t.Errorf("%s, %s: %v; want it refused in the name of the kind, with %q", kind.Name, c.name, err, c.says)
			}
			if len(h.State.Lanes) != lanes || len(h.Lane("x").Sources) > 0 || h.Lane("x").Track {
				t.Errorf("%s, %s: refused, it has changed the mixer: %+v", kind.Name, c.name, h.State.Lanes)
			}
		}
	}
}
