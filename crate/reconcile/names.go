package reconcile

import (
	"bytes"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
)

// sayNothing are stems of names that say nothing of the library they are from.
var sayNothing = []string{"main", "index", "style", "styles", "script", "scripts", "app", "all", "bundle", "core", "custom", "theme", "site", "default", "common", "base"}

// Spoken lists the names, of files that are to be put from a source, that say nothing of their library and that a file of
// the site's own has already where they would go.
func (d *Draft) Spoken(from Source, files []string, at map[string]paths.InSite) []string {
	var list []string
	for _, name := range files {
		place := at[name].In(d.Before.Site())
		base := path.Base(name)
		stem, _, _ := strings.Cut(strings.ToLower(base), ".")
		if !slices.Contains(sayNothing, stem) || place.Base() != base || d.Before.At(place).Library != "" {
			continue
		}
		there, err := d.Before.ReadFile(place)
		if err != nil {
			continue
		}
		if b, err := from.ReadInto(name, nil); err == nil && !bytes.Equal(b, there) && !slices.Contains(list, base) {
			list = append(list, base)
		}
	}
	return list
}
