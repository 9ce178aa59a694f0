package runsheet

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// layer puts the parts of a layer behind the first one into the act that sets its address. It gives
// their names, and whether all have a track and play on the address.
func (b *builder) layer(pl *plan.Placed, layer []rig.Part, act *host.SetAddress) (names []string, told, right bool) {
	told, right = true, true
	for k, part := range layer {
		ref := plan.TrackRef(pl.ID, part.ID)
		if k > 0 {
			act.Layer = append(act.Layer, ref)
		}
		_, known := b.s.Tracks[ref]
		told, right = told && known, right && host.Plays(b.profile, b.s, ref) == act.Address
		names = append(names, part.Name)
	}
	return names, told, right
}

// addTracks says how many tracks are added for an instrument.
func addTracks(n int, instrument string) string {
	switch n {
	case 0:
		return fmt.Sprintf("Let %s have the notes of tracks there are", instrument)
	case 1:
		return fmt.Sprintf("Add a track, point it at %s and set its MIDI channel", instrument)
	}
	return fmt.Sprintf("Add %d tracks, point each at %s and set its MIDI channel", n, instrument)
}

// oldTracks says what becomes of tracks whose part is gone from where it was: of an instrument that was
// divided, or replaced. One on the address of a part that has no track yet plays that from now on; the
// others are removed.
func (b *builder) oldTracks() {
	again := Step{Place: InHost, Told: true, Verify: "each plays its part in the new place",
		Why: "their notes, and what is automated on them, stay"}
	gone := Step{Place: InHost, Told: true, Verify: "nothing is missing when the song is played",
		Why: "nothing plays them now: move their notes first, they are lost"}
	old := map[midi.Address][]string{}
	for _, ref := range slices.Sorted(maps.Keys(b.s.Tracks)) {
		if r, err := plan.ParseFeedRef(ref); err == nil {
			if _, _, err := b.p.PartAt(r); err == nil {
				continue
			}
		}
		a := b.s.Tracks[ref].Address
		old[a] = append(old[a], ref)
	}
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		if !b.tracksMissing(pl) {
			continue
		}
		for _, part := range pl.Instrument.Parts {
			a, ref := part.Address.Norm(), plan.TrackRef(pl.ID, part.ID)
			if _, told := b.s.Tracks[ref]; told || !a.Known() || len(old[a]) == 0 {
				continue
			}
			again.Actions = append(again.Actions, host.MoveTrack{From: old[a][0], To: ref})
			again.Items = append(again.Items, Item{Text: fmt.Sprintf("the one on %s: %s of %s", a, part.Name,
				pl.Instrument.Name)})
			old[a] = old[a][1:]
		}
	}
	for _, a := range slices.SortedFunc(maps.Keys(old), func(x, y midi.Address) int {
		return cmp.Or(x.Port-y.Port, int(x.Channel)-int(y.Channel))
	}) {
		for _, ref := range old[a] {
			gone.Actions = append(gone.Actions, host.RemoveTrack{Track: ref})
			gone.Items = append(gone.Items, Item{Text: "the one on " + a.String()})
		}
	}
	again.Count, gone.Count = len(again.Actions), len(gone.Actions)
	again.Text = fmt.Sprintf("Point %s that nothing plays now at another instrument", counted(again.Count, "track"))
	gone.Text = fmt.Sprintf("Remove %s that nothing plays now", counted(gone.Count, "track"))
	b.add(again)
	b.add(gone)
}

