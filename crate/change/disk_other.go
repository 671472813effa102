//go:build !linux

package change

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

func swap(a, b string) error { return errors.ErrUnsupported }

func syncAll(folder string) error { return syncFiles(folder) }

// syncFiles is the barrier where the system has none: file by file.
func syncFiles(folder string) error {
	return filepath.WalkDir(folder, func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		f, err := os.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			return err
		}
		return errors.Join(f.Sync(), f.Close())
	})
}
