package csvrig

import (
	_ "embed"
	"io"
)

// example is an invented instrument that has something in every column.
//
//go:embed example.csv
var example string

// Example writes a CSV to begin from: an invented instrument with something in every column that
// Decode knows.
func Example(w io.Writer) error {
	_, err := io.WriteString(w, example)
	return err
}
