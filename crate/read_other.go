//go:build !unix

package crate

import "os"

// readInto reads a file; where the system is not Unix, nothing is won by going past package os.
func readInto(name string, _ []byte) ([]byte, error) { return os.ReadFile(name) }

// readStamped is readInto with the time of the file's last change, in nanoseconds since 1970.
func readStamped(name string, _ []byte, _ bool) (b []byte, modified int64, err error) {
	_, modified, err = statOf(name)
	if err == nil {
		b, err = os.ReadFile(name)
	}
	return b, modified, err
}

// statOf returns a file's size and the time of its last change, in nanoseconds since 1970.
func statOf(name string) (size, modified int64, err error) {
	info, err := os.Stat(name)
	if err != nil {
		return 0, 0, err
	}
	return info.Size(), info.ModTime().UnixNano(), nil
}
