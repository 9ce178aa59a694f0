package soundfont

import (
	"bytes"

	"hiddenlanes/format"
)

// Format is SoundFont 2 among the others.
var Format = &format.Format{
	Name: "soundfont2", Title: "SoundFont 2", Extensions: []string{".sf2", ".sf3"}, Holds: format.Instruments,
	Sniff: func(head []byte, _ string) bool {
		return len(head) >= 12 && bytes.HasPrefix(head, []byte("RIFF")) && string(head[8:12]) == "sfbk"
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		b, err := Decode(in.Reader)
		if err != nil {
			return nil, err
		}
		if b.Name == "" {
			b.Name = format.Base(in.Name)
		}
		return &format.Content{Instruments: b.Rig(), Warnings: b.Warnings}, nil
	},
}
