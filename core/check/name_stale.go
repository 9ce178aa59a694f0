package check

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var numbered = regexp.MustCompile(`^(?:(?i:lane|ch|channel)\s*)?#?(\d+)(?:[\s.:)_-]|$)`)

var nameStale = &Rule{
	Code: "name-stale", Title: "A lane's name has the wrong number", Severity: Untidy, Step: AtLanes,
	Doc: "The name begins with a number that was right before the lane was moved. Rename the lane.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, l := range g.Lanes() {
			m := numbered.FindStringSubmatch(l.Name)
			if m == nil {
				continue
			}
			if n, err := strconv.Atoi(m[1]); err == nil && plan.LaneNumber(n) != l.Number {
				better := strings.Replace(l.Name, m[1], strconv.Itoa(int(l.Number)), 1)
				out = append(out, Problem{Subjects: []plan.Entity{plan.LaneEntity(l.ID)},
					values: []any{n, l.Number},
					say: func() Words {
						return Words{Title: fmt.Sprintf("Lane %d is called %s", l.Number, l.Name),
							Reason: fmt.Sprintf("The name begins with %d, and the lane is %d.", n, l.Number),
							Fix:    "Rename to " + better}
					},
					fix: plan.NameLane(l.ID, better)})
			}
		}
		return out
	},
}
