package runsheet

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// insideOrder is the order in which settings inside an instrument are made: what is open first.
var insideOrder = slices.SortedFunc(slices.Values(rig.InsideAttributes),
	func(a, b *rig.InsideAttribute) int { return cmp.Compare(a.Turn, b.Turn) })

// inside lists what is set otherwise inside the instruments, one step for each kind of setting.
func (b *builder) inside() {
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		want, have := pl.InsideWanted(), b.s.Instruments[pl.ID].Inside
		set, reset := map[string][]string{}, map[string][]string{}
		changed := rig.ChangedInside(want, have)
		sortBySource(&pl.Instrument, changed)
		for _, k := range changed {
			_, name, _ := rig.SplitInside(k)
			kind := set
			if a := rig.InsideAttributeNamed(name); a != nil && a.Reset != nil && want[k] == "" {
				kind = reset // centred, opened: a step of its own
			}
			kind[name] = append(kind[name], k)
		}
		for _, a := range insideOrder {
			if keys := set[a.Name]; len(keys) > 0 {
				b.add(insideStep(pl, a, &a.Step, keys, want, have).of(pl, rig.StepInside))
			}
			if keys := reset[a.Name]; len(keys) > 0 {
				b.add(insideStep(pl, a, a.Reset, keys, want, have).of(pl, rig.StepInside))
			}
		}
	}
}

// sortBySource sorts settings inside an instrument in the order in which it lists what they are of; what is
// of the whole comes first.
func sortBySource(in *rig.Instrument, keys []string) {
	if len(keys) < 2 {
		return
	}
	rank := map[string]int{}
	for x := range in.EachSource() {
		rank[x.ID] = len(rank) + 1
	}
	slices.SortStableFunc(keys, func(a, b string) int {
		x, _, _ := rig.SplitInside(a)
		y, _, _ := rig.SplitInside(b)
		return rank[x] - rank[y]
	})
}

// insideStep is one step: settings of one kind inside an instrument.
func insideStep(pl *plan.Placed, a *rig.InsideAttribute, says *rig.InsideStep, keys []string, want,
	have map[string]string) Step {
	st := Step{Place: InInstrument, Count: len(keys), Told: true, Verify: says.Verify, Why: says.Why}
	in := &pl.Instrument
	first := ""
	for i, k := range keys {
		source, _, of := rig.SplitInside(k)
		name := cmp.Or(in.SourceName(source), a.Whole, in.Name)
		if i == 0 {
			first = name
		}
		st.Actions = append(st.Actions, host.SetInside{Instrument: pl.ID, Key: k, Value: want[k]})
		st.Items = append(st.Items, Item{Text: a.Item(in, name, of, want[k])})
	}
	switch {
	case says.Bare:
		st.Text, st.Items = fmt.Sprintf(says.One, in.Name), nil
	case len(keys) > 1:
		st.Text = fmt.Sprintf(says.Many, len(keys), in.Name)
	default:
		st.Text = fmt.Sprintf(says.One, first, in.Name)
		if says.Alone != nil {
			text, verify := says.Alone(st.Text, first, in.Name, want[keys[0]], have[keys[0]])
			st.Text, st.Verify = text, cmp.Or(verify, st.Verify)
		}
		if !says.Lists {
			st.Items = nil
		}
	}
	return st
}
