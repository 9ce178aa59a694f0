package web

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/format/smf"
)

// partsPage puts two assignments side by side: which notes reach a part, and where its
// sound goes.
type partsPage struct {
	Groups []partGroup
	Free   string // the next address that no part plays on
	Ports  int    // MIDI ports of the host
	Song   []songRow
}

type partGroup struct {
	Placed *plan.Placed
	Rows   []partRow
}

type partRow struct {
	Ref     string // "" for an instrument of voices
	Name    string
	Role    string
	Address midi.Address
	Layer   []string // parts of the same address
	Meant   string   // why that may be
	Finding string   // key of the finding that says so, for letting it stand
	Track   string   // what its track plays in the host, as far as we have been told
	Plays   []string // parts that would sound from a track on all channels
	Notes   int      // of the song
	Known   bool
	Sounds  []partSound
}

type partSound struct {
	Output, Lane, Then string
	Colour             string
	Silent             bool
}

// songRow is one address of the song.
type songRow struct {
	plan.SongChannel
	Reach  []string // what would sound
	Unused []midi.Key
}

// Twice tells whether one note sounds in several parts.
func (r songRow) Twice() bool { return len(r.Reach) > 1 }

// InOrder lists the keys that carry notes.
func (r songRow) InOrder() []midi.Key { return slices.Sorted(maps.Keys(r.Keys)) }

func (p *project) partsCount() string {
	n := 0
	for i := range p.Plan.Placed {
		n += len(p.Plan.Placed[i].Instrument.Parts)
	}
	if n == 0 {
		return "none"
	}
	return plural(n, "part", "parts")
}

func (p *project) partsDone() bool {
	for i := range p.Plan.Placed {
		for _, part := range p.Plan.Placed[i].Instrument.Parts {
			if !part.Address.Known() && part.Program < 0 {
				return false
			}
		}
	}
	return len(p.Plan.Placed) > 0
}

func (p *project) partsPage() partsPage {
	out := partsPage{Ports: p.Plan.Host.Behaviour().MIDIPorts}
	if a, ok := p.Plan.FreeAddress(); ok {
		out.Free = a.String()
	}
	at := map[midi.Address][]string{}
	for i := range p.Plan.Placed {
		for _, part := range p.Plan.Placed[i].Instrument.Parts {
			if part.Address.Known() {
				at[part.Address.Norm()] = append(at[part.Address.Norm()], part.Name)
			}
		}
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		g := partGroup{Placed: pl}
		for _, part := range pl.Instrument.Parts {
			g.Rows = append(g.Rows, p.partRow(pl, part, at))
		}
		if len(pl.Instrument.Parts) == 0 && len(pl.Instrument.Voices) > 0 {
			row := partRow{Name: "all voices", Address: midi.Address{Port: 1, Channel: midi.PercussionChannel}}
			row.Known = p.Plan.Song != nil
			for _, c := range heardOf(p.Plan, pl) {
				row.Notes += c.Notes()
			}
			g.Rows = append(g.Rows, row)
		}
		out.Groups = append(out.Groups, g)
	}
	out.Song = p.songRows()
	return out
}

func (p *project) partRow(pl *plan.Placed, part rig.Part, at map[midi.Address][]string) partRow {
	ref := plan.FeedRef{Placed: pl.ID, Feed: part.ID}
	row := partRow{Ref: ref.String(), Name: part.Name, Role: string(part.Role), Address: part.Address}
	for _, other := range at[part.Address.Norm()] {
		if other != part.Name && part.Address.Known() {
			row.Layer = append(row.Layer, other)
		}
	}
	for _, f := range slices.Concat(p.findings, p.accepted) {
		if f.Rule.Code == "midi-layer" && f.Feed == ref {
			row.Finding, row.Meant = f.Key(), f.Accepted
		}
	}
	if p.Plan.Patched != nil && part.Address.Known() {
		switch c := host.Plays(p.Plan.Host.Behaviour(), p.Plan.Patched, plan.TrackRef(pl.ID, part.ID)); c {
		case 0:
			row.Track = "all channels"
			for _, o := range pl.Instrument.Parts {
				if o.Address.Known() {
					row.Plays = append(row.Plays, o.Name)
				}
			}
		case int(part.Address.Channel):
			row.Track = "its channel"
		default:
			row.Track = fmt.Sprintf("ch %d", c)
			row.Plays = at[midi.Address{Port: max(part.Address.Port, 1), Channel: midi.Channel(c)}]
		}
	}
	for _, f := range p.graph.Feeds {
		if f.Ref.Placed != pl.ID || f.Part != part.ID || f.Kind == rig.VoiceFeed {
			continue
		}
		row.Notes, row.Known = f.Uses, f.Known
		row.Sounds = append(row.Sounds, p.sound(f))
	}
	return row
}

