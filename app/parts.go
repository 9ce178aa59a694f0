package app

import (
	"cmp"
	"io"
	"slices"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format/midnam"
	"hiddenlanes/format/smf"
)

// TemplateSong is an empty song with a named track for each part on its MIDI port and
// channel, and for each instrument of voices one on the percussion channel. The port is
// that of meta event 21, the channel that of the channel prefix (20), for there are no
// notes to tell it.
func TemplateSong(p *plan.Project) *smf.File {
	f := &smf.File{Type: 1, Division: 480, Tracks: []smf.Track{{
		{Status: 0xff, Meta: smf.MetaTrackName, Data: []byte(p.Name)},
		{Status: 0xff, Meta: smf.MetaTempo, Data: []byte{0x07, 0xa1, 0x20}}, // 120 a minute
		{Status: 0xff, Meta: smf.MetaTimeSignature, Data: []byte{4, 2, 24, 8}},
	}}}
	track := func(name string, a midi.Address, program int) {
		t := smf.Track{
			{Status: 0xff, Meta: smf.MetaTrackName, Data: []byte(name)},
			{Status: 0xff, Meta: smf.MetaPort, Data: []byte{byte(max(a.Port, 1) - 1)}},
			{Status: 0xff, Meta: smf.MetaChannelPrefix, Data: []byte{byte(a.Channel - 1)}},
		}
		if program >= 0 {
			t = append(t, smf.Event{Status: 0xc0 | byte(a.Channel-1), Data: []byte{byte(program)}})
		}
		f.Tracks = append(f.Tracks, t)
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		parts := 0
		for _, part := range pl.Instrument.Parts {
			if part.Address.Known() {
				track(PartName(pl, part), part.Address, part.Program)
				parts++
			}
		}
		if parts == 0 && len(pl.Instrument.Voices) > 0 {
			track(pl.Instrument.Name, midi.Address{Port: 1, Channel: midi.PercussionChannel}, -1)
		}
	}
	return f
}

// PartName is what the house calls a part: the chart's own name for its role, where it
// has one, or the part's.
func PartName(pl *plan.Placed, part rig.Part) string {
	return cmp.Or(pl.House().At(part.Role).Name, part.Name)
}

// HouseNames is the instrument with the names that the house has for its voices and
// parts. Voices of one role keep their own, or nobody could tell them apart.
func HouseNames(pl *plan.Placed) rig.Instrument {
	in := pl.Instrument
	in.Voices, in.Parts = slices.Clone(in.Voices), slices.Clone(in.Parts)
	count := map[role.Role]int{}
	for _, v := range in.Voices {
		count[v.Role]++
	}
	for i := range in.Voices {
		if v := &in.Voices[i]; v.Role != role.Unnamed && count[v.Role] == 1 {
			v.Name = pl.House().Label(v.Role)
		}
	}
	for i := range in.Parts {
		in.Parts[i].Name = PartName(pl, in.Parts[i])
	}
	return in
}

// WriteHouseNames writes a MIDI name document with the house's names.
func WriteHouseNames(w io.Writer, pl *plan.Placed) error { return midnam.Encode(w, HouseNames(pl)) }
