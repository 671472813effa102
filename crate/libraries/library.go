package libraries

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/offered"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// A Library is a library on its way into the project: its entry, its package, and the chosen files.
type Library struct {
	Entry     record.Library
	Package   *packages.Package
	From      reconcile.Source
	Selection *packages.Selection
	Digest    string // of the source's own bytes
	Licence   string
	Linked    bool // pages have nothing but links to it
	// At maps files to their present paths. They stay there as long as references between them hold; Firm forbids that
	// they move.
	At   map[string]paths.InSite
	Firm bool
	// partial says that the source is not available, and what was taken stands for it.
	partial bool
	Policy  reconcile.Policy
}

// Of makes a library of an opened source.
func Of(o *origin.Opened, entry record.Library, sel *packages.Selection) (*Library, error) {
	digest, err := o.Tree.Digest()
	return &Library{Entry: entry, Package: o.Package, From: o.Tree, Selection: sel, Digest: digest, Licence: o.Licence},
		err
}

// Plan finds a place for every chosen file, plans the files, and plans both records.
func (l *Library) Plan(ctx context.Context, d *reconcile.Plan) (*placement.Placement, error) {
	lib := &l.Entry
	place, err := l.place(d)
	if err != nil {
		return nil, err
	}
	sealed := &record.Sealed{Version: lib.Version, Origin: lib.From, Digest: l.Digest, Licence: l.Licence,
		Linked: l.Linked}
	if sealed.Files, err = d.Take(ctx, lib.Name, l.From, l.Package, l.Selection, place.At, l.Linked,
		l.Policy); err != nil {
		return nil, err
	}
	l.pairFormats(sealed)
	sealed.Gone = offered.Gone(ctx, d, lib.Name, sealed, func(path string) []byte {
		b, err := l.From.ReadInto(path, nil)
		if err != nil {
			return nil
		}
		return b
	})
	sealed.Imports, sealed.Asks = l.imports(sealed), l.asks(d, sealed)
	if old := d.Seal.Libraries[lib.Name]; old != nil {
		if old.Version == sealed.Version {
			sealed.Unmet = old.Unmet
		}
		for i := range sealed.Files {
			if f := &sealed.Files[i]; old.File(f.Path) != nil && old.File(f.Path).Integrity == f.Integrity {
				f.URL = old.File(f.Path).URL
			}
		}
	}
	d.Seal.Libraries[lib.Name] = sealed
	d.List.Put(*lib)
	return place, nil
}

// imports are the names under which modules import the library's files: its manifest's, else the library's own name for
// its only module.
func (l *Library) imports(sealed *record.Sealed) map[string]string {
	named := l.Package.Manifest
	named.Name = cmp.Or(named.Name, l.Entry.Name)
	var modules []string
	for i := range sealed.Files {
		if sealed.Files[i].Module {
			modules = append(modules, sealed.Files[i].Path)
		}
	}
	list := named.Specifiers(modules)
	for specifier, file := range l.Package.Specifiers() {
		if list[specifier] == "" && slices.Contains(modules, file) {
			list[specifier] = file
		}
	}
	if list[named.Name] == "" {
		var only []string
		for _, f := range sealed.Files {
			if f.Module && f.Role == record.Tagged && (f.OtherBuild == "" || f.Build == record.Minified) {
				only = append(only, f.Path)
			}
		}
		if len(only) == 1 {
			list[named.Name] = only[0]
		}
	}
	if len(list) == 0 {
		return nil
	}
	return list
}

// pairFormats marks the library's plain script, in both builds, as that of browsers without modules, where its module
// goes on pages, too.
func (l *Library) pairFormats(sealed *record.Sealed) {
	module := slices.ContainsFunc(sealed.Files, func(f record.File) bool { return f.Module && f.Role == record.Tagged })
	plain, ok := l.Package.InForm(script.Classic)
	if !module || !ok {
		return
	}
	for i := range sealed.Files {
		f := &sealed.Files[i]
		f.NoModule = f.Role == record.Tagged && !f.Module && (f.Path == plain.Files[0] ||
			f.OtherBuild == plain.Files[0])
	}
}

// asks are the packages that the library's modules import by name, with the ranges that its manifest allows.
func (l *Library) asks(d *reconcile.Plan, sealed *record.Sealed) map[string]string {
	list := map[string]string{}
	for i := range sealed.Files {
		if !sealed.Files[i].Module {
			continue
		}
		b, err := l.From.ReadInto(sealed.Files[i].Path, nil)
		if err != nil {
			continue
		}
		for _, in := range d.Before.Facts.ScriptOf(sealed.Files[i].Integrity, b).Imports {
			name := module.PackageOf(in.From)
			if rng := cmp.Or(l.Package.Manifest.Dependencies[name], l.Package.Manifest.Peers[name]); !module.Relative(
				in.From) && rng != "" {
				list[name] = rng
			}
		}
	}
	if len(list) == 0 {
		return nil
	}
	return list
}

