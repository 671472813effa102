package renames

import (
	"fmt"
	"slices"
	"strings"

	"github.com/agext/levenshtein"
	"merrycrate.example/merry/crate/memo"
)

var hump = memo.Regexp(`([a-z0-9])([A-Z])`)

// dashed is a name whose words have dashes between them: addClass is add-class.
func dashed(name string) string {
	return strings.ToLower(hump().ReplaceAllString(name, "$1-$2"))
}

// Names finds the new names of members, options and attributes, of which only the names are known. It uses the
// changelog, patterns in which several names changed, and the words that two names share.
func Names(gone, come []string, notes []ChangeNote) []Rename {
	back := map[string]string{}
	dash := func(list []string) []string {
		out := make([]string, len(list))
		for i, n := range list {
			out[i] = dashed(n)
			back[out[i]] = n
		}
		return out
	}
	old, new := dash(gone), dash(come)
	var all []Rename
	for _, f := range families(old, new, nil, nil, nil, func(string, string) (float64, float64, bool) {
		return 0.7, 1, true
	}) {
		for _, p := range f.pairs {
			all = append(all, Rename{Old: back[p[0]], New: back[p[1]], Score: min(0.95, f.score),
				Because: []string{fmt.Sprintf("%d names follow this pattern: %s", len(f.pairs), f)}})
		}
	}
	for o, by := range fromNotes(gone, come, notes) {
		for n, why := range by {
			all = append(all, Rename{Old: o, New: n, Score: 0.95, Because: []string{why}, stated: true})
		}
	}
	for i, o := range old {
		for j, n := range new {
			same := 0
			for _, w := range parts(o) {
				if slices.Contains(parts(n), w) {
					same++
				}
			}
			if score := 0.35*float64(same)/float64(max(len(parts(o)), len(parts(n)))) + 0.4*levenshtein.Similarity(o, n,
				nil); same > 0 && score > tellFrom {
				all = append(all, Rename{Old: gone[i], New: come[j], Score: score,
					Because: []string{"the names are alike"}})
			}
		}
	}
	return best(once(all))
}

// once keeps the best of several pieces of evidence for one pair.
func once(all []Rename) []Rename {
	at := map[[2]string]int{}
	var list []Rename
	for _, r := range all {
		key := [2]string{r.Old, r.New}
		i, had := at[key]
		switch {
		case !had:
			at[key] = len(list)
			list = append(list, r)
		case r.Score > list[i].Score:
			r.stated = r.stated || list[i].stated
			list[i] = r
		}
	}
	return list
}
