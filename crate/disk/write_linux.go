//go:build linux && !portable

package disk

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

func (p *Entry) rename(base string, to *Entry, name string, flags uint) error {
	err := unix.Renameat2(int(p.file.Fd()), base, int(to.file.Fd()), name, flags)
	if err == unix.ENOSYS || err == unix.EINVAL {
		return errors.ErrUnsupported
	}
	if err != nil {
		return &os.LinkError{Op: "rename", Old: p.full(base), New: to.full(name), Err: err}
	}
	return nil
}

func (p *Entry) move(base string, to *Entry, name string) error {
	err := p.rename(base, to, name, unix.RENAME_NOREPLACE)
	if errors.Is(err, errors.ErrUnsupported) {
		return p.movePlain(base, to, name)
	}
	return err
}

func (p *Entry) swap(base string, with *Entry, name string) error {
	return p.rename(base, with, name, unix.RENAME_EXCHANGE)
}

// sync flushes the whole file system once, which costs far less than a sync for each file.
func (p *Entry) sync() error { return unix.Syncfs(int(p.file.Fd())) }
