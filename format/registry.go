package format

import (
	"context"
	"io"
	"io/fs"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Holds says what a kind of file holds.
type Holds string

// What files hold.
const (
	Instruments Holds = "instruments"
	Song        Holds = "song"
	Session     Holds = "session"
	Project     Holds = "project"
	Library     Holds = "library"
	Sheet       Holds = "sheet" // for people, and not read again
)

// SniffLen is how many of a file's first bytes Sniff is given, or all there are.
const SniffLen = 4096

// Format is one kind of file. Each format's package exports one, and the table in package
// formats lists them; everything that reads or writes files is made from that.
type Format struct {
	Name       string   // as scripts know it: "soundfont2"
	Title      string   // as people know it: "SoundFont 2"
	Extensions []string // ".sf2"
	Archives   []string // extensions of archives that may hold it: ".zip"
	Holds      Holds
	// Sniff tells by its first bytes whether a file is of this kind. name is the file's,
	// for text formats that have no mark of their own.
	Sniff func(head []byte, name string) bool
	// InArchive reports whether an archive or a folder is of this kind.
	InArchive func(fs.FS) bool
	// Decode reads a file; nil: it can only be written. Errors are *Error, or the
	// reader's own.
	Decode func(*Input) (*Content, error)
	// Encode writes what an Export holds; nil: it can only be read.
	Encode func(io.Writer, Export) error

	// The rest is of formats that a project can be taken away in.
	As        string // what `export --as` calls it; "": a project is not written so
	File      string // below the project's address: "map.svg"
	Suffix    string // of the file's name, behind the project's: " map.svg"
	MediaType string // IANA's
	Button    string // on the patch sheet's page; "": another page offers it
}

// Input is a file to be decoded, as a stream or as an archive.
type Input struct {
	Reader io.Reader // from the first byte; nil for an archive or a folder
	Files  fs.FS     // of an archive or a folder
	Name   string    // for people, and for what has no name of its own
	Naming midi.Naming
	// Context ends when whoever wants the file has gone, or the time for it is over. Reader and
	// Files end with it; decoders that work long without reading look at it.
	Context context.Context
}

// Content is what a decoder makes of a file.
type Content struct {
	Instruments []rig.Instrument
	Sources     []*Source // of the instruments that can be written again; may be shorter
	// Value is what a file holds that is no instrument: *smf.File, *dawproject.Session,
	// *bundle.Project or *bundle.LibraryFile.
	Value    any
	Warnings []string
}

// Source is what an instrument was read from, for being written again.
type Source struct {
	Format string
	Main   string // path of the file that holds it
	Data   []byte // its texts as one ZIP
}

// Export is what there is to write; an encoder takes what it needs from it.
type Export struct {
	Project    *plan.Project
	Instrument *rig.Instrument
	Song       []byte // of the project, as it came
	Naming     midi.Naming
}
