package bundle

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"runtime"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/internal/spool"
)

// LibraryFile is a library file that is open: all of it was read but its projects, which come one
// after the other, so that a large library is
// never held in memory. Close gives the file back.
type LibraryFile struct {
	Library  // without its projects
	data     *spool.File
	projects []extent
	names    *rig.Names
	seen     map[string]string // the projects so far, by identity
}

// extent is where something stands in a file.
type extent struct{ from, to int64 }

func (x extent) of(file io.ReaderAt) ([]byte, error) {
	b := make([]byte, x.to-x.from)
	_, err := file.ReadAt(b, x.from)
	return b, err
}

// OpenLibrary reads a library file strictly, but for its projects, which Each reads: what its
// schema does not know is refused, and so is an instrument that cannot be computed with.
func OpenLibrary(ctx context.Context, r io.Reader) (f *LibraryFile, err error) {
	data, err := spool.Take(format.Watched(ctx, r), maxLibrary)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			data.Close()
		}
	}()
	if data.Size > maxLibrary {
		return nil, badLibrary("", "it is larger than %d MiB", maxLibrary>>20)
	}
	parts, err := splitLibrary(ctx, data)
	if err != nil {
		return nil, cmp.Or(ctx.Err(), err)
	}
	l, err := parts.frame()
	if err != nil {
		return nil, err
	}
	if err := parts.readInstruments(ctx, l); err != nil {
		return nil, err
	}
	f = &LibraryFile{Library: *l, data: data, projects: parts.projects, names: &rig.Names{},
		seen: map[string]string{}}
	f.cleanNames(f.names)
	if err := f.validate(); err != nil {
		return nil, err
	}
	return f, nil
}

// Close gives the file back.
func (f *LibraryFile) Close() error { return f.data.Close() }

// splitLibrary finds the parts of a library file. The top of it is read as tokens.
func splitLibrary(ctx context.Context, data *spool.File) (*libraryParts, error) {
	d := json.NewDecoder(format.Watched(ctx, io.NewSectionReader(data, 0, data.Size)))
	p := &libraryParts{rest: map[string]json.RawMessage{}}
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return nil, badLibrary("", "%v", cmp.Or(err, errNoObject))
	}
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return nil, badLibrary("", "%v", err)
		}
		switch name, _ := key.(string); name {
		case "projects":
			p.rest[name] = json.RawMessage("[]")
			p.projects, err = extents(d)
		case "instruments":
			p.rest[name] = json.RawMessage("[]")
			err = d.Decode(&p.Instruments)
		default:
			var raw json.RawMessage
			err = d.Decode(&raw)
			p.rest[name] = raw
		}
		if err != nil {
			return nil, badLibrary("", "%v", err)
		}
	}
	if _, err := d.Token(); err != nil {
		return nil, badLibrary("", "%v", err)
	}
	if d.More() {
		return nil, badLibrary("", "something stands behind its end")
	}
	_ = json.Unmarshal(p.rest["format"], &p.Format) // what is none of ours is refused next
	_ = json.Unmarshal(p.rest["version"], &p.Version)
	if err := readable("library file", p.Format, libraryFormat, p.Version, libraryVersion); err != nil {
		return nil, format.Errorf("library file", format.Place{}, "", "%v", err)
	}
	return p, nil
}

var errNoObject = errors.New("it is not a JSON object")

// extents reads a list and tells where its items stand; null is an empty one.
func extents(d *json.Decoder) (out []extent, err error) {
	t, err := d.Token()
	if err != nil || t == nil {
		return nil, err
	}
	if t != json.Delim('[') {
		return nil, errors.New("its projects are not a list")
	}
	for d.More() {
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return nil, err
		}
		end := d.InputOffset()
		out = append(out, extent{end - int64(len(raw)), end})
	}
	_, err = d.Token()
	return out, err
}

// Count is how many projects there are.
func (f *LibraryFile) Count() int { return len(f.projects) }

// Each gives the projects one after the other, each read strictly and found valid; what is wrong
// with one is told with its name, and ends it.
func (f *LibraryFile) Each(ctx context.Context, do func(i int, p LibraryProject) error) error {
	some := make([]LibraryProject, 4*runtime.GOMAXPROCS(0))
	for from := 0; from < len(f.projects); from += len(some) {
		n := min(len(some), len(f.projects)-from)
		clear(some)
		if err := OnEveryProcessor(ctx, "", n, func(k int) error {
			raw, err := f.projects[from+k].of(f.data)
			if err != nil {
				return err
			}
			return readOne("project", from+k, raw, plan.Versions, shapes().project, &some[k])
		}); err != nil {
			return err
		}
		for k, p := range some[:n] {
			if p.Project != nil {
				p.Project.CleanNames(f.names)
			}
			if err := f.validProject(from+k, p); err != nil {
				return err
			}
			if err := do(from+k, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// Shortened says which names were too long so far, or "".
func (f *LibraryFile) Shortened() string { return f.names.Said() }

// values bounds how many values a document may have: each takes many times its text in memory
// while it is held against its schema.
const maxValues = 600_000

// tooManyValues reports whether a JSON text may have more values than are read.
func tooManyValues(text []byte) bool { return bytes.Count(text, []byte{','}) > maxValues }
