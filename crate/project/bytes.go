package project

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
)

// LocalBytes returns a sealed file's bytes without the network: the local copy if it is as sealed, else the cached one.
// The error is fs.ErrNotExist if neither exists.
func (p *Project) LocalBytes(of Sealed) ([]byte, error) {
	if !of.File.At.IsZero() {
		if b, err := p.ReadFile(of.File.At); err == nil && integrity.Of(b) == of.File.Integrity {
			return b, nil
		}
	}
	return p.Origin.Kept(p.Seal.Libraries[of.Library], of.File)
}

// OpenKept opens a library's package if the cache has it. The error of one that is not there is fs.ErrNotExist.
func (p *Project) OpenKept(ctx context.Context, name string) (*origin.Opened, error) {
	sealed := p.Seal.Libraries[name]
	if sealed == nil {
		return nil, NotInCrate(p.List, name)
	}
	o, err := p.Origin.OpenKept(ctx, sealed.Digest, sealed.Origin)
	if err != nil {
		return nil, err
	}
	o.Name, o.Version = name, sealed.Version
	return o, nil
}

// Globals maps each global, and each member that an add-on puts on another library's global (race.fn.boat), to the
// library that defines it. It reads tagged scripts only and skips scripts whose bytes are not available locally.
func (p *Project) Globals() map[string]string {
	return p.globals.Of("", func() map[string]string {
		defines := map[string]string{}
		for _, name := range p.Seal.Names() {
			for _, t := range p.TaggedFiles(name, record.NoBuild) {
				if t.Style {
					continue
				}
				report := p.ScriptOf(Sealed{name, t.File})
				if report == nil {
					continue
				}
				for _, g := range slices.Concat(report.Defines, report.Parts) {
					if _, ok := defines[g.Name]; !ok {
						defines[g.Name] = name
					}
				}
			}
		}
		return defines
	})
}

// GlobalOf is the global by which it shows that a library's script has run: the one that is called like the library,
// else the first that it defines, "" if that can't be known without a network.
func (p *Project) GlobalOf(of Sealed) string {
	return p.telling.Of(of.Library+" "+of.File.Integrity, func() string {
		report, global := p.ScriptOf(of), ""
		if report == nil {
			return ""
		}
		for _, g := range report.Defines {
			if global == "" || strings.EqualFold(g.Name, of.Library) {
				global = g.Name
			}
		}
		return global
	})
}

// A TaggedFile is a file of a library that goes on pages.
type TaggedFile struct {
	Library    string
	File       *record.File
	At         paths.InSite
	OtherBuild paths.InSite // the same thing in the other build, zero if there is none
	Style      bool
}

// TaggedFiles lists the files of a library that go on pages, in a build or, where that is NoBuild, in the one that the
// packing list names. Stylesheets come first, and the library's core before its parts, unless somebody brought the
// files that the list takes into an order of their own: the tool writes them sorted.
func (p *Project) TaggedFiles(library string, build record.Build) []TaggedFile {
	sealed, entry := p.Seal.Libraries[library], p.List.Library(library)
	if sealed == nil {
		return nil
	}
	if build == record.NoBuild && entry != nil {
		build = entry.Build
	}
	build = cmp.Or(build, record.Minified)
	var list []TaggedFile
	for i := range sealed.Files {
		f := &sealed.Files[i]
		at, ok := p.InSite(f.At)
		if f.Role != record.Tagged || !ok || f.OtherBuild != "" && f.Build != build {
			continue
		}
		t := TaggedFile{Library: library, File: f, At: at, Style: packages.KindOf(f.Path) == packages.Stylesheet}
		if pair := sealed.File(f.OtherBuild); pair != nil {
			t.OtherBuild, _ = p.InSite(pair.At)
		}
		list = append(list, t)
	}
	wish := func(t TaggedFile) int { return 0 }
	if entry != nil && !slices.IsSorted(entry.Take) {
		wish = func(t TaggedFile) int {
			if i := slices.Index(entry.Take, t.File.Path); i >= 0 {
				return i
			}
			return slices.Index(entry.Take, t.File.OtherBuild) // -1 for what a pattern takes, which comes first
		}
	}
	core := strings.ToLower(path.Base(library))
	rank := func(t TaggedFile) int {
		switch {
		case t.Style && strings.HasPrefix(strings.ToLower(t.At.Base()), core):
			return 0
		case t.Style:
			return 1
		case strings.HasPrefix(strings.ToLower(t.At.Base()), core):
			return 2
		}
		return 3
	}
	slices.SortStableFunc(list, func(a, b TaggedFile) int {
		if a.Style == b.Style && wish(a) != wish(b) {
			return wish(a) - wish(b)
		}
		// What is deeper in the package is a look or a plug-in of what is not.
		return cmp.Or(rank(a)-rank(b), strings.Count(a.File.Path, "/")-strings.Count(b.File.Path, "/"),
			len(a.At.Base())-len(b.At.Base()))
	})
	return list
}

// Texts are the scripts that a library puts on a page, after those of the libraries that it needs. Planned, where not
// nil, has those that are about to be put. A script whose bytes are at no hand is left out.
func (p *Project) Texts(library string, planned func(of Sealed) ([]byte, bool)) [][]byte {
	var list [][]byte
	done := map[string]bool{}
	var add func(name string)
	add = func(name string) {
		lib := p.List.Library(name)
		if lib == nil || done[name] {
			return
		}
		done[name] = true
		for _, need := range lib.Needs {
			add(need)
		}
		list = append(list, p.TextsOf(name, planned)...)
	}
	add(library)
	return list
}

// TextsOf is Texts without the libraries that are needed.
func (p *Project) TextsOf(library string, planned func(of Sealed) ([]byte, bool)) [][]byte {
	var list [][]byte
	for _, f := range p.TaggedFiles(library, record.NoBuild) {
		of := Sealed{Library: library, File: f.File}
		if f.Style {
			continue
		}
		if planned != nil {
			if b, ok := planned(of); ok {
				list = append(list, b)
				continue
			}
		}
		if b, err := p.LocalBytes(of); err == nil {
			list = append(list, b)
		}
	}
	return list
}

// Sizes returns the size in bytes of a file of the site as it is, and as packed for the network. What is packed
// already, pictures and fonts, is not packed again by servers. A file that is not there has none.
func (p *Project) Sizes(at paths.InSite) (size, wire int64) {
	place := p.InProject(at)
	b, err := p.ReadFile(place)
	if of := p.At(place); err != nil && of.File != nil {
		b, err = p.Origin.Kept(p.Seal.Libraries[of.Library], of.File) // pages have a link to it
	}
	if err != nil {
		return 0, 0
	}
	switch packages.KindOf(at.String()) {
	case packages.Font, packages.Image:
		return int64(len(b)), int64(len(b))
	}
	return int64(len(b)), origin.WireSize(b)
}
