package plan

import (
	"slices"
	"strconv"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
)

// InsideWanted are the settings inside an instrument as the plan wants them: those of the
// project's copy, and hard pans for feeds that share a pair, one to each side.
func (pl *Placed) InsideWanted() map[string]string {
	out := pl.Instrument.InsideSettings()
	if pl.Instrument.Traits.SeparateSwitch && pl.LeavesApart() {
		out[rig.InsideKey("", rig.InsideSeparate, "")] = "on"
	}
	for id, a := range pl.Feeds {
		if a.State != Assigned || a.Side == rig.Whole {
			continue
		}
		for _, x := range pl.PannedWith(id) {
			out[rig.InsideKey(x.ID, rig.InsidePan, "")] = HardPan(a.Side)
		}
	}
	return out
}

// HardPan is the setting that pans a source to a side of its pair, in percent to the right.
func HardPan(side rig.Side) string { return strconv.Itoa(int(100 * side.Pan())) }

// PannedWith lists the sources whose pans keep a feed on its side of a pair: the feed's own, and the
// voices that can only leave together with it. One through a microphone has none: it is panned with that.
func (pl *Placed) PannedWith(feed string) (out []rig.SourceRef) {
	own, ok := pl.Instrument.Source(feed)
	switch {
	case !ok:
		return nil
	case own.Voice == nil || own.Voice.Slot == 0:
		return []rig.SourceRef{own}
	}
	for x := range pl.Instrument.EachSource() {
		if x.Voice != nil && x.Voice.Slot == own.Voice.Slot {
			out = append(out, x)
		}
	}
	return out
}

// InsideDelivered are the settings inside an instrument as it comes, before anybody has changed
// them.
func (pl *Placed) InsideDelivered() map[string]string {
	return pl.AsDelivered().InsideSettings()
}

// InsideAtStart are the settings inside an instrument in the state that it is loaded in.
func (pl *Placed) InsideAtStart() map[string]string {
	if pl.Start.Kind == FromDefault && pl.Start.Inside != nil {
		return pl.Start.Inside
	}
	return pl.InsideDelivered()
}

// AsDelivered is the instrument as it came, before anybody has changed it.
func (pl *Placed) AsDelivered() *rig.Instrument {
	if pl.AsItCame != nil {
		return pl.AsItCame
	}
	return &pl.Instrument
}

// MixFeeds lists the feeds of an instrument that are ready-made mixes, each with the
// microphones in it, by the ID of the feed.
func (pl *Placed) MixFeeds(feeds []rig.Feed) map[string][]string {
	out := map[string][]string{}
	for _, m := range pl.Instrument.Microphones {
		for _, f := range feeds {
			if len(m.Sums) > 0 && f.Microphone == m.ID {
				out[f.ID] = m.Sums
			}
		}
	}
	return out
}

// Decided reports whether somebody has decided about a feed; ready-made mixes are off from the
// start.
func (pl *Placed) Decided() bool {
	var mixes map[string][]string
	for id, a := range pl.Feeds {
		if a.State == Off && mixes == nil {
			mixes = pl.MixFeeds(pl.AllFeeds())
		}
		if a.State != Undecided && !(a.State == Off && mixes[id] != nil) {
			return true
		}
	}
	return false
}

// LosesEffect reports whether a feed no longer passes an effect on a group or on the main output
// of the instrument: it leaves by another output alone.
func (pl *Placed) LosesEffect(f rig.Feed, e rig.Effect) bool {
	a := pl.Feeds[f.ID]
	return a.State == Assigned && len(pl.Outputs) > 0 && a.Output != pl.Outputs[0].Number && !f.AlsoMain &&
		slices.Contains(f.Loses, e.Name)
}

// PannedAlone lists the voices, microphones and parts, by ID, that are panned inside although
// their feed is mono and has an output to itself: the lane can pan it. What is stereo, and what
// shares a stereo output, keeps its pan inside.
func (pl *Placed) PannedAlone() (ids []string) {
	loads := pl.Loads()
	for _, f := range pl.AllFeeds() {
		a := pl.Feeds[f.ID]
		if a.State != Assigned || a.Side != rig.Whole || f.Width > audio.Mono || f.Pan == 0 || len(loads[a.At()]) != 1 {
			continue
		}
		for _, id := range f.Sources() {
			if x, ok := pl.Instrument.Source(id); ok && *x.Pan != 0 && !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
		}
	}
	return ids
}
