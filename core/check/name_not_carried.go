package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var nameNotCarried = &Rule{
	Code: "name-not-carried", Title: "A lane is called by a feed that it does not carry", Severity: Untidy, Step: AtLanes,
	Doc: "The feed that the name says was moved, parked or switched off, or the lane is left with one of several. " +
		"Rename the lane by what it carries.",
	Find: func(g *trace.Graph) (out []Problem) {
		byPlaced := map[string][]trace.Feed{}
		byName := map[string]map[string][]rig.Feed{}
		namers := map[string]plan.Namer{}
		taken := map[string]bool{}
		for _, f := range g.Feeds {
			byPlaced[f.Ref.Placed] = append(byPlaced[f.Ref.Placed], f)
		}
		for id, feeds := range byPlaced {
			all := make([]rig.Feed, len(feeds))
			for i, f := range feeds {
				all[i] = f.Feed
			}
			byName[id] = plan.FeedsByName(all)
			namers[id] = plan.NamerOf(feeds[0].Placed, all)
		}
		for _, l := range g.Lanes() {
			taken[l.Name] = true
		}
		for _, l := range g.Lanes() {
			if len(l.Sources) != 1 || l.Owner != plan.ByPlan {
				continue
			}
			carried, _ := g.On(l.Sources[0])
			if len(carried) == 0 || !carried[0].Exists || g.Project.LaneKeptForStage(l) {
				continue
			}
			feeds := make([]rig.Feed, len(carried))
			for i, f := range carried {
				feeds[i] = f.Feed
			}
			placed := l.Sources[0].Placed
			gone := notCarried(l.Name, feeds, carried, byPlaced[placed], byName[placed])
			if gone == "" {
				continue
			}
			better := namers[placed].Name(feeds, carried[0].Output)
			if strings.EqualFold(better, l.Name) {
				continue
			}
			better = plan.Unique(better, taken)
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)}, values: []any{l.Name, feedNames(carried)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s does not carry %s", l.Number, l.Name, gone),
						Reason: fmt.Sprintf("It carries %s.", feedNames(carried)),
						Fix:    "Rename to " + better}
				},
				fix: plan.NameLane(l.ID, better)})
		}
		return out
	},
}

// notCarried is what a lane's name says that it does not carry: a feed of its instrument, or
// others of the branch it is called by; "" where the name is right, or the user's own.
func notCarried(name string, carried []rig.Feed, on, all []trace.Feed, byName map[string][]rig.Feed) string {
	if other := plan.NamesAnother(name, carried, byName); other != "" {
		return other
	}
	if strings.Contains(name, plan.NameJoint) || len(carried) != 1 {
		return ""
	}
	// one is left of a branch whose name it has
	chart := on[0].Placed.House()
	for r := carried[0].Role.Parent(); r != role.Unnamed; r = r.Parent() {
		if !strings.EqualFold(chart.Label(r), name) || strings.EqualFold(chart.Label(carried[0].Role), name) {
			continue
		}
		var others []trace.Feed
		for _, f := range all {
			if f.Role.Under(r) && f.Ref != on[0].Ref && f.At.State == plan.Assigned && f.Exists {
				others = append(others, f)
			}
		}
		if len(others) > 0 {
			return feedNames(others)
		}
	}
	return ""
}
