//go:build unix

package crate

import (
	"io/fs"

	"golang.org/x/sys/unix"
)

// statOf returns a file's size and the time of its last change, in nanoseconds since 1970.
func statOf(name string) (size, modified int64, err error) {
	var st unix.Stat_t
	if err := unix.Stat(name, &st); err != nil {
		return 0, 0, &fs.PathError{Op: "stat", Path: name, Err: err}
	}
	return st.Size, st.Mtim.Nano(), nil
}

// readInto reads a file into buf, growing it where needed. It goes past package os, whose files are
// made ready for the network's poller: on ten thousand small pages that costs more than reading them.
func readInto(name string, buf []byte) ([]byte, error) {
	b, _, err := readStamped(name, buf, false)
	return b, err
}

// readStamped is readInto with the time of the file's last change, in nanoseconds since 1970, if that is wanted. It is
// taken before the bytes are read: a file that changes in between has a later one.
func readStamped(name string, buf []byte, wanted bool) (b []byte, modified int64, err error) {
	fd, err := unix.Open(name, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return buf, 0, &fs.PathError{Op: "open", Path: name, Err: err}
	}
	defer unix.Close(fd)
	if wanted {
		var st unix.Stat_t
		if unix.Fstat(fd, &st) == nil {
			modified = st.Mtim.Nano()
		}
	}
	buf = buf[:cap(buf)]
	n := 0
	for {
		if n == len(buf) {
			buf = append(buf, make([]byte, max(32<<10, len(buf)))...)
		}
		m, err := unix.Read(fd, buf[n:])
		switch {
		case err == unix.EINTR:
		case err != nil:
			return buf[:n], 0, &fs.PathError{Op: "read", Path: name, Err: err}
		default:
			n += m
			if n < len(buf) {
				return buf[:n], modified, nil // less than was asked for is a regular file's end
			}
		}
	}
}
