package settle

import (
	"path"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
)

// Follow turns the own places of an entry into those of another version's files: a place that has the version in its name
// has the new one then. What the new version has not is left out.
func Follow(d *delivery.Delivery, sel *delivery.Selection, lib *record.Library, version string) map[string]string {
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

// Displaced tells where the files of another version go that stand for files which lie elsewhere than the site's habits
// would have them, as adopted ones do: into the folders where those are.
func Displaced(p *project.Project, lib *record.Library, d *delivery.Delivery, sel *delivery.Selection, version string) map[string]paths.InSite {
	habits, _ := project.HabitsFor(p.List, lib)
	at := map[string]paths.InSite{}
	for _, f := range p.Seal.Libraries[lib.Name].Files {
		place, ok := p.InSite(f.At)
		if !ok || f.Role != record.Tagged || lib.Into != "" || lib.Places[f.Path] != "" || place.Dir() == habits.Folder(delivery.KindOf(f.Path)) ||
			strings.HasPrefix(place.String(), habits.Together+"/") {
			continue
		}
		to := f.Path
		if !sel.Has(to) {
			to = Successor(d, version, lib.Version, to)
		}
		if to == "" || !sel.Has(to) {
			continue
		}
		base := path.Base(to)
		if place.Base() != path.Base(f.Path) && lib.Version != "" {
			base = strings.ReplaceAll(place.Base(), lib.Version, version)
		}
		if moved, err := paths.Site(path.Join(place.Dir(), base)); err == nil {
			at[to] = moved
		}
	}
	return at
}
