package project

import (
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
)

// Strayed finds sealed files that are not in their places and lie elsewhere on the site: each by its bytes, in one
// place alone, and where several have them, by its name. It returns where they lie, by where the seal has them.
func (p *Project) Strayed(ctx context.Context, site *walk.Site) (map[paths.InProject]paths.InProject, error) {
	missing := map[int64][]paths.InProject{} // by size
	for at, of := range p.byPlace {
		in, ok := p.InSite(at)
		if ok && !site.Has(in) && !site.Excludes(in) && !p.Seal.Libraries[of.Library].Linked && !p.Exists(at) {
			missing[of.File.Size] = append(missing[of.File.Size], at)
		}
	}
	if len(missing) == 0 {
		return nil, nil
	}
	var candidates []paths.InProject
	for name, size := range site.Others {
		at := p.InProject(name)
		if _, sealed := p.byPlace[at]; !sealed && len(missing[size]) > 0 {
			candidates = append(candidates, at)
		}
	}
	slices.SortFunc(candidates, func(a, b paths.InProject) int { return strings.Compare(a.String(), b.String()) })
	sums, err := parallel.Map(ctx, candidates, func(_ context.Context, at paths.InProject) (string, error) {
		b, err := p.ReadFile(at)
		if err != nil {
			return "", nil // it was removed meanwhile, or can't be read
		}
		return integrity.Of(b), nil
	})
	if err != nil {
		return nil, err
	}
	lie := map[string][]paths.InProject{} // by integrity
	for i, at := range candidates {
		lie[sums[i]] = append(lie[sums[i]], at)
	}
	found := map[paths.InProject]paths.InProject{}
	for _, list := range missing {
		for _, at := range list {
			places := lie[p.byPlace[at].File.Integrity]
			if len(places) > 1 {
				places = slices.DeleteFunc(slices.Clone(places), func(c paths.InProject) bool {
					return c.Base() != at.Base()
				})
			}
			if len(places) == 1 {
				found[at] = places[0]
			}
		}
	}
	return found, nil
}

// Found returns the project with the present paths of files that somebody moved.
func (p *Project) Found(strayed map[paths.InProject]paths.InProject) *Project {
	if len(strayed) == 0 {
		return p
	}
	return p.With(p.List, Moved(p.Seal, strayed))
}

// Moved returns a copy of a seal with other paths.
func Moved(seal *record.Seal, to map[paths.InProject]paths.InProject) *record.Seal {
	seal = seal.Clone()
	for _, lib := range seal.Libraries {
		for i := range lib.Files {
			if at, moved := to[lib.Files[i].At]; moved {
				lib.Files[i].At = at
			}
		}
	}
	return seal
}
