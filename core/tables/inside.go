package tables

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// InsideRow is one voice, microphone or part of a project.
type InsideRow struct {
	Ref  plan.FeedRef
	Kind rig.FeedKind // of source
	Name string
}

// InsideRows lists them, instrument by instrument: parts, microphones, voices.
func InsideRows(p *plan.Project) (out []InsideRow) {
	for i := range p.Placed {
		pl := &p.Placed[i]
		for x := range pl.Instrument.EachSource() {
			out = append(out, InsideRow{plan.FeedRef{Placed: pl.ID, Feed: x.ID}, x.Kind, x.Name})
		}
	}
	return out
}

// BleedRow is one voice in a microphone that stands at another piece.
type BleedRow struct {
	ID                string // "i1:v3.oh"
	Ref               plan.FeedRef
	Voice, Microphone string
	Level, Trim       audio.Decibels // of the pick-up; by how much it is trimmed
}

// BleedRows lists the bleeds that can be trimmed.
func BleedRows(p *plan.Project) (out []BleedRow) {
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, v := range pl.Instrument.Voices {
			for _, h := range v.Heard {
				if m := pl.Instrument.Microphone(h.Microphone); m != nil && m.Bleeds(v) {
					ref := plan.FeedRef{Placed: pl.ID, Feed: v.ID + "." + m.ID}
					out = append(out, BleedRow{ref.String(), ref, v.Name, m.Name, h.Level, h.Trim})
				}
			}
		}
	}
	return out
}

// insideColumn is a cell of the inside as tables of a project have it.
func insideColumn(c *rig.InsideCell) Column {
	return Column{Key: c.Key, Title: c.Title,
		Get: func(_ *plan.Project, r *Row) string {
			x, ok := r.placed.Instrument.Source(r.ref.Feed)
			if !ok {
				return ""
			}
			return c.Text(&r.placed.Instrument, x)
		},
		Set: func(p *plan.Project, r *Row, typed string) (string, error) {
			return edits.SetInside(r.placed.ID, func(in *rig.Instrument) (string, error) {
				x, ok := in.Source(r.ref.Feed)
				if !ok {
					return "", fmt.Errorf("that voice, microphone or part is no longer in this project")
				}
				if err := c.Set(in, x, typed); err != nil {
					return "", err
				}
				return fmt.Sprintf("set the %s of %s to %s", strings.ToLower(c.Title), x.Name, c.Text(in, x)), nil
			})(p)
		}}
}

var insideColumns = func() (out []Column) {
	for _, c := range rig.InsideCells {
		out = append(out, insideColumn(c))
	}
	return out
}()

var trimColumns = []Column{{Key: "trim", Title: "Trim",
	Get: func(_ *plan.Project, r *Row) string {
		voice, mic, _ := strings.Cut(r.ref.Feed, ".")
		if h := r.placed.Instrument.HeardIn(voice, mic); h != nil {
			return h.Trim.String()
		}
		return ""
	},
	Set: func(p *plan.Project, r *Row, typed string) (string, error) {
		trim, err := rig.ParseGain(typed)
		if err != nil {
			return "", err
		}
		return edits.SetInside(r.placed.ID, func(in *rig.Instrument) (string, error) {
			voice, mic, _ := strings.Cut(r.ref.Feed, ".")
			for i := range in.Voices {
				if v := &in.Voices[i]; v.ID == voice {
					v.Heard = slices.Clone(v.Heard)
				}
			}
			h := in.HeardIn(voice, mic)
			if h == nil {
				return "", fmt.Errorf("that bleed is no longer in this project")
			}
			h.Trim = trim
			return fmt.Sprintf("trim %s in %s to %s", in.SourceName(voice), in.SourceName(mic), trim), nil
		})(p)
	}}}
