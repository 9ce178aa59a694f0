package web

import (
	"maps"
	"net/http"
	"net/url"
	"slices"

	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// partsPage puts two assignments side by side: which notes reach a part, and where its
// sound goes.
type partsPage struct {
	Groups []partGroup
	Ports  int  // MIDI ports of the host
	Own    bool // each instrument has its own channels
	Song   []songRow
}

type partGroup struct {
	Placed *plan.Placed
	Free   string // the next address that no part plays on that counts with its own
	Rows   []partRow
}

type partRow struct {
	Ref     string // "" for an instrument of voices
	Kit     string // the placed ID of one
	Name    string
	Role    string
	Address midi.Address
	Layer   []string // parts of the same address
	Meant   string   // why that may be
	Problem string   // key of the problem that says so, for letting it stand
	PlaysOn string   // the track that is played to hear it
	Set     string   // the articulation set of its notes
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

// songRow is one address of the song with what would sound from it.
type songRow struct{ plan.Sounding }

// Twice reports whether one note sounds in several parts.
func (r songRow) Twice() bool { return len(r.Reach) > 1 }

// InOrder lists the keys that carry notes.
func (r songRow) InOrder() []midi.Key { return slices.Sorted(maps.Keys(r.Keys)) }

func (s *server) partsPage(_ *http.Request, p *project, _ url.Values) (any, error) {
	out := partsPage{Ports: p.Plan.Host.Behaviour().MIDIPorts, Own: p.Plan.Host.Behaviour().MIDI == rig.WithinInstance}
	at := map[plan.PlaceOfAddress][]string{}
	for i := range p.Plan.Placed {
		for _, part := range p.Plan.Placed[i].Instrument.Parts {
			if part.Address.Known() {
				a := p.Plan.At(p.Plan.Placed[i].ID, part.Address)
				at[a] = append(at[a], part.Name)
			}
		}
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		g := partGroup{Placed: pl}
		if a, ok := p.Plan.FreeAddress(pl.ID); ok && len(pl.Instrument.Parts) > 0 {
			g.Free = a.String()
		}
		for _, part := range pl.Instrument.Parts {
			g.Rows = append(g.Rows, p.partRow(pl, part, at))
		}
		if len(pl.Instrument.Parts) == 0 && len(pl.Instrument.Voices) > 0 {
			row := partRow{Name: "all voices", Kit: pl.ID}
			row.Address, _ = pl.Instrument.KitAddress()
			row.Layer = at[p.Plan.At(pl.ID, row.Address)]
			row.Known, row.PlaysOn = p.Plan.Song != nil, p.Plan.PlaysOn(pl, nil)
			row.Notes = p.Plan.NotesHeardBy(pl)
			g.Rows = append(g.Rows, row)
		}
		out.Groups = append(out.Groups, g)
	}
	for _, s := range p.Plan.Sounding() {
		out.Song = append(out.Song, songRow{s})
	}
	return out, nil
}

func (p *project) partRow(pl *plan.Placed, part rig.Part, at map[plan.PlaceOfAddress][]string) partRow {
	ref := plan.FeedRef{Placed: pl.ID, Feed: part.ID}
	row := partRow{Ref: ref.String(), Name: part.Name, Role: string(part.Role), Address: part.Address,
		PlaysOn: p.Plan.PlaysOn(pl, &part), Set: part.Articulations}
	for _, other := range at[p.Plan.At(pl.ID, part.Address)] {
		if other != part.Name && part.Address.Known() {
			row.Layer = append(row.Layer, other)
		}
	}
	for _, f := range slices.Concat(p.Problems, p.Intended) {
		if f.Rule.Code == "midi-layer" && f.About(plan.FeedEntity(ref)) {
			row.Problem, row.Meant = f.Key(), f.Intended
		}
	}
	if p.Plan.Patched != nil && part.Address.Known() {
		track := host.Plays(p.Plan.Host.Behaviour(), p.Plan.Patched, plan.TrackRef(pl.ID, part.ID))
		if track.Port == 0 { // nobody has told
			track.Port = part.Address.Norm().Port
		}
		switch {
		case !track.Known():
			row.Track = "all channels"
			for _, o := range pl.Instrument.Parts {
				if o.Address.Known() {
					row.Plays = append(row.Plays, o.Name)
				}
			}
		case track == part.Address.Norm():
			row.Track = "its channel"
		default:
			row.Track = track.String()
			row.Plays = at[p.Plan.At(pl.ID, track)]
		}
	}
	for _, f := range p.Graph.Feeds {
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
	arrives := false
	s.Lane, s.Then, arrives = p.Graph.Brief(f)
	s.Silent = !arrives
	if ls := p.Graph.LanesOf(f.OutputRef()); len(ls) > 0 {
		s.Colour = ls[0].Colour
	}
	return s
}
