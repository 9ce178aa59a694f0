package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var monoOnStereo = &Rule{
	Code: "mono-on-stereo", Title: "A mono feed uses a stereo output while a mono one is free", Severity: Untidy,
	Step: AtOutputs,
	Doc: "The feed needs one port and takes two, although a mono output carries nothing; the stereo output is then " +
		"missing elsewhere. Assign it to the mono output.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			var spare []plan.Jack
			left := leftEmpty(g, pl)
			for _, o := range pl.Jacks() {
				if o.Width == audio.Mono && carriesNothing(g, pl.Ref(o)) && !left[o.Number] {
					spare = append(spare, plan.Jack{Output: o.Number, Side: o.Side})
				}
			}
			if !stereoMissed(g, pl) {
				continue
			}
			var moves []trace.Feed
			for _, o := range pl.Jacks() {
				wanted, _ := g.On(pl.Ref(o))
				if o.Width == audio.Stereo && len(wanted) == 1 && wanted[0].Width.Ports() == 1 &&
					pl.Feeds[wanted[0].ID].Pin == nil {
					moves = append(moves, wanted[0])
				}
			}
			if len(moves) == 0 || len(spare) == 0 {
				continue
			}
			missed := len(moves)
			moves = moves[:min(len(moves), len(spare))]
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(moves[0].Ref), plan.OutputEntity(moves[0].OutputRef())},
				values: []any{moves[0].Output.Label(), spare[0]}}
			for _, f := range moves[1:] {
				fd.places = append(fd.places, plan.FeedEntity(f.Ref))
			}
			fd.say = func() Words {
				if missed == 1 {
					return Words{Title: moves[0].Name + " uses a stereo output",
						Reason: fmt.Sprintf("It is mono and leaves by output %s, which is stereo; output %s is mono and free.",
							moves[0].Output.Label(), spare[0]),
						Fix: fmt.Sprintf("Assign to output %s", spare[0])}
				}
				return Words{Title: fmt.Sprintf("%d mono feeds of %s use stereo outputs", missed, pl.Instrument.Name),
					Reason: fmt.Sprintf("%s are free, and a stereo feed could do with the room.",
						words.Count(len(spare), "mono output", "mono outputs")),
					Fix: fmt.Sprintf("Assign %s to mono outputs", feedNames(moves))}
			}
			fd.fix = func(p *plan.Project) (label string, err error) {
				for i, f := range moves {
					if label, err = moveOutput(pl.ID, f, spare[i])(p); err != nil {
						return "", err
					}
				}
				return label, nil
			}
			out = append(out, fd)
		}
		return out
	},
}

// stereoMissed reports whether some stereo feed could do with a stereo output: it has
// none, shares one, is folded, or stands on a narrower one.
func stereoMissed(g *trace.Graph, pl *plan.Placed) bool {
	for _, f := range g.Feeds {
		if f.Ref.Placed != pl.ID || f.At.State == plan.Off || f.At.State == plan.Parked {
			continue
		}
		if f.At.Fold {
			return true
		}
		if f.Width != audio.Stereo {
			continue
		}
		if wanted, _ := g.On(f.OutputRef()); !f.Exists || len(wanted) > 1 &&
			!slices.ContainsFunc(wanted, func(w trace.Feed) bool { return asked(pl, w.ID) }) || f.Output.Width.Ports() < 2 {
			return true
		}
	}
	return false
}

// moveOutput sends a feed to another jack and takes the lane along.
func moveOutput(placed string, f trace.Feed, to plan.Jack) plan.Edit {
	return func(p *plan.Project) (string, error) {
		was := f.OutputRef()
		label, err := edits.Decide(f.Ref, plan.Assigned, to)(p)
		if err != nil {
			return "", err
		}
		for _, l := range p.LanesOf(was) {
			if len(l.Sources) == 1 {
				if _, err := plan.PointLane(l.ID, plan.OutputRef{Placed: placed, Output: to.Output, Side: to.Side})(p); err != nil {
					return "", err
				}
			}
		}
		return label, nil
	}
}