// place finds the places. Where what is there can't stay without a reference being broken, all is placed again.
func (l *Library) place(d *reconcile.Plan) (*placement.Placement, error) {
	lib := &l.Entry
	habits, arrange := project.HabitsFor(d.List, lib)
	wish := placement.Wish{Library: lib.Name, Version: lib.Version, Habits: habits, Arrange: arrange, Into: lib.Into,
		Places: lib.Places, Rename: lib.Rename, There: l.At}
	find := func() (*placement.Placement, error) {
		place, err := placement.Place(l.Package, l.Selection, wish)
		if err != nil && len(wish.There) > 0 && !l.Firm && problem.Of(err).Code == problem.NameBad {
			wish.There = nil
			place, err = placement.Place(l.Package, l.Selection, wish)
		}
		return place, err
	}
	place, err := find()
	if err != nil {
		return nil, err
	}
	defer func() {
		if err == nil {
			l.own(place, wish)
		}
	}()
	if aside := d.Mentioned(lib.Name, l.From, l.Selection.Paths(), place.At); len(aside) > 0 {
		// A file of the site's own has the name; the library's is called after the library then.
		if lib.Rename = maps.Clone(lib.Rename); lib.Rename == nil {
			lib.Rename = map[string]string{}
		}
		for _, base := range aside {
			lib.Rename[base] = path.Base(lib.Name) + "-" + base
		}
		wish.Rename = lib.Rename
		if place, err = find(); err != nil {
			return nil, err
		}
	}
	if lib.Arrange+record.Arrange(lib.Into) != "" || len(lib.Places) > 0 || l.Firm {
		return place, nil
	}
	of, at, err := d.Others(lib.Name, l.From, place.At)
	if err != nil || of == "" {
		return place, err
	}
	lib.Arrange = record.Together // a folder of its own
	wish.Arrange, wish.There = lib.Arrange, nil
	if place, err = find(); err == nil {
		place.Kept, place.Why = l.Selection.Paths(), fmt.Sprintf("%s has %s already", of, at)
	}
	return place, err
}

// PlacesOf returns the paths of a library's files in the site, by their paths in the source.
func PlacesOf(p *project.Project, name string) map[string]paths.InSite {
	sealed := p.Seal.Libraries[name]
	if sealed == nil {
		return nil
	}
	at := map[string]paths.InSite{}
	for _, f := range sealed.Files {
		if place, ok := p.InSite(f.At); ok && !f.At.IsZero() {
			at[f.Path] = place
		}
	}
	return at
}

// Open opens a library of the crate for another plan: its source from the cache, or else its files in the project. The
// selection holds the files that were taken, with their roles. The caller calls the returned function at the end.
func Open(ctx context.Context, d *reconcile.Plan, name string) (*Library, func(), error) {
	entry, sealed, err := d.Before.Sealed(name)
	if err != nil {
		return nil, nil, err
	}
	return openSealed(ctx, d.Before, *entry, sealed)
}

// Sealed selects the files that were taken of a library and that a package has, with their roles.
func Sealed(d *packages.Package, sealed *record.Sealed) *packages.Selection {
	sel := &packages.Selection{}
	for _, f := range sealed.Files {
		if d.File(f.Path) != nil {
			sel.Add(packages.Choice{Path: f.Path, Reason: "already in the crate", Page: f.Role == record.Tagged})
		}
	}
	return sel
}

// openTaken opens a library as far as it was taken, from the local copies and the cache.
func openTaken(ctx context.Context, p *project.Project, name string, sealed *record.Sealed) (*packages.Package,
	packages.InMemory, error) {
	files := packages.InMemory{}
	for i := range sealed.Files {
		f := &sealed.Files[i]
		b, err := p.LocalBytes(project.Sealed{Library: name, File: f})
		if err != nil {
			return nil, nil, problem.Refuse(problem.NothingThere, "merry refill "+name+"; or restore the changed file",
				"%s of %s was changed since it was taken, and no other copy is available: %w", f.Path, name, err)
		}
		files[f.Path] = b
	}
	pkg, err := files.Describe(ctx, name, p.Facts)
	return pkg, files, err
}

// openSealed opens a library that was taken, by an entry which may say other things of it than before.
func openSealed(ctx context.Context, p *project.Project, entry record.Library, sealed *record.Sealed) (*Library, func(),
	error) {
	l := &Library{Entry: entry, Digest: sealed.Digest, Licence: sealed.Licence, Linked: sealed.Linked,
		At: map[string]paths.InSite{}}
	for _, f := range sealed.Files {
		if place, ok := p.InSite(f.At); ok && !f.At.IsZero() {
			l.At[f.Path] = place
		}
	}
	l.Entry.Places, l.Entry.Rename = maps.Clone(entry.Places), maps.Clone(entry.Rename)
	done := func() {}
	o, err := p.Origin.OpenKept(ctx, sealed.Digest, sealed.Origin)
	switch {
	case err == nil:
		l.Package, l.From, done = o.Package, o.Tree, o.Close
		l.Package.Name = entry.Name
		if slices.ContainsFunc(sealed.Files, func(f record.File) bool { return o.File(f.Path) == nil }) {
			o.Close() // some of it was adopted from elsewhere
			err = fs.ErrNotExist
		}
	case !errors.Is(err, fs.ErrNotExist):
		return nil, func() {}, err
	}
	if err != nil {
		pkg, files, terr := openTaken(ctx, p, entry.Name, sealed)
		if terr != nil {
			return nil, func() {}, terr
		}
		l.Package, l.From, l.partial, done = pkg, files, true, func() {}
	}
	l.Selection = Sealed(l.Package, sealed)
	return l, done, nil
}
