package plan

import (
	"cmp"
	"slices"
)

// Stage is where a piece is: while it is written an instrument may sound through its ready-made
// mix, or one microphone, and while it is mixed through all that is wanted, on the same lanes.
type Stage string

// The stages. A project that says none is mixed.
const (
	NoStage Stage = ""
	Writing Stage = "writing"
	Mixing  Stage = "mixing"
)

// Stages lists those that can be switched to.
var Stages = []Stage{Writing, Mixing}

// StageState is what an instrument was in a stage.
type StageState struct {
	Feeds  map[string]Assignment `json:"feeds"`
	Inside map[string]string     `json:"inside,omitempty"` // as rig.InsideSettings lists it
}

// AtStage is the stage that the instrument is in.
func (pl *Placed) AtStage() Stage { return cmp.Or(pl.Stage, Mixing) }

// keptForStage reports whether the other stage of the instrument needs a jack: its lane stays.
func (pl *Placed) keptForStage(j Jack) bool {
	for _, s := range pl.Stages {
		for _, a := range s.Feeds {
			if a.State == Assigned && a.At() == j {
				return true
			}
		}
	}
	return false
}

// LaneKeptForStage reports whether another stage of an instrument needs a lane.
func (p *Project) LaneKeptForStage(l *Lane) bool {
	return slices.ContainsFunc(l.Sources, func(s OutputRef) bool {
		pl := p.Find(s.Placed)
		return pl != nil && pl.keptForStage(s.Jack())
	})
}

// MemoryAt is the memory that the instrument takes at a stage, in MiB; ok is false where it was
// never there.
func (pl *Placed) MemoryAt(stage Stage) (mib float64, ok bool) {
	if stage == pl.AtStage() {
		return pl.Memory(), true
	}
	s, ok := pl.Stages[stage]
	if !ok {
		return 0, false
	}
	trial := *pl
	trial.Feeds, trial.Instrument = s.Feeds, pl.Instrument.WithInside(s.Inside)
	return trial.Memory(), true
}
