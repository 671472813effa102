package change

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"
	"github.com/gofrs/flock"
)

// A Done is a change that can be undone.
type Done struct {
	ID      string
	Title   string
	Entries []Entry
}

// History lists the changes that can be undone, the last one first.
func History(root string) ([]Done, error) {
	folders, err := sets(root, ".done")
	if err != nil {
		return nil, err
	}
	var list []Done
	for _, f := range slices.Backward(folders) {
		j, err := readJournal(f)
		if err != nil {
			return nil, err
		}
		list = append(list, Done{ID: strings.TrimSuffix(filepath.Base(f), ".done"), Title: j.Title, Entries: j.Entries})
	}
	return list, nil
}

// A ChangedError says which files were changed since the change that is to be undone.
type ChangedError struct{ Paths []string }

func (e *ChangedError) Error() string {
	return "changed since: " + strings.Join(e.Paths, ", ")
}

// ErrNothing is returned where there is no change to undo.
var ErrNothing = errors.New("there is no change to undo")

// Undo drafts the taking back of the last change into a set; the caller commits it. It returns a
// *ChangedError where files are no longer as that change left them.
func Undo(root string, opt Options) (*Set, Done, error) {
	s, err := Begin(root, "", opt)
	if err != nil {
		return nil, Done{}, err
	}
	done, err := s.undo()
	if err != nil {
		s.Close()
		return nil, done, err
	}
	return s, done, nil
}

func (s *Set) undo() (Done, error) {
	history, err := History(s.root)
	if err != nil {
		return Done{}, err
	}
	if len(history) == 0 {
		return Done{}, ErrNothing
	}
	last := history[0]
	folder := filepath.Join(s.root, Folder, "changes", last.ID+".done")
	j, err := readJournal(folder)
	if err != nil {
		return last, err
	}
	s.journal.Title = "undo: " + last.Title
	s.journal.Undoes = last.ID
	var changed ChangedError
	for _, e := range last.Entries {
		now, stamp, err := Read(s.root, e.Path)
		switch {
		case errors.Is(err, fs.ErrNotExist) && e.Remove:
		case errors.Is(err, fs.ErrNotExist), err == nil && (e.Remove || xxhash.Sum64(now) != e.Hash):
			changed.Paths = append(changed.Paths, e.Path)
			continue
		case err != nil:
			return last, err
		}
		if err := s.takeBack(e, filepath.Join(folder, e.Draft), stamp); err != nil {
			return last, err
		}
	}
	if len(changed.Paths) > 0 {
		return last, &changed
	}
	s.journal.Folders = j.Folders // carried out backwards: the ones left empty go
	return last, nil
}

func (s *Set) takeBack(e Entry, old string, stamp Stamp) error {
	if e.Create {
		return s.Remove(e.Path, stamp)
	}
	b, err := os.ReadFile(old)
	if err != nil {
		return fmt.Errorf("what undo needs is gone: %w", err)
	}
	return s.write(e.Path, b, stamp, e.Mode)
}

func lockAndRecover(root string) (*flock.Flock, []string, error) {
	l, err := lockOnly(root)
	if err != nil {
		return nil, nil, err
	}
	said, err := recoverLocked(root)
	return l, said, err
}
