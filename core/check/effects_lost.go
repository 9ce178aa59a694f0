package check

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var effectsLost = &Rule{
	Code: "effects-lost", Title: "The instrument's own effects do not reach a feed", Severity: Untidy,
	Step: AtOutputs, Version: 1,
	Doc: "Effects on a group or on the main output inside the instrument vanish when a feed leaves by an output of its " +
		"own. Put the effect on the bus in the host, or let the feeds leave by the main output as well.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			if len(pl.Outputs) == 0 {
				continue
			}
			for _, e := range pl.Instrument.Effects {
				var names []string
				var lost []trace.Feed
				for _, f := range g.Feeds {
					if f.Ref.Placed == pl.ID && pl.LosesEffect(f.Feed, e) && !carriedByHost(g, f, e) {
						names, lost = append(names, f.Name), append(lost, f)
					}
				}
				if n := len(names); n > 0 {
					var values []any
					for _, name := range names {
						values = append(values, name)
					}
					if n > 4 {
						names = append(names[:3], fmt.Sprintf("%d more", n-3))
						values = append(values[:3], n-3)
					}
					fd := Problem{Subjects: []plan.Entity{plan.EffectEntity(pl.ID, e.ID)},
						values: values,
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s loses its %s", pl.Instrument.Name, e.Name),
								Reason: "It does not reach " + strings.Join(names, ", ") + ", which have outputs of their own."}
						}}
					waysBack(g, pl, &fd, e, lost)
					out = append(out, fd)
				}
			}
		}
		return out
	},
}

// carriedByHost reports whether what the host puts on a feed's way has the effect instead.
func carriedByHost(g *trace.Graph, f trace.Feed, e rig.Effect) bool {
	x := e.AsInsert()
	for _, lane := range g.LanesOf(f.OutputRef()) {
		if slices.ContainsFunc(g.Along(lane), func(l *plan.Lane) bool { return slices.Contains(l.Inserts, x) }) {
			return true
		}
	}
	return false
}

// waysBack offers how to get a group effect back: on the bus in the host that all the feeds
// come to, or by the main output beside their own.
func waysBack(g *trace.Graph, pl *plan.Placed, fd *Problem, e rig.Effect, lost []trace.Feed) {
	bus, one := "", true
	var ids []string
	for i, f := range lost {
		to := ""
		if lanes := g.LanesOf(f.OutputRef()); len(lanes) == 1 {
			to = lanes[0].To
		}
		if i == 0 {
			bus = to
		}
		one = one && to == bus && to != plan.MainMix
		for _, id := range madeOf(&pl.Instrument, f.Feed) {
			if !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
			break
		}
	}
	if b := g.Lane(bus); one && b != nil {
		fd.offer(fmt.Sprintf("Insert %s on the bus %s", e.Name, b.Name), edits.AddInserts([]string{bus},
			e.AsInsert().String()))
	}
	if len(ids) == 0 {
		return
	}
	main := setInside(pl.ID, fmt.Sprintf("let %s leave by the main output as well", words.Count(len(lost), "feed",
		"feeds")),
		ids, func(x rig.SourceRef) { x.AlsoMain = true })
	const text = "Let them leave by the main output as well"
	if fd.fix == nil {
		fd.offer(text, main)
	} else {
		fd.also(text, main)
	}
}
