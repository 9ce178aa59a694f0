package patchsheet

import (
	"io"
	"strings"

	"hiddenlanes/format"
)

// Format is the patch sheet as CSV among the others.
var Format = &format.Format{
	Name: "patch-sheet", Title: "Patch sheet", Extensions: []string{".csv"}, Holds: format.Sheet,
	Sniff: func(head []byte, _ string) bool {
		line, _, _ := strings.Cut(string(head), "\n")
		return strings.TrimSpace(line) == strings.Join(header, ",")
	},
	Encode: func(w io.Writer, x format.Export) error { return Encode(w, x.Project, x.Naming) },
	As:     "csv", Button: "CSV",
	File: "patch-sheet.csv", Suffix: " patch sheet.csv", MediaType: "text/csv; charset=utf-8",
}
