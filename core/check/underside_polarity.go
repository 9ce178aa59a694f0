package check

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/trace"
)

var undersidePolarity = &Rule{
	Code: "underside-polarity", Title: "The polarity of an underside is planned and not patched", Severity: Wrong,
	Step: AtLanes,
	Doc: "The microphone below a drum hears its skin move the other way from the one above. The plan turns one of them " +
		"over, inside the instrument or on its lane, and in the host both still have the same polarity: together they " +
		"sound thin.",
	Find: func(g *trace.Graph) (out []Problem) {
		eachPatched(g, func(pl *plan.Placed, in plan.InstrumentState) {
			if !g.Project.Patched.Knows(plan.InstrumentEntity(pl.ID), plan.AttrInside) || !turnsSome(g.Project, &pl.Instrument) {
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
					keys, lanes := map[bool][]string{}, map[string]bool{}
					turned := func(f trace.Feed, settings map[string]string, lane func(id string) *plan.Lane) (on bool) {
						for _, id := range madeOf(&pl.Instrument, f.Feed) {
							key := rig.InsideKey(id, rig.InsidePolarity, "")
							keys[have[key] != want[key]] = append(keys[have[key] != want[key]], key)
							on = on != (settings[key] != "")
						}
						if of := g.LanesOf(f.OutputRef()); len(of) > 0 { // or on its lane
							if l := lane(of[0].ID); l != nil {
								on = on != l.Inverted
								lanes[l.ID] = true
							}
						}
						return on
					}
					unlike := turned(bottom, want, g.Project.Lane) != turned(top, want, g.Project.Lane)
					if !unlike || turned(bottom, have, g.Project.Patched.Lane) != turned(top, have, g.Project.Patched.Lane) {
						continue
					}
					out = append(out, Problem{Subjects: []plan.Entity{plan.FeedEntity(bottom.Ref), plan.FeedEntity(top.Ref)},
						say: func() Words {
							return Words{Title: fmt.Sprintf("%s is not turned over", bottom.Name), Fix: "Mark as turned over",
								Reason: fmt.Sprintf("By the plan its polarity is unlike that of %s, and in the host they are the same.",
									top.Name)}
						},
						fix: turnOver(markInside(bottom.Name+" is turned over", pl.ID, keys[true]...), lanes)})
					break
				}
			}
		})
		return out
	},
}

// turnOver is an edit with lanes of the host turned as the plan wants them.
func turnOver(inside plan.Edit, lanes map[string]bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label, err := inside(p)
		if err != nil {
			return "", err
		}
		return edits.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
			for id := range lanes {
				if have, want := s.Lane(id), p.Lane(id); have != nil && want != nil {
					have.Inverted = want.Inverted
					delete(s.Unknown, plan.Key{Entity: plan.LaneEntity(id), Attribute: plan.AttrPolarity})
				}
			}
			return nil
		})(p)
	}
}

// turnsSome reports whether the polarity of anything is turned by the plan, inside or on a lane.
func turnsSome(p *plan.Project, in *rig.Instrument) bool {
	return slices.ContainsFunc(p.Lanes, func(l plan.Lane) bool { return l.Inverted }) ||
		slices.ContainsFunc(in.Microphones, func(m rig.Microphone) bool { return m.Inverted }) ||
		slices.ContainsFunc(in.Voices, func(v rig.Voice) bool { return v.Inverted })
}

const bottomRole = "/bottom"

func isBottom(r role.Role) bool { return strings.HasSuffix(string(r), bottomRole) }

// topOf is the role of what is above an underside.
func topOf(r role.Role) role.Role {
	return role.Role(strings.TrimSuffix(string(r), bottomRole) + "/top")
}
