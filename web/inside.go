package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tables"
	"hiddenlanes/internal/words"
)

// insidePage is the inside of the instruments: for each the settings of its voices,
// microphones and parts, its bleed, and what feeds its returns.
type insidePage struct {
	Insides []inside
	Links   []placedLink // to instruments that are not on the page
	Search  searchView
	Edit    *rowForm
	Lists   []choices
}

func (d insidePage) tables() (out []table) {
	for _, in := range d.Insides {
		out = append(out, in.Table, in.Trims)
	}
	return out
}

// inside is the inside of one instrument.
type inside struct {
	*plan.Placed
	Table    table
	Rows     []insideRow // those on the page
	Any      bool        // it has any
	Trims    table
	TrimRows []trimRow
	Returns  []returnRow
	Effects  []effectRow
	Bleeds   []bleedChoice
	Bleedful bool // it has microphones that hear other pieces
	Changed  int  // settings that are not as delivered
	Shared   []sharedPlace
}

// sharedPlace is a voice that leaves together with others, and how many feeds there are before and
// after it got a place of its own.
type sharedPlace struct {
	ID, Name, With string
	Before, After  int
}

// sharedPlaces lists the voices that leave with one before them.
func sharedPlaces(pl *plan.Placed) (out []sharedPlace) {
	first, before := map[int]string{}, len(pl.AllFeeds())
	for _, v := range pl.Instrument.Voices {
		if v.Slot == 0 {
			continue
		}
		if first[v.Slot] == "" {
			first[v.Slot] = v.Name
			continue
		}
		out = append(out, sharedPlace{v.ID, v.Name, first[v.Slot], before, before + 1})
	}
	return out
}

type insideRow struct {
	tables.InsideRow
	Place int // in the whole table, from 1, its head included
	What  string
	Cells []insideCell
}

// insideCell is one setting: what it is, and what it was as delivered where that differs.
type insideCell struct {
	Key, Text, Delivered string
	Fixed                bool // rows of its kind have no such setting
	Usual                bool // as most come
}

// Class is how the cell looks: numbers on the right, what is changed bold, what is usual soft.
func (c insideCell) Class() string {
	class := ""
	if c.Key == "gain" {
		class = "num "
	}
	switch {
	case c.Delivered != "":
		class += "changed"
	case c.Usual:
		class += "soft"
	}
	return class
}

type trimRow struct {
	tables.BleedRow
	Place int
	Trim  string
}

type returnRow struct {
	Name, Fed, Leaves string
	Width             audio.Width
}

// effectRow is an effect inside the instrument: where it is, and what becomes of it when feeds
// leave by outputs of their own.
type effectRow struct {
	Name, Kind, Place, On string
	Fate                  string
	Lost                  bool
}

type bleedChoice struct {
	Value rig.Bleed
	Text  string
	On    bool
}

// bleedChoices are the modes of bleed, with that of an instrument.
func bleedChoices(in *rig.Instrument) (out []bleedChoice) {
	for _, mode := range rig.BleedModes {
		out = append(out, bleedChoice{mode, rig.BleedTexts[mode], mode == in.Bleed})
	}
	return out
}

// kindTexts are what a row of the inside is.
var kindTexts = map[rig.FeedKind]string{rig.VoiceFeed: "voice", rig.MicrophoneFeed: "microphone", rig.PartFeed: "part"}

