package edits

import (
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// SwitchStage brings an instrument to the other stage, as it was there last. The first time, it is
// written with its ready-made mix, or its most useful microphone, on the lanes that its feeds have,
// and mixed with everything else.
func SwitchStage(placed string, to plan.Stage) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		at := pl.AtStage()
		if !slices.Contains(plan.Stages, to) {
			return "", fmt.Errorf("a piece is written or mixed, not %q", to)
		}
		if at == to {
			return "", fmt.Errorf("%s is at that stage already", pl.Instrument.Name)
		}
		kept := maps.Clone(pl.Stages)
		if kept == nil {
			kept = map[plan.Stage]plan.StageState{}
		}
		kept[at] = plan.StageState{Feeds: maps.Clone(pl.Feeds), Inside: pl.Instrument.InsideSettings()}
		then, been := kept[to]
		delete(kept, to)
		pl.Stages, pl.Stage = kept, to
		switch {
		case been:
			pl.Feeds = maps.Clone(then.Feeds)
			pl.Instrument = pl.Instrument.WithInside(then.Inside)
		case to == plan.Writing:
			if err := toWrite(pl); err != nil {
				return "", err
			}
		default:
			toMix(pl)
		}
		if to == plan.Writing {
			return fmt.Sprintf("write with %s: %s", pl.Instrument.Name, soundsThrough(pl)), nil
		}
		return "mix " + pl.Instrument.Name + " with everything open", nil
	})
}

// SwitchStages brings all instruments that can be written with to a stage; the others stay as they are.
func SwitchStages(to plan.Stage) plan.Edit {
	return func(p *plan.Project) (string, error) {
		var names []string
		var last error
		for i := range p.Placed {
			pl := &p.Placed[i]
			if pl.AtStage() == to {
				continue
			}
			was := *pl
			if _, err := SwitchStage(pl.ID, to)(p); err != nil {
				*pl, last = was, err
				continue
			}
			names = append(names, pl.Instrument.Name)
		}
		switch {
		case len(names) > 0 && to == plan.Writing:
			return "write with " + plan.JoinNames(names), nil
		case len(names) > 0:
			return "mix " + plan.JoinNames(names) + " with everything open", nil
		case last != nil:
			return "", last
		}
		return "", fmt.Errorf("every instrument is at that stage already")
	}
}

// toWrite leaves the ready-made mixes on, each on the lane of the first feed of its part, or where
// there are none the most useful microphone, and switches all other microphones off.
func toWrite(pl *plan.Placed) error {
	feeds := pl.AllFeeds()
	mixes := pl.MixFeeds(feeds)
	keep := map[string]bool{}
	for id := range mixes {
		keep[id] = true
	}
	if len(mixes) == 0 {
		best := mostUseful(pl, feeds)
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
			a.State, a.Output, a.Side, a.ByHand = plan.Off, 0, "", true
			pl.Feeds[f.ID] = a
			continue
		}
		if a.State == plan.Assigned {
			continue
		}
		for _, other := range feeds { // the lane of what it is for
			o := now[other.ID]
			partOf := other.Part == f.Part && (mixes[f.ID] == nil || slices.Contains(mixes[f.ID], other.Microphone))
			if o.State == plan.Assigned && other.ID != f.ID && partOf {
				a.State, a.Output, a.Side, a.ByHand = plan.Assigned, o.Output, o.Side, false
				break
			}
		}
		if a.State == plan.Off {
			a.State, a.ByHand = plan.Undecided, false
		}
		pl.Feeds[f.ID] = a
	}
	return nil
}

// toMix switches the ready-made mixes off, and wants everything else.
func toMix(pl *plan.Placed) {
	feeds := pl.AllFeeds()
	mixes := pl.MixFeeds(feeds)
	for _, f := range feeds {
		a := pl.Feeds[f.ID]
		switch {
		case mixes[f.ID] != nil:
			a.State, a.Output, a.Side, a.ByHand = plan.Off, 0, "", true
		case f.Microphone != "" && a.State == plan.Off:
			a.State, a.ByHand = plan.Undecided, false
		}
		pl.Feeds[f.ID] = a
	}
}

// mostUseful is the microphone that is the most useful alone: the first in the user's order, else
// one that hears every piece, else the first.
func mostUseful(pl *plan.Placed, feeds []rig.Feed) (id string) {
	best := 1 << 30
	for _, f := range feeds {
		m := pl.Instrument.Microphone(f.Microphone)
		if m == nil || len(m.Sums) > 0 {
			continue
		}
		at, ok := pl.House().Useful(f.Role, m.Name, m.Position)
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
func soundsThrough(pl *plan.Placed) string {
	var names []string
	for _, f := range pl.AllFeeds() {
		m := pl.Instrument.Microphone(f.Microphone)
		if m != nil && pl.Feeds[f.ID].State == plan.Assigned && !slices.Contains(names, m.Name) {
			names = append(names, m.Name)
		}
	}
	if len(names) == 0 {
		return "nothing yet"
	}
	return plan.JoinNames(names)
}
