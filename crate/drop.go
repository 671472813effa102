package crate

import (
	"context"
	"maps"
	"slices"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/tags"
)

// Dropped is the result of drop.
type Dropped struct {
	Result
	Library    string       `json:"library"`              // the library's name in the crate
	Pages      []PageChange `json:"pages,omitempty"`      // the pages that changed
	Kept       []string     `json:"kept,omitempty"`       // files that stay, with the reason
	References []string     `json:"references,omitempty"` // places that lead to its files otherwise than by tags
	Part       bool         `json:"part,omitempty"`       // only a part was taken out
}

// DropPart takes files out of a library that stays otherwise: those that patterns match, and those of parts by name.
func (c *Crate) DropPart(ctx context.Context, name string, patterns, parts []string) (*Dropped, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("drop", append(append([]string{name}, parts...), patterns...)...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if err := libraries.DropPart(ctx, d, name, patterns, parts); err != nil {
		return nil, err
	}
	out := &Dropped{Library: name, Part: true}
	err = d.Finish(ctx, &out.Result, &out.Pages, nil)
	out.Pages, out.Kept = reconcile.Changed(out.Pages), d.LeftBehind
	return out, err
}

// Drop takes a library out: its includes, the files that no other library shares, and its records.
func (c *Crate) Drop(ctx context.Context, name string, even bool) (*Dropped, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("drop", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if d.List.Library(name) == nil && d.Seal.Libraries[name] == nil {
		return nil, project.NotInCrate(d.List, name)
	}
	for i := range d.List.Libraries {
		other := &d.List.Libraries[i]
		if !slices.Contains(other.Needs, name) || other.Name == name {
			continue
		}
		if !even {
			return nil, problem.Refuse(problem.Needed, "merry drop "+other.Name+"  # first; or use --even-if-needed",
				"%s needs %s", other.Name, name)
		}
		other.Needs = slices.DeleteFunc(other.Needs, func(n string) bool { return n == name })
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	out := &Dropped{Library: name}
	if d.Seal.Libraries[name] != nil {
		files := tags.FilesOf(d.Before, name)
		mentions, err := tags.MentionsOf(ctx, d.Before, slices.Concat(site.Pages,
			d.Before.OwnFiles(site, packages.Stylesheet), d.Before.OwnFiles(site, packages.Script)), files)
		if err != nil {
			return nil, err
		}
		out.References = mentions.OfAny(files)
	}
	places := map[string]bool{}
	placesOf(d, name, places)
	if err := d.Omit(ctx, slices.Collect(maps.Keys(places))); err != nil {
		return nil, err
	}
	d.List.Remove(name)
	delete(d.Seal.Libraries, name)
	err = d.Finish(ctx, &out.Result, &out.Pages, nil)
	out.Pages, out.Kept = reconcile.Changed(out.Pages), d.LeftBehind
	return out, err
}
