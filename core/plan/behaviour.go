package plan

import (
	"fmt"
	"slices"

	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// SetTrack says of lanes whether they are to have a track, on which they are automated.
func SetTrack(ids []string, track bool) Edit {
	return func(p *Project) (string, error) {
		names, err := p.eachLane(ids, func(l *Lane) error {
			l.Track = track
			return nil
		})
		if err != nil {
			return "", err
		}
		if track {
			return "give " + list(names) + " a track to be automated on", nil
		}
		return "leave " + list(names) + " without a track", nil
	}
}

// SetPlayer says who plays an instrument that has a player of its own: itself, or the host.
func SetPlayer(placed string, own bool) Edit {
	return SetInside(placed, func(in *rig.Instrument) (string, error) {
		if in.Traits.Player == rig.NoPlayer {
			return "", fmt.Errorf("%s has no player of its own", in.Name)
		}
		if own {
			in.Traits.Player = rig.PlayerOn
			return "let " + in.Name + " play by itself", nil
		}
		in.Traits.Player = rig.PlayerOff
		return "let the host play " + in.Name, nil
	})
}

// OwnPlace gives a voice that leaves together with others a place of its own, where the
// instrument allows that. Its feed stays on the output that they left by until it is moved.
func OwnPlace(placed, voice string) Edit {
	return change(placed, func(p *Project, pl *Placed) (string, error) {
		i := slices.IndexFunc(pl.Instrument.Voices, func(v rig.Voice) bool { return v.ID == voice })
		switch {
		case i < 0:
			return "", fmt.Errorf("%s has no such voice", pl.Instrument.Name)
		case pl.Instrument.Voices[i].Slot == 0:
			return "", fmt.Errorf("%s has a place of its own already", pl.Instrument.Voices[i].Name)
		case !pl.Instrument.Traits.OwnPlaces:
			return "", fmt.Errorf("%s cannot give voices places of their own; say on the instrument's page if it can",
				pl.Instrument.Name)
		}
		before := pl.AllFeeds()
		lead := ""
		for _, v := range pl.Instrument.Voices {
			if v.Slot == pl.Instrument.Voices[i].Slot {
				lead = v.ID
				break
			}
		}
		pl.Instrument.Own()
		pl.Instrument.Voices[i].Slot = 0
		at := pl.Feeds[lead]
		at.Pin, at.Wish = nil, nil
		for _, f := range pl.AllFeeds() {
			if _, told := pl.Feeds[f.ID]; !told && !slices.ContainsFunc(before, func(b rig.Feed) bool { return b.ID == f.ID }) {
				pl.Feeds[f.ID] = at
			}
		}
		return fmt.Sprintf("give %s a place of its own: %s become %d", pl.Instrument.Voices[i].Name,
			words.Count(len(before), "feed", "feeds"), len(pl.AllFeeds())), nil
	})
}

// SetArticulations names the articulation set that belongs to a part's notes.
func SetArticulations(ref FeedRef, set string) Edit {
	return func(p *Project) (string, error) {
		pl, i, err := p.part(ref)
		if err != nil {
			return "", err
		}
		pl.Instrument.Own()
		part := &pl.Instrument.Parts[i]
		if part.Articulations, err = rig.ParseNote(set); err != nil {
			return "", err
		}
		if part.Articulations == "" {
			return "let " + part.Name + " have no articulation set", nil
		}
		return fmt.Sprintf("let the notes of %s have the articulations %s", part.Name, part.Articulations), nil
	}
}

// PlaysOn says which track is played to hear a part of an instrument, or its voices where part
// is nil, as the host has it.
func (p *Project) PlaysOn(pl *Placed, part *rig.Part) string {
	profile := p.Host.Behaviour()
	parts := 0
	for _, x := range pl.Instrument.Parts {
		if x.Address.Known() {
			parts++
		}
	}
	if part != nil && part.Address.Known() && parts > 1 {
		return fmt.Sprintf("track %s, %s", part.Name, part.Address)
	}
	own := p.lanesOfInstrument(pl)
	switch {
	case profile.Notes == rig.NotesOnLanes && len(own) > 1:
		return fmt.Sprintf("any of lanes %s", p.laneNames(own))
	case profile.Notes == rig.NotesOnGroup && len(own) > 1:
		return fmt.Sprintf("the folded group of %s, lanes %s", pl.Instrument.Name, p.laneNames(own))
	case profile.Notes != rig.NotesOnOwn && len(own) == 1:
		return "lane " + p.Host.LaneName(own[0].Number)
	}
	return "the track of " + pl.Instrument.Name
}

// lanesOfInstrument lists the lanes that take outputs of an instrument, by number.
func (p *Project) lanesOfInstrument(pl *Placed) []*Lane {
	return slices.DeleteFunc(p.Own(), func(l *Lane) bool {
		return !slices.ContainsFunc(l.Sources, func(s OutputRef) bool { return s.Placed == pl.ID })
	})
}

// laneNames prints lanes as ranges, as the host shows their numbers.
func (p *Project) laneNames(lanes []*Lane) string {
	if p.Host.BlockSize == 0 {
		return NumberRange(lanes)
	}
	return p.Host.LaneName(lanes[0].Number) + "–" + p.Host.LaneName(lanes[len(lanes)-1].Number)
}
