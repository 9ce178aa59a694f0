package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var numbersOffset = &Rule{
	Code: "numbers-offset", Title: "In the host all lanes of an instrument are off by the same number", Severity: Wrong,
	Step: AtLanes,
	Doc: "Several lanes take outputs shifted by one and the same number: the instrument numbers its outputs " +
		"differently from the host. Set the host port offset, or set the lanes to the planned outputs.",
	Find: func(g *trace.Graph) (out []Problem) {
		type key struct {
			placed string
			by     int
		}
		count := map[key]int{}
		total := map[string]int{}
		eachPatchedLane(g, func(have *plan.Lane) {
			want := g.Lane(have.ID)
			if want == nil || len(want.Sources) != 1 || len(have.Sources) != 1 ||
				want.Sources[0].Placed != have.Sources[0].Placed {
				return
			}
			count[key{want.Sources[0].Placed, have.Sources[0].Output - want.Sources[0].Output}]++
			total[want.Sources[0].Placed]++
		})
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for k, n := range count {
				if k.placed != pl.ID || k.by == 0 || n < 2 || 2*n <= total[pl.ID] {
					continue
				}
				out = append(out, Problem{Subjects: []plan.Entity{plan.InstrumentEntity(pl.ID)},
					values: []any{n, total[pl.ID], k.by},
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s is numbered differently in the host", pl.Instrument.Name),
							Reason: fmt.Sprintf("%d of its %d lanes take an output %d off the planned one.", n, total[pl.ID], k.by),
							Fix:    "Mark as set to the planned outputs"}
					},
					fix: edits.SetPatched("the lanes take the planned outputs",
						func(p *plan.Project, s *plan.Patched) error {
							for j := range s.Lanes {
								if want := p.Lane(s.Lanes[j].ID); want != nil && len(want.Sources) == 1 && want.Sources[0].Placed == pl.ID {
									s.Lanes[j].Sources = append([]plan.OutputRef(nil), want.Sources...)
								}
							}
							return nil
						})})
			}
		}
		return out
	},
}
