package change

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/aymanbagabas/go-udiff"
	"github.com/cespare/xxhash/v2"
	"github.com/gofrs/flock"
)

// Folder is the name of the product's own folder in a project.
const Folder = ".merry"

const journalFormat = 1

// A Stamp is what a file looked like when it was read, so that a change made by somebody else in
// the meantime is noticed. The zero Stamp stands for a file that is not there.
type Stamp struct {
	Size    int64
	ModTime int64 // nanoseconds since 1970
}

// StampOf makes the stamp of a file that was read.
func StampOf(info fs.FileInfo) Stamp {
	return Stamp{Size: info.Size(), ModTime: info.ModTime().UnixNano()}
}

// Read reads a file of the project with its stamp. The name is slash-separated, from the root.
func Read(root, name string) ([]byte, Stamp, error) {
	f, err := os.Open(filepath.Join(root, filepath.FromSlash(name)))
	if err != nil {
		return nil, Stamp{}, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, Stamp{}, err
	}
	if info.IsDir() {
		return nil, Stamp{}, fmt.Errorf("%s is a folder", name)
	}
	b := make([]byte, info.Size())
	n, err := readFull(f, b)
	if err != nil {
		return nil, Stamp{}, err
	}
	if int64(n) != info.Size() {
		return nil, Stamp{}, fmt.Errorf("%s was changed while it was read", name)
	}
	return b, StampOf(info), nil
}

func readFull(f *os.File, b []byte) (int, error) {
	n := 0
	for n < len(b) {
		m, err := f.Read(b[n:])
		n += m
		if m == 0 || err != nil {
			return n, err
		}
	}
	return n, nil
}

// An Entry is one file of a set.
type Entry struct {
	Path   string      `json:"path"`            // slash-separated, from the root
	Draft  string      `json:"draft,omitempty"` // the file in the set's folder
	Create bool        `json:"create,omitempty"`
	Remove bool        `json:"remove,omitempty"`
	Hash   uint64      `json:"hash"` // xxhash of the new content; it tells states apart, it proves nothing
	Size   int64       `json:"size"`
	Mode   fs.FileMode `json:"mode,omitempty"`
	Seen   Stamp       `json:"seen"`

	// Diff is the unified diff of a dry run's entry, "" where the file is no text.
	Diff string `json:"-"`
}

type journal struct {
	Format  int      `json:"format"`
	Title   string   `json:"title"`
	Undoes  string   `json:"undoes,omitempty"`
	Folders []string `json:"folders,omitempty"` // the ones that the set makes, outermost first
	Entries []Entry  `json:"entries"`
}

// Options say how a set is drafted.
type Options struct {
	// Dry makes a set that writes nothing at all and keeps the diffs instead.
	Dry bool
	// Fault stops the process or fails at a chosen write, for tests.
	Fault *Fault
}

// A Set is a change being drafted. Write and Remove may be called from several goroutines.
type Set struct {
	root   string
	real   string // root without symbolic links
	opt    Options
	disk   disk
	lock   *flock.Flock
	folder string // the draft's folder, "" until something is written

	mu      sync.Mutex
	journal journal
	drafts  int
	paths   map[string]bool
	checked map[string]error // folders that were looked at
}

// Begin starts a set on the project at root. It takes the project's lock, waiting a while for
// another command to end, and rolls a change forward that a crash interrupted. Close must be called.
func Begin(root, title string, opt Options) (*Set, error) {
	real, err := filepath.EvalSymlinks(root)
	if err != nil {
		return nil, err
	}
	s := &Set{root: root, real: real, opt: opt, disk: disk{opt.Fault}, journal: journal{Format: journalFormat, Title: title},
		paths: map[string]bool{}, checked: map[string]error{}}
	if opt.Dry {
		return s, nil
	}
	if s.lock, err = lockProject(root); err != nil {
		return nil, err
	}
	return s, nil
}

// Root is the project's folder.
func (s *Set) Root() string { return s.root }

// Dry tells whether the set only shows what it would do.
func (s *Set) Dry() bool { return s.opt.Dry }

// Empty tells whether nothing has been drafted.
func (s *Set) Empty() bool { return len(s.journal.Entries) == 0 }

