package sfz

import (
	"archive/zip"
	"bytes"
	"io"
	"io/fs"
	"path"
	"strings"

	"hiddenlanes/format"
)

// Folder collects the files of a folder that is uploaded one after the other: the
// texts whole, of samples the head alone.
type Folder struct {
	buf   bytes.Buffer
	zip   *zip.Writer
	texts int64
	n     int
}

const (
	maxTexts = 64 << 20
	maxFiles = 100_000
)

// Add takes one file, by its path in the folder.
func (f *Folder) Add(name string, r io.Reader) error {
	if f.zip == nil {
		f.zip = zip.NewWriter(&f.buf)
	}
	name = path.Clean(strings.ReplaceAll(name, `\`, "/"))
	if !fs.ValidPath(name) {
		return format.Errorf("folder", format.InFile(name), "choose the folder itself", "this path leads outside the folder")
	}
	limit := int64(64) // enough to see how many channels a sample has
	switch strings.ToLower(path.Ext(name)) {
	case ".sfz", ".txt", ".h", ".inc", ".sfzh", "":
		limit = maxTexts - f.texts + 1
	}
	if f.n++; f.n > maxFiles {
		return format.Errorf("folder", format.InFile(name), "choose the instrument's own folder",
			"there are more than %d files in it", maxFiles)
	}
	w, err := f.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
	if err != nil {
		return err
	}
	n, err := io.Copy(w, io.LimitReader(r, limit))
	if limit > 64 {
		if f.texts += n; f.texts > maxTexts {
			return format.Errorf("folder", format.InFile(name), "choose the instrument's own folder",
				"the texts in it are larger than %d MiB", maxTexts>>20)
		}
	}
	if err == nil {
		_, err = io.Copy(io.Discard, r)
	}
	return err
}

// Files gives the folder as a file system.
func (f *Folder) Files() (fs.FS, error) {
	if f.zip == nil {
		return nil, format.Errorf("folder", format.Place{}, "choose one that holds an .sfz file", "there is nothing in it")
	}
	if err := f.zip.Close(); err != nil {
		return nil, err
	}
	return Unpack(f.buf.Bytes())
}
