package project

import (
	"context"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/walk"
)

// Parts knows how the pages of the site that was walked are put together from their parts. Nothing is read before it
// learns.
func (p *Project) Parts(site *walk.Site) *compose.Site {
	return compose.New(func(name paths.InSite) ([]byte, error) { return p.ReadInSite(name) }, site.Has, p.EndingIn)
}

// PartsOf is Parts that has learned what some pages need to be put together: nothing where each is one file.
func (p *Project) PartsOf(ctx context.Context, site *walk.Site, pages []paths.InSite) *compose.Site {
	parts := p.Parts(site)
	if p.Composes(pages) {
		parts.Learn(ctx, site.Pages)
	}
	return parts
}

// Composes reports whether one of some pages is put together with other files.
func (p *Project) Composes(pages []paths.InSite) bool {
	return slices.ContainsFunc(pages, func(name paths.InSite) bool {
		b, err := p.ReadInSite(name)
		return err == nil && compose.MayCompose(b) && compose.Composes(name, b)
	})
}

// A Viewpoint tells from which page the relative references of a file lead: those of a part lead from the pages that
// have it. It is for several goroutines at once.
type Viewpoint struct {
	p    *Project
	site *walk.Site
	once sync.Once
	of   *compose.Site
}

// Viewpoint is for the pages of the site that was walked.
func (p *Project) Viewpoint(site *walk.Site) *Viewpoint { return &Viewpoint{p: p, site: site} }

// maxViewpoints is from how many pages the references of a part are tried.
const maxViewpoints = 50

// Of is the page from which the references of a file lead: of a part the page from which most of them lead to files,
// itself among those.
func (v *Viewpoint) Of(ctx context.Context, name paths.InSite, pg *page.Page, resolve func(from paths.InSite, base,
	ref string) paths.InSite) paths.InSite {
	if !pg.Fragment && len(pg.Holes()) == 0 {
		return name
	}
	v.once.Do(func() { v.of = v.p.PartsOf(ctx, v.site, v.site.Pages) })
	if !v.of.IsPart(name) {
		return name
	}
	var refs []string
	pg.References(func(r page.Reference) {
		if !strings.HasPrefix(r.Ref, "/") && !page.Templated(r.Ref) {
			refs = append(refs, r.Ref)
		}
	})
	with := v.of.PagesWith(name)
	best, most := name, -1
	for i, from := range append(with[:min(len(with), maxViewpoints)], name) {
		n := 0
		for _, ref := range refs {
			if at := resolve(from, pg.Base, ref); !at.IsZero() && v.site.Has(at) {
				n++
			}
		}
		if n > most || i == 0 {
			best, most = from, n
		}
	}
	return best
}
