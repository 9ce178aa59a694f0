package web

import (
	"cmp"
	"html/template"
	"image"
	"net/http"
	"net/url"
	"slices"

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
	"hiddenlanes/draw"
)

// mapPage is the map with what is chosen on it.
type mapPage struct {
	Draw    *draw.Map
	Folded  bool
	TooMany int // feeds of a family that was to be unfolded and is too large
	CanFold bool
	Feed    *feedPanel
	Voice   *voicePanel
	Lane    *lanePanel
	Output  *outputPanel
	Marks   []problemMark
	Listed  []check.Problem // for paper
	More    int             // problems that are not listed
	Chosen  string          // what the panel shows, as its node is called
	Keep    template.URL    // what is folded and unfolded, for links to begin with
}

type problemMark struct {
	X, Y, N int
	Silent  bool
}

type feedPanel struct {
	trace.Feed
	Paths   []trace.Path
	Arrives string
	Outputs []rig.Output
	PlaysOn string // the track that is played to hear it
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

// From so many feeds on families are folded at first, and more than so many can be folded.
const foldFrom, foldable = 40, 12

func (s *server) mapPage(_ *http.Request, p *project, q url.Values) (any, error) {
	m := mapPage{CanFold: len(p.Graph.Feeds) > foldable, Folded: len(p.Graph.Feeds) > foldFrom, Keep: mapKeeps(q)}
	if f := q.Get("fold"); f != "" {
		m.Folded = f == "1"
	}
	o := draw.MapOptions{Fold: m.Folded, Open: map[string]bool{}, Output: q.Get("output"), Lane: q.Get("lane")}
	m.unfold(p, &o, q["open"])
	feed := q.Get("feed")
	if feed != "" {
		o.Feeds = []string{feed}
	}
	if m.Voice = p.voice(q.Get("voice")); m.Voice != nil {
		for _, f := range m.Voice.Feeds {
			o.Feeds = append(o.Feeds, f.Ref.String())
		}
	}
	m.Draw = draw.NewMap(p.Graph, o)
	m.Chosen = cmp.Or(feed, o.Lane, o.Output)
	switch {
	case feed != "":
		m.Feed = p.feedPanel(feed)
	case o.Lane != "":
		m.Lane = p.lanePanel(o.Lane)
	case o.Output != "":
		m.Output = p.outputPanel(o.Output)
	}
	for i, f := range p.Problems {
		m.mark(i+1, f)
	}
	m.Listed = p.Problems
	if !forPaper(q) {
		m.Listed = m.Listed[:min(windowRows, len(m.Listed))]
	}
	m.More = len(p.Problems) - len(m.Listed)
	return m, nil
}

// mostUnfolded is how many feeds are drawn one by one at most.
const mostUnfolded = 150

// unfold opens the families that are asked for, the last ones first, as far as they can be
// drawn one by one.
func (m *mapPage) unfold(p *project, o *draw.MapOptions, open []string) {
	sizes := map[string]int{}
	for _, f := range p.Graph.Feeds {
		sizes[f.Ref.Placed+":"+string(f.Role.Family())]++
	}
	if len(p.Graph.Feeds) > mostUnfolded {
		m.Folded, m.CanFold, o.Fold = true, false, true
	}
	left := mostUnfolded
	for _, family := range slices.Backward(open) {
		if n := sizes[family]; n <= left {
			o.Open[family] = true
			left -= n
		} else {
			m.TooMany = n
		}
	}
}

// mapKeeps is what is folded and unfolded, for links to begin with.
func mapKeeps(q url.Values) template.URL {
	keep := url.Values{}
	for _, k := range []string{"fold", "open"} {
		if q.Has(k) {
			keep[k] = q[k]
		}
	}
	if len(keep) == 0 {
		return ""
	}
	return asQuery(keep) + "&"
}

// feedPanel follows the feed that a reference names, or gives nil.
func (p *project) feedPanel(ref string) *feedPanel {
	for _, f := range p.Graph.Feeds {
		if f.Ref.String() != ref {
			continue
		}
		panel := &feedPanel{Feed: f, Paths: p.Graph.AllPaths(f), Outputs: f.Placed.Jacks()}
		x, _ := f.Placed.Instrument.Source(f.Part)
		panel.PlaysOn = p.Plan.PlaysOn(f.Placed, x.Part)
		if a := p.Graph.Arrival(f); a.Silent == route.Open || a.Silent == route.Cancelled {
			panel.Arrives = a.Level.String()
		}
		return panel
	}
	return nil
}

func (p *project) lanePanel(id string) *lanePanel {
	l := p.Graph.Lane(id)
	if l == nil {
		return nil
	}
	panel := &lanePanel{Lane: l, Takes: p.Graph.TakenBy(l.ID), Buses: p.Plan.Buses()}
	for _, s := range l.Sources {
		wanted, _ := p.Graph.On(s)
		panel.Feeds = append(panel.Feeds, wanted...)
	}
	return panel
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
		for _, f := range p.Graph.Feeds {
			if f.Ref.Placed == r.Placed && (f.Voice == v.ID || f.Kind == rig.MicrophoneFeed &&
				hears(&pl.Instrument, f.Microphone, v)) {
				vf := voiceFeed{Feed: f}
				vf.Lane, vf.Then, _ = p.Graph.Brief(f)
				out.Feeds = append(out.Feeds, vf)
			}
		}
		return out
	}
	return nil
}

// hears reports whether a voice is heard in a microphone's feed.
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
	wanted, parked := p.Graph.On(r)
	return &outputPanel{o, pl, ref, wanted, parked, p.Graph.LanesOf(r)}
}

// marksAtOnePlace is how many numbers stand side by side where problems share a place.
const marksAtOnePlace = 3

// mark puts a problem's number on the map, where it is about.
func (m *mapPage) mark(n int, f check.Problem) {
	at, next, ok := m.placeOf(f)
	for k := 0; ok && k < marksAtOnePlace; k++ {
		if !slices.ContainsFunc(m.Marks, func(x problemMark) bool { return x.X == at.X && x.Y == at.Y }) {
			m.Marks = append(m.Marks, problemMark{at.X, at.Y, n, f.Rule.Severity == check.Silent})
			return
		}
		at.X += next
	}
}

// placeOf is where a problem is marked, and which way the marks of others go on from there;
// ok is false where what it is about is not drawn.
func (m *mapPage) placeOf(f check.Problem) (at image.Point, next int, ok bool) {
	const apart = 20
	lane, output, feed := f.Lane(), f.OutputRef().String(), f.FeedRef().String()
	if id := f.Instrument(); id != "" && len(f.Subjects) == 1 { // about all of it
		output = plan.OutputRef{Placed: id, Output: 1}.String()
	}
	for _, d := range slices.Concat(m.Draw.Lanes, m.Draw.Buses) {
		if d.ID == lane {
			return image.Pt(laneMark(f.Rule.Mark), d.Y), -apart, true
		}
	}
	for _, d := range m.Draw.Outputs { // right of one may stand the host's port
		if d.Ref == output {
			return image.Pt(draw.OutputLeft-markGap, d.Y), -apart, true
		}
	}
	for _, d := range m.Draw.Feeds {
		if d.Ref == feed {
			return image.Pt(draw.FeedDot+markGap+2, d.Y), apart, true
		}
	}
	return at, 0, false
}

// markGap is how far a mark stands from its thing.
const markGap = 14

func laneMark(m check.Mark) int {
	switch m {
	case check.AtFork:
		return draw.ForkX
	case check.AtBus:
		return draw.BusLeft - markGap
	}
	return draw.LaneLeft - markGap
}
