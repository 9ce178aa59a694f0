package web

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/store"
	"hiddenlanes/web/mapdraw"
)

// projectFrame is what every page of a project has around its view.
type projectFrame struct {
	*store.Project
	View       string
	Back       string // the view with its query, for coming back after an edit
	Stages     []stage
	Findings   []check.Finding
	Unassigned int // feeds without an output, where they are so many that a proposal serves better than their buttons
}

// stage is one stop of the road on top: a step of the job with its count and
// its trouble.
type stage struct {
	View, Name, Count string
	Done              bool
	Trouble           int
	Severe            bool
}

// project is a project with everything the views compute from it.
type project struct {
	*store.Project
	graph    *trace.Graph
	findings []check.Finding
	accepted []check.Finding
	steps    []runsheet.Step // left to do in the host
}

// checkPage has beside the findings those that the user lets stand.
type checkPage struct {
	Accepted []check.Finding
}

func (s *server) load(r *http.Request) (*project, error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		return nil, err
	}
	g := trace.New(p.Plan)
	open, accepted := check.Both(g)
	return &project{p, g, open, accepted, runsheet.Make(p.Plan)}, nil
}

// view serves one view of a project.
func (s *server) view(name string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		p, err := s.load(r)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		s.show(w, r, http.StatusOK, p, name, r.URL.Query(), nil)
	}
}

func (s *server) show(w http.ResponseWriter, r *http.Request, code int, p *project, view string, q url.Values, fl *flash) {
	f := frame{Title: p.Plan.Name, Section: "projects", Flash: fl}
	back := view
	if view == "map" {
		back = ""
	}
	if e := q.Encode(); e != "" {
		back += "?" + e
	}
	f.Walk = &walk{p.State, fmt.Sprintf("/projects/%d", p.ID), back}
	f.Project = &projectFrame{Project: p.Project, View: view, Back: back, Stages: p.stages(), Findings: p.findings}
	for _, fd := range p.findings {
		if fd.Rule.Code == "feed-no-output" || fd.Rule.Code == "output-gone" {
			f.Project.Unassigned++
		}
	}
	if f.Project.Unassigned < 3 {
		f.Project.Unassigned = 0
	}
	var err error
	switch view {
	case "map":
		f.Data = p.mapPage(q)
	case "feeds":
		f.Data, err = s.feedsPage(r, p)
	case "outputs":
		f.Data, err = s.outputsPage(r, p)
	case "lanes":
		f.Data = p.lanesPage()
	case "parts":
		f.Data = p.partsPage()
	case "swap":
		f.Data, err = s.swapPage(r, p, q)
	case "run":
		f.Data, err = s.runPage(r, p)
	case "practice":
		f.Data = p.practicePage()
	case "check":
		f.Data = checkPage{p.accepted}
	case "sheet":
		f.Data = patchsheet.Rows(p.Plan)
	case "proposal":
		f.Data = p.proposalPage(q)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, view, f)
}

// stages counts what each step of the job has and what is wrong with it.
func (p *project) stages() []stage {
	wanted, aside, decided := 0, 0, 0
	for _, f := range p.graph.Feeds {
		switch f.At.State {
		case plan.Parked, plan.Off:
			aside++
			continue
		case plan.Assigned:
			decided++
		}
		wanted++
	}
	outputs, used := 0, 0
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		outputs += len(pl.Jacks())
		for _, o := range pl.Jacks() {
			if on, _ := p.graph.On(pl.Ref(o)); len(on) > 0 {
				used++
			}
		}
	}
	lanes, buses, bussed := 0, 0, 0
	for _, l := range p.graph.Lanes() {
		switch {
		case l.Kind == plan.Bus:
			buses++
		default:
			lanes++
			if l.To != plan.MainMix {
				bussed++
			}
		}
	}
	st := []stage{
		{View: "feeds", Name: "Feeds", Count: fmt.Sprintf("%d wanted", wanted), Done: wanted > 0},
		{View: "outputs", Name: "Outputs", Count: fmt.Sprintf("%d of %d used", used, outputs), Done: wanted > 0 && decided == wanted},
		{View: "lanes", Name: "Lanes", Count: plural(lanes, "lane", "lanes"), Done: lanes >= used && used > 0},
		{View: "lanes#buses", Name: "Buses", Count: plural(buses, "bus", "buses"), Done: buses > 0 && bussed == lanes},
		{View: "parts", Name: "Parts", Count: p.partsCount(), Done: p.partsDone()},
		p.runStage(),
		{View: "check", Name: "Check", Count: "nothing found", Done: len(p.findings) == 0 && lanes > 0},
		{View: "sheet", Name: "Patch sheet", Count: "CSV, paper, DAWproject"},
	}
	if aside > 0 {
		st[0].Count += fmt.Sprintf(", %d aside", aside)
	}
	for _, f := range p.findings {
		at := map[check.Step]int{check.AtOutputs: 1, check.AtLanes: 2, check.AtBuses: 3, check.AtParts: 4}[f.Rule.Step]
		st[at].Trouble++
		st[at].Severe = st[at].Severe || f.Rule.Severity == check.Silent
	}
	if n := len(p.findings); n > 0 {
		st[6].Count = plural(n, "thing to mend", "things to mend")
	}
	return st
}

