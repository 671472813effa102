package disk

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// An Entry is one folder, entered without following any link. Operations stay in it, wherever its path leads meanwhile.
type Entry struct {
	in   *Folder
	name string // slash-separated from the folder's root
	root *os.Root
	file *os.File
}

// Enter enters a folder below, "." for the folder itself. The error of one that is not there is fs.ErrNotExist; that of
// a link, or of a file, in its path is a *problem.Problem. The caller closes the place.
func (f *Folder) Enter(dir string) (*Entry, error) {
	root, err := f.root.OpenRoot(".")
	if err != nil {
		return nil, err
	}
	at := "."
	for part := range strings.SplitSeq(dir, "/") {
		if part == "." {
			continue
		}
		at = path.Join(at, part)
		next, err := step(root, part, at)
		root.Close()
		if err != nil {
			return nil, err
		}
		root = next
	}
	file, err := root.Open(".")
	if err != nil {
		root.Close()
		return nil, err
	}
	return &Entry{f, dir, root, file}, nil
}

// step enters a folder of root that is no link, and stays no link while it is entered.
func step(root *os.Root, base, name string) (*os.Root, error) {
	info, err := root.Lstat(base)
	if err != nil {
		return nil, err
	}
	if info.Mode()&fs.ModeSymlink != 0 {
		return nil, problem.Refuse(problem.FileInTheWay, "replace the link by the folder itself, then the same "+
			"command again", "the folder %s is now a link, and merry writes through no links", name)
	}
	if !info.IsDir() {
		return nil, problem.Refuse(problem.FileInTheWay, "move it away, or choose another folder",
			"%s is a file, and a folder of that name is needed", name)
	}
	next, err := root.OpenRoot(base)
	if err != nil {
		return nil, err
	}
	if err := isStill(next, info, name); err != nil {
		next.Close()
		return nil, err
	}
	return next, nil
}

// isStill reports whether a folder that was entered is the one that was looked at before.
func isStill(entered *os.Root, seen fs.FileInfo, name string) error {
	info, err := entered.Stat(".")
	if err == nil && !os.SameFile(seen, info) {
		err = problem.Refuse(problem.FileChanged, "the same command again", "the folder %s was replaced in "+
			"the meantime", name)
	}
	return err
}

// Close leaves the place.
func (p *Entry) Close() error { return errors.Join(p.file.Close(), p.root.Close()) }

// Name is the folder's name, slash-separated.
func (p *Entry) Name() string { return p.name }

func (p *Entry) full(base string) string { return path.Join(p.name, base) }

// Stat describes the file at a name in the folder; it follows no link.
func (p *Entry) Stat(base string) (fs.FileInfo, error) { return p.root.Lstat(base) }

// Info returns the folder's own.
func (p *Entry) Info() (fs.FileInfo, error) { return p.file.Stat() }

// List lists the folder.
func (p *Entry) List() ([]fs.DirEntry, error) {
	d, err := p.root.Open(".")
	if err != nil {
		return nil, err
	}
	defer d.Close()
	return d.ReadDir(-1)
}

// Read reads a file of the folder, which is no link. Its errors are those of Folder.Read.
func (p *Entry) Read(base string, most int64) ([]byte, Stamp, error) {
	info, err := p.root.Lstat(base)
	if err != nil {
		return nil, Stamp{}, err
	}
	if !info.Mode().IsRegular() {
		if info.Mode()&fs.ModeSymlink != 0 {
			return nil, Stamp{}, problem.Refuse(problem.FileInTheWay, "remove the link", "%s is a link", p.full(base))
		}
		return nil, Stamp{}, special(p.full(base), info)
	}
	f, err := p.root.OpenFile(base, os.O_RDONLY|openAtOnce, 0)
	if err != nil {
		return nil, Stamp{}, err
	}
	defer f.Close()
	opened, err := f.Stat()
	if err != nil {
		return nil, Stamp{}, err
	}
	if !os.SameFile(info, opened) {
		return nil, Stamp{}, grew(p.full(base))
	}
	return readFile(f, p.full(base), most, nil)
}

// MayChange returns why a file of the folder can't be made, exchanged or removed, nil if it can. It is called before a
// change begins. The file need not exist.
func (p *Entry) MayChange(base string) error {
	dir, err := p.Info()
	if err != nil {
		return err
	}
	file, err := p.root.Lstat(base)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	const next = "correct that, then the same command again"
	if why := mayWrite(p.file, dir, file); why != "" {
		return problem.Refuse(problem.NoPermission, next, "%s can't be changed: %s", p.full(base), why)
	}
	if top, err := p.in.root.Stat("."); err == nil && !SameDevice(top, dir) {
		return problem.Refuse(problem.NoPermission, "start a project of its own there: merry start --in "+
			texts.Word(filepath.Join(string(p.in.path), filepath.FromSlash(p.name))),
			"%s is on another file system than the project, so a change of both could not be atomic", p.name)
	}
	return nil
}

