//go:build !linux || portable

package disk

import (
	"errors"
	"io/fs"
	"os"
)

func (p *Entry) move(base string, to *Entry, name string) error { return p.movePlain(base, to, name) }

func (p *Entry) swap(base string, with *Entry, name string) error { return errors.ErrUnsupported }

func (p *Entry) sync() error { return p.syncFiles() }

// syncFiles is Sync where the system has no barrier of its own: file by file.
func (p *Entry) syncFiles() error {
	list, err := p.List()
	if err != nil {
		return err
	}
	for _, e := range list {
		if !e.Type().IsRegular() {
			continue
		}
		f, err := p.root.OpenFile(e.Name(), os.O_RDWR, 0)
		if errors.Is(err, fs.ErrPermission) {
			continue // an old content that was read-only; it was durable before
		}
		if err != nil {
			return err
		}
		if err := errors.Join(f.Sync(), f.Close()); err != nil {
			return err
		}
	}
	return nil
}
