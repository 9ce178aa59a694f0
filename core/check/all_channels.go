package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var allChannels = &Rule{
	Code: "all-channels", Title: "A track sends on all MIDI channels", Severity: Wrong, Step: AtParts,
	Doc: "The track is set to all channels, so one key plays every part of the instrument at once. Set it to its " +
		"part's channel.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, _ plan.InstrumentState) {
			known := 0
			for _, part := range pl.Instrument.Parts {
				if part.Address.Known() {
					known++
				}
			}
			if known < 2 {
				return
			}
			var open []rig.Part
			for _, part := range pl.Instrument.Parts {
				if part.Address.Known() && !host.Plays(g.Project.Host.Behaviour(), g.Project.Patched,
					plan.TrackRef(pl.ID, part.ID)).Known() {
					open = append(open, part)
				}
			}
			if len(open) == 0 {
				return
			}
			fd := Problem{}
			var names []string
			for _, part := range open {
				fd.Subjects = append(fd.Subjects, plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: part.ID}))
				fd.values = append(fd.values, part.Address)
				names = append(names, part.Name)
			}
			fd.say = func() Words {
				if len(open) == 1 {
					return Words{Title: "The track of " + open[0].Name + " sends on all channels",
						Reason: fmt.Sprintf("Its part has the MIDI address %s; one key plays all %d parts.", open[0].Address, known),
						Fix:    fmt.Sprintf("Mark as set to %s", open[0].Address)}
				}
				return Words{Title: fmt.Sprintf("%d tracks of %s send on all channels", len(open), pl.Instrument.Name),
					Reason: fmt.Sprintf("Those of %s: one key plays all %d parts.", namesInWords(names), known),
					Fix:    "Mark all as set to their channels"}
			}
			fd.fix = edits.SetPatched(fmt.Sprintf("%s of %s play their channels", words.Count(len(open), "track", "tracks"),
				pl.Instrument.Name), func(p *plan.Project, s *plan.Patched) error {
				for _, part := range open {
					s.Tracks[plan.TrackRef(pl.ID, part.ID)] = plan.Track{Address: part.Address.Norm(), Notes: part.NotesText()}
				}
				return nil
			})
			out = append(out, fd)
		})
		return out
	},
}
