package libraries

import (
	"context"
	"slices"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// Tag gives tags to files of a library that had none, by their paths in the source or the project. It returns the files
// for pages, in a build.
func Tag(ctx context.Context, d *reconcile.Plan, name string, only []string, build record.Build) ([]project.TaggedFile,
	error) {
	if _, _, err := d.Before.Sealed(name); err != nil {
		return nil, err
	}
	sealed := d.Seal.Libraries[name]
	wanted, changed := map[string]bool{}, false
	for _, said := range only {
		n := len(wanted)
		for i := range sealed.Files {
			f := &sealed.Files[i]
			if !f.Called(said) {
				continue
			}
			if kind := packages.KindOf(f.Path); kind != packages.Script && kind != packages.Stylesheet {
				return nil, problem.Refuse(problem.NothingThere, "refer to it where it should appear",
					"%s of %s is neither a script nor a stylesheet", f.Path, name)
			}
			changed = changed || f.Role != record.Tagged
			f.Role = record.Tagged
			wanted[f.Path] = true
		}
		if len(wanted) == n {
			return nil, NoFile(name, sealed, said)
		}
	}
	if changed {
		if err := nameAgain(ctx, d, name); err != nil {
			return nil, err
		}
	}
	list := d.Before.With(d.List, d.Seal).TaggedFiles(name, build)
	return slices.DeleteFunc(list, func(f project.TaggedFile) bool {
		return !wanted[f.File.Path] && !wanted[f.File.OtherBuild]
	}), nil
}

// nameAgain writes into a library's entry what the seal has of it.
func nameAgain(ctx context.Context, d *reconcile.Plan, name string) error {
	l, done, err := Open(ctx, d, name)
	if err != nil {
		return err
	}
	defer done()
	entries.Name(l.Package, Sealed(l.Package, d.Seal.Libraries[name]), &l.Entry)
	d.List.Put(l.Entry)
	return nil
}
