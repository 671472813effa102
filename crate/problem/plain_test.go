package problem

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// TestPlain: an error of the system is said in plain words, with the file; what was said before it stays, and other
// errors are as they were.
func TestPlain(t *testing.T) {
	gone := filepath.Join(t.TempDir(), "gone.html")
	_, err := os.Open(gone)
	for _, tt := range []struct {
		err  error
		want string
	}{
		{err, gone + " can't be used: it does not exist"},
		{fmt.Errorf("brinework needs oarlock: %w", err), "brinework needs oarlock: " + gone +
			" can't be used: it does not exist"},
		{&fs.PathError{Op: "read", Path: "a.js", Err: syscall.EISDIR}, "a.js can't be used: it is a folder"},
		{&fs.PathError{Op: "open", Path: "a.js", Err: syscall.EMFILE}, "a.js can't be used: too many files are open"},
		{&os.LinkError{Op: "rename", Old: "a", New: "b", Err: syscall.ENOSPC}, "b can't be used: the disk is full"},
		{os.NewSyscallError("write", syscall.EIO), "the disk can't read or write it"},
		{syscall.Errno(9999), "the system refused it"},
		{errors.New("low water"), "low water"},
	} {
		if got := Plain(tt.err); got != tt.want {
			t.Errorf("%v: %q, want %q", tt.err, got, tt.want)
		}
	}
	for _, e := range []error{syscall.EACCES, syscall.ENOTDIR, syscall.ELOOP, syscall.ENXIO, syscall.EROFS} {
		p := Of(&fs.PathError{Op: "open", Path: "a.js", Err: e})
		if strings.Contains(p.What, e.Error()) || len(p.Next) == 0 || p.Class == Internal {
			t.Errorf("%v: %+v", e, p)
		}
	}
}
