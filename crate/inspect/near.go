package inspect

import (
	"cmp"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// A nearness finds the file that was probably meant by a name that leads nowhere. The same name is asked for by page after
// page, so each answer is found once.
type nearness struct {
	site    *project.Site
	answers memo.Memo[paths.InSite, nearest]
	names   func() *foldedNames
}

type nearest struct {
	name     paths.InSite
	caseOnly bool
}

// foldedNames are a site's files by their names in lower case.
type foldedNames struct {
	whole map[string]paths.InSite
	base  map[string][]paths.InSite
	kinds map[delivery.Kind][]paths.InSite // sorted by their own names
}

// compared is how many files a name is held against at most: those whose own names come next to it by the alphabet.
const compared = 500

// around lists the files of a kind that a name may mean.
func (f *foldedNames) around(kind delivery.Kind, name paths.InSite) []paths.InSite {
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

func newNearness(site *project.Site) *nearness {
	n := &nearness{site: site}
	n.names = sync.OnceValue(func() *foldedNames {
		f := &foldedNames{map[string]paths.InSite{}, map[string][]paths.InSite{}, map[delivery.Kind][]paths.InSite{}}
		for name := range site.Files {
			f.whole[strings.ToLower(name.String())] = name
			b := strings.ToLower(name.Base())
			f.base[b] = append(f.base[b], name)
			kind := delivery.KindOf(name.String())
			f.kinds[kind] = append(f.kinds[kind], name)
		}
		for _, list := range f.kinds {
			slices.SortFunc(list, byOwnName)
		}
		return f
	})
	return n
}

// Near returns the file of a site that was probably meant by a name, the zero value where none comes near.
func Near(site *project.Site, name paths.InSite) (paths.InSite, bool) {
	return newNearness(site).find(name)
}

// find returns the file that was probably meant, and whether only the case differs.
func (n *nearness) find(name paths.InSite) (paths.InSite, bool) {
	a := n.answers.Of(name, func() nearest { return n.search(name) })
	return a.name, a.caseOnly
}

// called lists the files with a file's own name, whatever its case.
func (n *nearness) called(name paths.InSite) []paths.InSite {
	return n.names().base[strings.ToLower(name.Base())]
}

func (n *nearness) search(name paths.InSite) nearest {
	if f, ok := n.names().whole[strings.ToLower(name.String())]; ok {
		return nearest{f, true}
	}
	if same := n.called(name); len(same) > 0 {
		return nearest{name: slices.MinFunc(same, func(a, b paths.InSite) int {
			return cmp.Or(levenshtein.Distance(a.String(), name.String(), nil)-levenshtein.Distance(b.String(), name.String(), nil), strings.Compare(a.String(), b.String()))
		})}
	}
	// The same library under another version or build is the likeliest slip.
	kind := delivery.KindOf(name.String())
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
