package change

import (
	"bytes"
	"cmp"
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
)

// A Done is a change that was applied, and can be undone; or one that was undone, and can be done again.
type Done struct {
	ID      string    `json:"-"`
	Title   string    `json:"title"`            // the command that made the change
	When    time.Time `json:"when,omitzero"`    // when it was made, or undone; zero of changes by older programs
	Files   []string  `json:"files"`            // what it touched, from the project's folder
	Undone  bool      `json:"undone,omitempty"` // whether the change is undone
	Entries []Entry   `json:"-"`
}

// History lists the changes that can be undone, the last first: the user's own, back to the first that is not.
func History(on *disk.Folder, key Key) ([]Done, error) { return listed(on, key, done) }

// Undoings lists the changes that were undone and can be done again, the one that comes first first.
func Undoings(on *disk.Folder, key Key) ([]Done, error) { return listed(on, key, undone) }

func listed(on *disk.Folder, key Key, state string) ([]Done, error) {
	folders, err := sets(on, state)
	if err != nil {
		return nil, err
	}
	list := []Done{}
	for _, set := range slices.Backward(folders) {
		j, err := readJournal(on, set, key)
		if errors.Is(err, errForeign) || errors.Is(err, fs.ErrNotExist) {
			break
		}
		if err != nil {
			return nil, err
		}
		d := Done{ID: strings.TrimSuffix(set, state), Title: strings.TrimPrefix(j.Title, undoing), When: j.When,
			Files: []string{}, Undone: state == undone, Entries: j.Entries}
		for _, e := range j.Entries {
			d.Files = append(d.Files, e.Path)
		}
		list = append(list, d)
	}
	return list, nil
}

// undoing begins the title of a set that undoes another.
const undoing = "undo: "

// A ChangedError says which files were changed since the change that is to be undone.
type ChangedError struct{ Paths []string }

// Error lists the files.
func (e *ChangedError) Error() string {
	return "changed since: " + strings.Join(e.Paths, ", ")
}

// ErrNothing is returned if there is no change to undo, or to do again.
var ErrNothing = errors.New("there is no change to undo")

// Undo plans the taking back of the last change into a set that is empty so far; the caller commits it. It returns a
// *ChangedError where files are no longer as that change left them.
func (s *Set) Undo() (Done, error) {
	history, err := History(s.on, s.opt.Key)
	if err != nil || len(history) == 0 {
		return Done{}, cmp.Or(err, ErrNothing)
	}
	last := history[0]
	s.journal.Title, s.journal.Undoes = undoing+last.Title, last.ID
	return last, s.revertAll(last.ID + done)
}

// Again plans the change that was undone last; the same holds as of Undo.
func (s *Set) Again() (Done, error) {
	undoings, err := Undoings(s.on, s.opt.Key)
	if err != nil || len(undoings) == 0 {
		return Done{}, cmp.Or(err, ErrNothing)
	}
	last := undoings[0]
	s.journal.Title, s.journal.Again = last.Title, last.ID
	return last, s.revertAll(last.ID + undone)
}

// revertAll plans every file as it was before a set was applied.
func (s *Set) revertAll(set string) error {
	j, err := readJournal(s.on, set, s.opt.Key)
	if err != nil {
		return err
	}
	kept, err := s.on.Enter(changes + "/" + set)
	if err != nil {
		return err
	}
	defer kept.Close()
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
			return err
		}
		if err := s.revert(e, kept, stamp); err != nil {
			return err
		}
	}
	if len(changed.Paths) > 0 {
		return &changed
	}
	if s.journal.Undoes != "" {
		s.journal.Emptied = j.Folders // what the change made goes again
	}
	return nil
}

// readPlain reads a file without following a link.
func (s *Set) readPlain(name string) ([]byte, disk.Stamp, error) {
	p, err := s.on.Enter(path.Dir(name))
	if err != nil {
		return nil, disk.Stamp{}, err
	}
	defer p.Close()
	return p.Read(path.Base(name), disk.MaxFile)
}

// wasSo reports whether a file is already as it was before a change: there is nothing to revert then, and nothing to
// lose.
func wasSo(e Entry, kept *disk.Entry, now []byte, there bool) bool {
	if e.Create || !there {
		return e.Create && !there
	}
	b, _, err := kept.Read(e.Staged, disk.MaxFile)
	return err == nil && bytes.Equal(b, now)
}

func (s *Set) revert(e Entry, kept *disk.Entry, stamp disk.Stamp) error {
	if e.Create {
		return s.Remove(e.at, stamp)
	}
	b, _, err := kept.Read(e.Staged, disk.MaxFile)
	if err != nil {
		return problem.Refuse(problem.NothingThere, "revert the change by hand", "the files that undo needs are "+
			"missing: %w", err)
	}
	return s.write(e.at, b, stamp, e.Mode)
}
