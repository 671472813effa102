// Package watch tells when files below a folder change. What they say is for others.
package watch

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/fsnotify/fsnotify"
)

// The pauses: changes come in bursts, as an editor or a checkout makes them, which are told once.
const (
	quiet = 80 * time.Millisecond // without a change, and a burst is over
	most  = time.Second           // a burst without an end is told all the same
)

// Folder calls changed after each burst of changes to files below a folder, until the context ends, and returns its error then. Folders
// for which skip says so are left out; skip is given their paths from the root, with slashes.
func Folder(ctx context.Context, root string, skip func(dir string) bool, changed func()) error {
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return err
	}
	defer w.Close()
	if err := add(w, root, root, skip); err != nil {
		return err
	}
	over := time.After(quiet) // what changed while the watch was set up is a change, too
	var end <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case err := <-w.Errors:
			if err == fsnotify.ErrEventOverflow {
				over = time.After(quiet) // too many at once is a change
				continue
			}
			return err
		case e := <-w.Events:
			rel, err := filepath.Rel(root, e.Name)
			if err != nil || skip(filepath.ToSlash(rel)) || e.Op == fsnotify.Chmod {
				continue
			}
			if info, err := os.Lstat(e.Name); err == nil && info.IsDir() && e.Op.Has(fsnotify.Create) {
				if err := add(w, root, e.Name, skip); err != nil {
					return err
				}
			}
			if over = time.After(quiet); end == nil {
				end = time.After(most)
			}
		case <-over:
			over, end = nil, nil
			changed()
		case <-end:
			over, end = nil, nil
			changed()
		}
	}
}

// add watches a folder and those below it. One that is gone again is none.
func add(w *fsnotify.Watcher, root, dir string, skip func(string) bool) error {
	return filepath.WalkDir(dir, func(name string, e fs.DirEntry, err error) error {
		if err != nil || !e.IsDir() {
			return nil
		}
		if rel, err := filepath.Rel(root, name); err == nil && rel != "." && skip(filepath.ToSlash(rel)) {
			return fs.SkipDir
		}
		return w.Add(name)
	})
}
