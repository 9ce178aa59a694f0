package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var leaveTogether = &Rule{
	Code: "leave-together", Title: "Two voices can only leave together", Severity: Untidy, Step: AtOutputs,
	Doc: "The instrument lets these voices leave only together, so two different sounds stay on one " +
		"lane. Separate them inside the instrument and on the instrument's page, or mark this as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			lead := map[int]int{}
			for v, voice := range pl.Instrument.Voices {
				if voice.Slot == 0 {
					continue
				}
				first, ok := lead[voice.Slot]
				if !ok {
					lead[voice.Slot] = v
					continue
				}
				other := pl.Instrument.Voices[first]
				if !wantedApart(pl, other, voice) {
					continue // strokes of one piece belong together
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: other.ID}),
					plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: voice.ID})},
					values: []any{pl.Instrument.Name},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s and %s leave together (%d)", other.Name, voice.Name, voice.Slot),
							Reason: pl.Instrument.Name + " has one output for both, whichever that is."}
					}}
				if pl.Instrument.Traits.OwnPlaces {
					fd.offer(fmt.Sprintf("Set a place of its own for %s", voice.Name), edits.OwnPlace(pl.ID, voice.ID))
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

// wantedApart reports whether two voices should leave apart: the user keeps them so, or they are
// different things, or two pads of one kind that both want an output of their own. Those that
// cut each other off are strokes of one piece.
func wantedApart(pl *plan.Placed, a, b rig.Voice) bool {
	wish := func(v rig.Voice) int { return pl.OwnOutput(rig.Feed{ID: v.ID, Kind: rig.VoiceFeed, Role: v.Role}) }
	if slices.ContainsFunc(pl.Apart,
		func(x [2]string) bool { return x == [2]string{a.ID, b.ID} || x == [2]string{b.ID, a.ID} }) {
		return true
	}
	cut := a.Choke != 0 && a.Choke == b.Choke
	return !role.Close(a.Role, b.Role) || !cut && wish(a) >= 2 && wish(b) >= 2
}
