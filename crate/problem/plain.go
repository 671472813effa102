package problem

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"strings"
	"syscall"
)

// reasons are the system's errors in plain words. The first that an error is counts.
var reasons = []struct {
	is   error
	says string
}{
	{syscall.ENOSPC, "the disk is full"},
	{syscall.EDQUOT, "your quota of disk space is used up"},
	{syscall.EMFILE, "too many files are open"},
	{syscall.ENFILE, "too many files are open on this machine"},
	{syscall.EROFS, "it is on a read-only disk"},
	{fs.ErrPermission, "you have no permission"},
	{fs.ErrNotExist, "it does not exist"},
	{fs.ErrExist, "it exists already"},
	{syscall.ENOTDIR, "it, or a folder above it, is not a folder"},
	{syscall.EISDIR, "it is a folder"},
	{syscall.ENOTEMPTY, "the folder is not empty"},
	{syscall.ELOOP, "its links lead in a circle"},
	{syscall.ENAMETOOLONG, "its name is too long"},
	{syscall.ENXIO, "it is not a regular file"},
	{syscall.EIO, "the disk can't read or write it"},
	{syscall.EXDEV, "it is on another disk"},
	{syscall.EPIPE, "the program that reads the output has ended"},
	{syscall.ETXTBSY, "another program has it open"},
	{fs.ErrClosed, "it was closed"},
	{io.ErrUnexpectedEOF, "it ends too early"},
}

// Plain says an error in words for people: the file that it is about, and why, without the system's own text. An error
// that is not the system's keeps its words.
func Plain(err error) string {
	path, inner := systemError(err)
	if inner == nil {
		return err.Error()
	}
	reason := "the system refused it"
	for _, r := range reasons {
		if errors.Is(inner, r.is) {
			reason = r.says
			break
		}
	}
	if path != "" {
		reason = path + " can't be used: " + reason
	}
	return strings.Replace(err.Error(), inner.Error(), reason, 1) // what is before it stays
}

// systemError returns the system's part of an error and the file that it names, nil if there is none.
func systemError(err error) (path string, inner error) {
	var pe *fs.PathError
	var le *os.LinkError
	var se *os.SyscallError
	var errno syscall.Errno
	switch {
	case errors.As(err, &pe):
		return pe.Path, pe
	case errors.As(err, &le):
		return le.New, le
	case errors.As(err, &se):
		return "", se
	case errors.As(err, &errno):
		return "", errno
	}
	return "", nil
}
