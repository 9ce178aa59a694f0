package store

import (
	"context"
	"errors"
	"fmt"
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
		return &fault.Error{Kind: fault.Storage, Doing: "locking " + path, Err: err,
			Say: fmt.Sprintf("the data folder %s: %v. Stop that first, or open another folder with --data", filepath.Dir(path), held)}
	}
	return cannotOpen(path, err)
}