// mapPage is the map with what is chosen on it.
type mapPage struct {
	Draw    *mapdraw.Drawing
	Folded  bool
	CanFold bool
	Feed    *feedPanel
	Voice   *voicePanel
	Lane    *lanePanel
	Output  *outputPanel
	Marks   []findingMark
	Keep    template.URL // what is folded and unfolded, for links to begin with
}

type findingMark struct {
	X, Y, N int
	Silent  bool
}

type feedPanel struct {
	trace.Feed
	Paths   []trace.Path
	Arrives string
	Outputs []rig.Output
}

// voicePanel follows one voice through every feed it is heard in.
type voicePanel struct {
	rig.Voice
	Placed *plan.Placed
	Uses   int
	Known  bool
	Feeds  []voiceFeed
}

type voiceFeed struct {
	trace.Feed
	Lane, Then string
}

type lanePanel struct {
	*plan.Lane
	Feeds []trace.Feed
	Takes string // what a bus takes
	Buses []*plan.Lane
}

type outputPanel struct {
	rig.Output
	Placed *plan.Placed
	Ref    string
	Wanted []trace.Feed
	Parked []trace.Feed
	Lanes  []*plan.Lane
}

// foldFrom is the number of feeds from which families are folded at first.
const foldFrom = 40

func (p *project) mapPage(q url.Values) mapPage {
	m := mapPage{CanFold: len(p.graph.Feeds) > 12}
	m.Folded = len(p.graph.Feeds) > foldFrom
	if f := q.Get("fold"); f != "" {
		m.Folded = f == "1"
	}
	o := mapdraw.Options{Fold: m.Folded, Open: map[string]bool{}, Output: q.Get("output"), Lane: q.Get("lane")}
	feed := q.Get("feed")
	if feed != "" {
		o.Feeds = []string{feed}
	}
	if m.Voice = p.voice(q.Get("voice")); m.Voice != nil {
		for _, f := range m.Voice.Feeds {
			o.Feeds = append(o.Feeds, f.Ref.String())
		}
	}
	for _, open := range q["open"] {
		o.Open[open] = true
	}
	keep := url.Values{}
	for _, k := range []string{"fold", "open"} {
		if q.Has(k) {
			keep[k] = q[k]
		}
	}
	if len(keep) > 0 {
		m.Keep = asQuery(keep) + "&"
	}
	m.Draw = mapdraw.New(p.graph, o)
	switch {
	case feed != "":
		for _, f := range p.graph.Feeds {
			if f.Ref.String() != feed {
				continue
			}
			m.Feed = &feedPanel{Feed: f, Paths: p.graph.Paths(f), Outputs: f.Placed.Jacks()}
			if level, ok := trace.Arrival(m.Feed.Paths); ok {
				m.Feed.Arrives = level.String()
			}
		}
	case o.Lane != "":
		if l := p.graph.Lane(o.Lane); l != nil {
			m.Lane = &lanePanel{Lane: l, Takes: patchsheet.TakenBy(p.graph, l.ID), Buses: p.Plan.Buses()}
			for _, s := range l.Sources {
				wanted, _ := p.graph.On(s)
				m.Lane.Feeds = append(m.Lane.Feeds, wanted...)
			}
		}
	case o.Output != "":
		m.Output = p.outputPanel(o.Output)
	}
	m.mark(p)
	return m
}

