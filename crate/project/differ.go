package project

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/record"
)

// A Difference is that the packing list, which is the wish, and the seal, which is the fact, say different things
// of a library.
type Difference struct {
	Library string
	Line    int // of the entry in the packing list, 0 if there is none
	What    string
}

// Differences compares the packing list with the seal, library by library in the order of the list, without opening a
// source.
func (p *Project) Differences() []Difference {
	var list []Difference
	for i := range p.List.Libraries {
		lib := &p.List.Libraries[i]
		sealed := p.Seal.Libraries[lib.Name]
		if sealed == nil && lib.Only == record.DevOnly && lib.Serve == record.CDN {
			continue // a link that can't be sealed
		}
		if what := p.differ(lib, sealed); len(what) > 0 {
			list = append(list, Difference{lib.Name, lib.Line, Abbreviate(what, 2)})
		}
	}
	for _, name := range p.Seal.Names() {
		if p.List.Library(name) == nil {
			list = append(list, Difference{Library: name, What: "it is in the seal but not in the packing list"})
		}
	}
	return list
}

// Differs reports whether list and seal say different things of a library.
func (p *Project) Differs(library string) bool {
	lib := p.List.Library(library)
	return lib == nil || len(p.differ(lib, p.Seal.Libraries[library])) > 0
}

// differ says where an entry and what was taken differ.
func (p *Project) differ(lib *record.Library, sealed *record.Sealed) []string {
	if sealed == nil {
		return []string{"it is in the packing list but not in the seal"}
	}
	var list []string
	if lib.Version != sealed.Version {
		list = append(list, fmt.Sprintf("the packing list says %s, but %s was taken", orNone(lib.Version),
			orNone(sealed.Version)))
	} else if lib.From != sealed.Origin {
		list = append(list, fmt.Sprintf("the packing list says from %s, but it was taken from %s", orNone(lib.From),
			orNone(sealed.Origin)))
	}
	if lib.Version != sealed.Version {
		return list // other names may be meant for it
	}
	if serve, build := lib.Usage(); sealed.Serve != "" && serve != sealed.Serve {
		list = append(list, fmt.Sprintf("the packing list says serve: %s, but pages use %s", serve, sealed.Serve))
	} else if sealed.Build != record.NoBuild && build != sealed.Build {
		list = append(list, fmt.Sprintf("the packing list says build: %s, but pages use %s", build, sealed.Build))
	}
	has := func(pattern string) bool {
		return slices.ContainsFunc(sealed.Files, func(f record.File) bool {
			return f.Path == pattern || doublestar.MatchUnvalidated(pattern, f.Path)
		})
	}
	for _, t := range slices.Concat(lib.Take, lib.Keep) {
		if !has(t) {
			list = append(list, t+" is in the packing list, but was not taken")
		}
	}
	elsewhere := map[string][]string{} // where files are to be, to those that are not
	for _, f := range sealed.Files {
		named := slices.ContainsFunc(lib.Take, func(t string) bool {
			return t == f.Path || doublestar.MatchUnvalidated(t, f.Path)
		})
		kept := slices.ContainsFunc(lib.Keep, func(t string) bool {
			return t == f.Path || doublestar.MatchUnvalidated(t, f.Path)
		})
		switch {
		case f.Role == record.Tagged && !named && len(lib.Take)+len(lib.Keep) > 0 && !lib.Whole:
			list = append(list, f.Path+" was taken, but the packing list does not name it")
		case f.Role == record.Tagged && kept && !slices.Contains(lib.Take, f.Path):
			list = append(list, f.Path+" should be kept without a tag, but was taken for tags")
		}
		if at, ok := p.InSite(f.At); ok && !f.At.IsZero() {
			if want, to := misplaced(lib, f.Path, at.String()); want && f.Role == record.Tagged {
				elsewhere[to] = append(elsewhere[to], fmt.Sprintf("%s should be at %s, but is at %s", f.Path, to, at))
			}
		}
	}
	for _, to := range slices.Sorted(maps.Keys(elsewhere)) {
		if many := elsewhere[to]; len(many) > 1 {
			list = append(list, fmt.Sprintf("%d files should be in %s, but are elsewhere", len(many), to))
		} else {
			list = append(list, many[0])
		}
	}
	return list
}

// misplaced tells a file that does not lie where an entry says in so many words.
func misplaced(lib *record.Library, name, at string) (bool, string) {
	best, to := "", ""
	for key, place := range lib.Places {
		rest, below := strings.CutPrefix(name, strings.TrimSuffix(key, "/")+"/")
		switch {
		case len(key) < len(best):
		case key == name || key == path.Base(name):
			best, to = key, place
			if strings.HasSuffix(place, "/") {
				to = path.Join(place, path.Base(at))
			}
		case below:
			best, to = key, path.Join(place, path.Dir(rest), path.Base(at))
		}
	}
	if best != "" {
		return path.Clean(to) != at, to
	}
	if lib.Into != "" {
		into := path.Clean(lib.Into)
		return !strings.HasPrefix(at, into+"/"), into + "/"
	}
	return false, ""
}

func orNone(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}
