package project

import (
	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/walk"
)

// Parts knows how the pages of the site that was walked are put together from their parts. Nothing is read before
// Learn.
func (p *Project) Parts(site *walk.Site) *compose.Site {
	return compose.New(func(name paths.InSite) ([]byte, error) { return p.ReadInSite(name) }, site.Has, p.EndingIn)
}