// voice gives the voice that a reference like "i1:v36" names, or nil.
func (p *project) voice(ref string) *voicePanel {
	r, err := plan.ParseFeedRef(ref)
	if err != nil {
		return nil
	}
	pl := p.Plan.Find(r.Placed)
	if pl == nil {
		return nil
	}
	for _, v := range pl.Instrument.Voices {
		if v.ID != r.Feed {
			continue
		}
		out := &voicePanel{Voice: v, Placed: pl}
		out.Uses, out.Known = p.Plan.Uses(rig.Feed{Kind: rig.VoiceFeed, Keys: v.Keys})
		for _, f := range p.graph.Feeds {
			if f.Ref.Placed == r.Placed && (f.Voice == v.ID || f.Kind == rig.MicrophoneFeed && hears(&pl.Instrument, f.Microphone, v)) {
				vf := voiceFeed{Feed: f}
				vf.Lane, vf.Then = p.way(f)
				out.Feeds = append(out.Feeds, vf)
			}
		}
		return out
	}
	return nil
}

// hears tells whether a voice is heard in a microphone's feed.
func hears(in *rig.Instrument, microphone string, v rig.Voice) bool {
	m := in.Microphone(microphone)
	if m == nil {
		return false
	}
	_, ok := in.Hears(m, v)
	return ok
}

func (p *project) outputPanel(ref string) *outputPanel {
	r, err := plan.ParseOutputRef(ref)
	if err != nil {
		return nil
	}
	pl, o, ok := p.Plan.Output(r)
	if !ok {
		return nil
	}
	wanted, parked := p.graph.On(r)
	return &outputPanel{o, pl, ref, wanted, parked, p.graph.LanesOf(r)}
}

// mark puts the findings' numbers on the map, where they are about, up to three side
// by side.
func (m *mapPage) mark(p *project) {
	taken := map[[2]int]bool{}
	for i, f := range p.findings {
		x, y, next := 0, 0, -20
		for _, d := range m.Draw.Feeds {
			if f.Feed != (plan.FeedRef{}) && d.Ref == f.Feed.String() {
				x, y, next = mapdraw.FeedDot+16, d.Y, 20
			}
		}
		for _, d := range m.Draw.Outputs {
			if f.Output != (plan.OutputRef{}) && d.Ref == f.Output.String() {
				x, y, next = mapdraw.OutputLeft-14, d.Y, -20 // right of it may stand the host's port
			}
		}
		for _, d := range slices.Concat(m.Draw.Lanes, m.Draw.Buses) {
			if f.Lane != "" && d.ID == f.Lane {
				x, y, next = mapdraw.LaneLeft-14, d.Y, -20
				if f.Rule.Code == "double-path" {
					x = mapdraw.ForkX
				}
				if f.Rule.Code == "bus-unfed" {
					x = mapdraw.BusLeft - 14
				}
			}
		}
		for n := 0; n < 2 && taken[[2]int{x, y}]; n++ {
			x += next
		}
		if y != 0 && !taken[[2]int{x, y}] {
			taken[[2]int{x, y}] = true
			m.Marks = append(m.Marks, findingMark{x, y, i + 1, f.Rule.Severity == check.Silent})
		}
	}
}

// feedsPage lists every feed, and brings in songs and instruments.
type feedsPage struct {
	Rows        []feedRow
	Voices      []voiceRow // of instruments heard through microphones
	Placed      []placedRow
	Instruments []store.ShelfRow
}

type feedRow struct {
	trace.Feed
	Wish  int
	Where string
	Lane  string
	Asked []string
}

type voiceRow struct {
	rig.Voice
	Mode   rig.Mode
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
			row := voiceRow{Voice: v, Mode: pl.View.Of[v.ID], Ref: plan.FeedRef{Placed: pl.ID, Feed: v.ID}.String(), Placed: pl}
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
	Splits []rig.Microphone // that can send shells and cymbals apart
	MiB    float64          // of what is open
}

// HasMicrophones tells whether anything of the instrument is heard through them.
func (r placedRow) HasMicrophones() bool { return len(r.Instrument.Microphones) > 0 }

