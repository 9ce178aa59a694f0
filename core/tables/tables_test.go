package tables_test

import (
	"errors"
	"reflect"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// twoKits is a project with two instruments, sends, a lane that takes two outputs, feeds that
// are parked and off, wishes and an address.
func twoKits(t *testing.T) *plan.Project {
	t.Helper()
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "11x2", sample.BrineworkKit(), sample.BrineworkKit())
	snare, rooms := testkit.Lane(p, "Snare").ID, testkit.Lane(p, "Rooms").ID
	for _, e := range []plan.Edit{
		edits.AddBus("Room, Far and Near", 0, nil),
		plan.Route([]string{rooms}, p.Buses()[0].ID, true),
		plan.SetGain(snare, -4.5),
		edits.Decide(testkit.Feed("hat"), plan.Off, plan.Jack{}),
		edits.Decide(testkit.Feed("stop"), plan.Parked, plan.Jack{Output: 11}),
		edits.SetOwnOutput(testkit.Feed("ride"), 3),
	} {
		testkit.Edit(t, p, e)
	}
	testkit.Edit(t, p,
		plan.SetSends(snare, []plan.Send{{To: p.Buses()[0].ID, Level: -12, Pre: true}, {To: p.Buses()[1].ID, Level: -6.5}}))
	return p
}

// rowsOf are the rows of a table of a project.
func rowsOf(p *plan.Project, key string) (out []string) {
	if key == "lanes" {
		for _, l := range p.Lanes {
			out = append(out, l.ID)
		}
		return out
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, f := range pl.AllFeeds() {
			out = append(out, plan.FeedRef{Placed: pl.ID, Feed: f.ID}.String())
		}
	}
	return out
}

// What a cell shows can be copied and pasted: typed into its own cell it changes nothing.
func TestWhatACellShowsCanBeTyped(t *testing.T) {
	testkit.Slow(t)
	p := twoKits(t)
	want := p.Clone()
	for _, of := range tables.All {
		for _, row := range rowsOf(p, of.Key) {
			for i, text := range of.Texts(p)(row) {
				col := of.Columns(p)[i]
				if strings.HasSuffix(text, "outputs") || col.Key == "address" && text == "" || p.Lane(row) != nil &&
					p.Lane(row).Kind == plan.Bus && col.Key == "takes" {
					continue // says how many; there is nothing to type
				}
				testkit.Edit(t, p, tables.SetCells(of.Key, []tabular.Cell{tabular.At(row, col.Key, text)}))
				if !reflect.DeepEqual(p, want) {
					t.Fatalf("typing %q into %s of %s changes the project to %+v; want %+v", text, col.Key, row, p, want)
				}
			}
		}
	}
}

func TestCellsAreTypedAsPeopleWriteThem(t *testing.T) {
	p := twoKits(t)
	lane := testkit.Lane(p, "Snare").ID
	for _, c := range []struct{ table, row, col, typed, shows string }{
		{"lanes", lane, "name", "  Snare both ", "Snare both"},
		{"lanes", lane, "number", "60", "60"},
		{"lanes", lane, "gain", "-3", "−3.0 dB"},
		{"lanes", lane, "gain", "−2,5 dB", "−2.5 dB"},
		{"lanes", lane, "to", "MAIN MIX", "main mix"},
		{"lanes", lane, "to", "drums and Main Mix", "Drums and main mix"},
		{"lanes", lane, "sends", "drums", "Drums −12.0 dB"},
		{"lanes", lane, "sends", "drums -6 BEFORE", "Drums −6.0 dB before"},
		{"lanes", lane, "sends", "", ""},
		{"lanes", lane, "takes", "nothing", "nothing"},
		{"lanes", lane, "width", "5.1", "5.1"},
		{"lanes", lane, "width", "MONO", "mono"},
		{"feeds", "i1:ride", "output", "park 3", "parked on 3 (5–6)"},
		{"feeds", "i1:ride", "output", "Off", "off"},
		{"feeds", "i1:ride", "output", "4", "4 (7–8)"},
		{"feeds", "i1:ride", "output", "", ""},
		{"feeds", "i1:ride", "wish", "always", "always"},
		{"feeds", "i1:hat", "mode", "on its own", "on its own"},
	} {
		testkit.Edit(t, p, tables.SetCells(c.table, []tabular.Cell{tabular.At(c.row, c.col, c.typed)}))
		of := tables.Named(c.table)
		for i, x := range of.Columns(p) {
			if got := of.Texts(p)(c.row)[i]; x.Key == c.col && got != c.shows {
				t.Errorf("%q typed into %s of %s shows %q; want %q", c.typed, c.col, c.row, got, c.shows)
			}
		}
	}
}

// A cell that is refused is named, with what to type instead.
func TestRefusedCellsAreNamed(t *testing.T) {
	p := twoKits(t)
	lane := testkit.Lane(p, "Snare").ID
	for _, c := range []struct{ table, row, col, typed, says string }{
		{"lanes", lane, "number", "five", "type a whole number"},
		{"lanes", lane, "to", "Nowhere Bus", "choose one from the list"},
		{"lanes", lane, "sends", "Drums -12, Fog", "“Room −12 dB, Plate −6 dB before”"},
		{"lanes", lane, "takes", "output 99", "no output is called"},
		{"lanes", "l999", "name", "x", "lane"},
		{"feeds", "i1:ride", "output", "the left one", "“park 3” or “off”"},
		{"feeds", "i1:nothing", "output", "3", "no longer has that feed"},
		{"feeds", "i1:ride", "mode", "sideways", "choose from the list"},
		{"parts", "i1:ride", "address", "A 99", ""},
	} {
		_, err := tables.SetCells(c.table, []tabular.Cell{tabular.At(c.row, c.col, c.typed)})(p)
		var at *tabular.Error
		if !errors.As(err, &at) || at.Row != c.row || at.Column != c.col || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%q in %s of %s: %v; want the cell named, and %q", c.typed, c.col, c.row, err, c.says)
		}
	}
	for _, bad := range []struct {
		table string
		cells []tabular.Cell
	}{{"lanes", nil}, {"rooms", []tabular.Cell{tabular.At(lane, "name", "x")}},
		{"lanes", []tabular.Cell{tabular.At(lane, "smell", "x")}}} {
		if _, err := tables.SetCells(bad.table, bad.cells)(p); err == nil {
			t.Errorf("cells %v of table %q are taken", bad.cells, bad.table)
		}
	}
	if label, err := tables.SetCells("lanes",
		[]tabular.Cell{tabular.At(lane, "name", "A"), tabular.At(lane, "colour", "#123456")})(p); err != nil ||
		label != "change 2 cells of the lanes" {
		t.Errorf("two cells: %q, %v", label, err)
	}
}
