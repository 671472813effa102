package project

import (
	"strings"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Imported is the crate's file that pages' modules import by a name: of what a library calls so, else of a library by
// its name and the file's path. Of several libraries the one that is called like the package comes first.
func (p *Project) Imported(specifier string) Sealed {
	list := p.Offering(specifier)
	for _, of := range list {
		if of.Library == strings.ToLower(module.PackageOf(specifier)) {
			return of
		}
	}
	if len(list) > 0 {
		return list[0]
	}
	return Sealed{}
}

// ImportedBy is the crate's file that a library's modules import by a name: of several versions of a package the one
// that the library's manifest allows.
func (p *Project) ImportedBy(library, specifier string) Sealed {
	usual := p.Imported(specifier)
	if sealed := p.Seal.Libraries[library]; sealed != nil {
		rng := sealed.Asks[module.PackageOf(specifier)]
		if p.Suits(usual, rng) {
			return usual
		}
		for _, of := range p.Offering(specifier) {
			if p.Suits(of, rng) {
				return of
			}
		}
	}
	return usual
}

// Suits reports whether a file's library has a version that a range allows; a range that can't be read allows all.
func (p *Project) Suits(of Sealed, rng string) bool {
	if of.File == nil {
		return false
	}
	allowed, err := source.ParseRange(rng)
	return err != nil || rng == "" || !source.IsVersion(p.Seal.Libraries[of.Library].Version) ||
		allowed.Has(p.Seal.Libraries[of.Library].Version)
}

// inUse is a module in the build that pages use of its library.
func (p *Project) inUse(library string, f *record.File) *record.File {
	build := record.Minified
	if lib := p.List.Library(library); lib != nil && lib.Build != record.NoBuild {
		build = lib.Build
	}
	return p.Seal.Libraries[library].InBuild(f, build)
}

// Offering are the files that libraries offer to modules under a name.
func (p *Project) Offering(specifier string) []Sealed {
	var list []Sealed
	for _, name := range p.Seal.Names() {
		sealed := p.Seal.Libraries[name]
		if f := sealed.File(sealed.Imports[specifier]); sealed.Imports[specifier] != "" && f != nil {
			list = append(list, Sealed{name, p.inUse(name, f)})
		}
	}
	for _, name := range p.Seal.Names() {
		sealed := p.Seal.Libraries[name]
		rest, ok := strings.CutPrefix(specifier, name+"/")
		for _, file := range []string{rest, rest + ".js"} {
			if f := sealed.File(file); ok && f != nil && f.Module {
				list = append(list, Sealed{name, f})
				break
			}
		}
	}
	return list
}

// Imports reports whether a module is the target of its library's own name, or has a tag.
func (p *Project) Imports(of Sealed) bool {
	sealed := p.Seal.Libraries[of.Library]
	if sealed == nil || of.File == nil {
		return false
	}
	for name, file := range sealed.Imports {
		if file == of.File.Path && module.PackageOf(name) == name {
			return true
		}
	}
	return of.File.Role == record.Tagged
}