func (s *server) insidePage(_ *http.Request, p *project, q url.Values) (any, error) {
	path := projectPath(p.ID, "inside")
	out := insidePage{Search: searchOf(path, "Search inside", q, "placed")}
	var rows []placedRow
	rows, out.Links = oneAtATime(path, q, p.placedRows(), false)
	kept, trims := tables.Named("inside"), tables.Named("trims")
	all, bleeds := tables.InsideRows(p.Plan), tables.BleedRows(p.Plan)
	for _, r := range rows {
		in := inside{Placed: r.Placed}
		in.fill(p, q, path, kept, slices.DeleteFunc(slices.Clone(all),
			func(x tables.InsideRow) bool { return x.Ref.Placed != r.ID }))
		in.fillTrims(p, q, path, trims, slices.DeleteFunc(slices.Clone(bleeds),
			func(x tables.BleedRow) bool { return x.Ref.Placed != r.ID }))
		in.fillReturns()
		in.fillEffects()
		in.Bleeds = bleedChoices(&r.Instrument)
		name := func(id string) string {
			ref, _ := plan.ParseFeedRef(id)
			voice, mic, both := strings.Cut(ref.Feed, ".")
			if both {
				return in.Instrument.SourceName(voice) + " in " + in.Instrument.SourceName(mic)
			}
			return in.Instrument.SourceName(ref.Feed)
		}
		if out.Edit == nil {
			out.Edit = rowFormOf(in.Table, kept, q, p.Plan, name)
		}
		if out.Edit == nil {
			out.Edit = rowFormOf(in.Trims, trims, q, p.Plan, name)
		}
		out.Insides = append(out.Insides, in)
	}
	for _, c := range rig.InsideCells {
		if c.Choices != nil {
			out.Lists = append(out.Lists, choices{"list-" + c.Key, c.Choices})
		}
	}
	return out, nil
}

// cells are the cells of a source that are shown, by what they hold now and held before.
func (in *inside) cells(kind rig.FeedKind, shown []int, now, before []string) (out []insideCell) {
	for _, i := range shown {
		c := rig.InsideCells[i]
		cell := insideCell{Key: c.Key, Text: now[i], Usual: now[i] == c.Usual, Fixed: !c.Has(kind)}
		if before != nil && before[i] != now[i] && c.Key != "note" {
			if cell.Delivered = before[i]; cell.Delivered == "" {
				cell.Delivered = "nothing"
			}
			in.Changed++
		}
		out = append(out, cell)
	}
	return out
}

