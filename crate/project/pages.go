package project

import (
	"bytes"
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
)

// wholePage finds what tells a page, whatever it is made by.
var wholePage = memo.Regexp(`(?i)<!doctype\s+html|<html[\s>]|<head[\s>]|<body[\s>]`)

// part and template find what a part of a page has, and what a server fills in.
var (
	template = memo.Regexp(`<\?|<%|\{\{|\{%|@section|@\{|<!--#`)
	part     = memo.Regexp(`(?i)<script[\s>][^<]*</script>|<link\s[^>]*rel=["']?stylesheet`)
)

// sampled is how many files with one ending are read to say whether they are pages, of at most so many bytes each.
const sampled, sampledMost = 30, 2 << 20

// LearnPages finds the templates of servers among a site's files, by what is in them: files of an ending of which at
// least one is a whole page, or a part of one with tags for scripts or stylesheets. It adds them to the site's pages,
// and returns patterns of them.
func LearnPages(on *disk.Folder, dir string, site *walk.Site) []string {
	var patterns []string
	byEnding := map[string][]paths.InSite{}
	for name, size := range site.Others {
		switch packages.KindOf(name.String()) {
		case packages.Other, packages.Document:
		default:
			continue
		}
		ending := path.Ext(name.String())
		if size > sampledMost || ending == "" || ending == ".md" || ending == ".markdown" || ending == ".txt" ||
			strings.HasPrefix(name.Base(), ".") {
			continue
		}
		byEnding[ending] = append(byEnding[ending], name)
	}
	for _, ending := range slices.Sorted(maps.Keys(byEnding)) {
		names := byEnding[ending]
		slices.SortFunc(names, func(a, b paths.InSite) int {
			return cmp.Or(strings.Count(a.String(), "/")-strings.Count(b.String(), "/"), strings.Compare(a.String(),
				b.String()))
		})
		whole, parts := 0, 0
		for _, name := range names[:min(sampled, len(names))] {
			b, _, err := on.Read(path.Join(dir, name.String()), sampledMost, nil)
			switch {
			case err != nil || bytes.IndexByte(b, 0) >= 0:
			case wholePage().Match(b):
				whole++
			case part().Match(b) && template().Match(b):
				parts++
			}
		}
		if whole+parts > 0 {
			patterns = append(patterns, "**/*"+ending)
			for _, name := range names {
				site.AddPage(name)
			}
		}
	}
	slices.SortFunc(site.Pages, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return patterns
}
