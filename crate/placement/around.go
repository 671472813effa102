package placement

import (
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// A BrokenError says that a file would not find another one any more where they are to be.
type BrokenError struct {
	From, To string // paths in the package
	By       string // what is in the first
	At       string // where the second would have to be, in the site
}

// Error returns which reference would break.
func (e *BrokenError) Error() string {
	return e.From + " asks for " + e.To + " by " + e.By + ", and would not find it: its path would have to be " + e.At
}

// own finds the places that the wish names, each for a chosen file. A folder's place is that of all files below it; one
// that ends in a slash is a folder for a single file, too.
func (w *Wish) own(d *packages.Package, s *packages.Selection, at map[string]string) (map[string]string, error) {
	own := map[string]string{}
	// A file's own place counts more than that of its folder: the longest path comes last.
	keys := slices.SortedFunc(maps.Keys(w.Places), func(a, b string) int { return len(a) - len(b) })
	for _, key := range keys {
		place := w.Places[key]
		if p, ok := renamed(d, s, key); ok {
			own[p] = place
			if strings.HasSuffix(place, "/") {
				own[p] = path.Join(place, path.Base(at[p]))
			}
			continue
		}
		found := false
		for _, c := range s.Choices {
			if rest, below := strings.CutPrefix(c.Path, strings.TrimSuffix(key, "/")+"/"); below {
				own[c.Path], found = path.Join(place, path.Dir(rest), path.Base(at[c.Path])), true
			}
		}
		if !found {
			return nil, problem.Refuse(problem.FileUnknown, "list the files of the source with peek",
				"%s should go to %s, but no chosen file or folder has that name", key, place)
		}
	}
	for p, place := range own {
		if _, err := paths.Site(place); err != nil {
			return nil, problem.Refuse(problem.NameBad, "write a path from the site's folder", "%s can't go to %s: %w",
				p, place, err)
		}
	}
	return own, nil
}

// around gives files the places that they have of their own, or have already, and lets those that are bound to them
// follow: what they ask for, and what asks for them. What is there already gives way to what is requested now. The
// error is a refusal; of a reference that would break it comes of a *BrokenError.
func around(d *packages.Package, s *packages.Selection, at, own map[string]string,
	there map[string]paths.InSite) error {
	pinned := map[string]bool{}
	var queue []string
	pin := func(p, place string) {
		if _, chosen := at[p]; !chosen || pinned[p] {
			return
		}
		pinned[p] = true
		if at[p] != place {
			at[p] = place
			queue = append(queue, p)
		}
	}
	for _, p := range slices.Sorted(maps.Keys(own)) {
		pin(p, own[p])
	}
	for _, p := range slices.Sorted(maps.Keys(there)) {
		pin(p, there[p].String())
	}
	if len(pinned) == 0 {
		return nil
	}
	askedBy := map[string][]reference{} // of each file those that ask for it, as ways from them
	for _, c := range s.Choices {
		for _, w := range ways(d, s, c.Path) {
			askedBy[w.to] = append(askedBy[w.to], reference{c.Path, w.by})
		}
	}
	follow := func(p, place string) {
		if !pinned[p] && at[p] != place {
			at[p] = place
			pinned[p] = true // each follows once
			queue = append(queue, p)
		}
	}
	for ; len(queue) > 0; queue = queue[1:] {
		p := queue[0]
		for _, w := range ways(d, s, p) {
			follow(w.to, path.Join(path.Dir(at[p]), w.by))
		}
		for _, from := range askedBy[p] {
			if path.Join(path.Dir(at[from.to]), from.by) != at[p] {
				follow(from.to, path.Join(path.Dir(at[p]), path.Dir(paths.Relative(path.Dir(p), from.to)),
					path.Base(at[from.to])))
			}
		}
	}
	return consistent(d, s, at)
}

// consistent refuses places from where a file does not find another one, and two files in one place. A source map that
// its script does not find harms no page.
func consistent(d *packages.Package, s *packages.Selection, at map[string]string) error {
	has := map[string]string{}
	for _, p := range slices.Sorted(maps.Keys(at)) {
		place := strings.ToLower(at[p])
		if other, taken := has[place]; taken {
			return problem.Refuse(problem.NameBad, "give one of them another path", "%s and %s would both become %s",
				other, p, at[p])
		}
		has[place] = p
	}
	for _, c := range s.Choices {
		for _, w := range ways(d, s, c.Path) {
			if want := path.Join(path.Dir(at[c.Path]), w.by); want != at[w.to] && d.File(w.to).Kind != packages.Map {
				return problem.Refuse(problem.NameBad, "give both a path, or their whole folder", "%w",
					&BrokenError{From: c.Path, To: w.to, By: w.by, At: want})
			}
		}
	}
	return nil
}
