package plan

import (
	"slices"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Sounding is what would sound from one address of the song.
type Sounding struct {
	SongChannel
	Reach  []string   // parts, and instruments of voices, that sound
	Unused []midi.Key // keys that reach nothing, in order
}

// Sounding tells for each address of the song that has notes what would sound from it.
func (p *Project) Sounding() (out []Sounding) {
	if p.Song == nil {
		return nil
	}
	for _, c := range p.Song.Channels {
		if c.Notes() > 0 {
			out = append(out, p.soundingOf(c))
		}
	}
	return out
}

func (p *Project) soundingOf(c SongChannel) Sounding {
	s := Sounding{SongChannel: c}
	used := map[midi.Key]bool{}
	for i := range p.Placed {
		pl := &p.Placed[i]
		voices := false
		for _, f := range pl.AllFeeds() {
			switch {
			case !p.Song.Hears(f, c):
			case f.Kind == rig.PartFeed:
				for k := range c.Keys {
					used[k] = true
				}
				if name := pl.ownPartName(f); !slices.Contains(s.Reach, name) {
					s.Reach = append(s.Reach, name)
				}
			default:
				voices = true
				for _, k := range f.Keys {
					used[k] = true
				}
			}
		}
		if voices {
			s.Reach = append(s.Reach, pl.Instrument.Name)
		}
	}
	for k := range c.Keys {
		if !used[k] {
			s.Unused = append(s.Unused, k)
		}
	}
	slices.Sort(s.Unused)
	return s
}

// UnheardAddresses lists the addresses on which the song has notes and nobody listens.
func (p *Project) UnheardAddresses() (out []midi.Address) {
	if p.Song == nil {
		return nil
	}
	var feeds []rig.Feed
	for i := range p.Placed {
		feeds = append(feeds, p.Placed[i].AllFeeds()...)
	}
	for _, c := range p.Song.Channels {
		if c.Notes() > 0 && !slices.ContainsFunc(feeds, func(f rig.Feed) bool { return p.Song.Hears(f, c) }) {
			out = append(out, c.Address)
		}
	}
	return out
}

// ownPartName is what a feed's part calls itself, whatever the house calls it.
func (pl *Placed) ownPartName(f rig.Feed) string {
	for _, part := range pl.Instrument.Parts {
		if part.ID == f.Part {
			return part.Name
		}
	}
	return f.Name
}

// NotesHeardBy counts the song's notes that reach an instrument, whatever they play there.
func (p *Project) NotesHeardBy(pl *Placed) (n int) {
	if p.Song == nil {
		return 0
	}
	heard := p.HeardBy(pl)
	for _, c := range p.Song.Channels {
		if heard[c.Address] {
			n += c.Notes()
		}
	}
	return n
}
