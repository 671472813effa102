package crate

import (
	"context"
	"slices"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
)

// Dropped says what drop took away.
type Dropped struct {
	Outcome
	Library string       `json:"library"`
	Pages   []PageChange `json:"pages,omitempty"`
	Kept    []string     `json:"kept,omitempty"` // files that stay, with the reason
}

// Drop takes a library out: its includes, the files that no other library shares, and its records.
func (c *Crate) Drop(ctx context.Context, name string, even bool) (*Dropped, error) {
	d, set, err := c.draft(ctx, reconcile.Titled("drop", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if d.List.Library(name) == nil && d.Seal.Libraries[name] == nil {
		return nil, project.NotInCrate(name)
	}
	for i := range d.List.Libraries {
		other := &d.List.Libraries[i]
		if !slices.Contains(other.Needs, name) || other.Name == name {
			continue
		}
		if !even {
			return nil, problem.Refuse(problem.Needed, "merry drop "+other.Name+" first, or say --even-if-needed", "%s needs %s", other.Name, name)
		}
		other.Needs = slices.DeleteFunc(other.Needs, func(n string) bool { return n == name })
	}
	pages, err := d.Pages(ctx, nil, c.Dir, true)
	if err != nil {
		return nil, err
	}
	places := map[string]bool{}
	placesOf(d, name, places)
	d.OnPages(pages, reconcile.Omit(places))
	d.List.Remove(name)
	delete(d.Seal.Libraries, name)
	out := &Dropped{Library: name}
	err = finish(ctx, d, &out.Outcome, &out.Pages, nil)
	out.Pages, out.Kept = changed(out.Pages), d.Kept
	return out, err
}
