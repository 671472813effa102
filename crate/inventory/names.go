package inventory

import (
	"context"
	"maps"
	"slices"

	"merrycrate.example/merry/crate/project"
)

// Names are the names of the project's libraries, files, pages, profiles and CDNs, for completion: sorted, as commands
// take them.
type Names struct {
	Libraries []string
	Files     []string // of the crate, from the site's folder
	Pages     []string // from the site's folder
	Profiles  []string
	CDNs      []string
	// Packages are the libraries' packages, NAME@VERSION, of those that came from a registry.
	Packages map[string]string
	// LibraryFiles are the files of the libraries by their paths in the package, as LIB:PATH.
	LibraryFiles []string
}

// NamesOf lists the project's names. It reads folders, but no page and no library.
func NamesOf(ctx context.Context, p *project.Project) (*Names, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	n := &Names{Pages: project.Texts(site.Pages), Profiles: slices.Sorted(maps.Keys(p.List.Profiles)),
		CDNs: slices.Sorted(maps.Keys(p.List.CDNs)), Packages: map[string]string{}}
	for _, l := range p.List.Libraries {
		n.Libraries = append(n.Libraries, l.Name)
		if pkg, ok := l.Package(); ok && l.Version != "" {
			n.Packages[l.Name] = pkg + "@" + l.Version
		}
		if sealed := p.Seal.Libraries[l.Name]; sealed != nil {
			for _, f := range sealed.Files {
				n.LibraryFiles = append(n.LibraryFiles, l.Name+":"+f.Path)
			}
		}
	}
	for at := range p.Places() {
		if f, ok := p.InSite(at); ok {
			n.Files = append(n.Files, f.String())
		}
	}
	slices.Sort(n.Libraries)
	slices.Sort(n.Files)
	slices.Sort(n.LibraryFiles)
	return n, nil
}

// VersionsOf lists the versions of a library, or of a package, the newest first. Where the project was opened offline
// it asks the cache alone.
func VersionsOf(ctx context.Context, p *project.Project, name string) ([]string, error) {
	if lib := p.List.Library(name); lib != nil {
		if pkg, ok := lib.Package(); ok {
			name = pkg
		}
	}
	pkg, err := p.Origin.Document(ctx, name, false)
	if err != nil {
		return nil, err
	}
	var list []string
	for _, v := range slices.Backward(pkg.Sorted()) {
		list = append(list, v.Version)
	}
	return list, nil
}
