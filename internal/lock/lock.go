// Package lock lets one process have a folder, and others see who has it. A lock is a file
// that the system frees when the process ends, however it ends. It knows nothing of what is
// locked.
package lock

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
)

// Lock is a lock that is held.
type Lock struct{ file *os.File }

// HeldError says that another has the lock.
type HeldError struct {
	By string // what that one wrote down, or ""
}

func (e *HeldError) Error() string {
	if e.By == "" {
		return "it is in use by another program"
	}
	return "it is in use by " + e.By
}

// most is how much of a lock file is read of who has it, in bytes.
const most = 500

// Alone takes a lock that nobody else may have, and writes down who has it. A *HeldError says
// that somebody has.
func Alone(path, who string) (*Lock, error) {
	l, err := take(path, true)
	if err != nil {
		return nil, err
	}
	if err = l.file.Truncate(0); err == nil {
		_, err = l.file.WriteAt([]byte(who+"\n"), 0)
	}
	if err != nil {
		return nil, errors.Join(err, l.Free())
	}
	return l, nil
}

// Together takes a lock that others may have with us, but nobody alone.
func Together(path string) (*Lock, error) { return take(path, false) }

func take(path string, alone bool) (*Lock, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	held, err := hold(f, alone)
	if err == nil && !held {
		by, _ := io.ReadAll(io.LimitReader(f, most))
		err = &HeldError{strings.TrimSpace(string(by))}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return &Lock{f}, nil
}

// Free gives the lock up. The file stays: one that is removed could be locked by two.
func (l *Lock) Free() error {
	if err := l.file.Truncate(0); err != nil {
		return errors.Join(fmt.Errorf("freeing %s: %w", l.file.Name(), err), l.file.Close())
	}
	return l.file.Close()
}
