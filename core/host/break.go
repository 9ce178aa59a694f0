package host

import (
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Break puts one of the usual mistakes into the stand-in host, on purpose, and says
// which: the first that this host and what is in it allow.
func (h *Host) Break() (string, error) {
	defer h.index()
	var ids []string
	for id := range h.State.Instruments {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		in := h.State.Instruments[id]
		if n := len(in.Setup); n > 1 && slices.Equal(in.Seen, in.Setup) && h.Profile.After != rig.AtOnce {
			in.Seen = in.Seen[:n-1]
			h.State.Instruments[id] = in
			return "change the outputs and do not let the host see it", nil
		}
		for _, o := range slices.Backward(in.Seen) {
			if n := o.Number; in.On[n] && h.Profile.Appears == rig.WhenSwitched {
				delete(in.On, n)
				return fmt.Sprintf("switch output %d off", n), nil
			}
		}
	}
	for _, b := range slices.Sorted(maps.Keys(h.State.Chained)) {
		if h.State.IsChained(b) {
			h.State.Chain(b, false)
			return fmt.Sprintf("take block %d out of the main mix", b), nil
		}
	}
	for i := range h.State.Lanes {
		l := &h.State.Lanes[i]
		switch {
		case l.Kind == plan.Bus:
		case l.To != plan.MainMix && !l.AlsoMain:
			l.AlsoMain = true
			return fmt.Sprintf("leave the main mix open on lane %d", l.Number), nil
		case len(l.Sources) > 0:
			l.Sources = nil
			return fmt.Sprintf("take the input off lane %d", l.Number), nil
		}
	}
	return "", fmt.Errorf("there is nothing to break yet; do some steps first")
}
