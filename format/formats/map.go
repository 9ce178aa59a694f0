package formats

import (
	"io"

	"hiddenlanes/core/trace"
	"hiddenlanes/draw"
	"hiddenlanes/format"
)

// mapFormat is the map as a picture among the file formats.
var mapFormat = &format.Format{
	Name: "svg", Title: "Map", Extensions: []string{".svg"}, Holds: format.Sheet,
	Encode: func(w io.Writer, x format.Export) error {
		return draw.SVG(w, draw.NewMap(trace.New(x.Project), draw.MapOptions{}), x.Project.Name)
	},
	As: "svg", Button: "Map",
	File: "map.svg", Suffix: " map.svg", MediaType: "image/svg+xml",
}
