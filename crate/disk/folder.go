// Package disk reads and writes files below a folder and never outside it, whatever links exist or appear meanwhile. It
// reads only regular files, up to a limit, so that no pipe, device or endless file blocks a command.
//
// Folder is for reading: it follows links that stay inside. Entry is for writing: one folder below, entered without
// following any link, in which files are made, moved, exchanged and removed by name.
package disk

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// The most bytes that are read of a file, by what it is. They are far above any file of a site.
const (
	MaxRecord = 64 << 20 // packing list, seal, journal
	MaxPage   = 32 << 20
	MaxFile   = 1 << 30 // a library's file, a script, a stylesheet
)

// A Stamp describes a file at the time of reading, so that a later change by somebody else is noticed. The zero Stamp
// stands for a missing file.
type Stamp struct {
	Size    int64
	ModTime int64 // nanoseconds since 1970
	// the same, of the last change of any kind; no program can set it. 0 if the system has none
	ChangeTime int64  `json:",omitzero"`
	Inode      uint64 `json:",omitzero"` // 0 if the system has none
}

// Equal reports whether two stamps have the same size and time: the file may have been moved or linked in between.
func (s Stamp) Equal(o Stamp) bool { return s.Size == o.Size && s.ModTime == o.ModTime }

// Time is when the content was last changed.
func (s Stamp) Time() time.Time { return time.Unix(0, s.ModTime) }

// A Folder is a folder below which files are read. Its methods may be called from several goroutines.
type Folder struct {
	path paths.OnDisk
	root *os.Root
	real func() (string, error) // the path without links
	// view has the files of a change that is not finished yet: where their content lies, "" for one that is removed.
	view map[string]string
	// texts are those of files that are not saved, in place of what the disk has.
	texts map[string][]byte
	handle
}

// Open opens a folder. The caller closes it.
func Open(at paths.OnDisk) (*Folder, error) {
	root, err := os.OpenRoot(string(at))
	if err != nil {
		return nil, err
	}
	f := &Folder{path: at, root: root, real: sync.OnceValues(func() (string, error) {
		return filepath.EvalSymlinks(string(at))
	})}
	if err := f.handle.open(root); err != nil {
		root.Close()
		return nil, err
	}
	return f, nil
}

// Close frees the folder.
func (f *Folder) Close() error { return errors.Join(f.handle.close(), f.root.Close()) }

// Path is the folder's own path.
func (f *Folder) Path() paths.OnDisk { return f.path }

// Through returns the folder as an unfinished change leaves it. View maps a name to the path of its contents, "" for a
// file that the change removes. Names are slash-separated, from the folder. The result shares what f holds, and is not
// closed.
func (f *Folder) Through(view map[string]string) *Folder {
	g := *f
	g.view = view
	return &g
}

// Read reads a regular file of at most a number of bytes, into buf where that is large enough. The error of a file that
// is not there is fs.ErrNotExist; that of a link which leads out of the folder, of a special file and of one that is
// too large is a *problem.Problem.
func (f *Folder) Read(name string, most int64, buf []byte) ([]byte, Stamp, error) {
	if text, is := f.texts[name]; is {
		return append(buf[:0], text...), unsavedStamp(text), nil
	}
	at, err := f.seen(name)
	if err != nil {
		return buf[:0], Stamp{}, err
	}
	b, stamp, err := f.read(at, most, buf)
	if escapes(err) {
		if name, err = f.inside(name); err == nil {
			b, stamp, err = f.read(name, most, buf)
		}
	}
	return b, stamp, circle(name, err)
}

// Stat describes the file at a name, and follows links that stay inside. Its errors are those of Read.
func (f *Folder) Stat(name string) (fs.FileInfo, error) {
	if text, is := f.texts[name]; is {
		return unsaved{path.Base(name), unsavedStamp(text)}, nil
	}
	at, err := f.seen(name)
	if err != nil {
		return nil, err
	}
	info, err := f.stat(at)
	if escapes(err) {
		if name, err = f.inside(name); err == nil {
			info, err = f.stat(name)
		}
	}
	return info, circle(name, err)
}

// IsLink reports whether a name is that of a link, wherever it leads.
func (f *Folder) IsLink(name string) (bool, error) {
	p, err := f.Enter(path.Dir(name))
	if err != nil {
		return false, err
	}
	defer p.Close()
	info, err := p.Stat(path.Base(name))
	return err == nil && info.Mode()&fs.ModeSymlink != 0, err
}

// Stamp returns a regular file's stamp. Its errors are those of Read.
func (f *Folder) Stamp(name string) (Stamp, error) {
	if text, is := f.texts[name]; is {
		return unsavedStamp(text), nil
	}
	info, err := f.Stat(name)
	if err != nil {
		return Stamp{}, err
	}
	if !info.Mode().IsRegular() {
		return Stamp{}, special(name, info)
	}
	return StampOf(info), nil
}

// Stamps returns the stamps of plain files of one folder, by name. Files that are missing or not plain have the zero
// Stamp. It opens the folder once, which takes half the time of looking up each path.
func (f *Folder) Stamps(dir string, names []string) []Stamp {
	list := make([]Stamp, len(names))
	if f.view == nil && f.stamps(dir, names, list) {
		f.unsavedStamps(dir, names, list)
		return list
	}
	for i, name := range names {
		if of, err := f.Stamp(path.Join(dir, name)); err == nil {
			list[i] = of
		}
	}
	return list
}

