package change

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
)

// A Fault makes one write go wrong, so that tests can stop the program at every one of them.
type Fault struct {
	kind string // "stop" or "full"
	at   int64
	n    atomic.Int64
}

// ParseFault reads "stop@N" (the process ends in the middle of the Nth write) or "full@N" (from the
// Nth write on the disk is full). An empty text is no fault.
func ParseFault(text string) (*Fault, error) {
	if text == "" {
		return nil, nil
	}
	kind, n, _ := strings.Cut(text, "@")
	at, err := strconv.ParseInt(n, 10, 64)
	if err != nil || kind != "stop" && kind != "full" {
		return nil, fmt.Errorf("%q is no fault: write stop@N or full@N", text)
	}
	return &Fault{kind: kind, at: at}, nil
}

// StoppedStatus is the exit status of a process that a fault has stopped.
const StoppedStatus = 86

// step counts a write. Half is what the write does before it is cut off.
func (f *Fault) step(half func()) error {
	if f == nil {
		return nil
	}
	n := f.n.Add(1)
	switch {
	case f.kind == "stop" && n == f.at:
		if half != nil {
			half()
		}
		os.Exit(StoppedStatus)
	case f.kind == "full" && n >= f.at:
		return syscall.ENOSPC
	}
	return nil
}

// disk does every write of this package, each through the fault point.
type disk struct{ fault *Fault }

func (d disk) write(name string, b []byte, mode fs.FileMode) error {
	if err := d.fault.step(func() { os.WriteFile(name, b[:len(b)/2], mode) }); err != nil {
		return &fs.PathError{Op: "write", Path: name, Err: err}
	}
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(b)
	if err == nil && mode != 0o644 {
		err = f.Chmod(mode)
	}
	return errors.Join(err, f.Close())
}

func (d disk) mkdir(name string) error {
	if err := d.fault.step(nil); err != nil {
		return &fs.PathError{Op: "mkdir", Path: name, Err: err}
	}
	return os.MkdirAll(name, 0o755)
}

func (d disk) rename(from, to string) error {
	if err := d.fault.step(nil); err != nil {
		return &fs.PathError{Op: "rename", Path: to, Err: err}
	}
	return os.Rename(from, to)
}

// exchange puts the file draft in the place of target, and the old target in the place of draft.
func (d disk) exchange(draft, target string) error {
	if err := d.fault.step(nil); err != nil {
		return &fs.PathError{Op: "exchange", Path: target, Err: err}
	}
	if err := swap(draft, target); !errors.Is(err, errors.ErrUnsupported) {
		return err
	}
	// Without an atomic exchange: keep the old content under a second name, then let the rename
	// replace it. A stop in between leaves the old or the new file, and the keepsake.
	keep := draft + ".old"
	os.Remove(keep)
	if err := os.Link(target, keep); err != nil {
		if err := copyFile(target, keep); err != nil {
			return err
		}
	}
	if err := d.rename(draft, target); err != nil {
		return err
	}
	return d.rename(keep, draft)
}

func (d disk) removeAll(name string) error {
	if err := d.fault.step(nil); err != nil {
		return &fs.PathError{Op: "remove", Path: name, Err: err}
	}
	return os.RemoveAll(name)
}

// barrier makes everything that was written so far durable.
func (d disk) barrier(folder string) error {
	if err := d.fault.step(nil); err != nil {
		return &fs.PathError{Op: "sync", Path: folder, Err: err}
	}
	return syncAll(folder)
}

func copyFile(from, to string) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, 0o644)
}