func (s *server) feedsPage(r *http.Request, p *project) (feedsPage, error) {
	var out feedsPage
	asked := map[string]map[string][]string{}
	for i := range p.Plan.Placed {
		asked[p.Plan.Placed[i].ID] = p.asked(&p.Plan.Placed[i])
	}
	for _, f := range p.graph.Feeds {
		row := feedRow{Feed: f, Wish: f.Placed.Wish(f.Feed), Asked: asked[f.Ref.Placed][f.ID]}
		if f.Exists {
			row.Where = fmt.Sprintf("%s (%s)", f.At.At(), f.Placed.PortText(f.Output))
			if ls := p.graph.LanesOf(f.OutputRef()); len(ls) > 0 {
				row.Lane = fmt.Sprintf("%d %s", ls[0].Number, ls[0].Name)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	out.Placed, out.Voices = p.placedRows(), p.voiceRows()
	var err error
	out.Instruments, err = s.app.Shelf(r.Context())
	return out, err
}

func (p *project) placedRows() []placedRow {
	var out []placedRow
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		row := placedRow{Placed: pl, Runs: rig.FormatRuns(rig.Runs(pl.Outputs)), N: len(pl.AllFeeds())}
		for _, m := range pl.Instrument.Microphones {
			if m.Splits {
				row.Splits = append(row.Splits, m)
			}
		}
		row.MiB = pl.Memory()
		out = append(out, row)
	}
	return out
}

// outputsPage is the set-ups and the crosspoints: a grid of feeds and outputs for
// each instrument.
type outputsPage struct {
	Grids  []grid
	Host   plan.Host
	Setups []store.Setup
}

type grid struct {
	placedRow
	First   rig.Port
	Columns []column
	Rows    []gridRow
	Ports   int
	Drawn   portsView
	Missing int
	WhyNot  string       // why none can be added
	Default *store.Setup // the user's default, where the instrument came with a set-up of its own
	Layouts []rig.Layout
	Pairs   []rig.Output // stereo outputs, whose sides may be used apart
	Apart   []int        // outputs whose sides are
	Routed  bool         // the instrument's SFZ can be written as planned
}

type column struct {
	rig.Output
	Ref    string
	Lanes  string
	Number string
	Host   string
	Clash  bool
}

type gridRow struct {
	trace.Feed
	Cells   []cell
	Colour  string
	Arrives string // the lane, by number and name
	Then    string // where it goes from there, or why it does not arrive
}

type cell struct {
	Output  string
	On      bool
	Parked  bool
	Misfit  bool // the output is narrower than the feed
	Labeled string
}

func (s *server) outputsPage(r *http.Request, p *project) (outputsPage, error) {
	out := outputsPage{Host: p.Plan.Host}
	var err error
	if out.Setups, err = s.app.Setups(r.Context()); err != nil {
		return out, err
	}
	for _, pr := range p.placedRows() {
		g := grid{placedRow: pr, First: 1}
		if len(pr.Outputs) > 0 {
			g.First = pr.Outputs[0].First
		}
		if err := s.setUp(r, p, &g); err != nil {
			return out, err
		}
		colours := map[plan.Jack]string{}
		for _, o := range pr.Jacks() {
			ref := pr.Ref(o)
			c := column{Output: o, Ref: ref.String(), Host: o.PortNames(pr.Offset)}
			var numbers []string
			for _, l := range p.graph.LanesOf(ref) {
				numbers = append(numbers, fmt.Sprint(l.Number))
				colours[ref.Jack()] = l.Colour
				c.Clash = c.Clash || len(l.Sources) > 1
			}
			c.Lanes = strings.Join(numbers, ", ")
			if len(numbers) == 1 {
				c.Number = numbers[0]
			}
			g.Columns = append(g.Columns, c)
		}
		for _, f := range p.graph.Feeds {
			if f.Ref.Placed != pr.ID {
				continue
			}
			row := gridRow{Feed: f, Colour: colours[f.At.At()]}
			row.Arrives, row.Then = p.way(f)
			for _, o := range pr.Jacks() {
				on := f.At.At() == pr.Ref(o).Jack() && f.At.State != plan.Undecided && f.At.State != plan.Off
				row.Cells = append(row.Cells, cell{Output: o.Label(), On: on && f.At.State == plan.Assigned, Parked: on && f.At.State == plan.Parked,
					Misfit: f.Width.Ports() > o.Width.Ports(), Labeled: fmt.Sprintf("%s to output %s, %s", f.Name, o.Label(), pr.PortText(o))})
			}
			g.Rows = append(g.Rows, row)
		}
		out.Grids = append(out.Grids, g)
	}
	return out, nil
}

// setUp adds how an instrument's outputs are set up and could be.
func (s *server) setUp(r *http.Request, p *project, g *grid) error {
	pl := g.Placed
	g.Ports = pl.Ports()
	g.Drawn = drawPorts(pl.Outputs, g.Ports, pl.Offset)
	if added, err := pl.Missing(p.Plan); err != nil {
		g.WhyNot = message(err)
	} else {
		g.Missing = len(added)
	}
	g.Apart = pl.Halved
	if ok, _ := p.Plan.CanPair(pl); ok {
		for _, o := range pl.Outputs {
			if o.Width == audio.Stereo && !slices.Contains(pl.Halved, o.Number) {
				g.Pairs = append(g.Pairs, o)
			}
		}
	}
	var err error
	if g.Layouts, err = s.app.Layouts(r.Context(), pl); err != nil {
		return err
	}
	if pl.OwnSetup {
		if g.Default, err = s.app.DefaultSetup(r.Context(), pl.Variant); err != nil {
			return err
		}
		if g.Default != nil && g.Default.Outputs == g.Runs {
			g.Default = nil
		}
	}
	if pl.Shelf != 0 {
		src, err := s.app.SourceOf(r.Context(), pl.Shelf)
		g.Routed = err == nil && src.Format == "sfz"
	}
	return nil
}

// way sums up a feed's first path: the lane it arrives on, and what follows.
func (p *project) way(f trace.Feed) (lane, then string) {
	paths := p.graph.Paths(f)
	path := paths[0]
	var after []string
	for _, s := range path.Stops {
		l := p.graph.Lane(s.ID)
		switch s.Kind {
		case trace.AtLane:
			lane = fmt.Sprintf("%d %s", l.Number, l.Name)
		case trace.AtBus:
			after = append(after, l.Name)
		case trace.AtMain:
			after = append(after, "main mix")
		}
	}
	if !path.Reaches {
		return lane, path.Why()
	}
	then = "→ " + strings.Join(after, " → ")
	if len(paths) > 1 {
		then += ", and by " + plural(len(paths)-1, "other way", "other ways")
	}
	return lane, then
}

// lanesPage is the table of lanes and buses.
type lanesPage struct {
	Rows    []laneRow
	Buses   []*plan.Lane
	Outputs []outputChoice
	NextBus string
}

type laneRow struct {
	*plan.Lane
	Feeds    string
	Source   string
	Members  string
	Findings []check.Finding
	Divided  bool
}

type outputChoice struct{ Ref, Label string }

func (p *project) lanesPage() lanesPage {
	out := lanesPage{Buses: p.Plan.Buses()}
	divided := p.Plan.Divided(p.Plan.LaneRoles())
	for _, l := range p.graph.Lanes() {
		row := laneRow{Lane: l, Divided: divided[l.ID]}
		var feeds, refs []string
		for _, s := range l.Sources {
			wanted, _ := p.graph.On(s)
			for _, f := range wanted {
				feeds = append(feeds, f.Name)
			}
			refs = append(refs, s.String())
		}
		if len(refs) == 1 {
			row.Source = refs[0]
		}
		row.Feeds = strings.Join(feeds, ", ")
		if l.Kind == plan.Bus {
			row.Members = patchsheet.TakenBy(p.graph, l.ID)
		}
		for _, f := range p.findings {
			if f.Lane == l.ID {
				row.Findings = append(row.Findings, f)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		for _, o := range pl.Jacks() {
			label := fmt.Sprintf("%s · %s", o.Label(), pl.PortText(o))
			if len(p.Plan.Placed) > 1 {
				label = pl.Instrument.Name + " " + label
			}
			out.Outputs = append(out.Outputs, outputChoice{pl.Ref(o).String(), label})
		}
	}
	out.NextBus = "Group"
	if len(p.Plan.Placed) > 0 {
		out.NextBus = p.Plan.Placed[0].UsualBus()
	}
	if slices.ContainsFunc(out.Buses, func(b *plan.Lane) bool { return b.Name == out.NextBus }) {
		out.NextBus = ""
	}
	return out
}

// proposalPage shows proposals beside what is there now.
type proposalPage struct {
	Parts   []proposalPart
	Changes int // instruments whose proposal would change something
	Host    plan.Host
}

type proposalPart struct {
	placedRow
	Proposal *propose.Proposal
	Rows     []proposalRow
	Err      string
	Ladder   *ladderView
	Cut      int // the number of outputs asked for, where it is not the plan's
	CutURL   string
	BothAxes bool
	Axis     rig.Axis
	CanPair  bool
	WhyNot   string
	Asked    []askedFeed // what is asked of feeds, in words
	LaneText string
}

type askedFeed struct {
	rig.Feed
	Says []string
}

type proposalRow struct {
	propose.Row
	Asked    [][]string // by feed
	LaneName string
}

func (p *project) proposalPage(q url.Values) proposalPage {
	out := proposalPage{Host: p.Plan.Host}
	rows := p.placedRows()
	var options []propose.Options
	for _, pr := range rows {
		cut, err := readNumber(q.Get("cut-"+pr.ID), 0, 0, "the cut")
		if err != nil || cut > 1024 {
			cut = 0
		}
		options = append(options, propose.Options{Placed: pr.ID, Outputs: cut})
	}
	proposals, errs := propose.All(p.Plan, options)
	for i, pr := range rows {
		part := proposalPart{placedRow: pr, Cut: options[i].Outputs, Axis: pr.View.Axis, LaneText: pr.Lanes.String()}
		part.CanPair, part.WhyNot = p.Plan.CanPair(pr.Placed)
		keep := url.Values{}
		for k, v := range q {
			if k != "cut-"+pr.ID {
				keep[k] = v
			}
		}
		part.CutURL = "?" + keep.Encode()
		if len(keep) > 0 {
			part.CutURL += "&"
		}
		part.CutURL += "cut-" + pr.ID + "="
		asked := p.asked(pr.Placed)
		for _, f := range pr.AllFeeds() {
			part.BothAxes = part.BothAxes || f.Position != ""
			if says := asked[f.ID]; len(says) > 0 {
				part.Asked = append(part.Asked, askedFeed{f, says})
			}
		}
		if errs[i] != nil {
			part.Err = message(errs[i])
		} else {
			part.Proposal = proposals[i]
			for _, row := range proposals[i].Rows {
				r := proposalRow{Row: row, LaneName: p.Plan.Host.LaneName(row.Lane.Number)}
				for _, f := range row.Feeds {
					r.Asked = append(r.Asked, asked[f.ID])
				}
				part.Rows = append(part.Rows, r)
			}
			if proposals[i].Changes() > 0 {
				out.Changes++
			}
			if steps, err := proposals[i].Ladder(); err == nil {
				part.Ladder = drawLadder(steps, p.mostOutputs(pr.Placed, len(steps)))
			}
		}
		out.Parts = append(out.Parts, part)
	}
	return out
}

// mostOutputs is how many outputs the instrument can have; 0: as many as anyone
// would want.
func (p *project) mostOutputs(pl *plan.Placed, want int) int {
	have := len(pl.Outputs)
	if pl.Instrument.Fixed {
		return have
	}
	ports := pl.Ports()
	if ports == 0 {
		return 0
	}
	wide := audio.Mono
	if have > 0 {
		wide = pl.Outputs[have-1].Width
	}
	for _, f := range pl.AllFeeds() {
		wide = max(wide, f.Width)
	}
	if left := (ports - int(rig.PastLast(pl.Outputs)) + 1) / wide.Ports(); have+left < want {
		return have + max(left, 0)
	}
	return 0
}

// asked says in words what the user asks of each feed.
func (p *project) asked(pl *plan.Placed) map[string][]string {
	names := map[string]string{}
	for _, f := range pl.AllFeeds() {
		names[f.ID] = f.Name
	}
	out := map[string][]string{}
	for _, g := range pl.Together {
		for _, id := range g {
			var with []string
			for _, o := range g {
				if o != id {
					with = append(with, names[o])
				}
			}
			out[id] = append(out[id], "together with "+strings.Join(with, ", "))
		}
	}
	for _, a := range pl.Apart {
		out[a[0]] = append(out[a[0]], "apart from "+names[a[1]])
		out[a[1]] = append(out[a[1]], "apart from "+names[a[0]])
	}
	for id, a := range pl.Feeds {
		if a.Pin != nil {
			out[id] = append(out[id], "pinned to "+a.Pin.String())
		}
		if a.Fold {
			out[id] = append(out[id], "folded to mono")
		}
	}
	return out
}
