package project

import (
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"

	"merrycrate.example/merry/crate/walk"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// Walk lists the site's files and its pages.
func (p *Project) Walk(ctx context.Context) (*walk.Site, error) { return p.WalkAndSee(ctx, false) }

// WalkAndSee is Walk. With see it looks at each page as well.
func (p *Project) WalkAndSee(ctx context.Context, see bool) (*walk.Site, error) {
	patterns := p.List.Pages
	if len(patterns) == 0 {
		patterns = []string{"**/*.html"}
	}
	for _, pat := range patterns {
		if !doublestar.ValidatePattern(strings.TrimPrefix(pat, "!")) {
			return nil, problem.Refuse(problem.RecordBroken, `write patterns such as "**/*.html"`,
				"%s: %q in pages: is not a pattern", record.ListFile, pat)
		}
	}
	for _, pat := range p.List.Exclude {
		if !doublestar.ValidatePattern(pat) {
			return nil, problem.Refuse(problem.RecordBroken, `write patterns such as "_site/**"`,
				"%s: %q in exclude: is not a pattern", record.ListFile, pat)
		}
	}
	matched := make([]atomic.Bool, len(patterns))
	site, err := walk.Folder(ctx, p.Disk, p.site, see, func(name string) bool {
		if p.site == "." || len(p.byPlace) > 0 {
			if _, sealed := p.byPlace[paths.Found(name).In(p.site)]; sealed {
				return false
			}
		}
		in := false
		for i, pat := range patterns {
			was := in
			if not, ok := strings.CutPrefix(pat, "!"); ok {
				in = in && !doublestar.MatchUnvalidated(not, name)
			} else if ending, usual := strings.CutPrefix(pat, "**/*."); usual &&
				!strings.ContainsAny(ending, "*?[{\\/") {
				// The usual pattern needs no matcher, which ten thousand names notice.
				in = in || strings.HasSuffix(name, "."+ending)
			} else {
				in = in || doublestar.MatchUnvalidated(pat, name)
			}
			if in && !was && !matched[i].Load() {
				matched[i].Store(true)
			}
		}
		return in
	}, Excluding(p.List.Exclude))
	if err == nil {
		for i, pat := range patterns {
			if !matched[i].Load() && !strings.HasPrefix(pat, "!") && !p.covered(pat, site) {
				site.UnmatchedPatterns = append(site.UnmatchedPatterns, pat)
			}
		}
	}
	if err == nil && len(site.Skipped) > 0 && p.Notify != nil {
		p.Notify("skipped: " + Abbreviate(site.Skipped, 6))
	}
	if err == nil && p.names != nil {
		p.names.walked(site)
	}
	return site, err
}

// IsPage reports whether the packing list makes a page of a file of the site.
func (p *Project) IsPage(name string) bool {
	if _, sealed := p.byPlace[paths.Found(name).In(p.site)]; sealed {
		return false
	}
	in := false
	for _, pat := range p.List.Pages {
		if not, ok := strings.CutPrefix(pat, "!"); ok {
			in = in && !doublestar.MatchUnvalidated(not, name)
		} else {
			in = in || doublestar.MatchUnvalidated(pat, name)
		}
	}
	return in
}

// Excluding tells the files and folders that patterns leave out, nil for no patterns. A pattern of all that is in a
// folder leaves out the folder.
func Excluding(patterns []string) func(name string, isFolder bool) bool {
	if len(patterns) == 0 {
		return nil
	}
	return func(name string, isFolder bool) bool {
		return slices.ContainsFunc(patterns, func(pat string) bool {
			return doublestar.MatchUnvalidated(strings.TrimSuffix(pat, "/"), name) ||
				isFolder && doublestar.MatchUnvalidated(pat, name+"/x")
		})
	}
}

// covered reports whether a pattern that added no page matches one that another pattern added first.
func (p *Project) covered(pattern string, site *walk.Site) bool {
	return slices.ContainsFunc(site.Pages, func(name paths.InSite) bool {
		return doublestar.MatchUnvalidated(pattern, name.String())
	})
}

// Select picks the pages that patterns name, from the site's folder or from the folder that the
// command was given in. Without patterns it is the site's only page, or an error that lists them.
func (p *Project) Select(site *walk.Site, patterns []string, from string) ([]paths.InSite, error) {
	if len(patterns) == 0 {
		if len(site.Pages) == 1 {
			return site.Pages, nil
		}
		if len(site.Pages) == 0 {
			return nil, problem.Refuse(problem.PageUnknown, "merry start --page index.html", "the site has no pages: "+
				"no file in %s matches %s", p.site, strings.Join(p.List.Pages, ", "))
		}
		return nil, problem.Misuse(fmt.Sprintf("name them with --page %s, or all with --page '**'", site.Pages[0]),
			"the site has %d pages; name those you mean: %s", len(site.Pages), Abbreviate(Texts(site.Pages), 6))
	}
	var chosen []paths.InSite
	for _, pat := range patterns {
		n := len(chosen)
		for _, name := range p.Meant(pat, from) {
			if n == len(chosen) {
				chosen = append(chosen, matching(site.Pages, name)...)
			}
		}
		if n == len(chosen) {
			next := "merry start --page index.html  # creates a first page"
			if len(site.Pages) > 0 {
				next = "the site's pages: " + Abbreviate(Texts(site.Pages), 6)
			}
			return nil, problem.Refuse(problem.PageUnknown, next, "no page matches %s", pat)
		}
	}
	slices.SortFunc(chosen, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return slices.Compact(chosen), nil
}

// Meant lists the paths in the site that a path or pattern may mean: from the current folder, then from the site's
// folder, then from the project's, as findings write them.
func (p *Project) Meant(pattern, from string) []string {
	pattern = filepath.ToSlash(pattern)
	var list []string
	if abs, err := filepath.Abs(from); err == nil && !strings.HasPrefix(pattern, "/") {
		if rel, err := filepath.Rel(string(p.Root), abs); err == nil {
			if name, ok := paths.FoundInProject(path.Join(filepath.ToSlash(rel), pattern)).Below(p.site); ok {
				list = append(list, name.String())
			}
		}
	}
	list = append(list, path.Clean(strings.TrimPrefix(pattern, "/")))
	if name, ok := paths.FoundInProject(path.Clean(pattern)).Below(p.site); ok {
		list = append(list, name.String())
	}
	return list
}

func matching(names []paths.InSite, pattern string) []paths.InSite {
	var list []paths.InSite
	for _, n := range names {
		if ok, err := doublestar.Match(pattern, n.String()); n.String() == pattern || ok && err == nil {
			list = append(list, n)
		}
	}
	return list
}

// OwnFiles lists the site's own scripts or stylesheets, sorted.
func (p *Project) OwnFiles(site *walk.Site, kind packages.Kind) []paths.InSite {
	var names []paths.InSite
	for name := range site.Others {
		if packages.KindOf(name.String()) != kind {
			continue
		}
		if _, sealed := p.byPlace[p.InProject(name)]; !sealed {
			names = append(names, name)
		}
	}
	slices.SortFunc(names, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return names
}

// FindFiles returns the scripts and stylesheets of the site that match a name or pattern, sorted. The error lists the
// existing ones.
func (p *Project) FindFiles(site *walk.Site, pattern, dir string) ([]paths.InSite, error) {
	var files []paths.InSite
	for _, pat := range p.Meant(pattern, dir) {
		for name := range site.All() {
			kind := packages.KindOf(name.String())
			if kind != packages.Script && kind != packages.Stylesheet {
				continue
			}
			if name.String() == pat || doublestar.MatchUnvalidated(pat, name.String()) {
				files = append(files, name)
			}
		}
		if files != nil {
			slices.SortFunc(files, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
			return files, nil
		}
	}
	var known []string
	for _, l := range p.List.Libraries {
		known = append(known, l.Name)
	}
	next := "the crate is empty; take a library: merry take SOURCE"
	if len(known) > 0 {
		next = "the crate has " + strings.Join(known, ", ")
	}
	return nil, problem.Refuse(problem.LibraryUnknown, next, "%s is neither a library of the crate nor a script or "+
		"stylesheet of the site", pattern)
}

// Texts writes paths as texts.
func Texts(list []paths.InSite) []string {
	out := make([]string, len(list))
	for i, p := range list {
		out[i] = p.String()
	}
	return out
}

// Abbreviate joins a list, of a long one its beginning.
func Abbreviate(list []string, most int) string {
	if len(list) > most {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}
