//go:build unix

package crate

import (
	"io/fs"

	"golang.org/x/sys/unix"
)

// readInto reads a file into buf, growing it where needed. It goes past package os, whose files are
// made ready for the network's poller: on ten thousand small pages that costs more than reading them.
func readInto(name string, buf []byte) ([]byte, error) {
	fd, err := unix.Open(name, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return buf, &fs.PathError{Op: "open", Path: name, Err: err}
	}
	defer unix.Close(fd)
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
			return buf[:n], &fs.PathError{Op: "read", Path: name, Err: err}
		default:
			n += m
			if n < len(buf) {
				return buf[:n], nil // less than was asked for is a regular file's end
			}
		}
	}
}
