package packages

import (
	"slices"

	"merrycrate.example/merry/crate/record"
)

// OneBuild drops the files of the other build where both are chosen.
func (d *Package) OneBuild(s *Selection, build record.Build) *Selection {
	return s.Without(func(name string) bool {
		f := d.File(name)
		if f.Kind == Map {
			f = d.File(f.MapOf)
		}
		return f != nil && f.OtherBuild != "" && s.Has(f.OtherBuild) && f.Build != build
	})
}

// Named returns a selection as the packing list records it, so that it can be repeated.
func (d *Package) Named(s *Selection) []string {
	var list []string
	brought := map[string]bool{}
	for _, c := range s.Choices {
		f := d.File(c.Path)
		for _, r := range f.Refs {
			brought[r.Path] = true
		}
		if f.Map != "" {
			brought[f.Map] = true
		}
	}
	whole := map[string]bool{} // globs of the catalogues that are chosen whole
	for i := range d.Catalogues {
		c := &d.Catalogues[i]
		whole[c.Glob] = !slices.ContainsFunc(c.Files, func(name string) bool { return !s.Has(name) || s.Tagged(name) })
		if whole[c.Glob] {
			list = append(list, c.Glob)
		}
	}
	for _, c := range s.Choices {
		if from := d.inCatalogue(c.Path); from != nil && whole[from.Glob] && !c.Page {
			continue
		}
		if !brought[c.Path] || c.Page {
			list = append(list, c.Path)
		}
	}
	return list
}
