//go:build !linux || portable

package disk

import (
	"io/fs"
	"os"
)

type handle struct{}

func (h *handle) open(*os.Root) error { return nil }

func (h *handle) close() error { return nil }

func isEscape(error) bool { return false }

func (f *Folder) read(name string, most int64, buf []byte) ([]byte, Stamp, error) {
	return f.readPlain(name, most, buf)
}

func (f *Folder) stat(name string) (fs.FileInfo, error) { return f.root.Stat(name) }

func (f *Folder) stamps(string, []string, []Stamp) bool { return false }

func (f *Folder) list(dir string) ([]fs.DirEntry, error) { return f.listPlain(dir) }
