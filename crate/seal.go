package crate

import (
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"merrycrate.example/merry/crate/integrity"
)

// SealLine is one file's integrity string.
type SealLine struct {
	File      string `json:"file"`
	Integrity string `json:"integrity"`
	Size      int64  `json:"size"`
}

// SealFiles hashes files, and the files of folders, with all cores.
func SealFiles(names []string, dir, algorithm string) ([]SealLine, error) {
	var files []string
	for _, name := range names {
		full := name
		if !filepath.IsAbs(name) {
			full = filepath.Join(dir, name)
		}
		info, err := os.Stat(full)
		if err != nil {
			return nil, refused("", "there is no file or folder %s", name)
		}
		if !info.IsDir() {
			files = append(files, name)
			continue
		}
		err = filepath.WalkDir(full, func(at string, e fs.DirEntry, err error) error {
			if err == nil && e.Type().IsRegular() {
				rel, _ := filepath.Rel(full, at)
				files = append(files, filepath.Join(name, rel))
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	// The largest first, so that no core is left with a large one at the end.
	sizes := map[string]int64{}
	order := slices.Clone(files)
	for _, f := range files {
		full := f
		if !filepath.IsAbs(f) {
			full = filepath.Join(dir, f)
		}
		if info, err := os.Stat(full); err == nil {
			sizes[f] = info.Size()
		}
	}
	slices.SortStableFunc(order, func(a, b string) int { return int(sizes[b] - sizes[a]) })
	lines, err := forEach(order, func(name string) (SealLine, error) {
		full := name
		if !filepath.IsAbs(name) {
			full = filepath.Join(dir, name)
		}
		f, err := os.Open(full)
		if err != nil {
			return SealLine{}, err
		}
		defer f.Close()
		return SealReader(filepath.ToSlash(name), f, algorithm)
	})
	if err != nil {
		return nil, err
	}
	place := map[string]int{}
	for i, f := range files {
		place[filepath.ToSlash(f)] = i
	}
	slices.SortStableFunc(lines, func(a, b SealLine) int { return place[a.File] - place[b.File] })
	return lines, nil
}

// SealReader hashes what a reader yields.
func SealReader(name string, r io.Reader, algorithm string) (SealLine, error) {
	h := integrity.New(algorithm)
	n, err := io.Copy(h, r)
	return SealLine{File: name, Integrity: integrity.Text(algorithm, h), Size: n}, err
}
