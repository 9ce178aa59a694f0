package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/trace"
)

// feedsPage lists every feed, and imports songs and adds instruments.
type feedsPage struct {
	Table       table
	Rows        []feedRow // those on the page
	Any         bool      // the project has feeds
	Search      searchView
	Voices      table
	VoiceRows   []voiceRow // of instruments heard through microphones
	Edit        *rowForm
	Placed      []placedRow
	Microphones []plan.SharedMicrophone // of all instruments
	Instruments []app.ShelfRow
	Starts      startsOfShelf // that those can be loaded in
	Lists       []choices
	Families    []family // that feeds can be selected by
	Channels    bool     // some are of parts
}

func (f feedsPage) tables() []table { return []table{f.Table, f.Voices} }

type feedRow struct {
	trace.Feed
	Place     int // in the whole table, from 1, its head included
	OwnOutput string
	Where     string
	Lane      string
	Asked     []string
	// Family are the keys of what it can be selected by, with spaces between.
	Family string
}

type voiceRow struct {
	rig.Voice
	Place  int
	Mapped string
	Ref    string
	Uses   int
	Known  bool
	Placed *plan.Placed
	Heard  string
}

// voiceRows lists the voices that are heard through microphones: they are no
// feeds themselves, but the song plays them.
func (p *project) voiceRows() (out []voiceRow) {
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		names := map[string]string{}
		for _, m := range pl.Instrument.Microphones {
			names[m.ID] = m.Name
		}
		for _, v := range pl.Instrument.Voices {
			if len(v.Heard) == 0 {
				continue
			}
			row := voiceRow{Voice: v, Mapped: tables.ModeTexts[pl.View.Of[v.ID]],
				Ref: plan.FeedRef{Placed: pl.ID, Feed: v.ID}.String(), Placed: pl}
			row.Uses, row.Known = p.Plan.Uses(rig.Feed{Kind: rig.VoiceFeed, Keys: v.Keys})
			var heard []string
			for _, h := range v.Heard {
				if !hears(&pl.Instrument, h.Microphone, v) {
					continue
				}
				heard = append(heard, names[h.Microphone])
			}
			row.Heard = strings.Join(heard, ", ")
			out = append(out, row)
		}
	}
	return out
}

type placedRow struct {
	*plan.Placed
	Runs   string
	N      int
	Split  bool       // some microphone is
	Splits []splitRow // microphones that hear several things
	MiB    float64    // of what is open
	Update bool       // it is another on the shelf now
	News   []string   // what taking that up would change
}

// splitRow is a microphone that hears several things, with how it is split.
type splitRow struct {
	rig.Microphone
	Split rig.Split
	Own   bool // by groups that the user names
	Hears []pickedRow
}

// Groups are the names that are in use.
func (r splitRow) Groups() (out []string) {
	for _, x := range r.Hears {
		if x.Group != "" && !slices.Contains(out, x.Group) {
			out = append(out, x.Group)
		}
	}
	return out
}

type pickedRow struct {
	rig.Picked
	Group string
}

// Samples are those that the user added.
func (r placedRow) Samples() (out []rig.Voice) {
	for _, v := range r.Instrument.Voices {
		if v.Added {
			out = append(out, v)
		}
	}
	return out
}

// HasMicrophones reports whether anything of the instrument is heard through them.
func (r placedRow) HasMicrophones() bool { return len(r.Instrument.Microphones) > 0 }

// feedOrders are the ways to sort the feeds.
var feedOrders = map[string]func(a, b feedRow) int{
	"name":       byText(func(r feedRow) string { return r.Name }),
	"instrument": byText(func(r feedRow) string { return r.Placed.Instrument.Name }),
	"role":       byText(func(r feedRow) string { return string(r.Role) }),
	"uses":       byNumber(func(r feedRow) int { return r.Uses }),
	"wish":       byNumber(func(r feedRow) int { return r.Placed.OwnOutput(r.Feed.Feed) }),
	"output":     byNumber(func(r feedRow) int { return r.At.Output }),
	"lane":       byText(func(r feedRow) string { return fmt.Sprintf("%6s", r.Lane) }),
}

