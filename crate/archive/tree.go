// Package archive opens archives, folders and single files as read-only trees of files, within limits: names that climb
// out, lying sizes and bombs are refused. Where they come from is for others.
package archive

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// An Entry is one file of a tree.
type Entry struct {
	Path   string // slash-separated, without a single top folder
	Size   int64
	Packed int64 // as compressed in its archive, 0 if that is not known
}

// A Tree is an opened source. Its methods may be called from several goroutines.
type Tree struct {
	// Name is the source's own base name, such as oarlock-2.0.3.zip.
	Name string
	// Top is the name of the single folder that held everything, "" if there was none.
	Top string
	// Format is zip, tar, folder or file.
	Format  string
	Entries []Entry // sorted by path
	Size    int64   // of the source's own file, 0 for a folder

	file    *os.File
	index   map[string]int
	offsets []int64 // of a packed tar archive's entries, unpacked
	open    func(i int) (io.ReadCloser, error)
	close   func() error
	digest  func() (string, error)
}

// Open returns a file's content as a stream. The error of a file that is not there is fs.ErrNotExist.
func (t *Tree) Open(name string) (io.ReadCloser, error) {
	i, ok := t.index[name]
	if !ok {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	return t.open(i)
}

// ReadFile returns a file's content. It holds the size in the archive's directory to be true: a file
// that is longer or shorter is refused.
func (t *Tree) ReadFile(name string) ([]byte, error) { return t.ReadInto(name, nil) }

// ReadInto is ReadFile into buf where that is large enough.
func (t *Tree) ReadInto(name string, buf []byte) ([]byte, error) {
	r, err := t.Open(name)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	size := t.Entries[t.index[name]].Size
	if int64(cap(buf)) < size {
		buf = make([]byte, size, size+size/4)
	}
	b := buf[:size]
	if _, err := io.ReadFull(r, b); err != nil {
		if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
			err = errors.New("it is shorter than its directory says")
		}
		return nil, refuse(t.Name, name, err.Error())
	}
	var more [1]byte
	if n, err := r.Read(more[:]); n > 0 {
		return nil, refuse(t.Name, name, "it is longer than its directory says")
	} else if err != nil && err != io.EOF {
		return nil, refuse(t.Name, name, err.Error())
	}
	return b, nil
}

// Has reports whether the tree has a file of that name.
func (t *Tree) Has(name string) bool { _, ok := t.index[name]; return ok }

// Digest returns the sha384 integrity string of the source's own bytes, "" for a folder.
func (t *Tree) Digest() (string, error) { return t.digest() }

// File returns the source's own file, and whether it is one.
func (t *Tree) File() (io.ReaderAt, bool) { return t.file, t.file != nil }

// Close frees the tree's files.
func (t *Tree) Close() error { return t.close() }

// refuse makes the error of a source, or of one of its entries, that is not opened.
func refuse(source, entry, reason string) error {
	const next = "fetch it again from its makers, or unpack it and name the folder instead"
	if entry != "" {
		return problem.Refuse(problem.SourceRefused, next, "%s is refused: its entry %s: %s", texts.Text(source),
			texts.Text(entry), texts.Text(reason))
	}
	return problem.Refuse(problem.SourceRefused, next, "%s is refused: %s", texts.Text(source), texts.Text(reason))
}

// Limits bound the resources that reading an archive may use.
type Limits struct {
	Entries int
	Total   int64 // all files unpacked
	File    int64 // one file unpacked
	Ratio   int64 // unpacked to packed, where the whole is over RatioFrom
	From    int64
}

// DefaultLimits are far above any library's needs and far below any harm.
var DefaultLimits = Limits{Entries: 100_000, Total: 4 << 30, File: 1 << 30, Ratio: 200, From: 64 << 20}

// OpenPath opens an archive, a folder or a single file on disk.
func OpenPath(name string) (*Tree, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		return openFolder(name)
	}
	if !info.Mode().IsRegular() {
		return nil, refuse(filepath.Base(name), "", "it is not a plain file")
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	t, err := openFile(filepath.Base(name), f, info.Size())
	if err != nil {
		f.Close()
	}
	return t, err
}

// A Listing holds the entries of a compressed tar archive and their offsets in the uncompressed stream.
type Listing struct {
	Top     string
	Entries []Entry
	Offsets []int64
}

// Listing returns the listing of a compressed tar archive, nil for other trees.
func (t *Tree) Listing() *Listing {
	if t.offsets == nil {
		return nil
	}
	return &Listing{t.Top, t.Entries, t.offsets}
}

// Known records the integrity of the tree's own file, which the caller has verified.
func (t *Tree) Known(integ string) { t.digest = func() (string, error) { return integ, nil } }

