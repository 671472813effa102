package libraries

import (
	"context"
	"maps"
	"slices"

	"merrycrate.example/merry/crate/mentions"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/tags"
)

// Drop plans to take a library out: its includes, the files that no other library shares, and its records. EvenIfNeeded
// allows that others still need it. It returns the places that lead to its files otherwise than by tags.
func Drop(ctx context.Context, d *reconcile.Plan, name string, evenIfNeeded bool) ([]string, error) {
	if d.List.Library(name) == nil && d.Seal.Libraries[name] == nil {
		return nil, project.NotInCrate(d.List, name)
	}
	if err := refuseNeeded(d, name); err != nil && !evenIfNeeded {
		return nil, err
	}
	for _, other := range d.List.NeededBy(name) {
		entry := d.List.Library(other)
		entry.Needs = slices.DeleteFunc(entry.Needs, func(n string) bool { return n == name })
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	var references []string
	if d.Seal.Libraries[name] != nil {
		files := tags.FilesOf(d.Before, name)
		places, err := mentions.Of(ctx, d.Before, slices.Concat(site.Pages,
			d.Before.OwnFiles(site, packages.Stylesheet), d.Before.OwnFiles(site, packages.Script)), files)
		if err != nil {
			return nil, err
		}
		references = places.OfAny(files)
	}
	places := map[string]bool{}
	placesOf(d, name, places)
	if err := d.Omit(ctx, slices.Collect(maps.Keys(places))); err != nil {
		return nil, err
	}
	d.List.Remove(name)
	delete(d.Seal.Libraries, name)
	return references, nil
}

// refuseNeeded is the error of dropping a library that another needs.
func refuseNeeded(d *reconcile.Plan, name string) error {
	by := d.List.NeededBy(name)
	if len(by) == 0 {
		return nil
	}
	return problem.Refuse(problem.Needed, "merry drop "+d.List.FirstToDrop(name)+"  # first; or use --even-if-needed",
		"%s needs %s", by[0], name)
}
