package smf

import (
	"io"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
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
// channel, and for each instrument of voices one on the percussion channel. The port is
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
	for i := range p.Placed {
		pl := &p.Placed[i]
		parts := 0
		for _, part := range pl.Instrument.Parts {
			if part.Address.Known() {
				track(pl.PartName(part), part.Address, part.Program)
				parts++
			}
		}
		if a, ok := pl.Instrument.KitAddress(); ok && parts == 0 {
			track(pl.Instrument.Name, a, -1)
		}
	}
	return f
}
