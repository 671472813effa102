package libraries

import (
	"context"
	"maps"
	"slices"

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
	for i := range d.List.Libraries {
		other := &d.List.Libraries[i]
		if !slices.Contains(other.Needs, name) || other.Name == name {
			continue
		}
		if !evenIfNeeded {
			return nil, problem.Refuse(problem.Needed, "merry drop "+other.Name+"  # first; or use --even-if-needed",
				"%s needs %s", other.Name, name)
		}
		other.Needs = slices.DeleteFunc(other.Needs, func(n string) bool { return n == name })
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	var references []string
	if d.Seal.Libraries[name] != nil {
		files := tags.FilesOf(d.Before, name)
		mentions, err := tags.MentionsOf(ctx, d.Before, slices.Concat(site.Pages,
			d.Before.OwnFiles(site, packages.Stylesheet), d.Before.OwnFiles(site, packages.Script)), files)
		if err != nil {
			return nil, err
		}
		references = mentions.OfAny(files)
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
