package check

import (
	"fmt"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var partAllChannels = &Rule{
	Code: "part-all-channels", Title: "A part receives on all MIDI channels beside others", Severity: Wrong, Step: AtParts,
	Doc: "Inside the instrument the part listens to all channels, so it plays along with every other part. Let it " +
		"receive on its own channel.",
	Find: func(g *trace.Graph) (out []Problem) {
		planned := map[string]bool{}
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			if len(pl.Instrument.Parts) < 2 {
				continue
			}
			for _, part := range pl.Instrument.Parts {
				if !part.AllChannels {
					continue
				}
				ref := plan.FeedRef{Placed: pl.ID, Feed: part.ID}
				planned[ref.String()] = true
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(ref)}, values: []any{len(pl.Instrument.Parts)},
					say: func() Words {
						return Words{Title: part.Name + " receives on all channels",
							Reason: fmt.Sprintf("%s has %d parts; a note for any of them plays %s too.", pl.Instrument.Name,
								len(pl.Instrument.Parts), part.Name)}
					}}
				address, ok := part.Address.Norm(), part.Address.Known()
				if !ok {
					address, ok = g.Project.FreeAddress(pl.ID)
				}
				if ok {
					fd.offer(fmt.Sprintf("Let it receive on %s", address), setInside(pl.ID,
						fmt.Sprintf("let %s receive on %s", part.Name, address), []string{part.ID}, func(x rig.SourceRef) {
							x.Part.AllChannels, x.Part.Address = false, address
						}))
				}
				out = append(out, fd)
			}
		}
		eachInside(g, rig.InsideReceives, func(pl *plan.Placed, have, want map[string]string) {
			if len(pl.Instrument.Parts) < 2 {
				return
			}
			for _, part := range pl.Instrument.Parts {
				ref, key := plan.FeedRef{Placed: pl.ID, Feed: part.ID}, rig.InsideKey(part.ID, rig.InsideReceives, "")
				if planned[ref.String()] || have[key] != rig.ReceivesAll || want[key] == rig.ReceivesAll {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(ref)}, values: []any{"host"},
					say: func() Words {
						return Words{Title: part.Name + " receives on all channels in the host",
							Fix: fmt.Sprintf("Mark as set to %s", part.Address),
							Reason: fmt.Sprintf("By the plan it receives on %s; inside %s a note for any part plays it too.", part.Address,
								pl.Instrument.Name)}
					},
					fix: markInside(part.Name+" receives on its own channel", pl.ID, key)})
			}
		})
		return out
	},
}
