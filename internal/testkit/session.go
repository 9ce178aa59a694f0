package testkit

import (
	"archive/zip"
	"bytes"
	"io"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/dawproject"
)

// Session is a project written as a DAWproject session and read again.
func Session(t testing.TB, p *plan.Project) *dawproject.Session {
	t.Helper()
	var b bytes.Buffer
	if err := dawproject.Encode(&b, p, nil); err != nil {
		t.Fatal(err)
	}
	return ReadSession(t, b.Bytes())
}

// ReadSession reads a DAWproject file.
func ReadSession(t testing.TB, data []byte) *dawproject.Session {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	s, err := dawproject.DecodeFiles(z)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// ReadLibrary reads a library file with all its projects.
func ReadLibrary(t testing.TB, r io.Reader) *bundle.Library {
	t.Helper()
	f, err := bundle.OpenLibrary(t.Context(), r)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close() //nolint:errcheck // it was only read
	l := f.Library
	if err := f.Each(t.Context(), func(_ int, p bundle.LibraryProject) error {
		l.Projects = append(l.Projects, p)
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return &l
}
