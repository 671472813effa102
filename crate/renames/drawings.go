package renames

import (
	"maps"
	"slices"
)

// Drawings finds what parts of a picture are called now, of which each has a name and what is drawn for it: by equal
// drawings, and by the names.
func Drawings(old, new map[string]string, notes []ChangeNote) []Rename {
	by := map[string][]string{} // a drawing to the new names that have it
	var come, left []string
	for _, n := range slices.Sorted(maps.Keys(new)) {
		if new[n] != "" {
			by[new[n]] = append(by[new[n]], n)
		}
		if _, had := old[n]; !had {
			come = append(come, n)
		}
	}
	var list []Rename
	for _, o := range slices.Sorted(maps.Keys(old)) {
		if _, still := new[o]; still {
			continue
		}
		if n := nearestName(o, by[old[o]]); n != "" {
			list = append(list, Rename{Old: o, New: n, Score: 0.95, Sure: true,
				Because: []string{"it is the same drawing"}})
			continue
		}
		left = append(left, o)
	}
	for _, r := range Names(left, come, notes) {
		r.Sure = r.Sure && r.stated // another drawing may be another thing
		list = append(list, r)
	}
	return list
}
