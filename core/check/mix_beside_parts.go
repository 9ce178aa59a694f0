package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var mixBesideParts = &Rule{
	Code: "mix-beside-parts", Title: "A ready-made mix sounds beside what it is made of", Severity: Wrong,
	Step: AtOutputs,
	Doc: "The instrument's own mix holds microphones that have outputs of their own: they are heard twice. Switch " +
		"the mix off, or its microphones.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, m := range pl.Instrument.Microphones {
				if len(m.Sums) == 0 {
					continue
				}
				var mixes, parts []string // feeds
				var names []string
				seen := map[string]bool{}
				for _, f := range g.Feeds {
					if f.Ref.Placed != pl.ID || !isAssigned(f) || f.Closed {
						continue
					}
					switch {
					case f.Microphone == m.ID:
						mixes = append(mixes, f.ID)
					case slices.Contains(m.Sums, f.Microphone):
						parts = append(parts, f.ID)
						if name := pl.Instrument.SourceName(f.Microphone); !seen[name] {
							seen[name] = true
							names = append(names, name)
						}
					}
				}
				if len(mixes) == 0 || len(parts) == 0 {
					continue
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: m.ID})},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s sounds beside its parts", m.Name), Fix: "Switch " + m.Name + " off",
							Reason: fmt.Sprintf("%s is a ready-made mix with %s in it, which have outputs of their own.", m.Name,
								namesInWords(names))}
					},
					fix: edits.SetAside(pl.ID, mixes, plan.Off)}
				for _, id := range parts {
					fd.values = append(fd.values, id)
				}
				fd.also("Switch its parts off", edits.SetAside(pl.ID, parts, plan.Off))
				out = append(out, fd)
			}
		}
		return out
	},
}
