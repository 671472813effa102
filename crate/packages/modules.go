package packages

import (
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// cannotImport tells a module that imports what a browser can't find or read: a server's form, a file without its
// ending, which only a bundler would try, and, but where named are allowed, a package by its name, which a page finds
// by an import map alone.
func (d *Package) cannotImport(f *File, seen map[string]bool, named bool) bool {
	if seen[f.Path] {
		return false
	}
	seen[f.Path] = true
	if f.Script != nil && slices.ContainsFunc(f.Script.ModuleImport, func(s string) bool {
		return strings.HasPrefix(s, "node:") || !module.Relative(s) &&
			!(named && d.Manifest.DependsOn(module.PackageOf(s)))
	}) {
		return true
	}
	for _, r := range f.Refs {
		g := d.File(r.Path)
		if g == nil && f.Script != nil || g != nil && g.Script != nil && (g.Script.Form == script.Server ||
			d.cannotImport(g, seen, named)) {
			return true
		}
	}
	return false
}

// brings reports whether a module imports another one of the package, over others too.
func (d *Package) brings(f, other *File, seen map[string]bool) bool {
	if seen[f.Path] {
		return false
	}
	seen[f.Path] = true
	return slices.ContainsFunc(f.Refs, func(r Ref) bool {
		g := d.File(r.Path)
		return g != nil && (g == other || d.brings(g, other, seen))
	})
}

// addOwnNames adds what a module imports by the library's own name.
func (d *Package) addOwnNames(s *Selection, f *File) {
	if f.Script == nil {
		return
	}
	for _, name := range f.Script.ModuleImport {
		if d.Manifest.Name != "" && module.PackageOf(name) == d.Manifest.Name {
			if file := d.Specifiers()[name]; file != "" {
				s.add(file, path.Base(f.Path)+" imports it by the library's own name", false)
			}
		}
	}
}

// Entry returns the module for importers of the library's name, nil if there is none that a page could import.
func (d *Package) Entry() *File {
	if f := d.entry(); f != nil && !d.cannotImport(f, map[string]bool{}, true) {
		return f
	}
	return nil
}

// entry is the module that the manifest names.
func (d *Package) entry() *File { return d.File(d.Specifiers()[d.Manifest.Name]) }

// Specifiers are the names under which the package's modules are imported, as its manifest has them, each with its
// file.
func (d *Package) Specifiers() map[string]string {
	var modules []string
	for i := range d.Files {
		if f := &d.Files[i]; f.Script != nil && f.Script.Form == script.Module {
			modules = append(modules, f.Path)
		}
	}
	list := d.Manifest.Specifiers(append(modules, d.AddOns...))
	for specifier, file := range list {
		if f := d.File(file); f.Script != nil && f.Script.NeedsBundler {
			list[specifier] = d.forPages(f).Path
		}
	}
	return list
}

// forPages is the build for pages of a module that counts on what only bundlers have: one beside it whose name begins
// alike and says production, the module itself if there is none.
func (d *Package) forPages(f *File) *File {
	stem, _, _ := strings.Cut(path.Base(f.Path), ".")
	best := f
	for i := range d.Files {
		g := &d.Files[i]
		if g.Script == nil || g.Script.Form != script.Module || g.Script.NeedsBundler ||
			path.Dir(g.Path) != path.Dir(f.Path) || !strings.HasPrefix(path.Base(g.Path), stem) ||
			!strings.Contains(g.Path, "prod") {
			continue
		}
		if best == f || g.Build == record.Readable && best.Build != record.Readable {
			best = g
		}
	}
	return best
}

// InForm returns the library's own script as a module, or as a script for a plain tag, in place of the suggested one.
func (d *Package) InForm(form script.Form) (Option, bool) {
	plain, modules := d.rateAll(Script)
	f, o := plain.f, Option{Name: "scripts", Kind: Variant, Difference: "asked for as a plain script"}
	if form == script.Module {
		o.Name, o.Difference = "modules", "asked for as a module"
		if f = d.Entry(); f == nil && modules.score > hinted {
			f = modules.f
		}
	}
	if f == nil {
		return Option{}, false
	}
	if f.Build == record.Minified && f.OtherBuild != "" && !d.File(f.OtherBuild).Script.NeedsBundler {
		f = d.File(f.OtherBuild)
	}
	o.Files, o.Size, o.Why = []string{f.Path}, f.Size, o.Difference
	return o, true
}

// Meant returns the module that the manifest names in place of the suggested script, even if it imports packages that
// the manifest does not list: those that these depend on, say.
func (d *Package) Meant() (Option, bool) {
	f := d.entry()
	if f == nil || f.Script == nil || slices.ContainsFunc(f.Script.ModuleImport, func(name string) bool {
		return strings.HasPrefix(name, "node:")
	}) {
		return Option{}, false
	}
	return Option{Name: "modules", Kind: Variant, Files: []string{f.Path}, Size: f.Size}, true
}

// importStatement finds what a module imports, without reading it in full.
var importStatement = memo.Regexp(`(?m)(?:^|[;}\s])(?:import|export)\b[^'"();]*?(?:from\s*)?["']([^"'\n]+)["']`)

// addOns is what the catalogue of add-ons is called.
const addOns = "add-ons"

// maxAddOns is how many files of examples are looked through.
const maxAddOns = 2000

// readAddOns finds modules among the examples that import the package by its own name: they are add-ons, which makers
// keep there. What they import themselves comes along.
func (d *Package) readAddOns(ctx context.Context) error {
	if d.Manifest.Name == "" || d.entry() == nil {
		return nil
	}
	looked := 0
	var list []string
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Script || f.ExcludedBecause != "examples" || f.Size > parsedMost ||
			excludedFile(path.Base(f.Path)) != "" {
			continue
		}
		if looked++; looked > maxAddOns {
			return nil
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		b, err := d.tree.ReadFile(f.Path)
		if err != nil {
			return err
		}
		own := false
		for _, m := range importStatement().FindAllSubmatch(b, -1) {
			name := string(m[1])
			own = own || module.PackageOf(name) == d.Manifest.Name
			if p, ok := resolve(f.Path, name); ok && strings.HasPrefix(name, ".") && !refersTo(f, p) {
				_, there := d.index[p]
				f.Refs = append(f.Refs, Ref{URL: name, Path: p, There: there})
			}
		}
		if own && strings.Contains(string(b), "export") {
			list = append(list, f.Path)
		}
	}
	if len(list) > 0 {
		d.AddOns = list
	}
	return nil
}

// offersAddOns is the option that add-ons are.
func (d *Package) offersAddOns() (Option, bool) {
	if len(d.AddOns) == 0 {
		return Option{}, false
	}
	o := d.offers(Catalogue{Name: addOns, Of: d.entry().Path, Files: d.AddOns})
	o.Difference = strings.Replace(o.Difference, " files for ", " modules among its examples that import it by "+
		"name, for ", 1)
	return o, true
}
