package plan

import (
	"hiddenlanes/core/rig"
)

// InsideWanted are the settings inside an instrument as the plan wants them: those of the
// project's copy, and hard pans for feeds that share a pair, one to each side.
func (pl *Placed) InsideWanted() map[string]string {
	out := pl.Instrument.InsideSettings()
	for id, a := range pl.Feeds {
		if a.State != Assigned || a.Side == rig.Whole {
			continue
		}
		if _, ok := pl.Instrument.Source(id); !ok {
			continue // one through a microphone, which is panned with it
		}
		pan := "-100"
		if a.Side == rig.Right {
			pan = "100"
		}
		out[rig.InsideKey(id, rig.InsidePan, "")] = pan
	}
	return out
}

// InsideDelivered are the settings inside an instrument as it comes, before anybody has changed
// them.
func (pl *Placed) InsideDelivered() map[string]string {
	if pl.AsItCame != nil {
		return pl.AsItCame.InsideSettings()
	}
	return pl.Instrument.InsideSettings()
}

// AsDelivered is the project with one instrument alone, as it came: for comparing.
func (p *Project) AsDelivered(placed string) *Project {
	out := *p
	out.Placed = nil
	if pl := p.Find(placed); pl != nil {
		came := *pl
		if pl.AsItCame != nil {
			came.Instrument = *pl.AsItCame
		}
		out.Placed = []Placed{came}
	}
	return &out
}

// SetInside changes what is set inside an instrument, of the project's copy alone.
func SetInside(placed string, set func(*rig.Instrument) (string, error)) Edit {
	return change(placed, func(_ *Project, pl *Placed) (string, error) {
		pl.Instrument.Own()
		return set(&pl.Instrument)
	})
}
