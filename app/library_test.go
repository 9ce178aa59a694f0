package app_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/store"
)

// working fills a store with so many projects of 48 lanes and buses, every fifth of
// which has a lane that is called otherwise.
func working(t testing.TB, n int) *app.App {
	t.Helper()
	a, err := app.Open(context.Background(), t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { a.Close() })
	p := testkit.Mapped(t, plan.Host{}, "19x2", sample.BrineworkKit(), sample.SaltpanSection())
	lanes := len(p.Lanes)
	for len(p.Lanes) < 48 {
		testkit.Edit(t, p, edits.AddLane(plan.OutputRef{}, 0, fmt.Sprintf("Spare %d", len(p.Lanes)-lanes+1)))
	}
	var all []*plan.Project
	for i := range n {
		c := p.Clone()
		c.Name = fmt.Sprintf("Reel %04d", i)
		if i%5 == 0 {
			testkit.Edit(t, c, plan.NameLane(testkit.Lane(c, "Hat").ID, "HH"))
		}
		all = append(all, c)
	}
	if _, err := a.CreateProjects(context.Background(), all...); err != nil {
		t.Fatal(err)
	}
	return a
}

func library(t testing.TB, a *app.App) *app.Library {
	t.Helper()
	l, err := a.Library(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func TestAChangeOverManyProjectsIsUndoneAtOnce(t *testing.T) {
	a := working(t, 40)
	count := func() (drifting int) { return len(library(t, a).Find(app.Query{Drift: "drifting"})) }
	if n := count(); n != 8 {
		t.Fatalf("%d projects differ", n)
	}
	done, err := a.Align(t.Context(), app.Wanted{})
	changed, batch := done.Changed, done.Batch
	if err != nil || changed != 8 || count() != 0 {
		t.Fatalf("%d %v, %d left", changed, err, count())
	}
	// One of them is worked on afterwards: it stays as it is when the change is undone.
	e := library(t, a).Find(app.Query{Text: "reel 0005"})[0]
	if _, err := a.Edit(t.Context(), e.ID, e.Head, edits.Rename("Reel five")); err != nil {
		t.Fatal(err)
	}
	walked, left, err := a.StepBatch(t.Context(), batch, app.Back)
	if err != nil || walked != 7 || fmt.Sprint(left) != "[Reel five]" || count() != 7 {
		t.Errorf("%d %v %v, %d differ", walked, left, err, count())
	}
	if b, err := a.LastBatch(t.Context()); err != nil || !b.Undone || b.Projects != 8 ||
		!strings.Contains(b.Label, "rename 8 lanes") {
		t.Errorf("got %+v %v; want b.Undone, b.Projects 8, b.Label with \"rename 8 lanes\"", b, err)
	}
	if walked, _, err := a.StepBatch(t.Context(), batch, app.Forward); err != nil || walked != 7 || count() != 0 {
		t.Errorf("got %d %v; want walked 7, count() 0", walked, err)
	}
	// Each project has the change in its own history too.
	p, err := a.ProjectNamed(t.Context(), "Reel 0010")
	if err != nil || !strings.Contains(p.Label, "rename 1 lane") {
		t.Errorf("got %v %q; want p.Label with \"rename 1 lane\"", err, p.Label)
	}
}

func TestVersionsOfTheHouseChartAreKept(t *testing.T) {
	a := working(t, 3)
	c, err := a.Chart(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	typed := house.SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD")}, midi.MiddleC3)
	if err := a.EditChart(t.Context(), c.Revision, typed); err != nil {
		t.Fatal(err)
	}
	cell := func(role, text string) house.Edit {
		return house.SetCells([]tabular.Cell{tabular.At(role, "name", text)}, midi.MiddleC3)
	}
	if err := a.EditChart(t.Context(), c.Revision, cell("kit/kick", "Bass Drum")); err == nil ||
		!strings.Contains(err.Error(), "changed in another window: what you changed is “BD” now, and would be “Bass Drum”") {
		t.Errorf("two windows typed into one cell of the chart: %v; want the second refused, with both texts", err)
	}
	if err := a.EditChart(t.Context(), c.Revision, cell("percussion/gong", "Tam")); err != nil {
		t.Errorf("two windows typed into two cells of the chart: %v; want both", err)
	}
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if gong, kick := c.House.Label("percussion/gong"), c.House.Label("kit/kick"); gong != "Tam" || kick != "BD" {
		t.Fatalf("the chart calls them %q and %q; want Tam and BD", gong, kick)
	}
	if err := a.StepChart(t.Context(), c.Revision, false); err != nil {
		t.Fatal(err)
	}
	e := library(t, a).Find(app.Query{Text: "0001"})[0]
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if ds := drift.NewLens(c.House).Compare(e.Facts); drift.InWords(ds) != "rename 2 lanes" || e.Drift != 0 {
		t.Errorf("%v; it differs in %d before it is kept", drift.InWords(ds), e.Drift)
	}
	n, err := a.KeepChart(t.Context(), c.Revision, "kicks are BD")
	if err != nil || n != 1 {
		t.Fatalf("got %d %v; want n 1", n, err)
	}
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := a.KeepChart(t.Context(), c.Revision, "again"); err == nil ||
		!strings.Contains(err.Error(), "nothing has changed since version 1") {
		t.Errorf("the same was kept again: %v", err)
	}
	if e := library(t, a).Entry(e.ID); e.Drift != 2 || e.Facts.Version != 0 {
		t.Errorf("%d differences", e.Drift)
	}
	if _, err := a.Align(t.Context(), app.Wanted{Projects: []int64{e.ID}}); err != nil {
		t.Fatal(err)
	}
	if e := library(t, a).Entry(e.ID); e.Drift != 0 || e.Facts.Version != 1 {
		t.Errorf("%d differences, follows version %d", e.Drift, e.Facts.Version)
	}
	// Undoing in the chart afterwards leaves the kept version as it was.
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := a.StepChart(t.Context(), c.Revision, false); err != nil {
		t.Fatal(err)
	}
	if c, err = a.Chart(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := a.StepChart(t.Context(), c.Revision, false); err != nil {
		t.Fatal(err)
	}
	c, err = a.Chart(t.Context())
	kept, errKept := a.HouseVersion(t.Context(), 1)
	if err != nil || errKept != nil || c.House.Label("kit/kick") != "Kick" || kept.Label("kit/kick") != "BD" {
		t.Errorf("%v %v, %q, kept %q", err, errKept, c.House.Label("kit/kick"), kept.Label("kit/kick"))
	}
}

func TestTheLibraryFollowsEveryChange(t *testing.T) {
	a := working(t, 6)
	find := func(q app.Query) (names []string) {
		for _, e := range library(t, a).Find(q) {
			names = append(names, e.Name)
		}
		return names
	}
	if got := find(app.Query{Text: "steel-pan reel 0003"}); fmt.Sprint(got) != "[Reel 0003]" {
		t.Errorf("got %v; want fmt.Sprint(got) \"[Reel 0003]\"", got)
	}
	if got := find(app.Query{Text: "brinework SNARE bottom"}); len(got) != 6 {
		t.Errorf("got %v; want len(got) 6", got)
	}
	if got := find(app.Query{Text: "woodwind"}); len(got) != 0 {
		t.Errorf("got %v; want len(got) 0", got)
	}
	id := library(t, a).Find(app.Query{Text: "0002"})[0].ID
	if err := a.SetProjectState(t.Context(), id, store.Archived); err != nil {
		t.Fatal(err)
	}
	if got := find(app.Query{}); len(got) != 5 || fmt.Sprint(find(app.Query{State: store.Archived})) != "[Reel 0002]" {
		t.Errorf("got %v; want len(got) 5, fmt.Sprint(find(app.Query{State: store.Archived})) \"[Reel 0002]\"", got)
	}
	if err := a.RemoveProject(t.Context(), id, true); err != nil {
		t.Fatal(err)
	}
	if got := find(app.Query{State: "all"}); len(got) != 5 {
		t.Errorf("got %v; want len(got) 5", got)
	}
	if err := a.SetProjectState(t.Context(), id, "lost"); err == nil {
		t.Error("a state that does not exist was taken")
	}
}

func benchLibrary(b *testing.B, between func(a *app.App, i int)) {
	a := working(b, 2000)
	library(b, a)
	i := 0
	for b.Loop() {
		b.StopTimer()
		between(a, i)
		i++
		b.StartTimer()
		library(b, a)
	}
}

func BenchmarkDrift2000Cold(b *testing.B) { benchLibrary(b, func(a *app.App, _ int) { a.Forget() }) }

func BenchmarkDrift2000OneChanged(b *testing.B) {
	benchLibrary(b, func(a *app.App, i int) {
		e := library(b, a).Entries[1000]
		if _, err := a.Edit(context.Background(), e.ID, e.Head, edits.Rename(fmt.Sprintf("Reel x%d", i))); err != nil {
			b.Fatal(err)
		}
	})
}

// drifting fills a store with 200 projects that all have a lane that is called otherwise.
func drifting(b *testing.B) *app.App {
	a := working(b, 200)
	c, err := a.Chart(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	if err := a.EditChart(b.Context(), c.Revision,
		house.SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD")}, midi.MiddleC3)); err != nil {
		b.Fatal(err)
	}
	if c, err = a.Chart(b.Context()); err != nil {
		b.Fatal(err)
	}
	if _, err := a.KeepChart(b.Context(), c.Revision, ""); err != nil {
		b.Fatal(err)
	}
	return a
}

func BenchmarkAlign200(b *testing.B) {
	a := drifting(b)
	for b.Loop() {
		done, err := a.Align(b.Context(), app.Wanted{})
		n, batch := done.Changed, done.Batch
		if err != nil || n != 200 {
			b.Fatal(n, err)
		}
		b.StopTimer()
		if _, _, err := a.StepBatch(b.Context(), batch, app.Back); err != nil {
			b.Fatal(err)
		}
		library(b, a)
		b.StartTimer()
	}
}

func BenchmarkAlign200Undone(b *testing.B) {
	a := drifting(b)
	for b.Loop() {
		b.StopTimer()
		done, err := a.Align(b.Context(), app.Wanted{})
		batch := done.Batch
		if err != nil {
			b.Fatal(err)
		}
		b.StartTimer()
		if n, _, err := a.StepBatch(b.Context(), batch, app.Back); err != nil || n != 200 {
			b.Fatal(n, err)
		}
	}
}
