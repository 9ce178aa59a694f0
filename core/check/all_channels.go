package check

import (
	"fmt"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var allChannels = &Rule{
	Code: "all-channels", Title: "A track plays all MIDI channels", Severity: Wrong, Step: AtParts,
	Doc: "The track is set to all channels, so one key plays every part of the instrument at once. Set it to its " +
		"part's channel.",
	Find: func(g *trace.Graph) (out []Finding) {
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
			for _, part := range pl.Instrument.Parts {
				ref := plan.TrackRef(pl.ID, part.ID)
				if !part.Address.Known() || host.Plays(g.Project.Host.Behaviour(), g.Project.Patched, ref).Known() {
					continue
				}
				out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: part.ID})},
					values: []any{part.Address},
					say: func() Words {
						return Words{Title: "The track of " + part.Name + " plays all channels",
							Reason: fmt.Sprintf("Its part plays on %s; one key sounds in every part.", part.Address),
							Fix:    fmt.Sprintf("It plays %s now", part.Address)}
					},
					fix: plan.SetPatched("the track of "+part.Name+
						" plays its channel", func(p *plan.Project, s *plan.Patched) error {
						s.Tracks[ref] = part.Address.Norm()
						return nil
					})})
			}
		})
		return out
	},
}
