// Package entries finds the files that an entry of the packing list means, in a package of any version, and writes what
// was chosen into the entry.
package entries

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/successors"
)

// Choose selects the files of an entry in a package of any version: by the same paths, else by the same names with the
// other version in them, else what the version suggests in their place. A plain script stays one wherever the version
// has any. Was is what the seal says of the library, nil if nothing was taken yet. The notes say what the package
// lacks.
func Choose(d *packages.Package, version string, lib record.Library, was *record.Sealed) (*packages.Selection,
	[]string) {
	var notes []string
	take, gone := Known(d, version, lib, lib.Take, was)
	keep, goneToo := Known(d, version, lib, lib.Keep, was)
	if len(take)+len(keep) > 0 && !lib.Whole {
		gone, take, notes = standIns(d, version, lib, was, gone, take)
	}
	for _, name := range append(gone, goneToo...) {
		notes = append(notes, fmt.Sprintf("%s is no longer in %s", name, version))
	}
	if lib.Whole {
		return Whole(d, take, append(take, keep...)), notes
	}
	if len(take)+len(keep) == 0 {
		sel := d.InBuild(suggested(d, lib, was), cmp.Or(lib.Build, record.Minified))
		d.AddBuilds(sel, false, lib.Maps)
		return sel, append(notes, "its files have other names now, so the suggested set was taken")
	}
	sel := d.Choose(func(name string) (string, bool) { return "chosen earlier", matches(append(take, keep...), name) })
	tagNamed(d, sel, take)
	Keep(sel, keep, take)
	d.AddBuilds(sel, false, lib.Maps)
	return sel, notes
}

// suggested is what a version suggests to pages that had a library's plain scripts, or its modules.
func suggested(d *packages.Package, lib record.Library, was *record.Sealed) *packages.Selection {
	sel := d.Suggest()
	if !plain(lib, was) || !slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
		f := d.File(c.Path)
		return c.Page && f.Script != nil && f.Script.Form == script.Module
	}) {
		return sel
	}
	if option, ok := d.InForm(""); ok {
		return d.SuggestWith([]packages.Option{option})
	}
	return sel
}

// plain reports whether an entry has scripts for plain tags. Without a seal the names of its files tell.
func plain(lib record.Library, was *record.Sealed) bool {
	return slices.ContainsFunc(lib.Take, func(name string) bool { return plainScript(name, was) })
}

func plainScript(name string, was *record.Sealed) bool {
	if was != nil {
		if f := was.File(name); f != nil {
			return packages.KindOf(name) == packages.Script && !f.Module
		}
	}
	return packages.KindOf(name) == packages.Script && !strings.HasSuffix(name, ".mjs")
}

// standIns finds what the new version suggests in the place of files for pages that it does not have. Of each kind one
// file may have a stand-in: the largest, if it is larger than what the version still has of that kind. What is smaller
// is a part of the library, and no other file is that part. The notes say why.
func standIns(d *packages.Package, version string, lib record.Library, was *record.Sealed, gone, take []string) (left,
	with, notes []string) {
	with = take
	size := func(name string) int64 {
		if was != nil {
			if f := was.File(name); f != nil {
				return f.Size
			}
		}
		return 0
	}
	instead := d.InBuild(suggested(d, lib, was), cmp.Or(lib.Build, record.Minified))
	for _, kind := range []packages.Kind{packages.Script, packages.Stylesheet} {
		core := ""
		for _, name := range lib.Take {
			if packages.KindOf(name) == kind && (core == "" || size(name) > size(core)) {
				core = name
			}
		}
		var best *packages.File
		for _, c := range instead.Choices {
			f := d.File(c.Path)
			if c.Page && f != nil && f.Kind == kind && !matches(with, c.Path) && (best == nil || f.Size > best.Size) &&
				(f.Script == nil || !plainScript(core, was) || f.Script.Form != script.Module) {
				best = f
			}
		}
		if best == nil || !slices.Contains(gone, core) {
			continue
		}
		with = append(with, best.Path)
		gone = slices.DeleteFunc(slices.Clone(gone), func(name string) bool { return name == core })
		notes = append(notes, fmt.Sprintf("%s is no longer in %s; %s stands in for it, the %s that this version "+
			"suggests", core, version, best.Path, kind))
	}
	return gone, with, notes
}

// Names reports whether a package has anything that an entry names.
func Names(d *packages.Package, version string, lib record.Library) bool {
	patterns, _ := Known(d, version, lib, lib.Take, nil)
	return len(patterns) > 0
}

