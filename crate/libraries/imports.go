package libraries

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/requirements"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// imported takes the package that a module imports by name, if requested. The import map of a page leads there, so that
// it needs no tag.
func (t *Take) imported(ctx context.Context, n *requirements.Requirement, req TakeRequest, depth int) error {
	after := t.Plan.Before.With(t.Plan.List, t.Plan.Seal)
	for _, of := range after.Offering(n.Import) {
		if after.Suits(of, n.Range) {
			n.Library = of.Library
			return nil
		}
	}
	if !req.WithNeeds || depth >= requirements.MaxDepth {
		if usual := after.Imported(n.Import); usual.Library != "" {
			n.Library, n.Why = usual.Library, fmt.Sprintf("it requires %s, but the crate has %s", n.Range,
				after.Seal.Libraries[usual.Library].Version)
		}
		return nil
	}
	want := TakeRequest{Source: record.FromRegistry + n.Package, Build: req.Build, WithNeeds: true,
		DevOnly: req.DevOnly, Selecting: Selecting{imported: n.Import}}
	rng, there := n.Range, t.suited(n)
	if there != nil { // another of its files is imported
		if pkg, packaged := there.Package(); !packaged || pkg != n.Package {
			return nil
		}
		rng, want.As = there.Version, there.Name
	}
	dep, err := t.Plan.Before.Origin.OpenPackage(ctx, n.Package, rng, nil)
	if err != nil {
		return err
	}
	name := cmp.Or(want.As, strings.ToLower(n.Package))
	if there == nil && t.Plan.List.Library(name) != nil {
		// another version is beside, in a folder of its own: its files have the same names
		major, _, _ := strings.Cut(dep.Version, ".")
		name += "-" + major
		want.As, want.Arrange = name, record.Together
	}
	if _, err := t.one(ctx, dep, want, depth+1); err != nil {
		return fmt.Errorf("%s is imported by %s: %w", n.Package, n.At, err)
	}
	n.Library = name
	return nil
}

// suited is the library of the crate that is the imported package in a version which its importer allows, nil for none.
func (t *Take) suited(n *requirements.Requirement) *record.Library {
	allowed, err := source.ParseRange(n.Range)
	for i := range t.Plan.List.Libraries {
		there := &t.Plan.List.Libraries[i]
		pkg, _ := there.Package()
		if (pkg == n.Package || there.Name == strings.ToLower(n.Package)) &&
			(err != nil || !source.IsVersion(there.Version) || allowed.Has(there.Version)) {
			return there
		}
	}
	return nil
}

// asModule chooses the module of a package that others import by a name, with what it imports itself, all without tags.
func asModule(o *origin.Opened, specifier string) (*packages.Selection, error) {
	var named []string
	if f := o.Entry(); f != nil {
		named = append(named, f.Path)
	}
	file, rest := o.Specifiers()[specifier], strings.TrimPrefix(specifier, o.Manifest.Name+"/")
	for _, name := range []string{file, rest, rest + ".js"} {
		if f := o.File(name); f != nil && !slices.Contains(named, name) && (slices.Contains(o.AddOns, name) ||
			f.Script != nil && f.Script.Form == script.Module) {
			named = append(named, name)
			break
		}
	}
	if len(named) == 0 {
		return nil, problem.Refuse(problem.NothingThere, "merry peek "+record.FromRegistry+o.Manifest.Name+
			"  # lists its files; a bundled build, if there is one, needs no import map",
			"%s has no module that a page can import", o.Manifest.Name)
	}
	sel, err := origin.Select(o, named, nil)
	if err != nil {
		return nil, err
	}
	for i, c := range sel.Choices {
		sel.Choices[i].Page = false
		if at := slices.IndexFunc(o.File(c.Path).Refs, func(r packages.Ref) bool {
			return !r.There && r.Path != "" && packages.KindOf(c.Path) == packages.Script
		}); at >= 0 {
			return nil, problem.Refuse(problem.NothingThere, "merry peek "+record.FromRegistry+o.Manifest.Name+
				"  # lists its files; a bundled build, if there is one, needs no import map", "%s imports %s, which "+
				"is "+
				"no file of the package: only a bundler finds it", c.Path, o.File(c.Path).Refs[at].URL)
		}
	}
	return sel, nil
}
