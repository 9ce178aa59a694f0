package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// feedsPage lists every feed, and brings in songs and instruments.
type feedsPage struct {
	Rows        []feedRow
	Voices      []voiceRow // of instruments heard through microphones
	Placed      []placedRow
	Instruments []app.ShelfRow
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

func (s *server) feedsPage(r *http.Request, p *project, _ url.Values) (any, error) {
	var out feedsPage
	asked := map[string]map[string][]string{}
	for i := range p.Plan.Placed {
		asked[p.Plan.Placed[i].ID] = p.Plan.Placed[i].ConstraintsInWords()
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
