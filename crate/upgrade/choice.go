package upgrade

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// SameChoice selects in a new delivery what was taken of the old one: by the same paths, else by the same
// names with another version in them, else what is suggested.
func SameChoice(o *origin.Opened, lib record.Library) (*delivery.Selection, []string) {
	var notes []string
	var patterns []string
	for _, t := range lib.Take {
		if o.File(t) != nil {
			patterns = append(patterns, t)
			continue
		}
		want := strings.ReplaceAll(t, lib.Version, o.Version)
		if slices.ContainsFunc(o.Files, func(f delivery.File) bool { ok, _ := doublestar.Match(want, f.Path); return ok }) {
			patterns = append(patterns, want) // a catalogue
			continue
		}
		found := ""
		for i := range o.Files {
			f := &o.Files[i]
			if f.Path == want || f.Aside == "" && reconcile.Part(f.Path, record.NoBuild) == reconcile.Part(t, record.NoBuild) && path.Dir(f.Path) == path.Dir(t) {
				found = f.Path
				break
			}
		}
		if found == "" {
			notes = append(notes, fmt.Sprintf("%s is not in %s any more", t, o.Version))
			continue
		}
		patterns = append(patterns, found)
	}
	if len(patterns) == 0 {
		return o.Suggest(), append(notes, "its files have other names now; the suggested set is taken")
	}
	sel := o.Choose(func(name string) (string, bool) {
		for _, pat := range patterns {
			if ok, _ := doublestar.Match(pat, name); ok || pat == name {
				return "the earlier choice", true
			}
		}
		return "", false
	})
	// Source maps came along with the suggestion; they do so again.
	maps := o.Suggest()
	for _, c := range maps.Choices {
		if f := o.File(c.Path); f.Kind == delivery.Map && sel.Has(f.MapOf) && !sel.Has(c.Path) {
			sel.Add(c)
		}
	}
	return sel, notes
}
