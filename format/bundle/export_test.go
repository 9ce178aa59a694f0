package bundle

import (
	"context"
	"io"
)

// DecodeLibrary reads a library file with all its projects.
func DecodeLibrary(ctx context.Context, r io.Reader) (*Library, error) {
	f, err := OpenLibrary(ctx, r)
	if err != nil {
		return nil, err
	}
	defer f.Close() //nolint:errcheck // it was only read
	l := f.Library
	err = f.Each(ctx, func(_ int, p LibraryProject) error {
		l.Projects = append(l.Projects, p)
		return nil
	})
	return &l, err
}