// fill puts the settings of the instrument's voices, microphones and parts into a table; it
// has the columns that they have a use for.
func (in *inside) fill(p *project, q url.Values, path string, kept *tables.Table, all []tables.InsideRow) {
	in.Any = len(all) > 0
	columns := []tableColumn{{Key: "name", Title: "Name"}, {Title: "Kind"}}
	var shown []int // of the cells
	for i, c := range rig.InsideCells {
		if c.Key == "returns" && len(in.Instrument.Returns) == 0 ||
			c.Of != "" && !slices.ContainsFunc(all, func(x tables.InsideRow) bool { return c.Has(x.Kind) }) {
			continue
		}
		shown = append(shown, i)
		column := tableColumn{Key: c.Key, Title: c.Title, Number: c.Key == "gain"}
		if c.Choices != nil {
			column.List = "list-" + c.Key
		}
		if c.Key == "bleed" {
			column.Word = "Bleed"
		}
		columns = append(columns, column)
	}
	t := newTable(path, q, "inside-"+in.ID, "Inside "+in.Instrument.Name, columns...)
	t.Cells, t.Post = kept.Key, projectPath(p.ID, "edit")
	now, before := rig.InsideTexts(&in.Instrument), rig.InsideTexts(in.AsDelivered())
	var rows []insideRow
	for _, x := range all {
		row := insideRow{InsideRow: x, What: kindTexts[x.Kind]}
		if m := in.Instrument.Microphone(x.Ref.Feed); m != nil && len(m.Sums) > 0 {
			var names []string
			for _, id := range m.Sums {
				names = append(names, in.Instrument.SourceName(id))
			}
			row.What = "ready-made mix of " + strings.Join(names, ", ")
		}
		row.Cells = in.cells(x.Kind, shown, now[x.Ref.Feed], before[x.Ref.Feed])
		rows = append(rows, row)
	}
	texts := func(r insideRow) []string {
		out := []string{r.Name}
		for _, c := range r.Cells {
			out = append(out, c.Text)
		}
		return out
	}
	rows = search(rows, q.Get("find"), func(r insideRow) string { return r.What + " " + strings.Join(texts(r), " ") })
	in.Rows = show(&t, path, q, rows, func(r insideRow) string { return r.Ref.String() }, texts)
	for i := range in.Rows {
		in.Rows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "settings inside"
	in.Table = t
	in.Shared = sharedPlaces(in.Placed)
}

// fillTrims puts the bleeds that can be trimmed into a table.
func (in *inside) fillTrims(p *project, q url.Values, path string, kept *tables.Table, all []tables.BleedRow) {
	in.Bleedful = len(all) > 0
	t := newTable(path, q, "trims-"+in.ID, "Bleed inside "+in.Instrument.Name,
		tableColumn{Key: "voice", Title: "Voice"}, tableColumn{Key: "microphone", Title: "Bleeds into"},
		tableColumn{Title: "Pick-up", Number: true, Word: "Pick-up"}, tableColumn{Key: "trim", Title: "Trim", Number: true})
	t.Cells, t.Post, t.Class = kept.Key, projectPath(p.ID, "edit"), "narrowtable"
	var rows []trimRow
	for _, x := range all {
		rows = append(rows, trimRow{BleedRow: x, Trim: x.Trim.String()})
	}
	rows = search(rows, q.Get("find"), func(r trimRow) string { return r.Voice + " " + r.Microphone + " " + r.Trim })
	in.TrimRows = show(&t, path, q, rows, func(r trimRow) string { return r.ID },
		func(r trimRow) []string { return []string{r.Voice, r.Microphone, r.Trim} })
	for i := range in.TrimRows {
		in.TrimRows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "bleeds"
	in.Trims = t
}

// fillReturns lists the returns with what feeds them.
func (in *inside) fillReturns() {
	for _, r := range in.Instrument.Returns {
		row := returnRow{Name: r.Name, Width: r.Width}
		var fed []string
		for _, f := range in.Instrument.FedBy(r.ID) {
			text := f.Name + " " + f.Send.Level.String()
			if in.Instrument.TakesBefore(f.Send) {
				text += " before the fader"
			}
			if f.Closed {
				text += " (closed)"
			}
			fed = append(fed, text)
		}
		row.Fed = strings.Join(fed, ", ")
		row.Leaves = "nowhere yet"
		for _, f := range in.AllFeeds() {
			if f.Kind == rig.ReturnFeed && f.ID == r.ID {
				if _, where := tables.FeedTexts(in.Placed, f); where != "" {
					row.Leaves = where
					if a := in.Feeds[f.ID]; a.State == plan.Assigned {
						row.Leaves = "output " + where
					}
				}
			}
		}
		in.Returns = append(in.Returns, row)
	}
}

// fillEffects lists the effects inside with their place, and the feeds that they do not reach.
func (in *inside) fillEffects() {
	for _, e := range in.Instrument.Effects {
		row := effectRow{Name: e.Name, Kind: string(e.Kind), Place: e.Where(), On: "everything",
			Fate: "reaches all that leaves by the first output"}
		var on, lost []string
		for _, id := range e.Covers {
			on = append(on, in.Instrument.SourceName(id))
		}
		if len(on) > 0 {
			row.On = strings.Join(on, ", ")
		}
		for _, f := range in.AllFeeds() {
			if in.LosesEffect(f, e) {
				lost = append(lost, f.Name)
			}
		}
		switch {
		case e.InChannel:
			row.Fate = "leaves with its feed"
		case len(lost) > 0:
			row.Fate, row.Lost = "does not reach "+words.Few(lost), true
		}
		in.Effects = append(in.Effects, row)
	}
}

// Says is how many settings the project has changed.
func (in inside) Says() string {
	switch in.Changed {
	case 0:
		return "as delivered"
	case 1:
		return "1 setting changed for this project"
	}
	return fmt.Sprintf("%d settings changed for this project", in.Changed)
}
