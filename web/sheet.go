package web

import (
	"fmt"
	"net/http"
	"net/url"

	"hiddenlanes/app"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
)

// sheetPage is the patch sheet, and the files that a project can be exported as. For paper
// it is whole.
type sheetPage struct {
	Rows  []app.SheetRow
	Table table
	Files []*app.Format
	Has   map[string]bool // of columns that not every project has a use for
}

var sheetColumns = []tableColumn{{Title: "Done", Class: "box"}, {Key: "lane", Title: "Lane", Sort: true},
	{Key: "name", Title: "Name", Sort: true}, {Title: "Short"}, {Key: "instrument", Title: "Instrument", Sort: true},
	{Key: "output", Title: "Output", Sort: true}, {Title: "Ports"}, {Title: "Host ports"},
	{Key: "width", Title: "Width", Sort: true},
	{Key: "feeds", Title: "Feeds", Sort: true}, {Title: "Keys"}, {Title: "MIDI"},
	{Title: "Play on"}, {Title: "Inside"}, {Title: "Notes"},
	{Key: "to", Title: "Routed to", Sort: true}, {Title: "Inserts"}, {Title: "Set"}}

// columnsFor leaves out the columns that no row has anything in.
func columnsFor(rows []app.SheetRow) (out []tableColumn, has map[string]bool) {
	has = map[string]bool{}
	for _, r := range rows {
		for title, text := range map[string]string{"Keys": midi.FormatKeys(r.Keys, midi.MiddleC3), "MIDI": r.MIDI,
			"Play on": r.PlaysOn, "Inside": r.Inside, "Notes": r.Notes, "Inserts": r.Inserts, "Set": r.Set} {
			has[title] = has[title] || text != ""
		}
	}
	for _, c := range sheetColumns {
		if shown, optional := has[c.Title]; shown || !optional {
			out = append(out, c)
		}
	}
	return out, has
}

// sheetOrders are what the patch sheet is sorted by; as it comes, by lanes.
var sheetOrders = map[string]func(a, b app.SheetRow) int{
	"lane":       byNumber(func(r app.SheetRow) plan.LaneNumber { return r.Lane }),
	"name":       byText(func(r app.SheetRow) string { return r.Name }),
	"instrument": byText(func(r app.SheetRow) string { return r.Instrument }),
	"output":     byText(func(r app.SheetRow) string { return fmt.Sprintf("%s %6s", r.Instrument, r.Output) }),
	"width":      byText(func(r app.SheetRow) string { return r.Width }),
	"feeds":      byText(func(r app.SheetRow) string { return r.Feeds }),
	"to":         byText(func(r app.SheetRow) string { return r.GoesTo }),
}

func (s *server) sheetPage(_ *http.Request, p *project, q url.Values) (any, error) {
	path, rows := projectPath(p.ID, "sheet"), app.PatchSheet(p.Plan)
	columns, has := columnsFor(rows)
	t := newTable(path, q, "sheet", "Patch sheet of "+p.Plan.Name, columns...)
	sortRows(&t, rows, sheetOrders)
	t.Window = windowOf(path, q, t.FromName(), len(rows), windowRows)
	rows = rows[t.Window.From:t.Window.To]
	if t.Sorted != "" {
		for i := range rows {
			rows[i].Divided = false // dividers part the lanes in their own order
		}
	}
	return sheetPage{rows, t, app.ProjectFiles(), has}, nil
}
