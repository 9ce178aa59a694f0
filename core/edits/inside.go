package edits

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// SetInside changes what is set inside an instrument, of the project's copy alone.
func SetInside(placed string, set func(*rig.Instrument) (string, error)) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		before := pansAgainst(pl)
		pl.Instrument.CloneSources()
		label, err := set(&pl.Instrument)
		if err != nil {
			return label, err
		}
		for id, why := range pansAgainst(pl) {
			if before[id] == "" {
				return "", errors.New(why)
			}
		}
		return label, nil
	})
}

// pansAgainst are the sources of an instrument that are panned against the side of the pair that they
// leave on, by ID, with what is wrong with that.
func pansAgainst(pl *plan.Placed) map[string]string {
	out := map[string]string{}
	for id, a := range pl.Feeds {
		if a.State != plan.Assigned || a.Side == rig.Whole {
			continue
		}
		for _, x := range pl.PannedWith(id) {
			if pan := *x.Pan; pan*a.Side.Pan() < 0 {
				with := ""
				if x.ID != id {
					with = " together with " + pl.Instrument.SourceName(id)
				}
				out[x.ID] = fmt.Sprintf("%s leaves on side %s of output %d%s; panned %s it would arrive on the lane of the other "+
					"side", x.Name, a.Side, a.Output, with, rig.PanText(pan))
			}
		}
	}
	return out
}

// mixesOff switches the feeds of ready-made mixes off whose parts are wanted.
func mixesOff(pl *plan.Placed) {
	feeds := pl.AllFeeds()
	off := map[string]plan.Assignment{}
	for id, sums := range pl.MixFeeds(feeds) {
		if slices.ContainsFunc(feeds, func(f rig.Feed) bool {
			return slices.Contains(sums, f.Microphone) && pl.Feeds[f.ID].State != plan.Off
		}) {
			off[id] = plan.Assignment{State: plan.Off, ByHand: true}
		}
	}
	maps.Copy(pl.Feeds, off)
}

// CentrePans centres what is panned inside although its lane can pan it.
func CentrePans(placed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl := p.Find(placed)
		if pl == nil {
			return "", fmt.Errorf("that instrument is no longer in this project")
		}
		ids := pl.PannedAlone()
		if len(ids) == 0 {
			return "", fmt.Errorf("nothing that has an output to itself is panned inside %s", pl.Instrument.Name)
		}
		return SetInside(placed, func(in *rig.Instrument) (string, error) {
			for _, id := range ids {
				x, _ := in.Source(id)
				*x.Pan = 0
			}
			return fmt.Sprintf("centre %s inside %s", words.Count(len(ids), "pan", "pans"), in.Name), nil
		})(p)
	}
}

// SetBleed says what the microphones of an instrument of the project hear of other pieces, and by
// how much all close ones are trimmed.
func SetBleed(placed string, bleed rig.Bleed, trim audio.Decibels) plan.Edit {
	return SetInside(placed, func(in *rig.Instrument) (string, error) { return rig.SetBleed(bleed, trim)(in) })
}

// MapVoice says how one voice is mapped.
func MapVoice(ref plan.FeedRef, m rig.Mode) plan.Edit {
	return SetView(ref.Placed, func(v *rig.View) {
		if v.Of == nil {
			v.Of = map[string]rig.Mode{}
		}
		v.Of[ref.Feed] = m
		if m == rig.Usual {
			delete(v.Of, ref.Feed)
		}
	})
}
