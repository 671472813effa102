// Package sealing computes integrity for any file, and verifies the integrity of tags on any page, in a project or not.
package sealing

import (
	"bytes"
	"context"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/source"
)

// Line is one file's integrity string.
type Line struct {
	File      string `json:"file"`      // as it was typed, or a path
	Integrity string `json:"integrity"` // value of an integrity attribute
	Size      int64  `json:"size"`      // bytes
}

// A Fetcher fetches an address.
type Fetcher func(ctx context.Context, address string) ([]byte, error)

// Files hashes files, the files of folders, and what addresses give, with all cores. Names are from a folder.
func Files(ctx context.Context, dir string, names []string, algorithm string, fetch Fetcher) ([]Line, error) {
	full := func(name string) string {
		if filepath.IsAbs(name) || source.IsAddress(name) {
			return name
		}
		return filepath.Join(dir, name)
	}
	var files []string
	sizes := map[string]int64{}
	for _, name := range names {
		if source.IsAddress(name) {
			files = append(files, name)
			continue
		}
		at := full(name)
		info, err := os.Stat(at)
		if err != nil {
			return nil, problem.Refuse(problem.FileUnknown, "name files or folders, or - for standard input",
				"there is no file or folder %s", name)
		}
		if !info.IsDir() && !info.Mode().IsRegular() {
			return nil, problem.Refuse(problem.FileUnknown, "give it on standard input: merry seal - < FILE",
				"%s is not a plain file", name)
		}
		if !info.IsDir() {
			files = append(files, name)
			sizes[name] = info.Size()
			continue
		}
		err = filepath.WalkDir(at, func(file string, e fs.DirEntry, err error) error {
			if err != nil || !e.Type().IsRegular() {
				return err
			}
			rel, _ := filepath.Rel(at, file)
			rel = filepath.Join(name, rel)
			files = append(files, rel)
			if info, err := e.Info(); err == nil {
				sizes[rel] = info.Size()
			}
			return ctx.Err()
		})
		if err != nil {
			return nil, err
		}
	}
	// The largest first, so that no core is left with a large one at the end.
	order := slices.Clone(files)
	slices.SortStableFunc(order, func(a, b string) int { return int(sizes[b] - sizes[a]) })
	lines, err := parallel.Map(ctx, order, func(_ context.Context, name string) (Line, error) {
		if source.IsAddress(name) {
			b, err := fetch(ctx, name)
			if err != nil {
				return Line{}, err
			}
			return Read(name, bytes.NewReader(b), algorithm)
		}
		f, err := os.Open(full(name))
		if err != nil {
			return Line{}, err
		}
		defer f.Close()
		return Read(filepath.ToSlash(name), f, algorithm)
	})
	if err != nil {
		return nil, err
	}
	place := map[string]int{}
	for i, f := range files {
		place[filepath.ToSlash(f)] = i
	}
	slices.SortStableFunc(lines, func(a, b Line) int { return place[a.File] - place[b.File] })
	return lines, nil
}

// Read hashes a stream.
func Read(name string, r io.Reader, algorithm string) (Line, error) {
	h := integrity.New(algorithm)
	n, err := io.Copy(h, r)
	return Line{File: name, Integrity: integrity.Text(algorithm, h), Size: n}, err
}

// Text reads a file from a folder, or the bytes at an address.
func Text(ctx context.Context, dir, name string, fetch Fetcher) ([]byte, error) {
	if source.IsAddress(name) {
		return fetch(ctx, name)
	}
	if !filepath.IsAbs(name) {
		name = filepath.Join(dir, name)
	}
	return os.ReadFile(name)
}
