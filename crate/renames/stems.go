package renames

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/agext/levenshtein"
	"merrycrate.example/merry/crate/style"
)

// stems are the families in which a name that stands alone, and begins others, became another: panel, and all that
// begins with panel-. Bases are names that are gone with the new ones that mean much the same.
func stems(gone []string, split map[string][]string, is map[string]named, bases map[string][]string) []*renamePattern {
	var list []*renamePattern
	for _, o := range gone {
		var rest [][]string
		for _, other := range gone {
			if len(split[other]) > len(split[o]) && slices.Equal(split[other][:len(split[o])], split[o]) {
				rest = append(rest, split[other])
			}
		}
		if len(rest) == 0 {
			continue
		}
		for _, base := range bases[o] {
			words := parts(base)
			f := &renamePattern{old: append(slices.Clone(split[o]), anyWord), new: append(slices.Clone(words), anyWord),
				matched: len(rest) + 1, pairs: [][2]string{{o, base}}}
			for _, r := range rest {
				if n := is[strings.Join(append(slices.Clone(words), r[len(split[o]):]...), "-")]; n.name != "" {
					f.pairs = append(f.pairs, [2]string{strings.Join(r, "-"), n.name})
					if n.kept {
						f.kept++
					}
				}
			}
			if len(f.pairs) > 1 {
				list = append(list, f)
			}
		}
	}
	return list
}

// A stem is the first word of names: that of panel, panel-body and panel-title. Its ends are what comes after it, ""
// for a name that is the stem itself.
func byStem(names []string, split map[string][]string) map[string]map[string]string {
	list := map[string]map[string]string{}
	for _, n := range names {
		w := split[n]
		if len(w) == 0 {
			continue
		}
		if list[w[0]] == nil {
			list[w[0]] = map[string]string{}
		}
		list[w[0]][strings.Join(w[1:], "-")] = n
	}
	return list
}

// How much the ends that two stems share must say, by how few others have them, and by how much more than those of the
// next stem.
const (
	enoughEnds = 0.5
	wellBefore = 1.5
)

// onlyStep reports whether the end of a name says no more than a step of a scale, which every system has: for-small.
func onlyStep(end string) bool {
	return !slices.ContainsFunc(parts(end), func(w string) bool {
		_, step := steps[w]
		_, err := strconv.Atoi(w)
		return !step && err != nil && w != "for" && w != "up" && w != "down" && w != "only"
	})
}

// successions are the families in which all that began with one word is gone and something new has its ends:
// panel-body, -footer and -title went, and card-body, -footer and -title came. What few other names end with says most.
func successions(gone, come, kept []string, split map[string][]string) []*renamePattern {
	for _, n := range kept {
		split[n] = parts(n)
	}
	went, came, stayed := byStem(gone, split), byStem(come, split), byStem(kept, split)
	ends := map[string]int{} // to the stems of the new version that have them
	for _, stems := range []map[string]map[string]string{came, stayed} {
		for _, list := range stems {
			for end := range list {
				ends[end]++
			}
		}
	}
	var list []*renamePattern
	for old, olds := range went {
		if stayed[old] != nil || came[old] != nil || len(olds) < fewest {
			continue
		}
		best, most, next := "", 0.0, 0.0
		oldEnds := slices.Sorted(maps.Keys(olds))
		for new, news := range came {
			if stayed[new] != nil || went[new] != nil {
				continue
			}
			say, n := 0.0, 0
			for _, end := range oldEnds {
				if end != "" && news[end] != "" && !onlyStep(end) {
					say += 1 / float64(ends[end])
					n++
				}
			}
			switch {
			case n < 2:
			case say > most || say == most && new < best:
				best, most, next = new, say, most
			default:
				next = max(next, say)
			}
		}
		if most < enoughEnds || most < wellBefore*next {
			continue
		}
		f := &renamePattern{old: []string{old, anyWord}, new: []string{best, anyWord}, matched: len(olds),
			follows: min(0.35, 0.3*most)}
		for _, end := range oldEnds {
			if n := came[best][end]; n != "" {
				f.pairs = append(f.pairs, [2]string{olds[end], n})
			} else if n := likeliest(end, olds, came[best]); n != "" {
				f.pairs = append(f.pairs, [2]string{olds[end], n})
			}
		}
		list = append(list, f)
	}
	slices.SortFunc(list, func(a, b *renamePattern) int { return strings.Compare(a.String(), b.String()) })
	return list
}

// likeliest is the new name whose end is most like one that is gone, of those that are no old name's own: heading
// became header.
func likeliest(end string, olds, news map[string]string) string {
	best, most := "", 0.55
	for e, n := range news {
		if _, taken := olds[e]; taken {
			continue
		}
		if like := levenshtein.Similarity(end, e, nil); like > most || like == most && n < best {
			best, most = n, like
		}
	}
	return best
}

// scoped are the names that took the name of what they stood in: .menu .line became .menu-line. The new name has the
// old one's words, and all its others are words of classes with which the old one stood in selectors; no other new name
// that is as short is so.
func scoped(old *style.Sheet, gone, come []string) map[string]string {
	list := map[string]string{}
	split := make([][]string, len(come))
	for i, c := range come {
		split[i] = parts(c)
	}
	for _, o := range gone {
		around := map[string]bool{}
		for c := range old.Beside[o] {
			for _, w := range parts(c) {
				around[w] = true
			}
		}
		if len(around) == 0 {
			continue
		}
		own := parts(o)
		shortest, n := 0, 0
		for i, c := range come {
			words := split[i]
			if len(words) <= len(own) || shortest > 0 && len(words) > shortest || !hasAll(words, own) ||
				slices.ContainsFunc(words, func(w string) bool { return !slices.Contains(own, w) && !around[w] }) {
				continue
			}
			if n++; len(words) != shortest {
				shortest, n = len(words), 1
			}
			list[o] = c
		}
		if n != 1 {
			delete(list, o)
		}
	}
	return list
}

func hasAll(list, of []string) bool {
	for _, w := range of {
		if !slices.Contains(list, w) {
			return false
		}
	}
	return true
}

// carried adds names that begin others, where most of those that they begin became names that one new name begins.
func carried(all []Rename, gone, come []string) []Rename {
	best := map[string]Rename{}
	for _, r := range all {
		if b, has := best[r.Old]; r.Score >= numbers.Tell && (!has || r.Score > b.Score) {
			best[r.Old] = r
		}
	}
	for _, o := range gone {
		count, n := map[string]int{}, 0
		for old, r := range best {
			if !strings.HasPrefix(old, o+"-") {
				continue
			}
			n++
			for _, c := range come {
				if strings.HasPrefix(r.New, c+"-") {
					count[c]++
				}
			}
		}
		for c, k := range count {
			if k >= fewest && 3*k >= 2*n {
				all = append(all, Rename{Old: o, New: c, Score: 0.6,
					Because: []string{"names that began so begin with " + c + " now"}})
			}
		}
	}
	return all
}
