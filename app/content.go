// Package app holds the use cases. It is the only layer that knows both the
// core and the store; the web pages and the command both call it.
package app

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/csvrig"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/formats"
	"hiddenlanes/format/sfz"
	"hiddenlanes/format/smf"
)

// Content is what a file that was read holds.
type Content struct {
	Format      *format.Format
	Instruments []rig.Instrument
	Sources     []*format.Source // of the instruments that can be written again
	Song        *smf.File
	Session     *dawproject.Session
	Bundle      *bundle.Project
	Library     *bundle.LibraryFile
	Warnings    []string
	Shortened   string // says which names were too long, or ""
}

// Folder collects the files of a folder that is uploaded one after the other.
type Folder = sfz.Folder

// destinations says of each kind of content what it is, and where it is imported.
var destinations = map[format.Holds]struct{ what, where string }{
	format.Instruments: {"an instrument", "import it on the Instruments page"},
	format.Song:        {"a song", "open a project and import it there, under Feeds"},
	format.Session:     {"a session", "open a project and import it there, under Run sheet"},
	format.Project:     {"a project", "import it with the command: hiddenlanes import"},
	format.Library:     {"a library", "import it on the Projects page"},
	format.Sheet:       {"a patch sheet", "it is for people to read; export the project as a bundle instead"},
}

// Read tells what a file is and reads it as a stream. name is the file's, for people;
// wanted is what may be in it (none: anything). Errors are *format.Error,
// *formats.UnknownError, or the reader's own.
func Read(ctx context.Context, r io.Reader, name string, naming midi.Naming, wanted ...format.Holds) (*Content, error) {
	f, err := formats.Detect(ctx, r, name)
	if err != nil {
		return nil, forWhat(err, wanted)
	}
	return readFile(ctx, f, naming, wanted)
}

// ReadFolder is Read for a folder.
func ReadFolder(ctx context.Context, files fs.FS, name string, naming midi.Naming, wanted ...format.Holds) (*Content,
	error) {
	f, err := formats.DetectFolder(files, name)
	if err != nil {
		return nil, forWhat(err, wanted)
	}
	return readFile(ctx, f, naming, wanted)
}

// ReadPath reads a file, with what it includes from its folder, or a folder.
func ReadPath(ctx context.Context, file string, naming midi.Naming, wanted ...format.Holds) (*Content, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	dir := file
	if !info.IsDir() {
		if !format.HasExtension(file, sfz.Format.Extensions...) {
			f, err := os.Open(file)
			if err != nil {
				return nil, err
			}
			defer f.Close()
			return Read(ctx, f, file, naming, wanted...)
		}
		dir = filepath.Dir(file)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return ReadFolder(ctx, root.FS(), file, naming, wanted...)
}

// forWhat lets an error about an unknown file say what could be imported in its place.
func forWhat(err error, wanted []format.Holds) error {
	if unknown, ok := err.(*formats.UnknownError); ok {
		unknown.For = wanted
	}
	return err
}

func readFile(ctx context.Context, f *formats.File, naming midi.Naming, wanted []format.Holds) (*Content, error) {
	defer f.Close()
	if len(wanted) > 0 && !slices.Contains(wanted, f.Format.Holds) {
		var not []string
		for _, w := range wanted {
			not = append(not, destinations[w].what)
		}
		to := destinations[f.Format.Holds]
		return nil, format.Errorf(filepath.Base(f.Input.Name), format.Place{}, to.where,
			"this is %s (%s), not %s", to.what, f.Format.Title, strings.Join(not, " or "))
	}
	in, err := f.Decode(ctx, naming)
	if err != nil {
		return nil, err
	}
	c := &Content{Format: f.Format, Instruments: in.Instruments, Sources: in.Sources, Warnings: in.Warnings}
	switch v := in.Value.(type) {
	case *smf.File:
		c.Song = v
	case *dawproject.Session:
		c.Session = v
	case *bundle.Project:
		c.Bundle = v
	case *bundle.LibraryFile:
		c.Library = v
	}
	names := &rig.Names{}
	for i := range c.Instruments {
		c.Instruments[i].Origin = f.Format.Title + ", " + filepath.Base(f.Input.Name)
		names.Instrument(&c.Instruments[i])
		c.Instruments[i].Name = cmp.Or(c.Instruments[i].Name, "Untitled instrument")
	}
	if c.Session != nil {
		names.Clean(&c.Session.Title)
		for i := range c.Session.Lanes {
			names.Clean(&c.Session.Lanes[i].Name)
		}
	}
	c.Shortened = names.Said()
	switch {
	case c.Bundle != nil:
		c.Shortened = c.Bundle.Shortened
	case c.Library != nil:
		c.Shortened = c.Library.Shortened()
	}
	if c.Shortened != "" {
		c.Warnings = append(c.Warnings, c.Shortened)
	}
	return c, nil
}

// Find gives the instrument with the name; case and spaces around it do not matter.
func (c *Content) Find(name string) (rig.Instrument, error) {
	var names []string
	for _, in := range c.Instruments {
		if strings.EqualFold(in.Name, strings.TrimSpace(name)) {
			return in, nil
		}
		names = append(names, in.Name)
	}
	return rig.Instrument{}, fmt.Errorf("no instrument is called %q; the file holds: %s", name, strings.Join(names, ", "))
}

// PlanSong is what the plan keeps of a song: the notes on each address.
func PlanSong(name string, f *smf.File) *plan.Song {
	s := &plan.Song{Name: rig.ShortName(name)}
	for _, c := range f.Channels() {
		s.Channels = append(s.Channels, plan.SongChannel{Address: c.Address, Programs: c.Programs, Keys: c.Keys})
	}
	return s
}

// Kinds names the formats of files that can be imported and hold one of these things.
func Kinds(holds ...format.Holds) string { return formats.Titles(holds...) }

// Accepts lists the extensions of the files that can be imported and hold one of these
// things, for a page to choose files by.
func Accepts(holds ...format.Holds) string { return formats.Extensions(holds...) }

// ExampleCSV writes an instrument as CSV to begin from, with something in every column.
func ExampleCSV(w io.Writer) error { return csvrig.Example(w) }
