package dawproject

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"

	"hiddenlanes/format"
	"hiddenlanes/format/smf"
)

// Format is DAWproject among the others.
var Format = &format.Format{
	Name: "dawproject", Title: "DAWproject", Extensions: []string{".dawproject"}, Holds: format.Session,
	InArchive: func(files fs.FS) bool {
		_, err := fs.Stat(files, "project.xml")
		return err == nil
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		s, err := DecodeFiles(in.Files)
		if err != nil {
			return nil, err
		}
		return &format.Content{Value: s}, nil
	},
	Encode: func(w io.Writer, x format.Export) error {
		if x.Song == nil {
			return Encode(w, x.Project, nil)
		}
		song, err := smf.Decode(bytes.NewReader(x.Song))
		if err != nil {
			return fmt.Errorf("reading the song %s: %w", x.Project.Song.Name, err)
		}
		return Encode(w, x.Project, song)
	},
	As: "dawproject", Button: "DAWproject",
	File: "project.dawproject", Suffix: ".dawproject", MediaType: "application/zip",
}
