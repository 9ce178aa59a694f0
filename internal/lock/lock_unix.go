//go:build unix

package lock

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// hold locks the file as a whole (flock(2)), or tells that somebody else has it.
func hold(f *os.File, alone bool) (bool, error) {
	how := unix.LOCK_SH
	if alone {
		how = unix.LOCK_EX
	}
	err := unix.Flock(int(f.Fd()), how|unix.LOCK_NB)
	if errors.Is(err, unix.EWOULDBLOCK) {
		return false, nil
	}
	return err == nil, err
}