// Entries returns what has been drafted, by path.
func (s *Set) Entries() []Entry {
	e := slices.Clone(s.journal.Entries)
	slices.SortFunc(e, func(a, b Entry) int { return cmp.Compare(a.Path, b.Path) })
	return e
}

// Close gives up what was not committed and frees the lock.
func (s *Set) Close() {
	if s.folder != "" {
		os.RemoveAll(s.folder)
	}
	if s.lock != nil {
		s.lock.Unlock()
		s.lock = nil
	}
}

// Write drafts a file's new content. Seen is the stamp of the old content, zero for a file that is
// to be made. The path may lead through symbolic links that stay inside the project.
func (s *Set) Write(name string, content []byte, seen Stamp) error {
	return s.write(name, content, seen, 0o644)
}

// write is Write with the permissions of a file that is to be made.
func (s *Set) write(name string, content []byte, seen Stamp, mode fs.FileMode) error {
	e, err := s.entry(name, seen)
	if err != nil {
		return err
	}
	if e.Create = seen == (Stamp{}); e.Create {
		e.Mode = mode
	}
	e.Hash, e.Size = xxhash.Sum64(content), int64(len(content))
	if s.opt.Dry {
		old := []byte(nil)
		if !e.Create {
			if old, _, err = Read(s.root, e.Path); err != nil {
				return err
			}
		}
		e.Diff = diff(e, old, content)
		s.add(e)
		return nil
	}
	draft, name, err := s.draft()
	if err != nil {
		return err
	}
	e.Draft = name
	if err := s.disk.write(draft, content, e.Mode); err != nil {
		return err
	}
	s.add(e)
	return nil
}

// Remove drafts the removal of a file.
func (s *Set) Remove(name string, seen Stamp) error {
	e, err := s.entry(name, seen)
	if err != nil {
		return err
	}
	e.Remove = true
	if s.opt.Dry {
		old, _, err := Read(s.root, e.Path)
		if err != nil {
			return err
		}
		e.Size = int64(len(old))
		s.add(e)
		return nil
	}
	if _, e.Draft, err = s.draft(); err != nil {
		return err
	}
	s.add(e)
	return nil
}

func diff(e Entry, old, new []byte) string {
	const most = 1 << 20
	if len(old)+len(new) > most || !isText(old) || !isText(new) {
		return ""
	}
	from := "a/" + e.Path
	if e.Create {
		from = "/dev/null"
	}
	return udiff.Unified(from, "b/"+e.Path, string(old), string(new))
}

func isText(b []byte) bool { return !slices.Contains(b[:min(len(b), 8000)], 0) }

func (s *Set) add(e Entry) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.journal.Entries = append(s.journal.Entries, e)
}

// draft returns a new file's place in the set's folder.
func (s *Set) draft() (path, name string, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.folder == "" {
		id, err := nextID(s.root)
		if err != nil {
			return "", "", err
		}
		s.folder = filepath.Join(s.root, Folder, "changes", id+".draft")
		if err := s.disk.mkdir(s.folder); err != nil {
			return "", "", err
		}
	}
	s.drafts++
	name = fmt.Sprintf("%06d", s.drafts)
	return filepath.Join(s.folder, name), name, nil
}

