package change

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"syscall"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// An Entry is one file of a set.
type Entry struct {
	Path   string      `json:"path"`            // slash-separated, from the root
	Staged string      `json:"draft,omitempty"` // the file in the set's folder
	Create bool        `json:"create,omitempty"`
	Remove bool        `json:"remove,omitempty"`
	Hash   uint64      `json:"hash"` // xxhash of the new content; it tells states apart, it proves nothing
	Size   int64       `json:"size"`
	Mode   fs.FileMode `json:"mode,omitempty"`
	Seen   disk.Stamp  `json:"seen"`

	at paths.InProject

	// Diff is the unified diff of a dry run's entry, "" if the file is no text.
	Diff string `json:"-"`
	// Integrity is the sha384 of a dry run's entry that has no diff.
	Integrity string `json:"-"`
}

// maxOpen is how many folders are kept open at once: many files lie in few.
const maxOpen = 64

// entry checks that a path may be written to, before anything is.
func (s *Set) entry(name paths.InProject, seen disk.Stamp) (Entry, error) {
	if name.IsZero() {
		return Entry{}, fmt.Errorf("a change has an entry whose path leads out of the project")
	}
	e := Entry{Path: name.String(), Seen: seen, Mode: 0o644}
	dir, err := s.inside(name.Dir())
	if err != nil {
		return Entry{}, err
	}
	e.Path = path.Join(dir, name.Base())
	if stamp, is := s.on.Unsaved(e.Path); is && s.opt.Dry && stamp == seen {
		e.at = paths.FoundInProject(e.Path)
		return e, s.claim(e.Path)
	}
	info, err := s.lookAt(e.Path)
	if err == nil && info.Mode()&fs.ModeSymlink != 0 {
		// A linked page is changed where it is; the link stays.
		if e.Path, err = s.on.Inside(e.Path); err != nil {
			return Entry{}, linked(name, err)
		}
		info, err = s.lookAt(e.Path)
	}
	if paths.Reserved(e.Path) {
		return Entry{}, problem.Refuse(problem.FileInTheWay, "choose another folder", "%s lies in a folder of version "+
			"control or of merry itself, where merry writes nothing", e.Path)
	}
	switch {
	case errors.Is(err, fs.ErrNotExist) && seen == disk.Stamp{}:
	case err != nil:
		return Entry{}, err
	case info.IsDir():
		return Entry{}, problem.Refuse(problem.FileInTheWay, "move the folder away, or choose another name",
			"%s is a folder", name)
	case disk.StampOf(info) != seen:
		return Entry{}, problem.Refuse(problem.FileChanged, again, "%s was changed by another program in the meantime",
			name)
	case info.Mode().Perm()&0o200 == 0:
		return Entry{}, problem.Refuse(problem.NoPermission, "make it writable, then the same command again",
			"%s is read-only", name)
	default:
		e.Mode = info.Mode().Perm()
	}
	e.at = paths.FoundInProject(e.Path)
	if err := s.claim(e.Path); err != nil {
		return Entry{}, err
	}
	return e, s.folderTakes(path.Dir(e.Path), path.Base(e.Path))
}

// claim takes note that a file is changed. It refuses one that is changed already, and one in whose way another is.
func (s *Set) claim(name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.paths[name] {
		return problem.Refuse(problem.FileInTheWay, "give one of the two another name", "%s would be changed twice in "+
			"one change", name)
	}
	if err := s.roomFor(name); err != nil {
		return err
	}
	s.paths[name] = true
	return nil
}

// enter enters a folder to look at files, each once as long as they are few. The caller leaves it. The change itself
// enters every folder again.
func (s *Set) enter(dir string) (p *disk.Entry, leave func(), err error) {
	s.mu.Lock()
	p = s.open[dir]
	s.mu.Unlock()
	if p != nil {
		return p, func() {}, nil
	}
	if p, err = s.on.Enter(dir); err != nil {
		return nil, nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.open[dir] != nil || len(s.open) >= maxOpen {
		return p, func() { p.Close() }, nil
	}
	s.open[dir] = p
	return p, func() {}, nil
}

// leaveAll leaves the folders that were entered to look at files.
func (s *Set) leaveAll() {
	for _, p := range s.open {
		p.Close()
	}
	clear(s.open)
}

// lookAt returns what has a name, a link as a link.
func (s *Set) lookAt(name string) (fs.FileInfo, error) {
	p, leave, err := s.enter(path.Dir(name))
	if err != nil {
		return nil, err
	}
	defer leave()
	return p.Stat(path.Base(name))
}

// inside is a folder's path without links, as far as it is there.
func (s *Set) inside(dir string) (string, error) {
	s.mu.Lock()
	at, known := s.straight[dir]
	s.mu.Unlock()
	if known || dir == "." {
		return path.Clean(at), nil
	}
	at, err := s.insideOf(dir)
	if err == nil {
		s.mu.Lock()
		s.straight[dir] = at
		s.mu.Unlock()
	}
	return at, err
}

func (s *Set) insideOf(dir string) (string, error) {
	at, err := s.on.Inside(dir)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		var above string
		if above, err = s.inside(path.Dir(dir)); err == nil {
			return path.Join(above, path.Base(dir)), nil
		}
	}
	return at, err
}

func linked(name paths.InProject, err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return problem.Refuse(problem.FileInTheWay, "replace the link by a file, or change the file that it leads to",
			"%s is a link that leads nowhere: %w", name, err)
	}
	return err
}

// roomFor refuses a file whose folder, or what would be below it, another file of the set has as its name. The caller
// holds mu.
func (s *Set) roomFor(name string) error {
	clash := ""
	if s.above[name] {
		clash = name
	}
	for dir := path.Dir(name); dir != "."; dir = path.Dir(dir) {
		if s.paths[dir] {
			clash = dir
		}
		s.above[dir] = true
	}
	if clash == "" {
		return nil
	}
	return problem.Refuse(problem.FileInTheWay, "give one of the two another name",
		"%s would be both a file and a folder", clash)
}

// folderTakes checks that a folder, or the nearest one above that is there, is in the project and can be written to,
// and that a file in it can be.
func (s *Set) folderTakes(dir, base string) error {
	s.mu.Lock()
	err := s.checked[dir]
	s.mu.Unlock()
	if err != nil {
		return err
	}
	p, leave, err := s.enter(dir)
	if err != nil {
		missing := errors.Is(err, fs.ErrNotExist) && dir != "."
		if missing {
			err = s.folderTakes(path.Dir(dir), path.Base(dir))
		}
		s.mu.Lock()
		defer s.mu.Unlock()
		if missing && err == nil && !slices.Contains(s.journal.Folders, dir) {
			s.journal.Folders = append(s.journal.Folders, dir)
		}
		s.checked[dir] = err
		return err
	}
	defer leave()
	if info, ierr := p.Info(); ierr == nil && info.Mode().Perm()&0o200 == 0 {
		return problem.Refuse(problem.NoPermission, "make it writable, then the same command again",
			"the folder %s is read-only", dir)
	}
	return p.MayChange(base)
}
