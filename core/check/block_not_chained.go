package check

import (
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

var blockNotChained = &Rule{
	Code: "block-not-chained", Title: "A block of lanes does not reach the main mix", Severity: Silent, Step: AtLanes,
	Doc: "Each block of lanes has a master of its own, and that of this block is not chained into the main mix: none " +
		"of its lanes is heard. Chain it.",
	Find: func(g *trace.Graph) (out []Problem) {
		s := g.Project.Patched
		if s == nil {
			return nil
		}
		for _, b := range slices.Sorted(maps.Keys(s.Chained)) {
			at := g.InHost().Find(route.BlockMaster, fmt.Sprint(b))
			if s.IsChained(b) || at == route.None {
				continue
			}
			lanes := len(g.InHost().In(at))
			out = append(out, Problem{Subjects: []plan.Entity{plan.BlockEntity(b)}, values: []any{b},
				say: func() Words {
					return Words{Title: fmt.Sprintf("Block %d does not reach the main mix", b),
						Reason: fmt.Sprintf("%s of it are silent.", words.Count(lanes, "lane", "lanes")),
						Fix:    "Mark as chained"}
				},
				fix: edits.SetPatched(fmt.Sprintf("block %d is chained into the main mix", b),
					func(_ *plan.Project, s *plan.Patched) error { s.Chain(b, true); return nil })})
		}
		return out
	},
}
