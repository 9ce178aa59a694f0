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
				if !part.Address.Known() || host.Plays(g.Project.Host.Behaviour(), g.Project.Patched, ref) != 0 {
					continue
				}
				out = append(out, Finding{Title: "The track of " + part.Name + " plays all channels",
					Feed:   plan.FeedRef{Placed: pl.ID, Feed: part.ID},
					Reason: fmt.Sprintf("Its part plays on %s; one key sounds in every part.", part.Address),
					Mend:   fmt.Sprintf("It plays %s now", part.Address), mend: plan.SetPatched("the track of "+part.Name+
						" plays its channel", func(p *plan.Project, s *plan.Patched) error {
						s.Tracks[ref] = int(part.Address.Channel)
						return nil
					})})
			}
		})
		return out
	},
}
