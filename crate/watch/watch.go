// Package watch reports changes of files below a folder.
package watch

import (
	"context"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/fsnotify/fsnotify"
)

const (
	maxBurst = time.Second            // so long may a burst of changes last: one without an end is reported anyway
	few      = 10                     // more files than that a person does not save at once
	long     = 200 * time.Millisecond // so long must it be quiet behind more of them
)

// Folder calls changed after each burst of changes to files below a folder, as an editor or a checkout makes them,
// until the context ends, and returns its error then. A burst is over after quiet without a change. Changed is given
// the names, sorted, none where it can't be known what changed, as at the begin. Folders for which skip says so are
// left out; skip and changed are given paths from the root, with slashes.
func Folder(ctx context.Context, root string, quiet time.Duration, skip func(dir string) bool,
	changed func(names []string)) error {
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
	names, untold := map[string]bool{}, true
	tell := func() {
		over, end = nil, nil
		list := slices.Sorted(maps.Keys(names))
		if untold {
			list = nil
		}
		names, untold = map[string]bool{}, false
		changed(list)
	}
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case err := <-w.Errors:
			if err == fsnotify.ErrEventOverflow {
				over, untold = time.After(quiet), true // too many at once is a change
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
			names[filepath.ToSlash(rel)] = true
			pause := quiet
			if len(names) > few {
				pause = max(quiet, long) // a checkout or a build: it pauses, and goes on
			}
			if over = time.After(pause); end == nil {
				end = time.After(maxBurst)
			}
		case <-over:
			tell()
		case <-end:
			tell()
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
