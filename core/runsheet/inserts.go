package runsheet

import (
	"fmt"
	"slices"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// inserts adds effects to lanes, buses and returns, removes those that the plan does not have,
// and brings the rest into order.
func (b *builder) inserts() {
	st := Step{Place: InHost, Told: true, Verify: "each lane shows its effects in the order listed"}
	var numbers []plan.LaneNumber
	for _, l := range b.planned {
		have := b.h.Lane(l.ID)
		if have == nil || slices.Equal(have.Inserts, l.Inserts) {
			continue
		}
		added, removed := onlyIn(l.Inserts, have.Inserts), onlyIn(have.Inserts, l.Inserts)
		text := fmt.Sprintf("%s %s: ", b.p.Host.LaneName(l.Number), l.Name)
		switch {
		case len(added) > 0 && len(removed) == 0:
			text += "add " + rig.InsertsText(added)
		case len(added) == 0 && len(removed) > 0:
			text += "remove " + rig.InsertsText(removed)
		case len(added) > 0:
			text += fmt.Sprintf("add %s; remove %s", rig.InsertsText(added), rig.InsertsText(removed))
		default:
			text += "put in this order: "
		}
		if len(l.Inserts) > 1 || len(added)+len(removed) == 0 {
			if len(added)+len(removed) > 0 {
				text += "; in this order: "
			}
			text += rig.InsertsText(l.Inserts)
		}
		n := max(1, len(added)+len(removed))
		st.Count += n
		numbers = append(numbers, l.Number)
		st.Items = append(st.Items, Item{Text: text, Count: n})
		st.Actions = append(st.Actions, host.SetInserts{Lane: l.ID, Inserts: slices.Clone(l.Inserts)})
	}
	st.Text = fmt.Sprintf("Set %s on %s", words.Count(st.Count, "insert", "inserts"), b.lanes(numbers))
	b.add(st)
}

// onlyIn lists what is in a list and not in another, as often as it is there more often.
func onlyIn(list, other []rig.Insert) (out []rig.Insert) {
	left := slices.Clone(other)
	for _, x := range list {
		if i := slices.Index(left, x); i >= 0 {
			left = slices.Delete(left, i, i+1)
			continue
		}
		out = append(out, x)
	}
	return out
}
