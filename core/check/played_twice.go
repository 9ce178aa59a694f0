package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var playedTwice = &Rule{
	Code: "played-twice", Title: "An instrument is played by itself and by the host", Severity: Wrong, Step: AtParts,
	Doc: "The instrument's own player runs, and the host sends it the notes of the song as well: every note sounds " +
		"twice, or two different things at once. Let one of them play.",
	Find: func(g *trace.Graph) (out []Problem) {
		key := rig.InsideKey("", rig.InsidePlayer, "")
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			notes := g.Project.NotesHeardBy(pl)
			planned, patched := pl.Instrument.Traits.Player == rig.PlayerOn, false
			if s := g.Project.Patched; s != nil && s.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) {
				in, loaded := s.Instruments[pl.ID]
				patched = loaded && in.Inside[key] != ""
			}
			if notes == 0 || !planned && !patched {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)}, values: []any{planned},
				say: func() Words {
					return Words{Title: pl.Instrument.Name + " is played by itself and by the host",
						Reason: fmt.Sprintf("Its own player is on, and %s of the song reach it.", words.Count(notes, "note", "notes"))}
				}}
			if planned {
				fd.offer("Switch its own player off", edits.SetPlayer(pl.ID, false))
			} else {
				fd.offer("Mark its own player as off", markInside("the own player of "+pl.Instrument.Name+" is off", pl.ID, key))
			}
			out = append(out, fd)
		}
		return out
	},
}
