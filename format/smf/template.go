package smf

import (
	"io"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
)

// TemplateFormat is the song of Template among the other formats; Format reads it.
var TemplateFormat = &format.Format{
	Name: "template-song", Title: "Template song", Holds: format.Sheet,
	Encode: func(w io.Writer, x format.Export) error { return Encode(w, Template(x.Project)) },
	As:     "midi",
	File:   "template.mid", Suffix: " template.mid", MediaType: "audio/midi",
}

const allNotesOff = 123

// Template is an empty song with a named track for each part on its MIDI port and
// channel, one for all parts of a layer, and for each instrument of voices one on its address. The port is
// that of meta event 21. There are no notes to tell the channel: it is that of the channel
// prefix (meta event 20), which many readers pass over, and that of a channel mode message that
// changes nothing, all notes off (MIDI 1.0, controller 123, from memory).
func Template(p *plan.Project) *File {
	f := &File{Type: 1, Division: 480, Tracks: []Track{{
		{Status: 0xff, Meta: MetaTrackName, Data: []byte(p.Name)},
		{Status: 0xff, Meta: MetaTempo, Data: []byte{0x07, 0xa1, 0x20}}, // 120 a minute
		{Status: 0xff, Meta: MetaTimeSignature, Data: []byte{4, 2, 24, 8}},
	}}}
	track := func(name string, a midi.Address, program int) {
		t := Track{
			{Status: 0xff, Meta: MetaTrackName, Data: []byte(name)},
			{Status: 0xff, Meta: MetaPort, Data: []byte{byte(max(a.Port, 1) - 1)}},
			{Status: 0xff, Meta: MetaChannelPrefix, Data: []byte{byte(a.Channel - 1)}},
			{Status: 0xb0 | byte(a.Channel-1), Data: []byte{allNotesOff, 0}},
		}
		if program >= 0 {
			t = append(t, Event{Status: 0xc0 | byte(a.Channel-1), Data: []byte{byte(program)}})
		}
		f.Tracks = append(f.Tracks, t)
	}
	players := map[plan.PlaceOfAddress]bool{} // addresses that a track plays
	for i := range p.Placed {
		pl := &p.Placed[i]
		layers := pl.Instrument.Layers()
		for _, layer := range layers {
			at := p.At(pl.ID, layer[0].Address)
			if players[at] { // it is sent the notes of the track there is
				continue
			}
			players[at] = true
			track(rig.LayerName(layer, pl.PartName), layer[0].Address, layer[0].Program)
		}
		a, kit := pl.Instrument.KitAddress()
		if voices := len(pl.Instrument.Voices) + len(pl.Instrument.Microphones); !kit && voices > 0 {
			a = midi.Address{Port: 1, Channel: midi.PercussionChannel}
		}
		if len(layers) == 0 && a.Known() {
			track(pl.Instrument.Name, a, -1)
		}
	}
	return f
}
