package propose

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/role"
	"hiddenlanes/core/share"
)

// Step is what so many outputs cost and what shares them.
type Step struct {
	Outputs  int
	Cost     int64
	Possible bool
	Here     bool // the proposal stands on this one
	Groups   [][]FeedRow
}

// Wanted is how many feeds the proposal is for.
func (pr *Proposal) Wanted() int { return len(pr.wanted) }

// Ladder gives the cheapest sharing for every number of outputs from 1 to the
// number of wanted feeds.
func (pr *Proposal) Ladder() ([]Step, error) {
	steps, err := share.Ladder(pr.problem, pr.solution)
	out := make([]Step, len(steps))
	for i, s := range steps {
		out[i] = Step{Outputs: s.Outputs, Cost: s.Cost, Possible: s.Possible, Here: s.Outputs == pr.Used}
		for _, g := range s.Groups {
			var feeds []FeedRow
			for _, k := range g {
				feeds = append(feeds, pr.wanted[k])
			}
			out[i].Groups = append(out[i].Groups, feeds)
		}
	}
	return out, err
}

// Shares lists what shares an output on a step, in words.
func (s Step) Shares() (out []string) {
	for _, g := range s.Groups {
		if len(g) > 1 {
			out = append(out, Names(g))
		}
	}
	return out
}

// Names lists feeds by name.
func Names(feeds []FeedRow) string {
	var names []string
	for _, f := range feeds {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// Difference tells what going from one step to another parts or joins: the groups
// of the second that are not groups of the first.
func Difference(from, to Step) string {
	key := func(g []FeedRow) string { return fmt.Sprint(ids(g)) }
	had := map[string]bool{}
	for _, g := range from.Groups {
		had[key(g)] = true
	}
	var alone, shared []string
	for _, g := range to.Groups {
		switch {
		case had[key(g)]:
		case len(g) == 1:
			alone = append(alone, g[0].Name)
		default:
			shared = append(shared, Names(g))
		}
	}
	var parts []string
	if len(alone) > 0 {
		parts = append(parts, short(alone, ", ")+" alone")
	}
	if len(shared) > 0 {
		parts = append(parts, "together "+short(shared, "; "))
	}
	return strings.Join(parts, "; ")
}

func short(names []string, sep string) string {
	if len(names) > 4 {
		names = append(slices.Clone(names[:3]), fmt.Sprintf("%d more", len(names)-3))
	}
	return strings.Join(names, sep)
}

func ids(g []FeedRow) (out []string) {
	for _, f := range g {
		out = append(out, f.ID)
	}
	return out
}

// Common is the deepest role of the feeds, for their colour.
func Common(feeds []FeedRow) role.Role {
	r := feeds[0].Role
	for _, f := range feeds[1:] {
		r = role.Common(r, f.Role)
	}
	return r
}
