package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var partNoNotes = &Rule{
	Code: "part-no-notes", Title: "A part is assigned but never played by the song", Severity: Untidy, Step: AtParts,
	Doc: "The part has an output and a lane, but the song has no note on its MIDI address. " +
		"Add notes for it, or switch it off.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.Kind == rig.PartFeed && f.At.State == plan.Assigned && f.Known && f.Uses == 0 &&
				(f.Address.Known() || f.Program >= 0) { // else nobody has said where it listens
				out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
					values: []any{f.Address},
					say: func() Words {
						return Words{Title: "The song never plays " + f.Name,
							Reason: fmt.Sprintf("No note is on %s.", f.Address),
							Fix:    "Switch it off"}
					},
					fix: edits.SwitchOff(f.Ref)})
			}
		}
		return out
	},
}