// Known turns what an entry names into what a package has, and lists what it does not have any more. A file that was a
// plain script, and is a module or one for servers now, is another file.
func Known(d *packages.Package, version string, lib record.Library, names []string, was *record.Sealed) (patterns,
	gone []string) {
	turned := func(old, new string) bool {
		f := d.File(new)
		return was != nil && was.Version != version && was.File(old) != nil && plainScript(old, was) && f != nil &&
			f.Script != nil && (f.Script.Form == script.Module || f.Script.Form == script.Server)
	}
	for _, t := range names {
		if d.File(t) != nil && !turned(t, t) {
			patterns = append(patterns, t)
			continue
		}
		want := t
		if lib.Version != "" {
			want = strings.ReplaceAll(t, lib.Version, version)
		}
		if d.File(t) == nil && slices.ContainsFunc(d.Files, func(f packages.File) bool {
			ok, _ := doublestar.Match(want, f.Path)
			return ok && !turned(t, f.Path)
		}) {
			patterns = append(patterns, want) // a catalogue, or a glob of a person
			continue
		}
		found := Successor(d, version, lib.Version, t)
		if found == "" || turned(t, found) {
			gone = append(gone, t)
			continue
		}
		patterns = append(patterns, found)
	}
	return patterns, gone
}

// Successor returns the file of another version's package that replaces a file, by the rule of successors.Candidates.
// It returns "" if there is no such file, and if there are several.
func Successor(d *packages.Package, version, oldVersion, name string) string {
	if d.File(name) != nil {
		return name // also one that is excluded
	}
	var list []successors.Candidate
	for i := range d.Files {
		if f := &d.Files[i]; f.ExcludedBecause == "" {
			list = append(list, successors.Candidate{Path: f.Path})
		}
	}
	i, _ := successors.Of(list, version).Successor(name, record.NoBuild, oldVersion)
	if i < 0 {
		return ""
	}
	return list[i].Path
}

func matches(patterns []string, name string) bool {
	return slices.ContainsFunc(patterns, func(pat string) bool {
		ok, _ := doublestar.Match(pat, name)
		return ok || pat == name
	})
}

// Whole selects all that a package has for a page; tags are for what is suggested and for what is named. Programs and
// settings for servers come only if each is among wanted.
func Whole(d *packages.Package, named, wanted []string) *packages.Selection {
	sel := d.Suggest()
	var programs []string
	for i := range d.Files {
		f := &d.Files[i]
		switch {
		case slices.Contains(wanted, f.Path):
		case f.ForServer:
			if f.ExcludedBecause == "" && !paths.Hidden(f.Path) {
				programs = append(programs, f.Path)
			}
			continue
		case f.ExcludedBecause != "" || f.Size == 0 || paths.Hidden(f.Path) || f.Path == d.Manifest.File ||
			!forPages(f):
			continue
		}
		sel.Add(packages.Choice{Path: f.Path, Reason: "the library is kept whole"})
	}
	if len(programs) > 0 {
		sel.Notes = append(sel.Notes, fmt.Sprintf("left out, because a server would run or read them: %s; to take one "+
			"anyway, name it with --files", project.Abbreviate(programs, maxPrograms)))
	}
	if len(named) > 0 {
		for i := range sel.Choices {
			sel.Choices[i].Page = slices.Contains(named, sel.Choices[i].Path)
		}
	}
	slices.SortFunc(sel.Choices, func(a, b packages.Choice) int { return strings.Compare(a.Path, b.Path) })
	return sel
}

// maxPrograms is how many files that were left out are named.
const maxPrograms = 6

// forPages tells the kinds of file that a page may ask for, and the licence, which goes with them.
func forPages(f *packages.File) bool {
	switch f.Kind {
	case packages.Archive, packages.Types, packages.Source, packages.About:
		return false
	case packages.Document:
		return strings.HasPrefix(path.Ext(f.Path), ".htm")
	}
	return true
}

// Keep takes the tags from files that patterns name, unless they are named by their own paths.
func Keep(sel *packages.Selection, keep, named []string) {
	for i, c := range sel.Choices {
		if c.Page && matches(keep, c.Path) && !slices.Contains(named, c.Path) {
			sel.Choices[i].Page = false
		}
	}
}

// tagNamed gives tags to what is named by its own path, whatever pattern has it too.
func tagNamed(d *packages.Package, sel *packages.Selection, named []string) {
	brought := broughtBy(d, sel)
	for i, c := range sel.Choices {
		if f := d.File(c.Path); slices.Contains(named, c.Path) && !brought[c.Path] && (f.Kind == packages.Script ||
			f.Kind == packages.Stylesheet) {
			sel.Choices[i].Page = true
		}
	}
}

