//go:build linux && !portable

package disk

import (
	"encoding/binary"
	"io/fs"
	"os"
	"path"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// handle is the folder as the system's own calls want it. They read ten thousand small pages in half the time of
// package os, whose files are made ready for the network's poller, and openat2 looks a whole path up in one call.
type handle struct {
	file *os.File
	fd   int
}

func (h *handle) open(root *os.Root) error {
	f, err := root.Open(".")
	if err != nil {
		return err
	}
	h.file, h.fd = f, int(f.Fd())
	return nil
}

func (h *handle) close() error { return h.file.Close() }

// beneath opens a name, following links that stay inside alone.
func (f *Folder) beneath(name string, flags int) (int, error) {
	how := unix.OpenHow{Flags: uint64(flags | unix.O_CLOEXEC),
		Resolve: unix.RESOLVE_BENEATH | unix.RESOLVE_NO_MAGICLINKS}
	for range 100 {
		fd, err := unix.Openat2(f.fd, name, &how)
		if err != unix.EAGAIN && err != unix.EINTR { // EAGAIN: something was renamed while the path was looked up
			return fd, err
		}
	}
	return -1, unix.EAGAIN
}

func isEscape(err error) bool { return err == unix.EXDEV }

// missing tells the error of a system that does not have openat2, or of a room that does not allow it.
func missing(err error) bool { return err == unix.ENOSYS || err == unix.EPERM }

func (f *Folder) read(name string, most int64, buf []byte) ([]byte, Stamp, error) {
	fd, err := f.beneath(name, unix.O_RDONLY|unix.O_NONBLOCK)
	if missing(err) {
		return f.readPlain(name, most, buf)
	}
	if err == unix.ENXIO {
		return buf[:0], Stamp{}, f.unopened(name, f.fault("open", name, err))
	}
	if err != nil {
		return buf[:0], Stamp{}, f.fault("open", name, noEntry(err))
	}
	defer unix.Close(fd)
	var st unix.Stat_t
	if err := unix.Fstat(fd, &st); err != nil {
		return buf[:0], Stamp{}, f.fault("stat", name, err)
	}
	if st.Mode&unix.S_IFMT != unix.S_IFREG {
		return buf[:0], Stamp{}, special(name, info{name, st})
	}
	if st.Size > most {
		return buf[:0], Stamp{}, tooLarge(name, st.Size, most)
	}
	if int64(cap(buf)) <= st.Size {
		buf = make([]byte, st.Size+st.Size/8+512)
	}
	buf = buf[:cap(buf)]
	n := 0
	for {
		m, err := unix.Read(fd, buf[n:])
		switch {
		case err == unix.EINTR:
			continue
		case err != nil:
			return buf[:n], Stamp{}, f.fault("read", name, err)
		}
		if n += m; m == 0 || n == len(buf) || int64(n) == st.Size && n < len(buf) {
			break
		}
	}
	if int64(n) != st.Size {
		return buf[:n], Stamp{}, grew(name)
	}
	return buf[:n], stampOf(st), nil
}

// noEntry tells a name that can't be, because a part of its path is a file, like one that is not there.
func noEntry(err error) error {
	if err == unix.ENOTDIR || err == unix.EINVAL {
		return unix.ENOENT
	}
	return err
}

func (f *Folder) stat(name string) (fs.FileInfo, error) {
	fd, err := f.beneath(name, unix.O_PATH)
	if missing(err) {
		return f.root.Stat(name)
	}
	return f.look(fd, err, name, name)
}

// look says what was opened by a path, with or without an error, and closes it.
func (f *Folder) look(fd int, err error, path, name string) (fs.FileInfo, error) {
	if err != nil {
		return nil, f.fault("stat", path, noEntry(err))
	}
	defer unix.Close(fd)
	var st unix.Stat_t
	if err := unix.Fstat(fd, &st); err != nil {
		return nil, f.fault("stat", path, err)
	}
	return info{name, st}, nil
}

// stamps reports whether it could look.
func (f *Folder) stamps(dir string, names []string, into []Stamp) bool {
	fd, err := f.beneath(dir, unix.O_PATH|unix.O_DIRECTORY)
	if err != nil {
		return false
	}
	defer unix.Close(fd)
	var st unix.Stat_t
	for i, name := range names {
		if unix.Fstatat(fd, name, &st, unix.AT_SYMLINK_NOFOLLOW) == nil && st.Mode&unix.S_IFMT == unix.S_IFREG {
			into[i] = stampOf(st)
		}
	}
	return true
}

func (f *Folder) list(dir string) ([]fs.DirEntry, error) {
	fd, err := f.beneath(dir, unix.O_RDONLY|unix.O_DIRECTORY)
	if missing(err) {
		return f.listPlain(dir)
	}
	if err != nil {
		return nil, f.fault("open", dir, err)
	}
	defer unix.Close(fd)
	in := &listed{folder: f, dir: dir}
	buf := make([]byte, 32<<10)
	for {
		n, err := unix.ReadDirent(fd, buf)
		switch {
		case err == unix.EINTR:
			continue
		case err != nil:
			return nil, f.fault("read", dir, err)
		case n == 0:
			list := make([]fs.DirEntry, len(in.entries))
			for i := range in.entries {
				list[i] = &in.entries[i]
			}
			return list, nil
		}
		in.read(buf[:n])
	}
}

// listed is a folder that was listed.
type listed struct {
	folder  *Folder
	dir     string
	entries []dirEntry
}

// An dirEntry is one of its entries, as the system tells it: without a look at it.
type dirEntry struct {
	name string
	kind fs.FileMode
	in   *listed
}

// kinds are the types of entries, by the system's numbers (dirent.h).
var kinds = map[byte]fs.FileMode{unix.DT_REG: 0, unix.DT_DIR: fs.ModeDir, unix.DT_LNK: fs.ModeSymlink,
	unix.DT_FIFO: fs.ModeNamedPipe,
	unix.DT_SOCK: fs.ModeSocket, unix.DT_CHR: fs.ModeDevice | fs.ModeCharDevice, unix.DT_BLK: fs.ModeDevice}

// read reads a piece of the list: records of struct linux_dirent64, each with an inode's number, an offset, its own
// length, a type and a name that ends in a zero.
func (l *listed) read(b []byte) {
	const length, kind, name = 16, 18, 19
	whole := string(b) // all names are parts of it
	for at := 0; len(b)-at > name; {
		size := min(len(b)-at, int(binary.NativeEndian.Uint16(b[at+length:])))
		if size <= name {
			return
		}
		e := dirEntry{name: whole[at+name : at+size], in: l}
		if end := strings.IndexByte(e.name, 0); end >= 0 {
			e.name = e.name[:end]
		}
		is, known := b[at+kind], true
		if at += size; e.name == "." || e.name == ".." {
			continue
		}
		if is != unix.DT_REG {
			e.kind, known = kinds[is]
		}
		if !known { // a file system that does not say it
			info, err := e.Info()
			if err != nil {
				continue // it was removed meanwhile
			}
			e.kind = info.Mode().Type()
		}
		l.entries = append(l.entries, e)
	}
}

func (e *dirEntry) Name() string      { return e.name }
func (e *dirEntry) IsDir() bool       { return e.kind.IsDir() }
func (e *dirEntry) Type() fs.FileMode { return e.kind }

func (e *dirEntry) Info() (fs.FileInfo, error) {
	at := path.Join(e.in.dir, e.name)
	fd, err := e.in.folder.beneath(at, unix.O_PATH|unix.O_NOFOLLOW)
	return e.in.folder.look(fd, err, at, e.name)
}

// info is a file's fs.FileInfo.
type info struct {
	name string
	st   unix.Stat_t
}

func (i info) Name() string       { return i.name }
func (i info) Size() int64        { return i.st.Size }
func (i info) ModTime() time.Time { return time.Unix(i.st.Mtim.Unix()) }
func (i info) IsDir() bool        { return i.Mode().IsDir() }
func (i info) Sys() any           { return &i.st }
func (i info) Mode() fs.FileMode {
	m := fs.FileMode(i.st.Mode & 0o777)
	switch i.st.Mode & unix.S_IFMT {
	case unix.S_IFDIR:
		m |= fs.ModeDir
	case unix.S_IFLNK:
		m |= fs.ModeSymlink
	case unix.S_IFIFO:
		m |= fs.ModeNamedPipe
	case unix.S_IFSOCK:
		m |= fs.ModeSocket
	case unix.S_IFBLK, unix.S_IFCHR:
		m |= fs.ModeDevice
	}
	if i.st.Mode&unix.S_ISVTX != 0 {
		m |= fs.ModeSticky
	}
	return m
}

func stampOf(st unix.Stat_t) Stamp {
	return Stamp{Size: st.Size, ModTime: st.Mtim.Nano(), ChangeTime: st.Ctim.Nano(), Inode: st.Ino}
}
