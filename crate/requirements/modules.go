package requirements

import (
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// ImportsOf lists the packages that the chosen modules of a package import by name, each once, with the range of
// versions that its manifest wants. Its own name is none of them.
func ImportsOf(o *origin.Opened, sel *packages.Selection) []Requirement {
	var list []Requirement
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if f == nil || f.Script == nil || f.Script.Form != script.Module || f.Build == record.Readable &&
			f.OtherBuild != "" && sel.Has(f.OtherBuild) {
			continue
		}
		for _, in := range slices.Concat(f.Script.Imports, importedLater(o, f.Script)) {
			name := module.PackageOf(in.From)
			if module.Relative(in.From) || name == o.Manifest.Name ||
				slices.ContainsFunc(list, func(s Requirement) bool { return s.Import == in.From }) {
				continue
			}
			rng := o.Manifest.Dependencies[name]
			if rng == "" {
				rng = o.Manifest.Peers[name]
			}
			list = append(list, Requirement{Import: in.From, Package: name, Range: rng, Strength: string(script.Hard),
				At: fmt.Sprintf("%s:%d:%d", f.Path, in.Line, in.Column)})
		}
	}
	return list
}

// importedLater are the names that a module imports while it runs (import()), as imports. One that it can do without
// counts if its package depends on it.
func importedLater(o *origin.Opened, r *script.Report) []script.Import {
	var list []script.Import
	for _, l := range r.Loads {
		if l.How == script.Dynamic && (!l.Caught || o.Manifest.DependsOn(module.PackageOf(l.From))) {
			list = append(list, script.Import{From: l.From, Line: l.Line, Column: l.Column})
		}
	}
	return list
}
