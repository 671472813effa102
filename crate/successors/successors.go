// Package successors pairs the files of one version of a library with those of another: by paths, names, builds, and
// what is the core of each.
package successors

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
)

// A Candidate is a file of a new version that may replace one of the old version.
type Candidate struct {
	Path  string
	Build record.Build // NoBuild if it is not known
}

// Candidates are the files of a new version, ready to be asked about.
type Candidates struct {
	list    []Candidate
	version string
	byPath  map[string]int   // the first of each path
	byBare  map[string]int   // and of each path without the version
	byPart  map[string][]int // of each part of the library with its build, and without
}

// Of makes the files of a version ready.
func Of(list []Candidate, version string) *Candidates {
	c := &Candidates{list, version, map[string]int{}, map[string]int{}, map[string][]int{}}
	for i, f := range slices.Backward(list) {
		c.byPath[f.Path], c.byBare[Bare(f.Path, version)] = i, i
	}
	for i, f := range list {
		stem, _ := manifest.NameVersion(path.Base(f.Path))
		for _, build := range []record.Build{f.Build, anyBuild} {
			key := partOf(stem, f.Path, build)
			c.byPart[key] = append(c.byPart[key], i)
		}
	}
	return c
}

// anyBuild stands for all builds where the one of the old file is not known.
const anyBuild record.Build = "any"

// Successor finds the file of a new version that stands for a file of an old one: the one of the same path, else of the
// same path but for the version in it, else the one of the same name and build, wherever it is. Of several of those,
// one in the same folder counts, else one of the very same base name, else the one that shares most folders, from the
// name upwards. It returns -1 if there is none, or if several are left, which it returns as several.
func (c *Candidates) Successor(name string, build record.Build, oldVersion string) (index int, several []string) {
	if i, ok := c.byPath[name]; ok {
		return i, nil
	}
	if i, ok := c.byBare[Bare(name, oldVersion)]; ok && oldVersion != "" {
		return i, nil
	}
	if build == record.NoBuild {
		build = anyBuild
	}
	list, newVersion := c.list, c.version
	alike := c.byPart[Part(name, build)]
	want := path.Base(name)
	if oldVersion != "" {
		want = strings.ReplaceAll(want, oldVersion, newVersion)
	}
	for _, narrower := range []func(c Candidate) bool{
		func(c Candidate) bool { return path.Dir(c.Path) == path.Dir(name) },
		func(c Candidate) bool { return path.Base(c.Path) == want },
	} {
		var left []int
		for _, i := range alike {
			if narrower(list[i]) {
				left = append(left, i)
			}
		}
		if len(left) == 1 {
			return left[0], nil
		}
		if len(left) > 1 {
			alike = left
		}
	}
	best, shared := -1, -1
	for _, i := range alike {
		switch n := sharedFolders(list[i].Path, name); {
		case n > shared:
			best, shared, several = i, n, nil
		case n == shared:
			if best >= 0 {
				several = append(several, list[best].Path)
			}
			best = -1
			several = append(several, list[i].Path)
		}
	}
	return best, several
}

// sharedFolders counts the folders, from the name upwards, that two paths share.
func sharedFolders(a, b string) int {
	x, y := strings.Split(path.Dir(a), "/"), strings.Split(path.Dir(b), "/")
	n := 0
	for n < len(x) && n < len(y) && x[len(x)-1-n] == y[len(y)-1-n] {
		n++
	}
	return n
}

// Between maps each old file to the new one that replaces it, nil if the new version has none, or if several old
// files would share it.
func Between(old, new *record.Sealed) map[*record.File]*record.File {
	list := make([]Candidate, len(new.Files))
	for i, f := range new.Files {
		list[i] = Candidate{f.Path, f.Build}
	}
	candidates := Of(list, new.Version)
	moved := map[*record.File]*record.File{}
	claims := map[*record.File]int{} // of each new file, by how many old ones
	for i := range old.Files {
		f := &old.Files[i]
		moved[f] = nil
		if n, _ := candidates.Successor(f.Path, f.Build, old.Version); n >= 0 {
			moved[f] = &new.Files[n]
			claims[moved[f]]++
		}
	}
	for f, n := range moved {
		if n != nil && claims[n] > 1 && n.Path != f.Path && Bare(n.Path, new.Version) != Bare(f.Path, old.Version) {
			moved[f] = nil
		}
	}
	standIn(old, new, moved)
	return moved
}

// standIn pairs the core of what has no successor with the core of what follows nothing, scripts with scripts of their
// form and stylesheets with stylesheets. The core of files for pages is the largest; what is smaller than a file that
// has a successor is a part, and no other file is that part.
func standIn(old, new *record.Sealed, moved map[*record.File]*record.File) {
	type part struct {
		kind   packages.Kind
		module bool
	}
	of := func(f *record.File) part { return part{packages.KindOf(f.Path), f.Module} }
	taken := map[*record.File]bool{}
	for _, n := range moved {
		taken[n] = true
	}
	gone := map[part]*record.File{}
	for i := range old.Files {
		if f := &old.Files[i]; f.Role == record.Tagged && (gone[of(f)] == nil || f.Size > gone[of(f)].Size) {
			gone[of(f)] = f
		}
	}
	for p, f := range gone {
		if moved[f] != nil {
			continue
		}
		var core *record.File
		for i := range new.Files {
			n := &new.Files[i]
			if n.Role != record.Tagged || taken[n] || of(n) != p || core != nil && (core.Build == f.Build &&
				n.Build != f.Build || (core.Build == f.Build) == (n.Build == f.Build) && n.Size <= core.Size) {
				continue
			}
			core = n
		}
		moved[f] = core
	}
}

// Bare is a path of a package without the package's version, wherever that is in it.
func Bare(file, version string) string {
	if version == "" {
		return file
	}
	return strings.ReplaceAll(file, version, "")
}

// Part is a file's part in its library, whatever its version: its name without version, and its build.
func Part(name string, build record.Build) string {
	stem, _ := manifest.NameVersion(path.Base(name))
	return partOf(stem, name, build)
}

func partOf(stem, name string, build record.Build) string {
	return stem + " " + string(build) + " " + path.Ext(name)
}
