// Package tables is a project as tables whose cells are typed into: what a cell shows is what is
// typed, copied and pasted, and typing is an edit.
package tables

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
)

type (
	// Column is one column of a table of a project.
	Column = tabular.Column[*plan.Project, *Row]
	// Table is one of its tables.
	Table = tabular.Table[*plan.Project, *Row]
)

// Row is a row of a table as it is shown or typed into: what its ID names.
type Row struct {
	id     string
	lane   *plan.Lane
	lanes  plan.ByID
	ref    plan.FeedRef
	placed *plan.Placed
	feeds  map[string]map[string]rig.Feed // of instruments, where they have been looked for
}

// feed is the feed that the row names.
func (r *Row) feed() (rig.Feed, error) {
	if r.feeds[r.placed.ID] == nil {
		known := map[string]rig.Feed{}
		for _, f := range r.placed.AllFeeds() {
			known[f.ID] = f
		}
		r.feeds[r.placed.ID] = known
	}
	f, ok := r.feeds[r.placed.ID][r.ref.Feed]
	if !ok {
		return f, plan.NoFeed(r.placed)
	}
	return f, nil
}

// Tables lists the tables of a project.
var All = []*Table{
	tableOf("lanes", "lanes", laneRows, laneColumns), tableOf("feeds", "feeds", feedRows, feedColumns),
	tableOf("parts", "parts", feedRows, partColumns), tableOf("inside", "settings inside", feedRows, insideColumns),
	tableOf("trims", "bleeds", feedRows, trimColumns),
}

func tableOf(key, many string, rows func(*plan.Project) func(string) (*Row, error), columns []Column) *Table {
	return &Table{Key: key, Many: many, Rows: rows, Columns: func(*plan.Project) []Column { return columns },
		Where: func(_ *plan.Project, _ *Row, title, typed string, among int) string {
			if among == 1 {
				return ""
			}
			return fmt.Sprintf("%s, %q", title, typed)
		}}
}

// laneColumns are the cells of lanes.
var laneColumns = func() (out []Column) {
	for _, a := range plan.LaneAttributes {
		if c := a.Cell; c != nil {
			out = append(out, Column{Key: c.Key, Title: c.Title,
				Get: func(p *plan.Project, r *Row) string { return c.Text(p, r.lanes, r.lane) },
				Set: func(p *plan.Project, r *Row, typed string) (string, error) {
					return carriedOut(p)(c.Type(p, r.id, typed))
				}})
		}
	}
	return out
}()

func laneRows(p *plan.Project) func(string) (*Row, error) {
	var lanes plan.ByID
	var of []plan.Lane // when they were listed
	return func(id string) (*Row, error) {
		if len(of) != len(p.Lanes) || len(of) > 0 && &of[0] != &p.Lanes[0] {
			lanes, of = p.ByID(), p.Lanes
		}
		if lanes[id] == nil {
			return nil, plan.ErrLaneGone
		}
		return &Row{id: id, lane: lanes[id], lanes: lanes}, nil
	}
}

// feedRows are rows of what instruments have: feeds, voices, microphones and parts.
func feedRows(p *plan.Project) func(string) (*Row, error) {
	feeds := map[string]map[string]rig.Feed{}
	return func(id string) (*Row, error) {
		ref, err := plan.ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		pl, err := p.PlacedWith(ref.Placed)
		return &Row{id: id, ref: ref, placed: pl, feeds: feeds}, err
	}
}

// TableNamed finds a table by its key, or gives nil.
func Named(key string) *Table {
	if i := slices.IndexFunc(All, func(t *Table) bool { return t.Key == key }); i >= 0 {
		return All[i]
	}
	return nil
}

// SetCells types texts into cells of a table, all or none; a *tabular.Error names the one
// that was refused. What the cells hold already is no change.
func SetCells(key string, cells []tabular.Cell) plan.Edit {
	return func(p *plan.Project) (string, error) {
		t := Named(key)
		if t == nil {
			return "", fmt.Errorf("there is no table %q", key)
		}
		return t.Type(p, cells)
	}
}

// carriedOut carries an edit out that was made without an error.
func carriedOut(p *plan.Project) func(plan.Edit, error) (string, error) {
	return func(edit plan.Edit, err error) (string, error) {
		if err != nil {
			return "", err
		}
		return edit(p)
	}
}

// feedCell is a column of feeds, which stay what they are when it is typed into.
func feedCell(key, title string, text func(*plan.Placed, rig.Feed) string,
	set func(*plan.Placed, rig.Feed, string) (string, error)) Column {
	return Column{Key: key, Title: title,
		Get: func(_ *plan.Project, r *Row) string {
			f, err := r.feed()
			if err != nil {
				return ""
			}
			return text(r.placed, f)
		},
		Set: func(_ *plan.Project, r *Row, typed string) (string, error) {
			f, err := r.feed()
			if err != nil {
				return "", err
			}
			return set(r.placed, f, typed)
		}}
}

