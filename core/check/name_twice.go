package check

import (
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var nameTwice = &Rule{
	Code: "name-twice", Title: "Two lanes have the same name", Severity: Untidy, Step: AtLanes,
	Doc: "Among many lanes two with one name are mistaken for each other, and so are those without a name. Rename one " +
		"of them.",
	Find: func(g *trace.Graph) (out []Problem) {
		first := map[string]*plan.Lane{}
		taken := map[string]bool{}
		for _, l := range g.Lanes() {
			key := strings.ToLower(strings.TrimSpace(l.Name))
			taken[key] = true
			if l.IsOther() && key != "" {
				first[key] = l // it is the plan's that is renamed
			}
		}
		for _, l := range g.Lanes() {
			if l.IsOther() {
				continue
			}
			key := strings.ToLower(strings.TrimSpace(l.Name))
			was := first[key]
			if key != "" && was == nil {
				first[key] = l
				continue
			}
			name := strings.TrimSpace(l.Name)
			if name == "" {
				name = "Lane"
			}
			better := name
			for n := 2; taken[strings.ToLower(better)]; n++ {
				better = fmt.Sprintf("%s %d", name, n)
			}
			taken[strings.ToLower(better)] = true
			fd := Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Lane %d has no name", l.Number),
						Reason: "It cannot be told from others.",
						Fix:    "Rename to " + better}
				},
				fix: plan.NameLane(l.ID, better)}
			if was != nil {
				fd.Subjects = append(fd.Subjects, plan.LaneEntity(was.ID))
				fd.say = func() Words {
					return Words{Title: fmt.Sprintf("Lanes %d and %d are both called %s", was.Number, l.Number, l.Name),
						Reason: "One is mistaken for the other.", Fix: "Rename to " + better}
				}
			}
			out = append(out, fd)
		}
		return out
	},
}