func (p *project) sound(f trace.Feed) partSound {
	var s partSound
	switch f.At.State {
	case plan.Off:
		s.Output, s.Silent = "off", true
		return s
	case plan.Undecided:
		s.Output, s.Silent = "nowhere yet", true
		return s
	}
	s.Output = f.At.At().String()
	if f.Exists {
		s.Output += " · " + f.Placed.PortText(f.Output)
	}
	s.Lane, s.Then = p.way(f)
	s.Silent = !strings.HasPrefix(s.Then, "→")
	if ls := p.graph.LanesOf(f.OutputRef()); len(ls) > 0 {
		s.Colour = ls[0].Colour
	}
	return s
}

// heardOf lists the channels of the song whose notes reach an instrument.
func heardOf(p *plan.Project, pl *plan.Placed) (out []plan.SongChannel) {
	heard := p.HeardBy(pl)
	if p.Song == nil {
		return nil
	}
	for _, c := range p.Song.Channels {
		if heard[c.Address] {
			out = append(out, c)
		}
	}
	return out
}

// songRows tells for each address of the song which parts would sound from it.
func (p *project) songRows() (out []songRow) {
	if p.Plan.Song == nil {
		return nil
	}
	for _, c := range p.Plan.Song.Channels {
		row := songRow{SongChannel: c}
		if c.Notes() == 0 {
			continue
		}
		used := map[midi.Key]bool{}
		for i := range p.Plan.Placed {
			pl := &p.Plan.Placed[i]
			voices := false
			for _, f := range pl.AllFeeds() {
				if !p.Plan.Song.Hears(f, c) {
					continue
				}
				if f.Kind != rig.PartFeed {
					voices = true
					for _, k := range f.Keys {
						used[k] = true
					}
					continue
				}
				for k := range c.Keys {
					used[k] = true
				}
				name := f.Name
				for _, part := range pl.Instrument.Parts {
					if part.ID == f.Part {
						name = part.Name
					}
				}
				if !slices.Contains(row.Reach, name) {
					row.Reach = append(row.Reach, name)
				}
			}
			if voices {
				row.Reach = append(row.Reach, pl.Instrument.Name)
			}
		}
		for k := range c.Keys {
			if !used[k] {
				row.Unused = append(row.Unused, k)
			}
		}
		slices.Sort(row.Unused)
		out = append(out, row)
	}
	return out
}

// houseNames sends an instrument's MIDI name document with the house's names.
func (s *server) houseNames(w http.ResponseWriter, r *http.Request) {
	p, err := s.app.Project(r.Context(), idOf(r))
	var b bytes.Buffer
	var pl *plan.Placed
	if err == nil {
		if pl = p.Plan.Find(strings.TrimSuffix(chi.URLParam(r, "placed"), ".midnam")); pl == nil {
			err = errors.New("that instrument is not in this project")
		} else {
			err = app.WriteHouseNames(&b, pl)
		}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, pl.Instrument.Name+".midnam", "application/xml", b.Bytes())
}

// templateSong sends an empty song with a track for each part.
func (s *server) templateSong(w http.ResponseWriter, r *http.Request) {
	s.download(w, r, "template.mid", "audio/midi", func(b *bytes.Buffer, p *plan.Project) error {
		return smf.Encode(b, app.TemplateSong(p))
	})
}
