package dawproject

import (
	"archive/zip"
	"io"

	"hiddenlanes/format"
)

// Decode reads the mixer of a DAWproject file. What it does not know is passed
// over. Errors are *format.Error.
func Decode(r io.ReaderAt, size int64) (*Session, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, format.Errorf(name, format.Place{}, "export it again", "the ZIP cannot be opened: %v", err)
	}
	return DecodeFiles(z)
}
