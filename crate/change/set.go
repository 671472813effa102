package change

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/aymanbagabas/go-udiff"
	"github.com/cespare/xxhash/v2"
	"github.com/gofrs/flock"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// Folder is the name of the product's own folder in a project.
const Folder = ".merry"

// changes is the folder of the change sets, ignoreFile keeps the product's own folder out of version control.
const (
	changes    = Folder + "/changes"
	ignoreFile = ".gitignore"
)

// again is what to do when somebody else was at a file at the same time.
const again = "the same command again"

// Options say how a set is planned.
type Options struct {
	// Dry makes a set that writes nothing at all and keeps the diffs instead.
	Dry bool
	// Keep, where set, is given the content of each file that a dry set would write, in the place of its diff. It may
	// be called from several goroutines.
	Keep func(name string, content []byte)
	// Key returns the user's own key on this machine, which proves that a journal is the user's.
	Key Key
	// Notify, if set, gets messages for a person, such as that the command waits for another.
	Notify func(note string)
	// Beside are files of the program that are written beside the changes, by name.
	Beside map[string][]byte
}

// A Set is a change being planned. Write and Remove may be called from several goroutines.
type Set struct {
	// Recovered says what Begin completed of an earlier, interrupted command, a line each.
	Recovered []string

	on      *disk.Folder
	opt     Options
	lock    *flock.Flock
	staging string      // the name of the plan's folder, "" until something is written
	into    *disk.Entry // the same

	mu       sync.Mutex
	journal  journal
	staged   int
	paths    map[string]bool
	above    map[string]bool        // folders that planned files lie in
	checked  map[string]error       // folders that were looked at
	straight map[string]string      // folders' paths without links
	open     map[string]*disk.Entry // folders that were entered to look at files
}

// Begin starts a change set in the project in a folder. It takes the project's lock, waiting a while for another
// command to end, and completes an interrupted change. What is read from now on stays true until Close, which must be
// called. A dry set takes no lock.
func Begin(ctx context.Context, on *disk.Folder, title string, opt Options) (*Set, error) {
	s := &Set{on: on, opt: opt, journal: journal{Title: title}, paths: map[string]bool{}, above: map[string]bool{},
		checked:  map[string]error{},
		straight: map[string]string{}, open: map[string]*disk.Entry{}}
	if opt.Dry {
		return s, nil
	}
	var err error
	if s.lock, err = lockProject(ctx, on, opt.Notify); err != nil {
		return nil, err
	}
	layBeside(on, opt.Beside)
	if s.Recovered, err = recoverLocked(on, opt.Key); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Title sets the title of the change, as undo lists it.
func (s *Set) Title(title string) { s.journal.Title = title }

// Dry reports whether the set only shows its changes.
func (s *Set) Dry() bool { return s.opt.Dry }

// Empty reports whether nothing has been planned.
func (s *Set) Empty() bool { return len(s.journal.Entries) == 0 }

// Entries returns the planned changes, by path.
func (s *Set) Entries() []Entry {
	e := slices.Clone(s.journal.Entries)
	slices.SortFunc(e, func(a, b Entry) int { return cmp.Compare(a.Path, b.Path) })
	return e
}

// Close discards the set unless it was committed, and frees the lock.
func (s *Set) Close() {
	s.leaveAll()
	if s.into != nil {
		s.into.Close()
		s.into = nil
	}
	if s.staging != "" {
		if all, err := s.on.Enter(changes); err == nil {
			all.RemoveAll(s.staging)
			all.Close()
		}
	}
	if s.lock != nil {
		s.lock.Unlock()
		s.lock = nil
	}
}

// Write plans a file's new content. Seen is the stamp of the old content, zero for a file that is
// to be made. The path may lead through symbolic links that stay inside the project.
func (s *Set) Write(name paths.InProject, content []byte, seen disk.Stamp) error {
	return s.write(name, content, seen, 0o644)
}

// Create plans a file that is not there, with its permissions.
func (s *Set) Create(name paths.InProject, content []byte, mode fs.FileMode) error {
	return s.write(name, content, disk.Stamp{}, mode.Perm())
}

// write is Write with the permissions of a file that is to be made.
func (s *Set) write(name paths.InProject, content []byte, seen disk.Stamp, mode fs.FileMode) error {
	e, err := s.entry(name, seen)
	if err != nil {
		return err
	}
	if e.Create = seen == (disk.Stamp{}); e.Create {
		e.Mode = mode
	}
	e.Hash, e.Size = xxhash.Sum64(content), int64(len(content))
	if s.opt.Dry && s.opt.Keep != nil {
		s.opt.Keep(e.Path, bytes.Clone(content)) // the caller's buffer is used again
		s.add(e)
		return nil
	}
	if s.opt.Dry {
		old := []byte(nil)
		if !e.Create {
			if old, _, err = s.on.Read(e.Path, disk.MaxFile, nil); err != nil {
				return err
			}
		}
		if e.Diff = diff(e, old, content); e.Diff == "" {
			e.Integrity = integrity.Of(content)
		}
		s.add(e)
		return nil
	}
	var into *disk.Entry
	if into, e.Staged, err = s.next(); err != nil {
		return err
	}
	if err := into.Create(e.Staged, content, e.Mode); err != nil {
		return err
	}
	s.add(e)
	return nil
}

// Withdraw takes back what was planned for a file, if anything was.
func (s *Set) Withdraw(name paths.InProject) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	at := slices.IndexFunc(s.journal.Entries, func(e Entry) bool { return e.at == name })
	if at < 0 {
		return nil
	}
	e := s.journal.Entries[at]
	s.journal.Entries = slices.Delete(s.journal.Entries, at, at+1)
	delete(s.paths, e.Path)
	if e.Staged == "" || e.Remove || s.into == nil {
		return nil
	}
	return s.into.Remove(e.Staged)
}

