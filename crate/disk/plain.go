package disk

import (
	"io"
	"io/fs"
	"os"
	"slices"
)

// readPlain is read by what every system has.
func (f *Folder) readPlain(name string, most int64, buf []byte) ([]byte, Stamp, error) {
	file, err := f.root.OpenFile(name, os.O_RDONLY|openAtOnce, 0)
	if err != nil {
		return buf[:0], Stamp{}, f.unopened(name, err)
	}
	defer file.Close()
	return readFile(file, name, most, buf)
}

// unopened is the error of a file that can't be opened: a socket can't be, and is said to be one.
func (f *Folder) unopened(name string, err error) error {
	if info, serr := f.root.Stat(name); serr == nil && !info.Mode().IsRegular() && !info.IsDir() {
		return special(name, info)
	}
	return err
}

// readFile reads an open file whole.
func readFile(file *os.File, name string, most int64, buf []byte) ([]byte, Stamp, error) {
	info, err := file.Stat()
	if err != nil {
		return buf[:0], Stamp{}, err
	}
	size := info.Size()
	switch {
	case !info.Mode().IsRegular():
		return buf[:0], Stamp{}, special(name, info)
	case size > most:
		return buf[:0], Stamp{}, tooLarge(name, size, most)
	}
	buf = slices.Grow(buf[:0], int(size)+1)[:size+1]
	n, err := io.ReadFull(file, buf)
	if err != io.ErrUnexpectedEOF && (err != io.EOF || size != 0) || int64(n) != size {
		if err == nil || err == io.ErrUnexpectedEOF || err == io.EOF {
			err = grew(name)
		}
		return buf[:n], Stamp{}, err
	}
	return buf[:n], StampOf(info), nil
}

func (f *Folder) listPlain(dir string) ([]fs.DirEntry, error) {
	d, err := f.root.Open(dir)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	return d.ReadDir(-1)
}