// giveFamilies lists the families of the feeds, and notes whether any is a part.
func (out *feedsPage) giveFamilies(p *project, rows []feedRow) {
	for i := range rows {
		keys := []string{rows[i].Ref.Placed}
		out.Families = addFamily(out.Families, rows[i].Ref.Placed, rows[i].Placed.Instrument.Name)
		for _, at := range familiesOf(rows[i].Role) {
			keys = append(keys, string(at))
			out.Families = addFamily(out.Families, string(at), p.Plan.Chart.Label(at))
		}
		rows[i].Family = strings.Join(keys, " ")
		out.Channels = out.Channels || rows[i].Part != ""
	}
}

// fillVoices puts the voices that are heard through microphones into a table.
func (out *feedsPage) fillVoices(p *project, path string, q url.Values, several bool) table {
	v := newTable(path, q, "voices", "Voices heard through microphones", voiceColumns(several)...)
	v.Cells, v.Post = "feeds", projectPath(p.ID, "edit")
	out.VoiceRows = show(&v, path, q, p.voiceRows(), func(r voiceRow) string { return r.Ref }, func(r voiceRow) []string {
		return []string{r.Name, fmt.Sprint(r.Uses), r.Mapped, r.Heard}
	})
	for i := range out.VoiceRows {
		out.VoiceRows[i].Place = v.Window.From + i + 2
	}
	v.Window.Many = "voices"
	out.Voices = v
	return v
}

func (s *server) feedsPage(r *http.Request, p *project, q url.Values) (any, error) {
	path := projectPath(p.ID, "feeds")
	several := len(p.Plan.Placed) > 1
	out := feedsPage{Any: len(p.Graph.Feeds) > 0, Search: searchOf(path, "Search feeds", q, "sort-feeds")}
	kept := tables.Named("feeds")
	rows := p.feedRows()
	t := newTable(path, q, "feeds", "Feeds", feedColumns(several)...)
	t.Cells, t.Post = "feeds", projectPath(p.ID, "edit")
	texts := func(r feedRow) []string {
		out := []string{r.Name}
		if several {
			out = append(out, r.Placed.Instrument.Name)
		}
		return append(out, string(r.Role), r.Width.String(), fmt.Sprint(r.Uses), r.OwnOutput, r.Where, r.Lane)
	}
	rows = searchIn(rows, q.Get("find"), t.Columns, func(r feedRow) string {
		return strings.Join([]string{r.Name, r.Placed.Instrument.Name, string(r.Role), r.Where, r.Lane}, " ")
	}, texts)
	sortRows(&t, rows, feedOrders)
	out.giveFamilies(p, rows)
	selectable(&t, rows, func(r feedRow) (string, bool) { return r.Family, false })
	out.Rows = show(&t, path, q, rows, func(r feedRow) string { return r.Ref.String() }, texts)
	for i := range out.Rows {
		out.Rows[i].Place = t.Window.From + i + 2
	}
	t.Window.Many = "feeds"
	out.Table = t

	v := out.fillVoices(p, path, q, several)
	name := func(id string) string {
		if i := slices.IndexFunc(p.Graph.Feeds, func(f trace.Feed) bool { return f.Ref.String() == id }); i >= 0 {
			return p.Graph.Feeds[i].Name
		}
		return "the voice"
	}
	if out.Edit = rowFormOf(t, kept, q, p.Plan, name); out.Edit == nil {
		out.Edit = rowFormOf(v, kept, q, p.Plan, name)
	}
	out.Lists = []choices{{"list-wishes", append(slices.Clone(house.OwnOutputTexts), tables.HouseText)},
		feedOutputs(p.Plan),
		{"list-modes", modeTexts()}}
	out.Placed = p.placedRows()
	for i := range out.Placed {
		if err := s.news(r, &out.Placed[i]); err != nil {
			return out, err
		}
	}
	if out.Microphones = p.Plan.Microphones(); len(out.Microphones) > windowRows {
		out.Microphones = out.Microphones[:windowRows]
	}
	var err error
	out.Instruments, err = s.app.Shelf(r.Context())
	out.Starts = shelfStarts("", out.Instruments...)
	return out, err
}

