package check

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var nameTwice = &Rule{
	Code: "name-twice", Title: "Two lanes are called the same", Severity: Untidy, Step: AtLanes,
	Doc: "Among many lanes two with one name are mistaken for each other, and so are those without a name. Rename one of them.",
	Find: func(g *trace.Graph) (out []Finding) {
		first := map[string]*plan.Lane{}
		taken := map[string]bool{}
		for _, l := range g.Lanes() {
			taken[strings.ToLower(strings.TrimSpace(l.Name))] = true
		}
		for _, l := range g.Lanes() {
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
			fd := Finding{Title: fmt.Sprintf("Lane %d has no name", l.Number), Lane: l.ID, Reason: "Nobody can tell what it is.", Mend: "Call it " + better, mend: plan.NameLane(l.ID, better)}
			if was != nil {
				fd.Title, fd.Reason = fmt.Sprintf("Lanes %d and %d are both called %s", was.Number, l.Number, l.Name), "One is mistaken for the other."
			}
			out = append(out, fd)
		}
		return out
	},
}

var numbered = regexp.MustCompile(`^(?:(?i:lane|ch|channel)\s*)?#?(\d+)(?:[\s.:)_-]|$)`)

var nameStale = &Rule{
	Code: "name-stale", Title: "A lane's name carries another number", Severity: Untidy, Step: AtLanes,
	Doc: "The name begins with a number that was right before the lane was moved. Take it out or set it right.",
	Find: func(g *trace.Graph) (out []Finding) {
		for _, l := range g.Lanes() {
			m := numbered.FindStringSubmatch(l.Name)
			if m == nil {
				continue
			}
			if n, err := strconv.Atoi(m[1]); err == nil && plan.LaneNumber(n) != l.Number {
				better := strings.Replace(l.Name, m[1], strconv.Itoa(int(l.Number)), 1)
				out = append(out, Finding{Title: fmt.Sprintf("Lane %d is called %s", l.Number, l.Name), Lane: l.ID,
					Reason: fmt.Sprintf("The name says %d, and it stands on lane %d.", n, l.Number), Mend: "Call it " + better, mend: plan.NameLane(l.ID, better)})
			}
		}
		return out
	},
}
