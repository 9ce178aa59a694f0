package format

import (
	"context"
	"io"
	"io/fs"
)

// Watched reads r as long as its reader is there: when the context ends, reading does, and with it
// the decoder. What can be sought in can still be.
func Watched(ctx context.Context, r io.Reader) io.Reader {
	w := watched{ctx, r}
	if s, ok := r.(io.Seeker); ok {
		return struct {
			io.Reader
			io.Seeker
		}{w, s}
	}
	return w
}

type watched struct {
	ctx context.Context
	io.Reader
}

func (w watched) Read(b []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.Reader.Read(b)
}

// WatchedFiles is Watched for the files of an archive or a folder.
func WatchedFiles(ctx context.Context, files fs.FS) fs.FS { return watchedFiles{ctx, files} }

type watchedFiles struct {
	ctx   context.Context
	files fs.FS
}

func (w watchedFiles) Open(name string) (fs.File, error) {
	if err := w.ctx.Err(); err != nil {
		return nil, err
	}
	f, err := w.files.Open(name)
	if err != nil {
		return nil, err
	}
	if _, isFolder := f.(fs.ReadDirFile); isFolder {
		if info, err := f.Stat(); err == nil && info.IsDir() {
			return f, nil
		}
	}
	return watchedFile{f, Watched(w.ctx, f)}, nil
}

// watchedFile is a file whose reading is watched.
type watchedFile struct {
	fs.File
	r io.Reader
}

func (f watchedFile) Read(b []byte) (int, error) { return f.r.Read(b) }
