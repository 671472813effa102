package change

import (
	"bytes"
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
)

// A Done is a past change that can be undone.
type Done struct {
	ID      string
	Title   string
	Entries []Entry
}

// History lists the changes that can be undone, the last first: the user's own, back to the first that is not.
func History(on *disk.Folder, key Key) ([]Done, error) {
	folders, err := sets(on, done)
	if err != nil {
		return nil, err
	}
	var list []Done
	for _, set := range slices.Backward(folders) {
		j, err := readJournal(on, set, key)
		if errors.Is(err, errForeign) || errors.Is(err, fs.ErrNotExist) {
			break
		}
		if err != nil {
			return nil, err
		}
		list = append(list, Done{ID: strings.TrimSuffix(set, done), Title: j.Title, Entries: j.Entries})
	}
	return list, nil
}

// A ChangedError says which files were changed since the change that is to be undone.
type ChangedError struct{ Paths []string }

// Error lists the files.
func (e *ChangedError) Error() string {
	return "changed since: " + strings.Join(e.Paths, ", ")
}

// ErrNothing is returned where there is no change to undo.
var ErrNothing = errors.New("there is no change to undo")

// Undo drafts the taking back of the last change into a set that is empty so far; the caller commits it. It returns a
// *ChangedError where files are no longer as that change left them.
func (s *Set) Undo() (Done, error) {
	history, err := History(s.on, s.opt.Key)
	if err != nil {
		return Done{}, err
	}
	if len(history) == 0 {
		return Done{}, ErrNothing
	}
	last := history[0]
	j, err := readJournal(s.on, last.ID+done, s.opt.Key)
	if err != nil {
		return last, err
	}
	kept, err := s.on.Enter(changes + "/" + last.ID + done)
	if err != nil {
		return last, err
	}
	defer kept.Close()
	s.journal.Title = "undo: " + last.Title
	s.journal.Undoes = last.ID
	var changed ChangedError
	for _, e := range j.Entries {
		now, stamp, err := s.readPlain(e.Path)
		switch {
		case errors.Is(err, fs.ErrNotExist) && e.Remove:
		case errors.Is(err, fs.ErrNotExist), err == nil && (e.Remove || xxhash.Sum64(now) != e.Hash):
			if !wasSo(e, kept, now, err == nil) {
				changed.Paths = append(changed.Paths, e.Path)
			}
			continue
		case err != nil:
			return last, err
		}
		if err := s.takeBack(e, kept, stamp); err != nil {
			return last, err
		}
	}
	if len(changed.Paths) > 0 {
		return last, &changed
	}
	s.journal.Emptied = j.Folders // what the change made goes again
	return last, nil
}

// readPlain reads a file without following a link.
func (s *Set) readPlain(name string) ([]byte, disk.Stamp, error) {
	p, err := s.on.Enter(path.Dir(name))
	if err != nil {
		return nil, disk.Stamp{}, err
	}
	defer p.Close()
	return p.Read(path.Base(name), disk.MostFile)
}

// wasSo reports whether a file is already as it was before a change: there is nothing to take back then, and nothing to
// lose.
func wasSo(e Entry, kept *disk.Place, now []byte, there bool) bool {
	if e.Create || !there {
		return e.Create && !there
	}
	b, _, err := kept.Read(e.Draft, disk.MostFile)
	return err == nil && bytes.Equal(b, now)
}

func (s *Set) takeBack(e Entry, kept *disk.Place, stamp disk.Stamp) error {
	if e.Create {
		return s.Remove(e.at, stamp)
	}
	b, _, err := kept.Read(e.Draft, disk.MostFile)
	if err != nil {
		return problem.Refuse(problem.NothingThere, "take the change back by hand", "what undo needs is gone: %w", err)
	}
	return s.write(e.at, b, stamp, e.Mode)
}
