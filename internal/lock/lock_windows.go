package lock

import (
	"errors"
	"os"

	"golang.org/x/sys/windows"
)

// hold locks a byte far behind what is read of the file (LockFileEx), or tells that somebody
// else has it.
func hold(f *os.File, alone bool) (bool, error) {
	flags := uint32(windows.LOCKFILE_FAIL_IMMEDIATELY)
	if alone {
		flags |= windows.LOCKFILE_EXCLUSIVE_LOCK
	}
	err := windows.LockFileEx(windows.Handle(f.Fd()), flags, 0, 1, 0, &windows.Overlapped{OffsetHigh: 1})
	if errors.Is(err, windows.ERROR_LOCK_VIOLATION) {
		return false, nil
	}
	return err == nil, err
}