// OpenListed opens a packed tar archive whose content is known; it is unpacked when the first file is read. It returns
// nil for a listing that can't be that of an archive.
func OpenListed(name string, f *os.File, integ string, l *Listing) (*Tree, error) {
	if len(l.Entries) == 0 || len(l.Entries) != len(l.Offsets) {
		return nil, nil
	}
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	format, err := sniff(name, f, info.Size())
	if err != nil {
		return nil, nil // opening it in full says what is wrong
	}
	t := &Tree{Name: name, Top: l.Top, Format: "tar", Entries: l.Entries, Size: info.Size(), file: f,
		offsets: l.Offsets, digest: func() (string, error) { return integ, nil }}
	var made atomic.Pointer[spool]
	unpacked := sync.OnceValues(func() (*spool, error) {
		s, err := unpack(name, format, io.NewSectionReader(f, 0, t.Size), t.Size)
		made.Store(s)
		return s, err
	})
	t.open = func(i int) (io.ReadCloser, error) {
		s, err := unpacked()
		if err != nil {
			return nil, err
		}
		return io.NopCloser(io.NewSectionReader(s, l.Offsets[i], l.Entries[i].Size)), nil
	}
	t.close = func() error {
		if s := made.Load(); s != nil {
			s.close()
		}
		return f.Close()
	}
	t.index = make(map[string]int, len(t.Entries))
	for i, e := range t.Entries {
		t.index[e.Path] = i
	}
	return t, nil
}

// OpenReader opens an archive or a file that is not on disk under its own name, such as a blob of
// the cache. It takes f over.
func OpenReader(name string, f *os.File) (*Tree, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	return openFile(name, f, info.Size())
}

func openFile(name string, f *os.File, size int64) (*Tree, error) {
	t := &Tree{Name: name, Size: size, file: f, close: f.Close}
	t.digest = sync.OnceValues(func() (string, error) {
		h := integrity.New("sha384")
		if _, err := io.Copy(h, io.NewSectionReader(f, 0, size)); err != nil {
			return "", err
		}
		return integrity.Text("sha384", h), nil
	})
	format, err := sniff(name, f, size)
	if err != nil {
		return nil, err
	}
	switch {
	case format == "zip":
		err = t.openZip(f, size)
	case format == "file":
		t.Format = "file"
		t.Entries = []Entry{{Path: name, Size: size}}
		t.open = func(int) (io.ReadCloser, error) { return io.NopCloser(io.NewSectionReader(f, 0, size)), nil }
		t.setIndex()
	default:
		err = t.openTar(format, f, size)
	}
	if err != nil {
		t.close()
		return nil, err
	}
	return t, nil
}

func openFolder(name string) (*Tree, error) {
	abs, err := filepath.Abs(name)
	if err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(abs) // what is in it by a link is not part of it, whenever the link was put there
	if err != nil {
		return nil, err
	}
	t := &Tree{Name: filepath.Base(abs), Format: "folder", close: root.Close}
	t.digest = func() (string, error) { return "", nil }
	c := newEntryRules(t.Name, DefaultLimits)
	err = filepath.WalkDir(abs, func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(abs, p)
		if err != nil {
			return err
		}
		rel = filepath.ToSlash(rel)
		if d.IsDir() {
			if rel != "." && strings.HasPrefix(d.Name(), ".") {
				return fs.SkipDir // version control, and other tools' own
			}
			return nil
		}
		if d.Type()&fs.ModeSymlink != 0 {
			return nil // a link in one's own folder is no attack, but what it leads to is not part of the folder
		}
		if !d.Type().IsRegular() {
			return refuse(t.Name, rel, "it is not a regular file")
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		e, err := c.take(rel, info.Size(), 0)
		if err != nil {
			return err
		}
		t.Entries = append(t.Entries, e)
		return nil
	})
	if err == nil && len(t.Entries) == 0 {
		err = refuse(t.Name, "", "the folder is empty")
	}
	if err != nil {
		root.Close()
		return nil, err
	}
	t.sortEntries(nil)
	t.open = func(i int) (io.ReadCloser, error) {
		return root.Open(path.Join(t.Top, t.Entries[i].Path))
	}
	t.setIndex()
	return t, nil
}

// sortEntries sorts by path; swap, where given, moves what belongs to an entry along.
func (t *Tree) sortEntries(along []int64) {
	if along == nil {
		slices.SortFunc(t.Entries, func(a, b Entry) int { return strings.Compare(a.Path, b.Path) })
		return
	}
	order := make([]int, len(t.Entries))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(t.Entries[a].Path, t.Entries[b].Path) })
	entries, moved := slices.Clone(t.Entries), slices.Clone(along)
	for i, o := range order {
		t.Entries[i], along[i] = entries[o], moved[o]
	}
}

// setIndex takes off a single top folder and makes the index. An archive that holds one folder, as
// most do, is meant to be that folder.
func (t *Tree) setIndex() {
	if top, _, ok := strings.Cut(t.Entries[0].Path, "/"); ok && t.Format != "folder" {
		all := true
		for _, e := range t.Entries {
			all = all && strings.HasPrefix(e.Path, top+"/")
		}
		if all {
			t.Top = top
			for i := range t.Entries {
				t.Entries[i].Path = t.Entries[i].Path[len(top)+1:]
			}
		}
	}
	t.index = make(map[string]int, len(t.Entries))
	for i, e := range t.Entries {
		t.index[e.Path] = i
	}
}
