// Package spool keeps what comes as a stream in a temporary file while it is read at places, so that
// memory does not grow with it. It knows nothing of what is read.
package spool

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"syscall"

	"hiddenlanes/internal/fault"
)

// File is a temporary file.
type File struct {
	*os.File
	Size int64 // in bytes
}

// Take reads all of r, up to one byte more than most.
func Take(r io.Reader, most int64) (*File, error) {
	f, err := os.CreateTemp("", "hiddenlanes-*.json")
	if err != nil {
		return nil, noRoom(err)
	}
	s := &File{File: f}
	_ = os.Remove(f.Name()) // it goes when it is closed, or the process ends; where it cannot yet, Close does
	if s.Size, err = io.Copy(onlyWriter{f}, io.LimitReader(r, most+1)); err != nil {
		s.Close()
		return nil, noRoom(err)
	}
	return s, nil
}

// onlyWriter hides from io.Copy what else a file can do, so that errors of the two sides differ.
type onlyWriter struct{ w io.Writer }

func (o onlyWriter) Write(b []byte) (int, error) {
	n, err := o.w.Write(b)
	if err != nil {
		err = spoolError{err}
	}
	return n, err
}

// spoolError is an error of the temporary file and not of what is read.
type spoolError struct{ error }

// noRoom says that a temporary file cannot be written; other errors stay.
func noRoom(err error) error {
	var ours spoolError
	if errors.As(err, &ours) {
		err = ours.error
	} else if _, ok := err.(*fs.PathError); !ok {
		return err
	}
	return &fault.Error{Kind: fault.Storage, Doing: "keeping a file while it is read", Err: err,
		Full: errors.Is(err, syscall.ENOSPC),
		Say:  "there is no room to keep the file while it is read, in " + os.TempDir() + ". Make room and try again"}
}

// Close removes the file.
func (s *File) Close() error {
	err := s.File.Close()
	if gone := os.Remove(s.Name()); gone != nil && !errors.Is(gone, fs.ErrNotExist) {
		err = errors.Join(err, gone)
	}
	return err
}
