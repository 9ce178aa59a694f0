package plan

import (
	"fmt"
	"slices"

	"hiddenlanes/core/rig"
)

// SetTrack says of lanes whether they are to have a track, on which they are automated.
func SetTrack(ids []string, track bool) Edit {
	return func(p *Project) (string, error) {
		names, err := p.EachLane(ids, func(l *Lane) error {
			l.Track = track
			return nil
		})
		if err != nil {
			return "", err
		}
		if track {
			return "give " + JoinNames(names) + " a track to be automated on", nil
		}
		return "leave " + JoinNames(names) + " without a track", nil
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
	return slices.DeleteFunc(p.OwnLanes(), func(l *Lane) bool {
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
