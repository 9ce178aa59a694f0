package midnam

import (
	"io"
	"strings"

	"hiddenlanes/format"
)

// Format is the MIDI name document among the others.
var Format = &format.Format{
	Name: "midnam", Title: "MIDI names", Extensions: []string{".midnam", ".xml"}, Holds: format.Instruments,
	Sniff: func(head []byte, _ string) bool {
		text := strings.TrimLeft(strings.TrimPrefix(string(head), "\xef\xbb\xbf"), " \t\r\n")
		return strings.HasPrefix(text, "<?xml") || strings.HasPrefix(text, "<MIDINameDocument") ||
			strings.HasPrefix(text, "<!DOCTYPE MIDINameDocument")
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		ins, warnings, err := Decode(in.Reader)
		return &format.Content{Instruments: ins, Warnings: warnings}, err
	},
	Encode: func(w io.Writer, x format.Export) error { return Encode(w, *x.Instrument) },
}
