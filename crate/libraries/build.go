package libraries

import (
	"context"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// AddBuild adds the other build of a library's page files, from the package in the cache, if only one build was taken.
// It returns the paths of the files that were added. A file that the cache lacks stays in its build.
func AddBuild(ctx context.Context, d *reconcile.Plan, name string, build record.Build) ([]string, error) {
	sealed := d.Seal.Libraries[name]
	missing := map[string]bool{}
	for _, f := range sealed.Files {
		if f.Role == record.Tagged && f.OtherBuild == "" && f.Build != record.NoBuild && f.Build != build &&
			build != record.NoBuild {
			missing[f.Path] = true
		}
	}
	if len(missing) == 0 {
		return nil, nil
	}
	l, done, err := openSealed(ctx, d.Before, *d.List.Library(name), sealed)
	if err != nil {
		return nil, nil // it stays in the build that there is
	}
	defer done()
	added := map[string]bool{}
	for path := range missing {
		f := l.Package.File(path)
		if f.OtherBuild == "" || l.Package.File(f.OtherBuild).Build != build || l.Selection.Has(f.OtherBuild) {
			continue
		}
		l.Selection.Add(packages.Choice{Path: f.OtherBuild, Page: true})
		added[f.OtherBuild] = true
		if m := l.Package.File(f.OtherBuild).Map; m != "" && !l.Selection.Has(m) {
			l.Selection.Add(packages.Choice{Path: m})
			added[m] = true
		}
	}
	if len(added) == 0 {
		return nil, nil
	}
	Name(l.Package, l.Selection, &l.Entry)
	if _, err := l.Plan(ctx, d); err != nil {
		return nil, err
	}
	var put []string
	for _, f := range d.Seal.Libraries[name].Files {
		if added[f.Path] && !l.Linked {
			put = append(put, f.At.String())
		}
	}
	return put, nil
}
