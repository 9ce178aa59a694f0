package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var laneNoTrack = &Rule{
	Code: "lane-no-track", Title: "A lane is to be automated, and lanes have no tracks", Severity: Wrong, Step: AtLanes,
	Doc: "The lane is to have a track for automation, and in this kind of host lanes have none. Automate inside the " +
		"instrument, or on the bus, and leave the lane without a track.",
	Find: func(g *trace.Graph) (out []Problem) {
		if g.Project.Host.Behaviour().Tracks != rig.TracksNever {
			return nil
		}
		for _, l := range g.Lanes() {
			if !l.Track || l.IsOther() {
				continue
			}
			out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d %s cannot have a track", l.Number, l.Name),
						Reason: "Lanes have no tracks in this kind of host, so its fader cannot be automated.",
						Fix:    "Set it not automated"}
				},
				fix: plan.SetTrack([]string{l.ID}, false)})
		}
		return out
	},
}
