package project

import (
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/walk"
)

// fileNames knows the site's files by their names, once somebody asks. All snapshots of one command share it.
type fileNames struct {
	mu     sync.Mutex
	site   *walk.Site // the last one that was walked
	byBase map[string][]paths.InSite
}

func (n *fileNames) walked(site *walk.Site) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.site, n.byBase = site, nil
}

// called lists the files of a name: none before the command has walked the site.
func (n *fileNames) called(base string) []paths.InSite {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.byBase == nil && n.site != nil {
		n.byBase = map[string][]paths.InSite{}
		for name := range n.site.All() {
			n.byBase[name.Base()] = append(n.byBase[name.Base()], name)
		}
	}
	return n.byBase[base]
}

// HasFile reports whether the site has a file: one that is there, or one of the crate as the records have it.
func (p *Project) HasFile(name paths.InSite) bool {
	if _, sealed := p.byPlace[p.InProject(name)]; sealed {
		return true
	}
	if p.names == nil || p.Disk == nil {
		return false
	}
	p.names.mu.Lock()
	site := p.names.site
	p.names.mu.Unlock()
	if site == nil {
		return p.Exists(p.InProject(name))
	}
	return site.Has(name)
}

// EndingIn lists the files of the site whose paths are, or end in, a path: those that the last walk saw, and the
// crate's as the records have them. They are sorted.
func (p *Project) EndingIn(end string) []paths.InSite {
	var list []paths.InSite
	add := func(name paths.InSite) {
		if s := name.String(); s == end || strings.HasSuffix(s, "/"+end) {
			list = append(list, name)
		}
	}
	base := path.Base(end)
	if p.names != nil && p.Disk != nil {
		for _, name := range p.names.called(base) {
			add(name)
		}
	}
	for _, at := range p.sealedNames.Of("", p.sealedByBase)[base] {
		add(at)
	}
	slices.SortFunc(list, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return slices.Compact(list)
}

func (p *Project) sealedByBase() map[string][]paths.InSite {
	names := map[string][]paths.InSite{}
	for at := range p.byPlace {
		if name, ok := p.InSite(at); ok {
			names[name.Base()] = append(names[name.Base()], name)
		}
	}
	return names
}