// news says what changed on the shelf since an instrument came.
func (s *server) news(r *http.Request, row *placedRow) error {
	if row.Shelf == 0 {
		return nil
	}
	in, err := s.app.OnShelf(r.Context(), row.Placed)
	if err != nil || !row.Differs(in) {
		return nil //nolint:nilerr // what is not on the shelf any more has no news
	}
	naming, err := s.app.Naming(r.Context())
	if err != nil {
		return err
	}
	if row.News, err = row.NewsOf(in, naming); err != nil {
		row.News = []string{message(err)}
		return nil
	}
	row.Update = true
	return nil
}

func modeTexts() (out []string) {
	for _, m := range rig.Modes {
		out = append(out, tables.ModeTexts[m])
	}
	return out
}

// feedOutputs is where feeds can be assigned by typing.
func feedOutputs(p *plan.Project) choices {
	c := choices{ID: "list-feed-outputs", List: []string{"off"}}
	seen := map[string]bool{}
	for i := range p.Placed {
		for _, o := range p.Placed[i].Jacks() {
			if !seen[o.Label()] {
				seen[o.Label()] = true
				c.List = append(c.List, o.Label())
			}
		}
	}
	return c
}

func feedColumns(several bool) []tableColumn {
	out := []tableColumn{
		{Title: "Select", Hidden: true},
		{Key: "name", Title: "Feed", Sort: true},
		{Key: "instrument", Title: "Instrument", Sort: true},
		{Key: "role", Title: "Role", Sort: true},
		{Title: "Keys"},
		{Key: "width", Title: "Width"},
		{Key: "uses", Title: "In the song", Number: true, Sort: true},
		{Key: "wish", Title: "Own output", List: "list-wishes", Sort: true, Word: "Own output"},
		{Key: "output", Title: "Output", List: "list-feed-outputs", Sort: true},
		{Key: "lane", Title: "Lane", Sort: true},
	}
	if !several {
		out = slices.Delete(out, 2, 3)
	}
	return out
}

func voiceColumns(several bool) []tableColumn {
	out := []tableColumn{
		{Key: "name", Title: "Voice"},
		{Title: "Instrument"},
		{Title: "Keys"},
		{Key: "uses", Title: "In the song", Number: true},
		{Key: "mode", Title: "Mapped", List: "list-modes"},
		{Key: "heard", Title: "Heard through"},
	}
	if !several {
		out = slices.Delete(out, 1, 2)
	}
	return out
}

// feedRows lists the feeds of the project with where each goes.
func (p *project) feedRows() (out []feedRow) {
	asked := map[string]map[string][]string{}
	for i := range p.Plan.Placed {
		asked[p.Plan.Placed[i].ID] = p.Plan.Placed[i].ConstraintsInWords()
	}
	for _, f := range p.Graph.Feeds {
		wish, where := tables.FeedTexts(f.Placed, f.Feed)
		row := feedRow{Feed: f, OwnOutput: wish, Where: where, Asked: asked[f.Ref.Placed][f.ID]}
		if f.Exists {
			if ls := p.Graph.LanesOf(f.OutputRef()); len(ls) > 0 {
				row.Lane = fmt.Sprintf("%d %s", ls[0].Number, ls[0].Name)
			}
		}
		out = append(out, row)
	}
	return out
}

func (p *project) placedRows() []placedRow {
	var out []placedRow
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		row := placedRow{Placed: pl, Runs: rig.FormatRuns(rig.Runs(pl.Outputs)), N: len(pl.AllFeeds())}
		hearing := pl.Instrument.Hearing(pl.View)
		for _, m := range pl.Instrument.Microphones {
			if hears := hearing[m.ID]; len(hears) > 1 {
				split := pl.View.Split[m.ID]
				at := splitRow{Microphone: m, Split: split, Own: split.By == rig.ByGroups && len(split.Of) > 0}
				for _, x := range hears {
					at.Hears = append(at.Hears, pickedRow{x, split.GroupOf(x)})
				}
				row.Splits = append(row.Splits, at)
				row.Split = row.Split || split.Groups()
			}
		}
		row.MiB = pl.Memory()
		out = append(out, row)
	}
	return out
}
