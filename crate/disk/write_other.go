//go:build !linux || portable

package disk

import (
	"errors"
	"io/fs"
	"os"
)

func (p *Place) move(base string, to *Place, name string) error { return p.movePlain(base, to, name) }

func (p *Place) swap(base string, with *Place, name string) error { return errors.ErrUnsupported }

func (p *Place) sync() error { return p.syncFiles() }

// syncFiles is Sync where the system has no barrier of its own: file by file.
func (p *Place) syncFiles() error {
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
