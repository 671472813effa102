package disk

import (
	"io/fs"
	"path"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"
)

// With returns the folder as if some files had other texts: those that somebody is writing and has not saved. Names are
// slash-separated, from the folder. The result shares what f holds, and is not closed.
func (f *Folder) With(texts map[string][]byte) *Folder {
	g := *f
	g.texts = texts
	return &g
}

// unsavedStamp tells one text of a file that is not saved from another. It is of a time long ago: what is remembered by
// it holds whenever the file has that text.
func unsavedStamp(b []byte) Stamp {
	return Stamp{Size: int64(len(b)), ModTime: int64(xxhash.Sum64(b) >> 6)}
}

// Unsaved is the stamp of a file of which a text counts that is not saved.
func (f *Folder) Unsaved(name string) (Stamp, bool) {
	text, is := f.texts[name]
	if !is {
		return Stamp{}, false
	}
	return unsavedStamp(text), true
}

// An unsaved is the description of a file that is not saved.
type unsaved struct {
	name  string
	stamp Stamp
}

// Name is the file's own name.
func (u unsaved) Name() string { return u.name }

// Size is that of the text.
func (u unsaved) Size() int64 { return u.stamp.Size }

// Mode is that of a plain file.
func (u unsaved) Mode() fs.FileMode { return 0o644 }

// Type is that of a plain file.
func (u unsaved) Type() fs.FileMode { return 0 }

// ModTime tells one text from another.
func (u unsaved) ModTime() time.Time { return u.stamp.Time() }

// IsDir reports that it is no folder.
func (u unsaved) IsDir() bool { return false }

// Sys is nil: no system knows of it.
func (u unsaved) Sys() any { return nil }

// Info is the description itself.
func (u unsaved) Info() (fs.FileInfo, error) { return u, nil }

// unsavedIn puts the files that are not saved into the list of a folder.
func (f *Folder) unsavedIn(dir string, list []fs.DirEntry) []fs.DirEntry {
	for name, text := range f.texts {
		if path.Dir(name) != dir {
			continue
		}
		entry := unsaved{path.Base(name), unsavedStamp(text)}
		there := false
		for i := range list {
			if list[i].Name() == entry.name {
				list[i], there = entry, true
			}
		}
		if !there {
			list = append(list, entry)
		}
	}
	return list
}

// unsavedStamps are the stamps of a folder's files with those that are not saved.
func (f *Folder) unsavedStamps(dir string, names []string, list []Stamp) {
	for i, name := range names {
		if text, is := f.texts[path.Join(dir, strings.TrimSuffix(name, "/"))]; is {
			list[i] = unsavedStamp(text)
		}
	}
}
