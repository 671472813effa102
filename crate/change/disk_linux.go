package change

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

func swap(a, b string) error {
	err := unix.Renameat2(unix.AT_FDCWD, a, unix.AT_FDCWD, b, unix.RENAME_EXCHANGE)
	if err == unix.ENOSYS || err == unix.EINVAL {
		return errors.ErrUnsupported
	}
	if err != nil {
		return &os.LinkError{Op: "exchange", Old: a, New: b, Err: err}
	}
	return nil
}

// syncAll flushes the whole file system once, which costs far less than a sync for each file.
func syncAll(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	return unix.Syncfs(int(f.Fd()))
}