// Remove plans the removal of a file.
func (s *Set) Remove(name paths.InProject, seen disk.Stamp) error {
	e, err := s.entry(name, seen)
	if err != nil {
		return err
	}
	e.Remove = true
	if s.opt.Dry {
		info, err := s.on.Stat(e.Path)
		if err != nil {
			return err
		}
		e.Size = info.Size()
		s.add(e)
		return nil
	}
	if _, e.Staged, err = s.next(); err != nil {
		return err
	}
	s.add(e)
	return nil
}

func diff(e Entry, old, new []byte) string {
	const most = 1 << 20
	if len(old)+len(new) > most || !isText(old) || !isText(new) || hasLongLine(old) || hasLongLine(new) {
		return ""
	}
	from := "a/" + e.Path
	if e.Create {
		from = "/dev/null"
	}
	return udiff.Unified(from, "b/"+e.Path, string(old), string(new))
}

// maxDiffLine is the longest line, in bytes, that a diff may show: nobody reads the diff of a minified file.
const maxDiffLine = 1000

func hasLongLine(b []byte) bool {
	for line := range bytes.Lines(b) {
		if len(line) > maxDiffLine {
			return true
		}
	}
	return false
}

func isText(b []byte) bool { return !slices.Contains(b[:min(len(b), 8000)], 0) }

func (s *Set) add(e Entry) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.journal.Entries = append(s.journal.Entries, e)
}

// next returns the set's folder and a name in it that nothing has yet.
func (s *Set) next() (into *disk.Entry, name string, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.into == nil {
		if err := s.makeFolder(); err != nil {
			return nil, "", err
		}
	}
	s.staged++
	return s.into, fmt.Sprintf("%06d", s.staged), nil
}

func (s *Set) makeFolder() error {
	own, err := s.on.Enter(Folder)
	if err != nil {
		return err
	}
	defer own.Close()
	if err := own.MakeFolder(path.Base(changes)); err != nil {
		return err
	}
	id, err := nextID(s.on)
	if err != nil {
		return err
	}
	all, err := s.on.Enter(changes)
	if err != nil {
		return err
	}
	defer all.Close()
	s.staging = id + drafted
	if err := all.MakeFolder(s.staging); err != nil {
		return err
	}
	s.into, err = s.on.Enter(changes + "/" + s.staging)
	return err
}

// Commit makes the plan durable and carries it out. A context that is cancelled before the commit point leaves
// everything as it was. After an error nothing has changed, unless the error says that the change is unfinished.
func (s *Set) Commit(ctx context.Context) error {
	if err := ctx.Err(); err != nil || s.opt.Dry || s.Empty() && s.journal.Undoes == "" && s.journal.Again == "" {
		return err
	}
	if s.into == nil {
		if err := s.makeFolder(); err != nil {
			return err
		}
	}
	s.journal.Entries = s.Entries()
	s.journal.When = time.Now().UTC().Truncate(time.Second)
	slices.Sort(s.journal.Folders)
	s.journal.empties()
	b, err := s.journal.text(s.opt.Key)
	if err != nil {
		return err
	}
	if err := s.into.Create(journalFile, b, 0o644); err != nil {
		return err
	}
	if err := s.into.Sync(); err != nil {
		return err
	}
	s.leaveAll() // each folder is entered again
	for _, e := range s.journal.Entries {
		if err := s.unchanged(e); err != nil {
			return err
		}
	}
	s.leaveAll()
	if err := ctx.Err(); err != nil {
		return err
	}
	all, err := s.on.Enter(changes)
	if err != nil {
		return err
	}
	defer all.Close()
	id := strings.TrimSuffix(s.staging, drafted)
	if err := all.Move(s.staging, all, id+going); err != nil {
		return err
	}
	s.staging = ""
	c := executor{on: s.on, all: all, id: id, j: &s.journal}
	defer c.close()
	if err := c.apply(); err != nil {
		return c.rollBack(err)
	}
	return nil
}

func (s *Set) unchanged(e Entry) error {
	info, err := s.lookAt(e.Path)
	if errors.Is(err, fs.ErrNotExist) && e.Create {
		return nil
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err != nil || disk.StampOf(info) != e.Seen {
		return inTheMeantime(e.Path)
	}
	return nil
}

func inTheMeantime(name string) error {
	return problem.Refuse(problem.FileChanged, again, "%s was changed by another program in the meantime, so "+
		"nothing was done", name)
}
