package crate

import (
	"context"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
)

// SealLine is one file's integrity string.
type SealLine struct {
	File      string `json:"file"`
	Integrity string `json:"integrity"`
	Size      int64  `json:"size"`
}

// SealFiles hashes files, and the files of folders, with all cores.
func (c *Crate) SealFiles(ctx context.Context, names []string, algorithm string) ([]SealLine, error) {
	full := func(name string) string {
		if filepath.IsAbs(name) {
			return name
		}
		return filepath.Join(c.Dir, name)
	}
	var files []string
	sizes := map[string]int64{}
	for _, name := range names {
		at := full(name)
		info, err := os.Stat(at)
		if err != nil {
			return nil, problem.Refuse(problem.FileUnknown, "name files or folders, or - for standard input", "there is no file or folder %s", name)
		}
		if !info.IsDir() && !info.Mode().IsRegular() {
			return nil, problem.Refuse(problem.FileUnknown, "merry seal - reads what is piped into it", "%s is no plain file", name)
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
	lines, err := parallel.Map(ctx, order, func(_ context.Context, name string) (SealLine, error) {
		f, err := os.Open(full(name))
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