// channels makes the tracks that play parts, points each at its instrument, and sets their
// channels. Parts of one address are a layer: those of one instrument are played by one track,
// and another instrument is sent the notes of the track there is.
func (b *builder) channels() {
	set := Step{Place: InHost, Told: true, Verify: "each track plays its part and no other"}
	players := map[plan.PlaceOfAddress]string{} // the first part of each address
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		layers := pl.Instrument.Layers()
		made := Step{Place: InHost, Told: true, Verify: "each track plays its part and no other"}.of(pl, rig.StepTracks)
		fresh := b.tracksMissing(pl)
		tracks := 0
		for _, layer := range layers {
			address := layer[0].Address.Norm()
			act := host.SetAddress{Track: plan.TrackRef(pl.ID, layer[0].ID), Address: address}
			names, told, right := b.layer(pl, layer, &act)
			name, player := strings.Join(names, " and "), players[b.p.At(pl.ID, address)]
			if player == "" {
				players[b.p.At(pl.ID, address)] = layer[0].Name
			}
			switch {
			case right && (told || !fresh):
			case !fresh || told:
				set.Count++
				set.Items = append(set.Items, Item{Text: fmt.Sprintf("%s: %s", name, address)})
				set.Actions = append(set.Actions, act)
			case player != "":
				made.Count++
				made.Items = append(made.Items, Item{Text: fmt.Sprintf("%s: the notes of the track of %s, sent to %s as well",
					name, player, pl.Instrument.Name)})
				made.Actions = append(made.Actions, act)
			default:
				text := fmt.Sprintf("%s: %s", name, address)
				if len(layer) > 1 {
					text = fmt.Sprintf("%s, a layer on one track: %s", name, address)
				}
				tracks++
				made.Count += settingsOfTrack
				made.Items = append(made.Items, Item{Text: text, Count: settingsOfTrack})
				made.Actions = append(made.Actions, act)
			}
		}
		made.Text = addTracks(tracks, pl.Instrument.Name)
		if b.profile.AllChannels {
			made.Why = whyChannels
		}
		b.add(made)
	}
	set.Text = fmt.Sprintf("Set the MIDI channel of %s", counted(set.Count, "track"))
	if b.profile.AllChannels {
		set.Why = whyChannels
	}
	b.add(set)
}

const whyChannels = "new tracks play all channels here, so one key would play every part"

// settingsOfTrack is how many values are set by hand for a new track: that there is one, what
// it plays, and on which channel.
const settingsOfTrack = 3

// tracksMissing reports whether tracks are to be made for the parts of an instrument: it has two
// or more with an address, and of some of them, or all, nobody has told that there is one. A
// single part is played by the instrument's own track.
func (b *builder) tracksMissing(pl *plan.Placed) bool {
	parts, told, wrong := 0, 0, 0
	for _, part := range pl.Instrument.Parts {
		if !part.Address.Known() {
			continue
		}
		parts++
		ref := plan.TrackRef(pl.ID, part.ID)
		if _, ok := b.s.Tracks[ref]; ok {
			told++
		} else if host.Plays(b.profile, b.s, ref) != part.Address.Norm() {
			wrong++
		}
	}
	return parts > 1 && (told == 0 || wrong > 0)
}

// notes sets what belongs to the notes of parts: it goes with them wherever they live.
func (b *builder) notes() {
	st := Step{Place: InHost, Told: true, Verify: "each part sounds as listed", Kind: rig.StepTracks,
		Why: "it belongs to the notes, and goes with them when they move"}
	for i := range b.p.Placed {
		pl := &b.p.Placed[i]
		for _, part := range pl.Instrument.Parts {
			ref := plan.TrackRef(pl.ID, part.ID)
			text := part.NotesText()
			if !part.Address.Known() || text == b.s.Tracks[ref].Notes {
				continue
			}
			st.Count++
			st.Notes = appendNote(st.Notes, pl, rig.StepTracks)
			if text == "" {
				text = "none"
			}
			st.Items = append(st.Items, Item{Text: part.Name + ": " + text})
			st.Actions = append(st.Actions, host.SetNotes{Track: ref, Notes: part.NotesText()})
		}
	}
	st.Text = fmt.Sprintf("Set the articulations and programs of %s", counted(st.Count, "part"))
	b.add(st)
}

// automate makes the tracks of lanes that are to be automated, where lanes have none by
// themselves.
func (b *builder) automate() {
	if b.profile.Tracks != rig.TracksOnRequest {
		return
	}
	st := Step{Place: InHost, Told: true, Verify: "the fader of each can be automated",
		Why: "a lane has no track here until one is made"}
	var numbers []plan.LaneNumber
	for _, l := range b.planned {
		if have := b.h.Lane(l.ID); l.Track && have != nil && !have.Track {
			st.Count++
			numbers = append(numbers, l.Number)
			st.Actions = append(st.Actions, host.MakeTrack{Lane: l.ID})
		}
	}
	st.Text = "Make a track for " + b.lanes(numbers)
	b.add(st)
}
