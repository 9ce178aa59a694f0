package sfz

import (
	"bytes"
	"context"
	"errors"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"hiddenlanes/core/rig"
	"hiddenlanes/format"
)

const formatName = "sfz"

// Format is SFZ among the others: one text, or a folder or archive that holds it with
// what it includes.
var Format = &format.Format{
	Name: formatName, Title: "SFZ", Extensions: []string{".sfz"}, Archives: []string{".zip"}, Holds: format.Instruments,
	Sniff: func(head []byte, file string) bool {
		if bytes.ContainsRune(head, 0) {
			return false
		}
		return slices.ContainsFunc(headers, func(h string) bool { return bytes.Contains(head, []byte(h)) }) ||
			format.HasExtension(file, ".sfz")
	},
	InArchive: func(files fs.FS) bool {
		found := errors.New("found")
		return fs.WalkDir(files, ".", func(p string, e fs.DirEntry, err error) error {
			if err == nil && !e.IsDir() && isInstrument(p) {
				return found
			}
			return err
		}) == found
	},
	Decode: func(in *format.Input) (*format.Content, error) {
		if in.Files == nil {
			return decodeText(in)
		}
		if strings.EqualFold(path.Ext(in.Name), ".sfz") { // one file of a folder
			if _, err := fs.Stat(in.Files, filepath.Base(in.Name)); err == nil {
				return decodeAll(in.Context, in.Files, []string{filepath.Base(in.Name)}, in.Name)
			}
		}
		files, err := mainFile(in.Files)
		if err != nil {
			return nil, err
		}
		return decodeAll(in.Context, in.Files, files, in.Name)
	},
}

// isInstrument reports whether a path is that of an instrument file.
func isInstrument(p string) bool {
	return strings.EqualFold(path.Ext(p), ".sfz") && !strings.HasPrefix(path.Base(p), "._")
}

var headers = []string{"<region>", "<group>", "<control>", "<global>", "<master>"}

// decodeText reads one text that stands alone.
func decodeText(in *format.Input) (*format.Content, error) {
	const main = "main.sfz"
	var f Folder
	if err := f.Add(main, in.Reader); err != nil {
		return nil, err
	}
	files, err := f.Files()
	if err != nil {
		return nil, err
	}
	return decodeAll(in.Context, files, []string{main}, in.Name)
}

// decodeAll reads instrument files of a file system. Where there are several, those that
// cannot be read are told of and left out. name is that of the whole, for people.
// Together they have a bound, too, beyond which the whole is refused.
func decodeAll(ctx context.Context, fsys fs.FS, files []string, name string) (*format.Content, error) {
	c := &format.Content{}
	spent := budget{ctx: ctx}
	for _, p := range files {
		f, err := decodeWithin(fsys, p, &spent)
		var bad *format.Error
		switch {
		case errors.Is(err, errSpent):
			return nil, err
		case err != nil && len(files) > 1 && errors.As(err, &bad):
			c.Warnings = append(c.Warnings, err.Error())
			continue
		case err != nil:
			return nil, err
		}
		title := format.Base(p)
		if len(files) == 1 {
			title = format.Base(name)
		}
		in, source, err := f.packed(strings.ReplaceAll(title, "_", " "), p)
		if err != nil {
			return nil, err
		}
		c.Instruments, c.Sources = append(c.Instruments, in), append(c.Sources, source)
		for _, w := range f.Warnings {
			if len(files) > 1 {
				w = path.Base(p) + ": " + w
			}
			c.Warnings = append(c.Warnings, w)
		}
	}
	if len(c.Instruments) == 0 {
		return nil, format.Errorf(filepath.Base(name), format.Place{}, "see what is wrong with each",
			"none of its .sfz files can be read: %s", strings.Join(c.Warnings, "; "))
	}
	return c, nil
}

// packed is the instrument with its texts, for being written again.
func (f *File) packed(title, main string) (rig.Instrument, *format.Source, error) {
	in, _ := f.Rig(title)
	var b bytes.Buffer
	if err := Pack(&b, f.Texts); err != nil {
		return in, nil, err
	}
	return in, &format.Source{Format: formatName, Main: main, Data: b.Bytes()}, nil
}
