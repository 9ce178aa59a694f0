package csvrig

import (
	"encoding/csv"
	"io"
	"strings"

	"hiddenlanes/format"
)

// Format is the CSV of an instrument's tables among the others.
var Format = &format.Format{
	Name: "csv", Title: "CSV", Extensions: []string{".csv"}, Holds: format.Instruments,
	Sniff: func(head []byte, file string) bool {
		if !format.IsText(head) {
			return false
		}
		line, _, _ := strings.Cut(string(head), "\n")
		c := csv.NewReader(strings.NewReader(strings.ReplaceAll(line, ";", ",")))
		c.LazyQuotes = true
		cells, err := c.Read()
		return err == nil && known(cells) || format.HasExtension(file, ".csv")
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		ins, warnings, err := Decode(in.Reader, format.Base(in.Name), in.Naming)
		return &format.Content{Instruments: ins, Warnings: warnings}, err
	},
	Encode: func(w io.Writer, x format.Export) error { return Encode(w, x.Naming, *x.Instrument) },
}
