package check

import (
	"fmt"
	"math"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/share"
	"hiddenlanes/core/trace"
)

var feedNoOutput = &Rule{
	Code:     "feed-no-output",
	Title:    "A feed has no output",
	Severity: Silent,
	Step:     AtOutputs, Unassigned: true,
	Doc: "The feed is wanted but not assigned: notes play and nothing is heard. Assign it, propose outputs, or park " +
		"it if the song does not need it.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.At.State != plan.Undecided || f.Known && f.Uses == 0 {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
				Silences: 1,
				values:   []any{f.Placed.Instrument.Name},
				say: func() Words {
					return Words{Title: f.Name + " has no output",
						Reason: f.Placed.Instrument.Name +
							" assigns it to no output, so it is silent."}
				}}
			fd.offer(sendSomewhere(g, f))
			out = append(out, fd)
		}
		return out
	},
}

// sendSomewhere offers a spare output, or the one where sharing costs least.
func sendSomewhere(g *trace.Graph, f trace.Feed) (string, plan.Edit) {
	if j := spareOutput(g, f); j != (plan.Jack{}) {
		return fmt.Sprintf("Assign to output %s", j), edits.Decide(f.Ref, plan.Assigned, j)
	}
	best, with, least := plan.Jack{}, "", int64(math.MaxInt64)
	left := leftEmpty(g, f.Placed)
	item := func(f trace.Feed) share.Item {
		return share.Item{Role: f.Role, OwnOutput: f.Placed.OwnOutput(f.Feed)}
	}
	for _, o := range f.Placed.Jacks() {
		wanted, _ := g.On(f.Placed.Ref(o))
		sum, ok := int64(0), o.Width >= f.Width && !left[o.Number]
		for _, w := range wanted {
			c, may := share.Pair(item(f), item(w))
			sum, ok = sum+c, ok && may
		}
		if ok && sum < least {
			best, with, least = plan.Jack{Output: o.Number, Side: o.Side}, feedNames(wanted), sum
		}
	}
	if best == (plan.Jack{}) {
		return "", nil
	}
	if with == "" {
		return fmt.Sprintf("Assign to output %s", best), edits.Decide(f.Ref, plan.Assigned, best)
	}
	return fmt.Sprintf("Assign to output %s, with %s", best, with), edits.Decide(f.Ref, plan.Assigned, best)
}

// spareOutput is the first jack wide enough for the feed that carries nothing and is not to
// stay so.
func spareOutput(g *trace.Graph, f trace.Feed) plan.Jack {
	left := leftEmpty(g, f.Placed)
	for _, o := range f.Placed.Jacks() {
		if carriesNothing(g, f.Placed.Ref(o)) && o.Width >= f.Width && !left[o.Number] {
			return plan.Jack{Output: o.Number, Side: o.Side}
		}
	}
	return plan.Jack{}
}

// carriesNothing reports whether nothing is assigned to an output or parked there, and nothing leaves
// by it beside its own.
func carriesNothing(g *trace.Graph, ref plan.OutputRef) bool {
	wanted, parked := g.On(ref)
	return len(wanted)+len(parked) == 0 && len(g.Project.SecondExits(ref)) == 0
}

// leftEmpty are the outputs that the user wants to stay as they are: those kept free, and those
// that carry nothing where no more of them are left than are to be spare.
func leftEmpty(g *trace.Graph, pl *plan.Placed) map[int]bool {
	if len(pl.KeepFree) == 0 && pl.Spare == 0 {
		return nil
	}
	left, busy, empty := map[int]bool{}, map[int]bool{}, []int{}
	for _, o := range pl.Jacks() {
		busy[o.Number] = busy[o.Number] || !carriesNothing(g, pl.Ref(o))
	}
	for _, o := range pl.Outputs {
		switch {
		case pl.KeptFree(o.Number):
			left[o.Number] = true
		case !busy[o.Number]:
			empty = append(empty, o.Number)
		}
	}
	if len(empty) <= pl.Spare {
		for _, n := range empty {
			left[n] = true
		}
	}
	return left
}
