package renames

import (
	"fmt"
	"maps"
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
				nil); same > 0 && score > numbers.Tell {
				all = append(all, Rename{Old: gone[i], New: come[j], Score: score,
					Because: []string{"the names are alike"}})
			}
		}
	}
	return best(once(all))
}

// prefixedFrom is how many names must have a new word in front, and prefixedPart what part of all that are gone, for it
// to be the system of the new version. In the major move of one framework 9 of 12 attributes had it, and 26 of 28
// custom properties.
const (
	prefixedFrom = 3
	prefixedPart = 0.6
)

// Prefixed finds names that a new version has with one more word in front, behind a head that all have: data-, or the
// dashes of custom properties. It is sure of them, as a system of names. Those that the new version does not have are
// likely to follow it, too.
func Prefixed(gone, come []string, head string) (list []Rename) {
	count, all := map[string]int{}, 0
	new := map[string]bool{}
	for _, c := range come {
		new[c] = true
	}
	for _, g := range gone {
		tail, has := strings.CutPrefix(g, head)
		if !has {
			continue
		}
		all++
		for _, c := range come {
			rest, has := strings.CutPrefix(c, head)
			if word, ends := strings.CutSuffix(rest, tail); has && ends && strings.HasSuffix(word, "-") &&
				strings.Count(word, "-") == 1 {
				count[word]++
			}
		}
	}
	best := ""
	for _, word := range slices.Sorted(maps.Keys(count)) {
		if count[word] > count[best] {
			best = word
		}
	}
	if n := count[best]; n < prefixedFrom || float64(n) < prefixedPart*float64(all) {
		return nil
	}
	for _, g := range gone {
		tail, has := strings.CutPrefix(g, head)
		if !has {
			continue
		}
		r := Rename{Old: g, New: head + best + tail, Score: 0.9, Sure: true, Because: []string{fmt.Sprintf("%d of %d "+
			"names have %s in front now", count[best], all, best)}}
		if !new[r.New] { // code may put it together
			r.Score, r.Sure = 0.6, false
			r.Because = append(r.Because, "the new version does not name this one")
		}
		list = append(list, r)
	}
	return list
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