// entry checks that a path may be written to, before anything is.
func (s *Set) entry(name string, seen Stamp) (Entry, error) {
	if !fs.ValidPath(name) || name == "." {
		return Entry{}, fmt.Errorf("%q leads out of the project", name)
	}
	e := Entry{Path: name, Seen: seen, Mode: 0o644}
	full := filepath.Join(s.root, filepath.FromSlash(name))
	info, err := os.Lstat(full)
	if err == nil && info.Mode()&fs.ModeSymlink != 0 {
		// A linked page is changed where it is; the link stays.
		target, err := filepath.EvalSymlinks(full)
		if err != nil {
			return Entry{}, fmt.Errorf("%s is a link that leads nowhere: %w", name, err)
		}
		rel, err := filepath.Rel(s.real, target)
		if err != nil || !filepath.IsLocal(rel) {
			return Entry{}, fmt.Errorf("%s is a link to %s, which is outside the project; nothing outside is changed", name, target)
		}
		e.Path = filepath.ToSlash(rel)
		info, err = os.Lstat(target)
		if err != nil {
			return Entry{}, err
		}
	}
	switch {
	case errors.Is(err, fs.ErrNotExist) && seen == Stamp{}:
	case err != nil:
		return Entry{}, err
	case info.IsDir():
		return Entry{}, fmt.Errorf("%s is a folder", name)
	case StampOf(info) != seen:
		return Entry{}, fmt.Errorf("%s was changed by another program in the meantime; run the command again", name)
	case info.Mode().Perm()&0o200 == 0:
		return Entry{}, fmt.Errorf("%s is read-only; make it writable and run the command again", name)
	default:
		e.Mode = info.Mode().Perm()
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.paths[e.Path] {
		return Entry{}, fmt.Errorf("%s would be changed twice in one go", e.Path)
	}
	s.paths[e.Path] = true
	return e, s.folderTakes(path.Dir(e.Path))
}

// folderTakes checks that a folder, or the nearest one above that is there, lies in the project and
// can be written to. The caller holds mu.
func (s *Set) folderTakes(dir string) error {
	if err, ok := s.checked[dir]; ok {
		return err
	}
	full := filepath.Join(s.root, filepath.FromSlash(dir))
	info, err := os.Stat(full)
	switch {
	case errors.Is(err, fs.ErrNotExist) && dir != ".":
		if err = s.folderTakes(path.Dir(dir)); err == nil {
			s.journal.Folders = append(s.journal.Folders, dir)
		}
	case err != nil:
	case !info.IsDir():
		err = fmt.Errorf("%s is a file, and a folder of that name is needed", dir)
	case info.Mode().Perm()&0o200 == 0:
		err = fmt.Errorf("the folder %s is read-only; make it writable and run the command again", dir)
	default:
		var target string
		if target, err = filepath.EvalSymlinks(full); err == nil {
			if rel, rerr := filepath.Rel(s.real, target); rerr != nil || !filepath.IsLocal(rel) {
				err = fmt.Errorf("the folder %s is a link to %s, which is outside the project; nothing outside is changed", dir, target)
			}
		}
	}
	s.checked[dir] = err
	return err
}

// Commit makes the draft durable and carries it out. After an error nothing has changed, unless the
// error says that the next command will finish the work.
func (s *Set) Commit() error {
	if s.opt.Dry || s.Empty() {
		return nil
	}
	s.journal.Entries = s.Entries()
	slices.Sort(s.journal.Folders)
	b, err := json.MarshalIndent(s.journal, "", " ")
	if err != nil {
		return err
	}
	if err := s.disk.write(filepath.Join(s.folder, "journal.json"), b, 0o644); err != nil {
		return err
	}
	if err := s.disk.barrier(s.folder); err != nil {
		return err
	}
	for _, e := range s.journal.Entries {
		if err := unchanged(s.root, e); err != nil {
			return err
		}
	}
	going := strings.TrimSuffix(s.folder, ".draft") + ".going"
	if err := s.disk.rename(s.folder, going); err != nil {
		return err
	}
	s.folder = ""
	if _, err := carryOut(s.root, going, &s.journal, s.disk, false); err != nil {
		return fmt.Errorf("%w\nthe change is recorded whole, and the next command will finish it", err)
	}
	return nil
}

func unchanged(root string, e Entry) error {
	info, err := os.Lstat(filepath.Join(root, filepath.FromSlash(e.Path)))
	if errors.Is(err, fs.ErrNotExist) && e.Create {
		return nil
	}
	if err != nil {
		return err
	}
	if StampOf(info) != e.Seen {
		return fmt.Errorf("%s was changed by another program in the meantime; nothing was done, run the command again", e.Path)
	}
	return nil
}

// lockProject takes the project's lock, and puts right what a crash left.
func lockProject(root string) (*flock.Flock, error) {
	l, _, err := lockAndRecover(root)
	if err != nil && l != nil {
		l.Unlock()
		return nil, err
	}
	return l, err
}

func lockOnly(root string) (*flock.Flock, error) {
	dir := filepath.Join(root, Folder)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	l := flock.New(filepath.Join(dir, "lock"))
	for wait := 0; ; wait++ {
		ok, err := l.TryLock()
		if ok {
			return l, nil
		}
		if err != nil {
			return nil, fmt.Errorf("can't lock the project: %w", err)
		}
		if wait == 1500 {
			return nil, errors.New("another command has been changing this project for 30 seconds; wait for it to end, then run this one again")
		}
		time.Sleep(20 * time.Millisecond)
	}
}
