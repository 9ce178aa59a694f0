package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var partNoNotes = &Rule{
	Code: "part-no-notes", Title: "A part is assigned and the song never plays it", Severity: Untidy, Step: AtParts,
	Doc: "The part holds an output and a lane, but the song has no note on its MIDI address: a part without a track. " +
		"Send it notes, or switch it off.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, f := range g.Feeds {
			if f.Kind == rig.PartFeed && f.At.State == plan.Assigned && f.Known && f.Uses == 0 {
				out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
					values: []any{f.Address},
					say: func() Words {
						return Words{Title: "The song never plays " + f.Name,
							Reason: fmt.Sprintf("No note is on %s.", f.Address),
							Fix:    "Switch it off"}
					},
					fix: offWithLane(f)})
			}
		}
		return out
	},
}

// offWithLane switches a feed off, and closes the lane that nothing else arrives on.
func offWithLane(f trace.Feed) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label, err := plan.Decide(f.Ref, plan.Off, plan.Jack{})(p)
		if err != nil {
			return "", err
		}
		for _, l := range p.LanesOf(f.OutputRef()) {
			if len(l.Sources) == 1 && len(p.FeedsOn(l.Sources[0])) == 0 {
				if _, err := plan.DeleteLane(l.ID)(p); err != nil {
					return "", err
				}
			}
		}
		return label, nil
	}
}