// seen is where the content of a file lies. The error of one that an unfinished change removes is fs.ErrNotExist.
func (f *Folder) seen(name string) (string, error) {
	at, changed := f.view[name]
	switch {
	case !changed:
		return name, nil
	case at == "":
		return "", f.fault("open", name, fs.ErrNotExist)
	}
	return at, nil
}

// inside finds what a name leads to by links that name whole paths, and refuses what is outside.
func (f *Folder) inside(name string) (string, error) {
	target, err := filepath.EvalSymlinks(f.full(name))
	if err != nil {
		return "", err
	}
	real, err := f.real()
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(real, target)
	if err != nil || !filepath.IsLocal(rel) {
		return "", Outside(name, target)
	}
	return filepath.ToSlash(rel), nil
}

// Inside returns the name, without any link in it, of a file or folder that is there. The error of one that is outside
// is a *problem.Problem.
func (f *Folder) Inside(name string) (string, error) { return f.inside(name) }

// Outside makes the error of a name that leads out of the folder.
func Outside(name, target string) error {
	return problem.Refuse(problem.FileInTheWay, "make it a file or folder of its own", "%s is a link to %s, outside "+
		"the project, where merry reads and changes nothing", name, target)
}

// circle explains the error of a link that leads back to itself.
func circle(name string, err error) error {
	if errors.Is(err, syscall.ELOOP) {
		return problem.Refuse(problem.FileInTheWay, "remove it, or replace it by a file",
			"%s is a link that leads in a circle", name)
	}
	return err
}

func special(name string, info fs.FileInfo) error {
	what := "a special file"
	switch m := info.Mode(); {
	case m.IsDir():
		return problem.Refuse(problem.FileInTheWay, "move the folder away, or choose another name", "%s is a folder",
			name)
	case m&fs.ModeNamedPipe != 0:
		what = "a pipe"
	case m&fs.ModeSocket != 0:
		what = "a socket"
	case m&fs.ModeDevice != 0:
		what = "a device"
	}
	return problem.Refuse(problem.FileInTheWay, "move it away; merry reads plain files only", "%s is %s", name, what)
}

func tooLarge(name string, size, most int64) error {
	return problem.Refuse(problem.FileInTheWay, "move it away, or out of the site", "%s has %d bytes; merry reads at "+
		"most %d of such a file", name, size, most)
}

func grew(name string) error {
	return problem.Refuse(problem.FileChanged, "the same command again", "%s was changed while it was read", name)
}

// List lists a folder, "." for the folder itself, sorted by name.
func (f *Folder) List(dir string) ([]fs.DirEntry, error) {
	list, err := f.list(dir)
	if escapes(err) {
		var at string
		if at, err = f.inside(dir); err == nil {
			list, err = f.list(at)
		}
	}
	if f.view != nil {
		list, err = f.listView(dir, list, err)
	}
	if f.texts != nil && err == nil {
		list = f.unsavedIn(dir, list)
	}
	slices.SortFunc(list, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	return list, err
}

// listView is what a folder will have when an unfinished change is finished.
func (f *Folder) listView(dir string, list []fs.DirEntry, err error) ([]fs.DirEntry, error) {
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return list, err
	}
	list = slices.DeleteFunc(list, func(e fs.DirEntry) bool {
		at, changed := f.view[path.Join(dir, e.Name())]
		return changed && at == ""
	})
	for name, at := range f.view {
		rest := name
		if dir != "." {
			var below bool
			if rest, below = strings.CutPrefix(name, dir+"/"); !below {
				continue
			}
		}
		base, _, deeper := strings.Cut(rest, "/")
		if at == "" || slices.ContainsFunc(list, func(e fs.DirEntry) bool { return e.Name() == base }) {
			continue
		}
		info, serr := f.stat(at)
		if serr != nil {
			return list, serr
		}
		list, err = append(list, viewed{info, base, deeper}), nil
	}
	return list, err
}

// viewed is an entry that is not there yet.
type viewed struct {
	fs.FileInfo
	name   string
	folder bool
}

// Name is the entry's own name.
func (v viewed) Name() string { return v.name }

// IsDir reports whether it will be a folder.
func (v viewed) IsDir() bool { return v.folder }

// Type is that of a folder or of a regular file.
func (v viewed) Type() fs.FileMode {
	if v.folder {
		return fs.ModeDir
	}
	return 0
}

// Info is that of the file whose content it will have.
func (v viewed) Info() (fs.FileInfo, error) { return v.FileInfo, nil }

// full is a name's whole path.
func (f *Folder) full(name string) string {
	return filepath.Join(string(f.path), filepath.FromSlash(name))
}

func (f *Folder) fault(op, name string, err error) error {
	return &fs.PathError{Op: op, Path: f.full(name), Err: err}
}

// escapes tells the error of a name that leads out of a folder, or that follows a link which names a whole path.
func escapes(err error) bool {
	if err == nil {
		return false
	}
	var pe *fs.PathError
	return errors.As(err, &pe) && (isEscape(pe.Err) || pe.Err != nil && pe.Err.Error() == "path escapes from parent")
}
