package reconcile

import (
	"bytes"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// saysNothing tells the names that say nothing of the library they are from: what is before the first dot does not, or
// no word does.
func saysNothing(base string) bool {
	stem, _, _ := strings.Cut(strings.ToLower(base), ".")
	words := strings.FieldsFunc(strings.ToLower(strings.TrimSuffix(base, path.Ext(base))), func(r rune) bool {
		return r == '.' || r == '-' || r == '_'
	})
	return slices.Contains(sayNothing, stem) || !slices.ContainsFunc(words, func(w string) bool {
		return !slices.Contains(sayNothing, w)
	})
}

// sayNothing are words of such names: what a file is there for, and how it is built.
var sayNothing = []string{"main", "index", "style", "styles", "script", "scripts", "app", "all", "bundle", "core",
	"custom", "theme", "site", "default", "common", "base",
	"global", "browser", "umd", "iife", "cdn", "dist", "lib", "module", "plugin", "locales", "min", "es", "esm", "es5",
	"es6", "cjs", "mjs", "web", "node", "prod", "production", "dev", "development", "entry", "runtime"}

// Mentioned lists the names, of a library's files that are to be put from a source, that say nothing of the library and
// that another file has already where they would go: the site's own, or another library's, in this change, too.
func (d *Plan) Mentioned(library string, from Source, files []string, at map[string]paths.InSite) []string {
	others := map[paths.InProject]bool{}
	for name, sealed := range d.Seal.Libraries {
		for _, f := range sealed.Files {
			others[f.At] = others[f.At] || name != library
		}
	}
	var list []string
	for _, name := range files {
		place := at[name].In(d.Before.Site())
		base := path.Base(name)
		if !saysNothing(base) || place.Base() != base || slices.Contains(list, base) {
			continue
		}
		if others[place] {
			list = append(list, base)
			continue
		}
		if d.Before.At(place).Library != "" {
			continue
		}
		there, err := d.Before.ReadFile(place)
		if err != nil {
			continue
		}
		if b, err := from.ReadInto(name, nil); err == nil && !bytes.Equal(b, there) {
			list = append(list, base)
		}
	}
	return list
}

// Others finds a place, of those where a library's files are to be put from a source, that another library's file has
// with other bytes, and that library; "" if there is none.
func (d *Plan) Others(library string, from Source, at map[string]paths.InSite) (of, place string, err error) {
	there := map[paths.InProject]project.Sealed{}
	for _, name := range d.Seal.Names() {
		for i, f := range d.Seal.Libraries[name].Files {
			if name != library && !f.At.IsZero() {
				there[f.At] = project.Sealed{Library: name, File: &d.Seal.Libraries[name].Files[i]}
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(at)) {
		other, taken := there[at[name].In(d.Before.Site())]
		if !taken {
			continue
		}
		b, err := from.ReadInto(name, nil)
		if err != nil {
			return "", "", err
		}
		if !other.File.Is(bytes.NewReader(b)) {
			return other.Library, at[name].String(), nil
		}
	}
	return "", "", nil
}
