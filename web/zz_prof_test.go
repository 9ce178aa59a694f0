package web

import (
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/testkit"
)

func BenchmarkZZ(b *testing.B) {
	s := start(b, true)
	p := testkit.Wide(b, 8, 475)
	p.Host.LaneLimit = 4000
	testkit.Edit(b, p, plan.SetProfile(rig.Profiles[0]))
	p.Practice = p.AsPlanned()
	p.Patched = p.AsPlanned()
	ids, err := s.app.CreateProjects(b.Context(), p)
	if err != nil {
		b.Fatal(err)
	}
	id := ids[0]
	for _, n := range []string{"lanes", "sheet", "parts", "proposal", "map", "practice", "run"} {
		b.Run(n, func(b *testing.B) {
			for b.Loop() {
				s.get(b, projectPath(id, map[bool]string{true: "", false: n}[n == "map"]))
			}
		})
	}
	b.Run("edit", func(b *testing.B) {
		names := []string{"One", "Two"}
		i := 0
		for b.Loop() {
			i++
			pr, _ := s.app.Project(b.Context(), id)
			if _, err := s.app.Edit(b.Context(), id, pr.Revision, plan.Rename(names[i%2])); err != nil {
				b.Fatal(err)
			}
		}
	})
}

func BenchmarkYY(b *testing.B) {
	s := start(b, true)
	p := &plan.Project{Name: "x"}
	testkit.Edit(b, p, plan.Place(bigInstrument("Big", 1024), rig.Lay([]rig.Run{{Count: 1024, Width: 1}}, 1), 0))
	ids, err := s.app.CreateProjects(b.Context(), p)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		s.get(b, projectPath(ids[0], "proposal"))
	}
}
