package app

import (
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
)

// An order and names that are kept in the house chart are those of the next project; a chart with
// other changes waits until somebody saves its version.
func TestOrderAndNamesAreKeptInTheHouseChart(t *testing.T) {
	a, ctx := open(t), t.Context()
	ids, _, err := a.AddInstruments(ctx, sample.FlintTwelve())
	if err != nil {
		t.Fatal(err)
	}
	begin := func(name string) *Project {
		t.Helper()
		id, err := a.Create(ctx, NewProject{Name: name, Host: plan.Host{FirstLane: 1},
			Choices: []Choice{{Instrument: ids[0], Setup: Setup{Outputs: []rig.Run{{Count: 7, Width: 2}}}}}})
		if err != nil {
			t.Fatal(err)
		}
		p, err := a.Project(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	p := begin("First")
	as := house.Custom{Order: house.ByInstrument, Names: house.OwnNames}
	if err := a.OrderLanes(ctx, command.Target{ID: p.ID, Base: p.Revision}, "i1", as, true); err != nil {
		t.Fatal(err)
	}
	next := begin("Second").Plan.Placed[0]
	if next.Order != as.Order || next.Names != as.Names {
		t.Errorf("the next project has the order %q and the names %q", next.Order, next.Names)
	}
	c, err := a.Chart(ctx)
	if err != nil {
		t.Fatal(err)
	}
	hats := house.SetCells([]tabular.Cell{tabular.At("kit/hat", "name", "Hats")}, midi.MiddleC3)
	if err := a.EditChart(ctx, c.Revision, hats); err != nil {
		t.Fatal(err)
	}
	p = begin("Third")
	if err := a.OrderLanes(ctx, command.Target{ID: p.ID, Base: p.Revision}, "i1", house.Custom{}, true); err != nil {
		t.Fatal(err)
	}
	versions, err := a.ChartVersions(ctx)
	if err != nil || len(versions) != 1 {
		t.Errorf("a chart with other changes was kept as version %v, %v", versions, err)
	}
}
