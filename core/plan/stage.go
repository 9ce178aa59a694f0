package plan

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
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

// SwitchStage brings an instrument to the other stage, as it was there last. The first time, it is
// written with its ready-made mix, or its most useful microphone, on the lanes that its feeds have,
// and mixed with everything else.
func SwitchStage(placed string, to Stage) Edit {
	return change(placed, func(_ *Project, pl *Placed) (string, error) {
		at := pl.AtStage()
		if !slices.Contains(Stages, to) {
			return "", fmt.Errorf("a piece is written or mixed, not %q", to)
		}
		if at == to {
			return "", fmt.Errorf("%s is at that stage already", pl.Instrument.Name)
		}
		kept := maps.Clone(pl.Stages)
		if kept == nil {
			kept = map[Stage]StageState{}
		}
		kept[at] = StageState{maps.Clone(pl.Feeds), pl.Instrument.InsideSettings()}
		then, been := kept[to]
		delete(kept, to)
		pl.Stages, pl.Stage = kept, to
		switch {
		case been:
			pl.Feeds = maps.Clone(then.Feeds)
			pl.Instrument = pl.Instrument.WithInside(then.Inside)
		case to == Writing:
			if err := pl.toWrite(); err != nil {
				return "", err
			}
		default:
			pl.toMix()
		}
		if to == Writing {
			return fmt.Sprintf("write with %s: %s", pl.Instrument.Name, pl.soundsThrough()), nil
		}
		return "mix " + pl.Instrument.Name + " with everything open", nil
	})
}

// toWrite leaves the ready-made mixes on, each on the lane of the first feed of its part, or where
// there are none the most useful microphone, and switches all other microphones off.
func (pl *Placed) toWrite() error {
	feeds := pl.AllFeeds()
	mixes := pl.mixFeeds(feeds)
	keep := map[string]bool{}
	for id := range mixes {
		keep[id] = true
	}
	if len(mixes) == 0 {
		best := pl.mostUseful(feeds)
		if best == "" {
			return fmt.Errorf("%s has no ready-made mix and no microphones to choose one of", pl.Instrument.Name)
		}
		for _, f := range feeds {
			keep[f.ID] = f.Microphone == best
		}
	}
	now := maps.Clone(pl.Feeds)
	for _, f := range feeds {
		if f.Microphone == "" {
			continue
		}
		a := now[f.ID]
		if !keep[f.ID] {
			a.State, a.Output, a.Side, a.ByHand = Off, 0, "", true
			pl.Feeds[f.ID] = a
			continue
		}
		if a.State == Assigned {
			continue
		}
		for _, other := range feeds { // the lane of what it stands for
			o := now[other.ID]
			partOf := other.Part == f.Part && (mixes[f.ID] == nil || slices.Contains(mixes[f.ID], other.Microphone))
			if o.State == Assigned && other.ID != f.ID && partOf {
				a.State, a.Output, a.Side, a.ByHand = Assigned, o.Output, o.Side, false
				break
			}
		}
		if a.State == Off {
			a.State, a.ByHand = Undecided, false
		}
		pl.Feeds[f.ID] = a
	}
	return nil
}

// toMix switches the ready-made mixes off, and wants everything else.
func (pl *Placed) toMix() {
	feeds := pl.AllFeeds()
	mixes := pl.mixFeeds(feeds)
	for _, f := range feeds {
		a := pl.Feeds[f.ID]
		switch {
		case mixes[f.ID] != nil:
			a.State, a.Output, a.Side, a.ByHand = Off, 0, "", true
		case f.Microphone != "" && a.State == Off:
			a.State, a.ByHand = Undecided, false
		}
		pl.Feeds[f.ID] = a
	}
}

// mostUseful is the microphone that is the most useful alone: the first in the user's order, else
// one that hears every piece, else the first.
func (pl *Placed) mostUseful(feeds []rig.Feed) (id string) {
	best := 1 << 30
	for _, f := range feeds {
		m := pl.Instrument.Microphone(f.Microphone)
		if m == nil || len(m.Sums) > 0 {
			continue
		}
		at, ok := pl.chart.Useful(f.Role, m.Name, m.Position)
		if !ok {
			at = 1000
			if f.Role.HearsAll() {
				at = 500
			}
			at += slices.Index(role.Positions(), m.Position)
		}
		if at < best {
			best, id = at, m.ID
		}
	}
	return id
}

// soundsThrough lists the microphones that are open, in words.
func (pl *Placed) soundsThrough() string {
	var names []string
	for _, f := range pl.AllFeeds() {
		m := pl.Instrument.Microphone(f.Microphone)
		if m != nil && pl.Feeds[f.ID].State == Assigned && !slices.Contains(names, m.Name) {
			names = append(names, m.Name)
		}
	}
	if len(names) == 0 {
		return "nothing yet"
	}
	return list(names)
}

// KeptForStage tells whether the other stage of the instrument needs a jack: its lane stays.
func (pl *Placed) KeptForStage(j Jack) bool {
	for _, s := range pl.Stages {
		for _, a := range s.Feeds {
			if a.State == Assigned && a.At() == j {
				return true
			}
		}
	}
	return false
}

// LaneKeptForStage tells whether another stage of an instrument needs a lane.
func (p *Project) LaneKeptForStage(l *Lane) bool {
	return slices.ContainsFunc(l.Sources, func(s OutputRef) bool {
		pl := p.Find(s.Placed)
		return pl != nil && pl.KeptForStage(s.Jack())
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
