// Package references resolves the references of a site's pages, stylesheets and modules: to existing files, to files
// that were probably meant, or to nothing.
package references

import (
	"cmp"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/walk"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// A Resolver knows the files of a site. Pages ask for the same ones again and again, so each answer is found once.
type Resolver struct {
	p    *project.Project
	site *walk.Site
	// Moved are files that somebody moved by hand. References to their old paths count as if they had followed.
	Moved map[paths.InSite]paths.InSite

	answers     memo.Memo[paths.InSite, nearest]
	imported    memo.Memo[string, []check.Finding]              // what a stylesheet asks for in vain
	parts       memo.Memo[paths.InSite, map[string]glyphs.Part] // of pictures
	nearResults *nearResults
	names       func() *foldedNames
	ours        func() map[string]bool // the endings of the crate's files, of scripts and of stylesheets
}

type nearest struct {
	name     paths.InSite
	caseOnly bool
}

// foldedNames are a site's files by their names in lower case.
type foldedNames struct {
	whole map[string]paths.InSite
	base  map[string][]paths.InSite
	kinds map[packages.Kind][]paths.InSite // sorted by their own names
}

// compared is how many files a name is compared with at most: those whose own names come next to it by the alphabet.
const compared = 500

// around lists the files of a kind that a name may mean.
func (f *foldedNames) around(kind packages.Kind, name paths.InSite) []paths.InSite {
	all := f.kinds[kind]
	if len(all) <= compared {
		return all
	}
	at, _ := slices.BinarySearchFunc(all, name, byOwnName)
	from := min(max(0, at-compared/2), len(all)-compared)
	return all[from : from+compared]
}

func byOwnName(a, b paths.InSite) int {
	return cmp.Or(strings.Compare(a.Base(), b.Base()), strings.Compare(a.String(), b.String()))
}

// New makes a guide to a project's site.
func New(p *project.Project, site *walk.Site) *Resolver {
	n := &Resolver{p: p, site: site, nearResults: newSettled()}
	n.names = sync.OnceValue(func() *foldedNames {
		f := &foldedNames{map[string]paths.InSite{}, map[string][]paths.InSite{}, map[packages.Kind][]paths.InSite{}}
		for name := range site.All() {
			f.whole[strings.ToLower(name.String())] = name
			b := strings.ToLower(name.Base())
			f.base[b] = append(f.base[b], name)
			kind := packages.KindOf(name.String())
			f.kinds[kind] = append(f.kinds[kind], name)
		}
		for _, list := range f.kinds {
			slices.SortFunc(list, byOwnName)
		}
		return f
	})
	n.ours = sync.OnceValue(func() map[string]bool {
		endings := map[string]bool{".js": true, ".mjs": true, ".cjs": true, ".css": true}
		for at := range p.Places() {
			endings[strings.ToLower(path.Ext(at.String()))] = true
		}
		return endings
	})
	return n
}

// Meant returns the file of a site that was probably meant by a name, the zero value where none comes near.
func Meant(site *walk.Site, name paths.InSite) (paths.InSite, bool) {
	return New(nil, site).Near(name)
}

// Near returns the file that was probably meant, and whether only the case differs.
func (n *Resolver) Near(name paths.InSite) (paths.InSite, bool) {
	a := n.answers.Of(name, func() nearest { return n.search(name) })
	return a.name, a.caseOnly
}

// Called lists the files with a file's own name, whatever its case.
func (n *Resolver) Called(name paths.InSite) []paths.InSite {
	return n.names().base[strings.ToLower(name.Base())]
}

func (n *Resolver) search(name paths.InSite) nearest {
	if f, ok := n.names().whole[strings.ToLower(name.String())]; ok {
		return nearest{f, true}
	}
	if same := n.Called(name); len(same) > 0 {
		return nearest{name: slices.MinFunc(same, func(a, b paths.InSite) int {
			return cmp.Or(levenshtein.Distance(a.String(), name.String(), nil)-levenshtein.Distance(b.String(),
				name.String(), nil), strings.Compare(a.String(), b.String()))
		})}
	}
	// The same library under another version or build is the likeliest slip.
	kind := packages.KindOf(name.String())
	var best paths.InSite
	score := 0.72
	for _, f := range n.names().around(kind, name) {
		s := levenshtein.Similarity(f.Base(), path.Base(name.String()), nil)
		if f.Dir() == name.Dir() {
			s += 0.05
		}
		if s > score || s == score && f.String() < best.String() {
			best, score = f, s
		}
	}
	return nearest{name: best}
}

// Has reports whether the site has a file, in exactly this case.
func (n *Resolver) Has(name paths.InSite) bool {
	if n.site.Has(name) {
		return true
	}
	return n.site.Excludes(name) && n.p.Exists(n.p.InProject(name))
}