// broughtBy tells what chosen files ask for themselves.
func broughtBy(d *packages.Package, sel *packages.Selection) map[string]bool {
	brought := map[string]bool{}
	for _, c := range sel.Choices {
		for _, r := range d.File(c.Path).Refs {
			brought[r.Path] = true
		}
	}
	return brought
}

// Roles decides which of the files that patterns name get tags. What is named by its own path gets one. Of what a
// pattern with wildcards brings along, no tag is for what a plain tag can't load or a script loads itself, for what is
// beside the page's business, and for another build of what is suggested; and where a pattern goes through folders and
// has the suggested files, tags are for those alone.
func Roles(d *packages.Package, sel *packages.Selection, patterns []string) {
	suggested := d.Suggest()
	var deep []string
	for _, pat := range patterns {
		if d.File(pat) == nil && strings.Contains(pat, "**") {
			deep = append(deep, pat)
		}
	}
	wide := slices.ContainsFunc(suggested.Choices, func(c packages.Choice) bool {
		return c.Page && matches(deep, c.Path)
	})
	defined, modules := map[string]bool{}, false
	// files that are what is suggested once more: another build of the script, another stylesheet of that name
	same := map[string]bool{}
	for _, c := range suggested.Choices {
		f := d.File(c.Path)
		if !c.Page {
			continue
		}
		for _, other := range sel.Choices {
			g := d.File(other.Path)
			same[other.Path] = same[other.Path] || f.Kind == g.Kind && (path.Base(f.Path) == path.Base(g.Path) ||
				bothDefine(f, g))
		}
		if f.Script != nil && sel.Has(c.Path) {
			for _, g := range f.Script.Defines {
				defined[g.Name] = true
			}
			modules = modules || f.Script.Form == script.Module
		}
	}
	again := slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
		return c.Page && same[c.Path] && matches(deep, c.Path)
	})
	plain := slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
		return d.File(c.Path).ExcludedBecause == ""
	})
	brought := broughtBy(d, sel)
	for i, c := range sel.Choices {
		f := d.File(c.Path)
		if !c.Page || slices.Contains(patterns, c.Path) || suggested.Tagged(c.Path) {
			continue
		}
		if matches(deep, c.Path) && (wide || again && !same[c.Path]) || plain && f.ExcludedBecause != "" ||
			brought[c.Path] || !taggable(f, defined, modules) {
			sel.Choices[i].Page = false
		}
	}
}

// bothDefine reports whether two scripts define one global.
func bothDefine(a, b *packages.File) bool {
	return a.Script != nil && b.Script != nil && slices.ContainsFunc(a.Script.Defines, func(g script.Global) bool {
		return slices.ContainsFunc(b.Script.Defines, func(h script.Global) bool { return g.Name == h.Name })
	})
}

// taggable reports whether a tag beside those of the suggested files makes sense.
func taggable(f *packages.File, defined map[string]bool, modules bool) bool {
	if f.Script == nil {
		return true
	}
	switch f.Script.Form {
	case script.Server, script.AMD, script.Broken:
		return false
	case script.Module:
		return modules
	}
	return !slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool { return defined[g.Name] })
}

// Name writes a selection into an entry, so that it can be repeated.
func Name(d *packages.Package, sel *packages.Selection, lib *record.Library) {
	before := lib.Take
	lib.Take, lib.Keep = nil, nil
	lib.Maps = lib.Maps || !lib.Whole && slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
		return d.File(c.Path).Kind == packages.Map
	})
	for _, name := range d.Named(sel) {
		f := d.File(name)
		switch {
		case lib.Whole && f != nil && f.ForServer:
			lib.Keep = append(lib.Keep, name) // nothing but its name brings it along
		case lib.Whole && !sel.Tagged(name):
		case f != nil && !sel.Tagged(name) && (f.Kind == packages.Script || f.Kind == packages.Stylesheet):
			lib.Keep = append(lib.Keep, name)
		default:
			lib.Take = append(lib.Take, name)
		}
	}
	lib.Take = inOrder(lib.Take, before, sel.Last)
}

// inOrder gives a list of files an order of its own, if it had one before, or if some go behind all others. The list
// comes sorted, and stays so otherwise.
func inOrder(list, before, last []string) []string {
	if slices.IsSorted(before) && len(last) == 0 {
		return list
	}
	slices.SortStableFunc(list, func(a, b string) int {
		if x, y := slices.Index(last, a), slices.Index(last, b); x != y {
			return x - y
		}
		x, y := slices.Index(before, a), slices.Index(before, b)
		if x < 0 || y < 0 {
			return 0
		}
		return x - y
	})
	return list
}
