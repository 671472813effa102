package entries

import (
	"path"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
)

// Follow adapts an entry's paths to another version: a version in a path is replaced. Paths of files that the new
// version lacks are left out.
func Follow(d *packages.Package, sel *packages.Selection, lib *record.Library, version string) map[string]string {
	var places map[string]string
	for key, place := range lib.Places {
		to := key
		if !sel.Has(key) {
			to = Successor(d, version, lib.Version, key)
		}
		for _, c := range sel.Choices {
			if strings.HasPrefix(c.Path, strings.TrimSuffix(key, "/")+"/") {
				to = key // a folder that is there still
			}
		}
		if to == "" || to != key && !sel.Has(to) {
			continue
		}
		if places == nil {
			places = map[string]string{}
		}
		if lib.Version != "" {
			place = path.Join(path.Dir(place), strings.ReplaceAll(path.Base(place), lib.Version, version))
		}
		places[to] = place
	}
	return places
}
