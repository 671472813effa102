package origin

import (
	"cmp"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/archive"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// A Download is an archive of the user's download folder that looks like a library.
type Download struct {
	Number  int       `json:"number"`            // stands for the file in peek and take
	File    string    `json:"file"`              // its whole path
	Name    string    `json:"name"`              // the library's name
	Version string    `json:"version,omitempty"` // the library's version
	Size    int64     `json:"size"`              // bytes
	Time    time.Time `json:"time"`              // when the file was last changed
}

const maxDownloads = 12

// Downloads lists the newest archives of a folder that hold scripts or stylesheets. If usual, the folder was not named
// by the user and may be missing.
func Downloads(dir string, usual bool) ([]Download, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) && usual {
		return nil, nil // nothing was ever downloaded
	}
	if err != nil {
		return nil, problem.Refuse(problem.FileUnknown, "name your own: merry peek --downloads DIR",
			"the download folder %s can't be read", dir)
	}
	var files []os.FileInfo
	for _, e := range entries {
		if info, err := e.Info(); err == nil && mayHold(e.Name()) && info.Mode().IsRegular() {
			files = append(files, info)
		}
	}
	slices.SortFunc(files, func(a, b os.FileInfo) int {
		return cmp.Or(b.ModTime().Compare(a.ModTime()), strings.Compare(a.Name(), b.Name()))
	})
	var list []Download
	for _, info := range files {
		if len(list) == maxDownloads {
			break
		}
		full := filepath.Join(dir, info.Name())
		t, err := archive.OpenPath(full)
		if err != nil {
			continue // peek at it by name tells why
		}
		looks := slices.ContainsFunc(t.Entries, func(e archive.Entry) bool {
			k := packages.KindOf(e.Path)
			return k == packages.Script || k == packages.Stylesheet
		})
		t.Close()
		if looks {
			name, version := manifest.NameVersion(info.Name())
			list = append(list, Download{Number: len(list) + 1, File: full, Name: name, Version: version,
				Size: info.Size(), Time: info.ModTime()})
		}
	}
	return list, nil
}

// mayHold tells the names of files that a library may come in.
func mayHold(name string) bool {
	name = strings.ToLower(name)
	return slices.ContainsFunc([]string{".zip", ".tgz", ".tar.gz", ".tar", ".tar.xz", ".tar.bz2", ".tar.zst", ".js",
		".css"}, func(ext string) bool { return strings.HasSuffix(name, ext) })
}

// ArchiveIn finds, by the last part of a recorded path, a file that a library may come in: one of the sources itself,
// or one that lies right in one of them. It returns "" if there is none; whatever else the record's path says is not
// followed.
func ArchiveIn(dir string, sources []string, from string) string {
	base := path.Base(from)
	if !mayHold(base) {
		return ""
	}
	for _, src := range sources {
		if !filepath.IsAbs(src) {
			src = filepath.Join(dir, src)
		}
		for _, full := range []string{src, filepath.Join(src, base)} {
			if info, err := os.Lstat(full); err == nil && info.Mode().IsRegular() && filepath.Base(full) == base {
				return full
			}
		}
	}
	return ""
}

// Candidates lists the archives and folders among sources, or in them, that may be a library's source: what is named
// itself, of a folder the archives that are called like the source that was taken, or like the library in its version,
// and a folder that has the files themselves.
func Candidates(dir string, sources []string, name string, sealed *record.Sealed) []string {
	var list []string
	for _, src := range sources {
		full := src
		if !filepath.IsAbs(full) {
			full = filepath.Join(dir, full)
		}
		entries, err := os.ReadDir(full)
		if err != nil {
			list = append(list, full) // a file, or nothing
			continue
		}
		for _, e := range entries {
			n, v := manifest.NameVersion(e.Name())
			if e.Name() == path.Base(sealed.Origin) || v == sealed.Version && v != "" &&
				manifest.NameKey(n) == manifest.NameKey(name) {
				list = append(list, filepath.Join(full, e.Name()))
			}
		}
		if len(sealed.Files) > 0 && There(full, filepath.FromSlash(sealed.Files[0].Path)) {
			list = append(list, full) // it is unpacked there
		}
	}
	return list
}

// Fill stores the sealed bytes of a library's missing files from a source in the cache.
func (r *Opener) Fill(o *Opened, sealed *record.Sealed, missing func(record.File) bool) error {
	for _, f := range sealed.Files {
		if !missing(f) || !o.Tree.Has(f.Path) {
			continue
		}
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return err
		}
		if integrity.Of(b) == f.Integrity {
			if err := r.Cache.Put(f.Integrity, b); err != nil {
				return err
			}
		}
	}
	return nil
}
