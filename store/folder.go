package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/lock"
)

// What stands beside the database for processes to keep out of each other's way.
const (
	owning    = "owner.lock"  // held alone by who serves, restores or migrates
	importing = "import.lock" // held together by all who import
)

// beside is a file beside the database.
func beside(path, name string) string {
	return strings.TrimSuffix(path, filepath.Ext(path)) + "-" + name
}

// own takes the folder for this process; who says for others what it does there. With a wait
// one that has it only for a short time is waited for.
func own(ctx context.Context, path, who string, wait time.Duration) (*lock.Lock, error) {
	who = fmt.Sprintf("hiddenlanes %s (process %d, since %s)", who, os.Getpid(), time.Now().Format("2006-01-02 15:04"))
	for end := time.Now().Add(wait); ; {
		l, err := lock.Alone(beside(path, owning), who)
		var held *lock.HeldError
		if !errors.As(err, &held) || time.Now().After(end) {
			if err != nil {
				return nil, cannotLock(path, err)
			}
			return l, nil
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// cannotLock says who has the folder, or why it cannot be had.
func cannotLock(path string, err error) error {
	var held *lock.HeldError
	if errors.As(err, &held) {
		return &fault.Error{Kind: fault.Storage,
			Say: fmt.Sprintf("the data folder %s: %v. Stop that first, or open another folder with --data", filepath.Dir(path),
				held)}
	}
	return cannotOpen(path, err)
}

// IsBroken reports whether an error says that the data file itself is damaged.
func IsBroken(err error) bool { return troubles[codeOf(err)].copies }

// SetAside moves a data file that is damaged out of the way, with what SQLite keeps beside it,
// and gives its new name; "" where there is none.
func SetAside(path, stamp string) (aside string, err error) {
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	l, err := lock.Alone(beside(path, owning), fmt.Sprintf("hiddenlanes restore (process %d)", os.Getpid()))
	if err != nil {
		return "", cannotLock(path, err)
	}
	defer l.Free() //nolint:errcheck // it ends with the process at the latest
	aside = beside(path, "damaged-"+stamp) + filepath.Ext(path)
	for _, x := range []string{"", "-wal", "-shm"} {
		if err := os.Rename(path+x, aside+x); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return "", cannotOpen(path, err)
		}
	}
	return aside, nil
}
