// Package bundle reads and writes the files of our own: one project as a bundle, and a
// whole library. Their JSON Schemas are made of the types here. It knows nothing of where
// they are kept.
package bundle

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"regexp"

	"hiddenlanes/core/document"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/smf"
)

// ProjectFormat and LibraryFormat are the two among the others.
var (
	ProjectFormat = &format.Format{
		Name: "bundle", Title: "Project bundle", Extensions: []string{".json"}, Holds: format.Project,
		Sniff: func(head []byte, _ string) bool { return isObject(head) && !libraryMark.Match(head) },
		Decode: func(in *format.Input) (*format.Content, error) {
			p, err := Decode(in.Reader)
			if err != nil {
				return nil, err
			}
			return &format.Content{Value: p}, nil
		},
		Encode: func(w io.Writer, x format.Export) error { return Encode(w, x.Project, x.Song) },
		As:     "bundle", Button: "Bundle",
		File: "project.json", Suffix: " project.json", MediaType: "application/json",
	}
	LibraryFormat = &format.Format{
		Name: "library", Title: "Library file", Extensions: []string{".json"}, Holds: format.Library,
		Sniff: func(head []byte, _ string) bool { return isObject(head) && libraryMark.Match(head) },
		Decode: func(in *format.Input) (*format.Content, error) {
			l, err := OpenLibrary(cmp.Or(in.Context, context.Background()), in.Reader)
			if err != nil {
				return nil, err
			}
			return &format.Content{Value: l}, nil
		},
	}
)

func isObject(head []byte) bool { return bytes.HasPrefix(bytes.TrimSpace(head), []byte("{")) }

var libraryMark = regexp.MustCompile(`^\s*\{\s*"format"\s*:\s*"` + libraryFormat + `"`)

// file is a bundle as it is written.
type file struct {
	Format  string          `json:"format"`
	Version int             `json:"version"`
	Project json.RawMessage `json:"project"`
	Song    *Song           `json:"song,omitempty"`
}

// Song is the project's song, its bytes as they came.
type Song struct {
	Name string `json:"name"`
	Data []byte `json:"data"`
}

// Project is a bundle that was read.
type Project struct {
	Plan      *plan.Project
	Song      *Song  // nil: it has none
	Shortened string // says which names were too long, or ""
}

// The versions of the file: 2 holds documents that say theirs, 1 did not. Older ones are
// read, newer ones refused.
const bundleFormat, bundleVersion = "hiddenlanes-project", 2

// maxBundle bounds what is read of a bundle, in bytes.
const maxBundle = 32 << 20

// Encode writes a project as a bundle, with the bytes of its song.
func Encode(w io.Writer, p *plan.Project, song []byte) error {
	doc, err := json.Marshal(p)
	if err != nil {
		return err
	}
	f := file{Format: bundleFormat, Version: bundleVersion, Project: doc}
	if song != nil {
		f.Song = &Song{p.Song.Name, song}
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(f)
}

// readFrame reads all of a bundle but its project.
func readFrame(data []byte) (f file, err error) {
	var all map[string]json.RawMessage
	if err := parse(data, &all); err != nil {
		return f, err
	}
	project := all["project"]
	delete(all, "project")
	frame, err := json.Marshal(all)
	if err == nil {
		err = shapes().frame.read(frame, &f)
	}
	f.Project = project
	return f, err
}

// Decode reads a bundle strictly: a field that is not known is refused.
func Decode(r io.Reader) (*Project, error) {
	bad := func(what string, args ...any) error {
		return format.Errorf("bundle", format.Place{}, "export it again from a Hidden Lanes of this version or a later one",
			what, args...)
	}
	data, err := io.ReadAll(io.LimitReader(r, maxBundle+1))
	if err != nil {
		return nil, err
	}
	if len(data) > maxBundle {
		return nil, bad("it is larger than %d MiB", maxBundle>>20)
	}
	f, err := readFrame(data)
	if err != nil {
		return nil, bad("%v", err)
	}
	if err := readable("bundle", f.Format, bundleFormat, f.Version, bundleVersion); err != nil {
		return nil, bad("%v", err)
	}
	if f.Project == nil {
		return nil, bad("it holds no project")
	}
	doc, err := plan.Versions.Upgrade(f.Project)
	if err != nil {
		return nil, bad("%v", err)
	}
	p := &plan.Project{}
	if err := shapes().bundle.read(doc, p); err != nil {
		return nil, bad("%v", err)
	}
	for i := range p.Placed {
		p.Placed[i].Shelf = 0 // the shelf is another one here
	}
	if err := complete(p); err != nil {
		return nil, bad("%v", err)
	}
	if f.Song != nil {
		if _, err := smf.Decode(bytes.NewReader(f.Song.Data)); err != nil {
			return nil, fmt.Errorf("the song in the bundle: %w", err)
		}
	}
	names := &rig.Names{}
	p.CleanNames(names)
	return &Project{p, f.Song, names.Said()}, nil
}

// readable refuses a file that is another than what, and one of a later version.
func readable(what, is, want string, version, most int) error {
	switch {
	case is != want:
		return fmt.Errorf("it says that it is %q, not %q", is, want)
	case version > most:
		return &document.NewerError{What: what, Version: version, Most: most}
	case version < 1:
		return fmt.Errorf("its version is %d; versions count from 1", version)
	}
	return nil
}

// strictly decodes JSON and refuses a field that is not known.
func strictly(data []byte, v any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(v)
}

// complete makes a project from a file safe to compute with, or says why it is not.
func complete(p *plan.Project) error {
	for _, pl := range p.Placed {
		if pl.AsItCame != nil {
			if err := pl.AsItCame.Validate(); err != nil {
				return err
			}
		}
	}
	p.Relink()
	p.MendIDs()
	for i := range p.Placed {
		if p.Placed[i].Feeds == nil {
			p.Placed[i].Feeds = map[string]plan.Assignment{}
		}
	}
	return p.Validate()
}
