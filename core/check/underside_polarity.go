package check

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var undersidePolarity = &Rule{
	Code: "underside-polarity", Title: "The polarity of an underside is planned and not patched", Severity: Wrong,
	Step: AtLanes,
	Doc: "The microphone below a drum hears its skin move the other way from the one above. The plan turns one of them " +
		"over, and inside the instrument both still have the same polarity: together they sound thin.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if !g.Project.Patched.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) || !turnsSome(&pl.Instrument) {
				return
			}
			have, want := in.Inside, pl.InsideWanted()
			for _, bottom := range g.Feeds {
				if bottom.Ref.Placed != pl.ID || !isAssigned(bottom) || !isBottom(bottom.Role) {
					continue
				}
				for _, top := range g.Feeds {
					if top.Ref.Placed != pl.ID || !isAssigned(top) || top.Role != topOf(bottom.Role) {
						continue
					}
					keys := map[bool][]string{}
					turned := func(f trace.Feed, settings map[string]string) (on bool) {
						for _, id := range madeOf(&pl.Instrument, f.Feed) {
							key := rig.InsideKey(id, rig.InsidePolarity, "")
							keys[have[key] != want[key]] = append(keys[have[key] != want[key]], key)
							on = on != (settings[key] != "")
						}
						return on
					}
					unlike := turned(bottom, want) != turned(top, want)
					if !unlike || turned(bottom, have) != turned(top, have) {
						continue
					}
					out = append(out, Finding{Subjects: []plan.Entity{plan.FeedEntity(bottom.Ref), plan.FeedEntity(top.Ref)},
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s is not turned over", bottom.Name), Fix: "Mark as turned over",
								Reason: fmt.Sprintf("By the plan its polarity is unlike that of %s, and inside %s they are the same.", top.Name,
									pl.Instrument.Name)}
						},
						fix: markInside(bottom.Name+" is turned over", pl.ID, keys[true]...)})
					break
				}
			}
		})
		return out
	},
}

// turnsSome tells whether the polarity of anything is turned inside by the plan.
func turnsSome(in *rig.Instrument) bool {
	return slices.ContainsFunc(in.Microphones, func(m rig.Microphone) bool { return m.Inverted }) ||
		slices.ContainsFunc(in.Voices, func(v rig.Voice) bool { return v.Inverted })
}

const bottomRole = "/bottom"

func isBottom(r role.Role) bool { return strings.HasSuffix(string(r), bottomRole) }

// topOf is the role of what stands above an underside.
func topOf(r role.Role) role.Role {
	return role.Role(strings.TrimSuffix(string(r), bottomRole) + "/top")
}