// Create makes a file that is not there yet.
func (p *Entry) Create(base string, b []byte, mode fs.FileMode) error {
	write := func(b []byte) error {
		f, err := p.root.OpenFile(base, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
		if err != nil {
			return err
		}
		_, err = f.Write(b)
		if err == nil && mode != 0o644 {
			err = f.Chmod(mode)
		}
		return errors.Join(err, f.Close())
	}
	if err := faultPoint("write", p.full(base), func() { write(b[:len(b)/2]) }); err != nil {
		return err
	}
	return write(b)
}

// MakeFolder makes a folder, unless it is there.
func (p *Entry) MakeFolder(base string) error {
	if err := faultPoint("mkdir", p.full(base), nil); err != nil {
		return err
	}
	if err := p.root.Mkdir(base, 0o755); !errors.Is(err, fs.ErrExist) {
		return err
	}
	return nil
}

// Remove removes a file, or an empty folder.
func (p *Entry) Remove(base string) error {
	if err := faultPoint("remove", p.full(base), nil); err != nil {
		return err
	}
	return p.root.Remove(base)
}

// RemoveAll removes a folder and its files, following no link.
func (p *Entry) RemoveAll(base string) error {
	inner, err := p.in.Enter(p.full(base))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return p.Remove(base) // a link or a file
	}
	defer inner.Close()
	list, err := inner.List()
	for _, e := range list {
		if err == nil && e.IsDir() {
			err = inner.RemoveAll(e.Name())
		} else if err == nil {
			err = inner.Remove(e.Name())
		}
	}
	if err != nil {
		return err
	}
	return p.Remove(base)
}

// Move moves a file to a place where nothing has its name. The error of a name that is taken is fs.ErrExist.
func (p *Entry) Move(base string, to *Entry, name string) error {
	if err := faultPoint("move", to.full(name), nil); err != nil {
		return err
	}
	return p.move(base, to, name)
}

// Replace moves a file over another.
func (p *Entry) Replace(base string, to *Entry, name string) error {
	if err := faultPoint("replace", to.full(name), nil); err != nil {
		return err
	}
	return p.in.root.Rename(filepath.FromSlash(p.full(base)), filepath.FromSlash(to.full(name)))
}

// Exchange puts a file into the place of another, and that one into its place.
func (p *Entry) Exchange(base string, with *Entry, name string) error {
	if err := faultPoint("exchange", with.full(name), nil); err != nil {
		return err
	}
	if err := p.swap(base, with, name); !errors.Is(err, errors.ErrUnsupported) {
		return err
	}
	// Without an atomic exchange: keep the old content under a second name, then let the rename replace it. A stop in
	// between leaves the old or the new file, and the keepsake.
	keep := base + Backup
	p.root.Remove(keep)
	if err := p.in.root.Link(filepath.FromSlash(with.full(name)), filepath.FromSlash(p.full(keep))); err != nil {
		b, stamp, err := with.Read(name, MaxFile)
		if err != nil {
			return err
		}
		if err := p.Create(keep, b, 0o644); err != nil {
			return err
		}
		p.root.Chtimes(keep, time.Time{}, stamp.Time())
	}
	if err := p.Replace(base, with, name); err != nil {
		return err
	}
	return p.Replace(keep, p, base)
}

// Backup ends the second name of a file's old content, on systems that can't exchange two files at once.
const Backup = ".old"

// Sync makes everything durable that was written to the folder so far.
func (p *Entry) Sync() error {
	if err := faultPoint("sync", p.name, nil); err != nil {
		return err
	}
	return p.sync()
}

// movePlain is Move by what every system has: a link is never made over another file.
func (p *Entry) movePlain(base string, to *Entry, name string) error {
	from, at := filepath.FromSlash(p.full(base)), filepath.FromSlash(to.full(name))
	info, err := p.root.Lstat(base)
	if err != nil {
		return err
	}
	if !info.IsDir() {
		err := p.in.root.Link(from, at)
		if err == nil {
			return p.root.Remove(base)
		}
		if errors.Is(err, fs.ErrExist) {
			return err
		}
	}
	if _, err := to.root.Lstat(name); err == nil {
		return &fs.PathError{Op: "move", Path: to.full(name), Err: fs.ErrExist}
	}
	return p.in.root.Rename(from, at)
}
