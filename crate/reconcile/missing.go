package reconcile

import (
	"context"
	"slices"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// A MissingNeed is a need of a library that pages have not, on which it is put.
type MissingNeed struct {
	Library string   `json:"library"` // the library that needs it
	Need    string   `json:"need"`    // the library that is missing
	Crate   bool     `json:"crate"`   // the crate has it
	Pages   []string `json:"pages"`   // the pages that lack it
}

// MissingNeeds returns the needs of libraries, as in the packing list, that are neither on the pages nor among the
// libraries that are put there.
func MissingNeeds(ctx context.Context, d *Plan, pages []paths.InSite, names []string) ([]MissingNeed, error) {
	var list []MissingNeed
	for _, n := range names {
		lib := d.List.Library(n)
		if lib == nil {
			continue
		}
		for _, need := range lib.Needs {
			if !slices.Contains(names, need) {
				list = append(list, MissingNeed{Library: n, Need: need, Crate: d.List.Library(need) != nil})
			}
		}
	}
	if len(list) == 0 {
		return nil, nil // no page is read for nothing
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	parts := d.Before.PartsOf(ctx, site, pages)
	for _, name := range pages {
		if parts.IsPart(name) {
			continue // its pages are looked at
		}
		v, err := tags.ReadComposed(d.Before, parts, name)
		if err != nil || v.Fragment {
			// what can't be read is reported where it is to be edited; a part of a page has its needs elsewhere
			continue
		}
		for i := range list {
			if !slices.ContainsFunc(v.Of, func(of project.Sealed) bool { return of.Library == list[i].Need }) {
				list[i].Pages = append(list[i].Pages, name.String())
			}
		}
	}
	return slices.DeleteFunc(list, func(l MissingNeed) bool { return len(l.Pages) == 0 }), nil
}
