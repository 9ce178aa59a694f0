// Package formats lists the file formats and tells by a file's first bytes which it is,
// after the image registry of the standard library. What is not known is told what it
// looks like.
package formats

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/format"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/csvrig"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/midnam"
	"hiddenlanes/format/namelist"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/format/sfz"
	"hiddenlanes/format/smf"
	"hiddenlanes/format/soundfont"
)

// Table lists the formats, in the order in which they are asked whether a file is theirs:
// those with a mark of their own first.
var Table = []*format.Format{
	soundfont.Format,
	smf.Format,
	dawproject.Format,
	midnam.Format,
	bundle.LibraryFormat,
	bundle.ProjectFormat,
	patchsheet.Format,
	sfz.Format,
	csvrig.Format,
	namelist.Format,
	mapFormat,
	smf.TemplateFormat,
}

// Named finds a format by its name, or gives nil.
func Named(name string) *format.Format {
	for _, f := range Table {
		if f.Name == name {
			return f
		}
	}
	return nil
}

// Exported finds the format that `export --as` calls so, or gives nil.
func Exported(as string) *format.Format {
	for _, f := range Table {
		if f.As != "" && f.As == as {
			return f
		}
	}
	return nil
}

// File is a file whose format is known, ready to be decoded. Close gives its temporary
// files back.
type File struct {
	Format *format.Format
	Input  format.Input
	temp   *os.File
}

// Decode reads the file.
func (f *File) Decode(ctx context.Context, naming midi.Naming) (*format.Content, error) {
	if f.Format.Decode == nil {
		return nil, fmt.Errorf("a %s can be written, but not imported", f.Format.Title)
	}
	f.Input.Naming, f.Input.Context = naming, ctx
	if f.Input.Files != nil {
		f.Input.Files = format.WatchedFiles(ctx, f.Input.Files)
	}
	c, err := f.Format.Decode(&f.Input)
	if gone := ctx.Err(); gone != nil { // whatever the decoder made from it
		return nil, gone
	}
	return c, err
}

// Close removes what was put aside to read the file.
func (f *File) Close() {
	if f.temp != nil {
		f.temp.Close()
		os.Remove(f.temp.Name())
	}
}

// Detect tells by a file's first bytes, or by what an archive holds, which format it is;
// name is the file's, for people and for texts that have no mark. It reads no further
// than it must. An *UnknownError says what an unknown file looks like.
// When the context ends, so does the reading.
func Detect(ctx context.Context, r io.Reader, name string) (*File, error) {
	br := format.NewSkipper(format.Watched(ctx, r))
	head, err := br.Peek(format.SniffLen)
	if err != nil && !errors.Is(err, io.EOF) && len(head) < 4 {
		return nil, err
	}
	if strings.HasPrefix(string(head), zipMark) {
		return detectArchive(br, name)
	}
	for _, f := range Table {
		if f.Sniff != nil && f.Sniff(head, name) {
			return &File{Format: f, Input: format.Input{Reader: br, Name: name}}, nil
		}
	}
	return nil, &UnknownError{Name: filepath.Base(name), Looks: looksLike(head)}
}

// zipMark begins an archive.
const zipMark = "PK"

// detectArchive puts an archive into a file, for it is read from its end, and asks by what
// it holds.
func detectArchive(r io.Reader, name string) (*File, error) {
	temp, err := os.CreateTemp("", "hiddenlanes-*.zip")
	if err != nil {
		return nil, err
	}
	out := &File{Input: format.Input{Name: name}, temp: temp}
	size, err := io.Copy(temp, r)
	if err != nil {
		out.Close()
		return nil, err
	}
	z, err := zip.NewReader(temp, size)
	if err != nil {
		out.Close()
		return nil, format.Errorf(filepath.Base(name), format.Place{}, "pack the folder again",
			"the ZIP cannot be opened: %v", err)
	}
	if out.Format = inArchive(z); out.Format == nil {
		out.Close()
		return nil, &UnknownError{Name: filepath.Base(name), Looks: looksLike([]byte(zipMark))}
	}
	out.Input.Files = z
	return out, nil
}

// DetectFolder is Detect for a folder.
func DetectFolder(files fs.FS, name string) (*File, error) {
	f := inArchive(files)
	if f == nil {
		return nil, &UnknownError{Name: filepath.Base(name), Looks: look{"a folder", "there is no instrument file in it"}}
	}
	return &File{Format: f, Input: format.Input{Files: files, Name: name}}, nil
}

func inArchive(files fs.FS) *format.Format {
	for _, f := range Table {
		if f.InArchive != nil && f.InArchive(files) {
			return f
		}
	}
	return nil
}

// importable lists the formats that can be imported, of those that hold one of these things
// (none: all).
func importable(holds []format.Holds) (out []*format.Format) {
	for _, f := range Table {
		if f.Decode != nil && (len(holds) == 0 || slices.Contains(holds, f.Holds)) {
			out = append(out, f)
		}
	}
	return out
}

// importableText lists what can be imported, of those who hold one of these things (none: all),
// with their extensions.
func importableText(holds ...format.Holds) string {
	var out []string
	for _, f := range importable(holds) {
		out = append(out, fmt.Sprintf("%s (%s)", f.Title, strings.Join(f.Extensions, ", ")))
	}
	return oneOf(out)
}

// oneOf joins a list of choices as one reads it.
func oneOf(items []string) string {
	if n := len(items); n > 1 {
		return strings.Join(items[:n-1], ", ") + " or " + items[n-1]
	}
	return strings.Join(items, "")
}

// Titles names the formats that can be imported, of those that hold one of these things.
func Titles(holds ...format.Holds) string {
	var out []string
	for _, f := range importable(holds) {
		out = append(out, f.Title)
	}
	return strings.Join(out, ", ")
}

// Extensions lists the extensions of the formats that Titles names, for a page to choose
// files by.
func Extensions(holds ...format.Holds) string {
	var out []string
	for _, f := range importable(holds) {
		out = slices.Concat(out, f.Extensions, f.Archives)
	}
	return strings.Join(out, ",")
}
