package smf

import (
	"bytes"

	"hiddenlanes/format"
)

// Format is the Standard MIDI File among the others.
var Format = &format.Format{
	Name: "smf", Title: "Standard MIDI File", Extensions: []string{".mid", ".midi", ".rmi"}, Holds: format.Song,
	Sniff: func(head []byte, _ string) bool {
		return bytes.HasPrefix(head, []byte("MThd")) ||
			bytes.HasPrefix(head, []byte("RIFF")) && len(head) >= 12 && string(head[8:12]) == "RMID"
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		f, err := Decode(in.Reader)
		if err != nil {
			return nil, err
		}
		return &format.Content{Value: f, Warnings: f.Warnings}, nil
	},
}
