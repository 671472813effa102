// Package paths has the three kinds of path as three types, so that none can be taken for another: in the served
// folder, in the project, and on this machine's disk. A path of the first two kinds can be had only through the
// functions here, which hold it to the rules for names.
//
// It knows names alone: whether there is such a file is for others to see.
package paths

import (
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// An InSite names a file below the served folder, slash-separated. The zero value names none.
type InSite struct{ name string }

// An InProject names a file below the project's root, slash-separated. The zero value names none.
type InProject struct{ name string }

// An OnDisk is a path of this machine, as its system writes them.
type OnDisk string

// Site makes a path in the site of a name that came from outside: an archive, a record, a command line. The error says
// what is wrong with the name.
func Site(name string) (InSite, error) {
	if err := Validate(name); err != nil {
		return InSite{}, fmt.Errorf("%q can't be the name of a file of the site: %w", name, err)
	}
	return InSite{name}, nil
}

// Project is Site for a path from the project's root.
func Project(name string) (InProject, error) {
	if err := Validate(name); err != nil {
		return InProject{}, fmt.Errorf("%q can't be the name of a file of the project: %w", name, err)
	}
	return InProject{name}, nil
}

// Found makes a path in the site of a name that this machine's own disk listed, or that a reference resolved to. Such a
// name is only read, so it may be odd; one that leads out of the site gives the zero value.
func Found(name string) InSite {
	if !fs.ValidPath(name) || name == "." {
		return InSite{}
	}
	return InSite{name}
}

// FoundInProject is Found for a path from the project's root.
func FoundInProject(name string) InProject { return InProject(Found(name)) }

// String returns the path, slash-separated, "" for the zero value.
func (p InSite) String() string { return p.name }

// IsZero reports whether the path names nothing.
func (p InSite) IsZero() bool { return p.name == "" }

// Base returns the file's own name.
func (p InSite) Base() string { return path.Base(p.name) }

// Dir returns the folder, "." for the site's own.
func (p InSite) Dir() string { return path.Dir(p.name) }

// In returns the path from the project's root, for a site that is served from the given folder of it.
func (p InSite) In(site string) InProject {
	switch {
	case p.name == "" || site == ".":
		return InProject(p)
	}
	return InProject{site + "/" + p.name}
}

// MarshalText writes the path.
func (p InSite) MarshalText() ([]byte, error) { return []byte(p.name), nil }

// UnmarshalText reads a path as Site does; nothing is the zero value.
func (p *InSite) UnmarshalText(b []byte) (err error) {
	if len(b) == 0 {
		*p = InSite{}
		return nil
	}
	*p, err = Site(string(b))
	return err
}

// String returns the path, slash-separated, "" for the zero value.
func (p InProject) String() string { return p.name }

// IsZero reports whether the path names nothing.
func (p InProject) IsZero() bool { return p.name == "" }

// Base returns the file's own name.
func (p InProject) Base() string { return path.Base(p.name) }

// Dir returns the folder, "." for the project's root.
func (p InProject) Dir() string { return path.Dir(p.name) }

// Beside returns the path of another file in the same folder. The error says what is wrong with its name.
func (p InProject) Beside(base string) (InProject, error) { return Project(path.Join(p.Dir(), base)) }

// Below returns the path from the served folder, and whether the file is in it.
func (p InProject) Below(site string) (InSite, bool) {
	if site == "." {
		return InSite(p), p.name != ""
	}
	rest, ok := strings.CutPrefix(p.name, site+"/")
	if !ok {
		return InSite{}, false
	}
	return InSite{rest}, true
}

// On returns the path on disk, below the project's root.
func (p InProject) On(root OnDisk) OnDisk {
	if filepath.Separator == '/' {
		return root + "/" + OnDisk(p.name)
	}
	return OnDisk(filepath.Join(string(root), filepath.FromSlash(p.name)))
}

// MarshalText writes the path.
func (p InProject) MarshalText() ([]byte, error) { return []byte(p.name), nil }

// UnmarshalText reads a path as Project does; nothing is the zero value.
func (p *InProject) UnmarshalText(b []byte) (err error) {
	if len(b) == 0 {
		*p = InProject{}
		return nil
	}
	*p, err = Project(string(b))
	return err
}

// Join returns a path below this one on disk.
func (p OnDisk) Join(parts ...string) OnDisk {
	return OnDisk(filepath.Join(append([]string{string(p)}, parts...)...))
}

// Relative returns the way from a folder to a file, both slash-separated from one root.
func Relative(dir, file string) string {
	dir = path.Clean(dir)
	a, b := strings.Split(dir, "/"), strings.Split(file, "/")
	if dir == "." {
		a = nil
	}
	n := 0
	for n < len(a) && n < len(b)-1 && a[n] == b[n] {
		n++
	}
	return strings.Join(append(slices.Repeat([]string{".."}, len(a)-n), b[n:]...), "/")
}
