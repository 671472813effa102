package libraries

import (
	"context"
	"fmt"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// AddBuild adds the other build of a library's page files, from its source, if only one build was taken. It returns the
// paths of the files that were added, or why the files stay in the build that there is: nothing has the source now.
func AddBuild(ctx context.Context, d *reconcile.Plan, name string, build record.Build) (added []string, stays string,
	err error) {
	sealed := d.Seal.Libraries[name]
	missing := map[string]bool{}
	for _, f := range sealed.Files {
		if f.Role == record.Tagged && f.OtherBuild == "" && f.Build != record.NoBuild && f.Build != build &&
			build != record.NoBuild {
			missing[f.Path] = true
		}
	}
	if len(missing) == 0 {
		return nil, "", nil
	}
	if _, err := bringSource(ctx, d, name); err != nil {
		return nil, fmt.Sprintf("%s stays in the %s build: %v", name, other(build), err), nil
	}
	l, done, err := openSealed(ctx, d.Before, *d.List.Library(name), sealed)
	if err != nil {
		return nil, fmt.Sprintf("%s stays in the %s build: %v", name, other(build), err), nil
	}
	defer done()
	there := map[string]bool{}
	for _, path := range l.Selection.Paths() {
		there[path] = true
	}
	for path := range missing {
		f := l.Package.File(path)
		if f.OtherBuild != "" && l.Package.File(f.OtherBuild).Build == build {
			l.Selection.Add(packages.Choice{Path: f.OtherBuild, Page: true})
		}
	}
	if len(l.Selection.Choices) == len(there) {
		if l.partial && !sealed.Linked {
			stays = fmt.Sprintf("%s stays in the %s build: its source, %s, is not available now", name, other(build),
				sealed.Origin)
		}
		return nil, stays, nil
	}
	l.Package.AddBuilds(l.Selection, false, l.Entry.Maps)
	entries.Name(l.Package, l.Selection, &l.Entry)
	if _, err := l.Plan(ctx, d); err != nil {
		return nil, "", err
	}
	for _, f := range d.Seal.Libraries[name].Files {
		if !there[f.Path] && !l.Linked {
			added = append(added, f.At.String())
		}
	}
	return added, "", nil
}

// other is the other one of the two builds.
func other(build record.Build) record.Build {
	if build == record.Readable {
		return record.Minified
	}
	return record.Readable
}