var feedColumns = []Column{
	feedCell("wish", "Own output", wishText, func(pl *plan.Placed, f rig.Feed, typed string) (string, error) {
		wish, err := parseWish(typed)
		if err != nil {
			return "", err
		}
		return edits.SetFeedOwnOutput(pl, f, wish)
	}),
	feedCell("output", "Output", decisionText, func(pl *plan.Placed, f rig.Feed, typed string) (string, error) {
		state, at, err := parseDecision(typed)
		if err != nil {
			return "", err
		}
		return edits.DecideFeed(pl, f, state, at)
	}),
	{Key: "mode", Title: "Mapped",
		Get: func(_ *plan.Project, r *Row) string { return ModeTexts[r.placed.View.Of[r.ref.Feed]] },
		Set: func(p *plan.Project, r *Row, typed string) (string, error) {
			m, err := parseMode(typed)
			delete(r.feeds, r.placed.ID)
			return carriedOut(p)(edits.MapVoice(r.ref, m), err)
		}},
}

// FeedTexts are what the cells of a feed show: how much it wants its own output, and where
// it goes. For those who have the feed at hand.
func FeedTexts(pl *plan.Placed, f rig.Feed) (wish, output string) {
	return wishText(pl, f), decisionText(pl, f)
}

// HouseText stands where the house chart decides.
const HouseText = "house"

// parseWish reads a wish; where the house decides, it is −1.
func parseWish(typed string) (int, error) {
	if typed == "" || strings.EqualFold(typed, HouseText) || strings.HasSuffix(typed, " · "+HouseText) {
		return -1, nil
	}
	return house.ParseOwnOutput(typed)
}

// wishText is how much a feed wants an output of its own, and whether the house says so.
func wishText(pl *plan.Placed, f rig.Feed) string {
	text := house.OwnOutputTexts[pl.OwnOutput(f)]
	if pl.Feeds[f.ID].OwnOutput == nil {
		text += " · " + HouseText
	}
	return text
}

// decisionText is where a feed goes, as parseDecision reads it.
func decisionText(pl *plan.Placed, f rig.Feed) string {
	a := pl.Feeds[f.ID]
	switch a.State {
	case plan.Off:
		return "off"
	case plan.Undecided:
		return ""
	}
	text := a.At().String()
	if o, ok := pl.Output(a.At()); ok {
		text += " (" + pl.PortText(o) + ")"
	}
	if a.State == plan.Parked {
		return "parked on " + text
	}
	return text
}

// parseDecision reads where a feed goes: "3", "3L", "park 3", "off"; "" is nowhere yet.
func parseDecision(typed string) (plan.State, plan.Jack, error) {
	low := strings.ToLower(typed)
	switch low {
	case "", "none", "nowhere yet":
		return plan.Undecided, plan.Jack{}, nil
	case "off":
		return plan.Off, plan.Jack{}, nil
	}
	state := plan.Assigned
	for _, verb := range []string{"parked on ", "parked ", "park on ", "park "} {
		if rest, ok := strings.CutPrefix(low, verb); ok {
			state, low = plan.Parked, rest
			break
		}
	}
	low = strings.TrimPrefix(low, "output ")
	label, _, _ := strings.Cut(low, " ") // "3 (5–6)" is what a cell shows
	at, err := plan.ParseJack(label)
	if err != nil {
		return "", plan.Jack{}, fmt.Errorf("%q is not where a feed can go; type an output such as 3, “park 3” or “off”",
			typed)
	}
	return state, at, nil
}

// ModeTexts are how a voice is mapped, by the mode; the usual one is as the others.
var ModeTexts = map[rig.Mode]string{rig.Usual: "as the others", rig.ByMic: "by microphone", rig.OnItsOwn: "on its own",
	rig.Each: "through each microphone"}

func parseMode(typed string) (rig.Mode, error) {
	for _, m := range rig.Modes {
		if strings.EqualFold(typed, ModeTexts[m]) {
			return m, nil
		}
	}
	if typed == "" {
		return rig.Usual, nil
	}
	return "", fmt.Errorf("%q is not how a voice can be mapped; choose from the list", typed)
}

var partColumns = []Column{{Key: "address", Title: "MIDI",
	Get: func(p *plan.Project, r *Row) string {
		pl, i, err := p.PartAt(r.ref)
		if err != nil || !pl.Instrument.Parts[i].Address.Known() {
			return ""
		}
		return pl.Instrument.Parts[i].Address.String()
	},
	Set: func(p *plan.Project, r *Row, typed string) (string, error) {
		a, err := midi.ParseAddress(typed)
		return carriedOut(p)(edits.SetAddress(r.ref, a), err)
	}}}
