package check

import (
	"fmt"
	"math"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/share"
	"hiddenlanes/core/trace"
)

var feedNoOutput = &Rule{
	Code:     "feed-no-output",
	Title:    "A feed has no output",
	Severity: Silent,
	Step:     AtOutputs,
	Doc: "The feed is wanted, but nobody has assigned it, or it is assigned to an output that the instrument does not have " +
		"(any more). Voices fire and nothing sounds. Assign it, ask for a proposal, or park it if the song can do without.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			switch {
			case f.At.State == plan.Undecided && (!f.Known || f.Uses > 0):
				fd := Finding{Title: f.Name + " goes nowhere", Reason: f.Placed.Instrument.Name + " sends it to no output, so it is silent.", Feed: f.Ref}
				fd.Mend, fd.mend = sendSomewhere(g, f)
				out = append(out, fd)
			case f.At.State == plan.Assigned && !f.Exists:
				fd := Finding{Title: f.Name + " is silent", Feed: f.Ref,
					Reason: fmt.Sprintf("It is assigned to output %d, but %s has only %d.", f.At.Output, f.Placed.Instrument.Name, len(f.Placed.Outputs))}
				fd.Mend, fd.mend = sendSomewhere(g, f)
				out = append(out, fd)
			}
		}
		return out
	},
}

// sendSomewhere offers a spare output, or the one where sharing costs least.
func sendSomewhere(g *trace.Graph, f trace.Feed) (string, plan.Edit) {
	if n := spareOutput(g, f); n > 0 {
		return fmt.Sprintf("Send it to output %d", n), plan.Decide(f.Ref, plan.Assigned, n)
	}
	best, with, least := 0, "", int64(math.MaxInt64)
	item := func(f trace.Feed) share.Item { return share.Item{Role: f.Role, Wish: f.Placed.Wish(f.Feed)} }
	for _, o := range f.Placed.Outputs {
		wanted, _ := g.On(plan.OutputRef{Placed: f.Ref.Placed, Output: o.Number})
		sum, ok := int64(0), o.Width >= f.Width
		for _, w := range wanted {
			c, may := share.Pair(item(f), item(w))
			sum, ok = sum+c, ok && may
		}
		if ok && sum < least {
			best, with, least = o.Number, feedNames(wanted), sum
		}
	}
	if best == 0 {
		return "", nil
	}
	if with == "" {
		return fmt.Sprintf("Send it to output %d", best), plan.Decide(f.Ref, plan.Assigned, best)
	}
	return fmt.Sprintf("Send it to output %d, with %s", best, with), plan.Decide(f.Ref, plan.Assigned, best)
}

// spareOutput is the first output wide enough for the feed that carries nothing, or 0.
func spareOutput(g *trace.Graph, f trace.Feed) int {
	for _, o := range f.Placed.Outputs {
		wanted, parked := g.On(plan.OutputRef{Placed: f.Ref.Placed, Output: o.Number})
		if len(wanted)+len(parked) == 0 && o.Width >= f.Width {
			return o.Number
		}
	}
	return 0
}
