package renames

import (
	"cmp"
	"math"
	"math/bits"
	"slices"
	"strings"
)

// Names of classes are words with a grammar: bw-col-low-shift-3 is a step of a scale, at a width, of a kind. From one
// version to the next makers change the grammar, so that many names change in one way: words are swapped, replaced,
// dropped. A family is such a way: an old pattern and a new one in which some words stand for whatever is there.

// A renamePattern is one way in which names change.
type renamePattern struct {
	old, new []string // words; those that begin with $ stand for the same word in both
	pairs    [][2]string
	matched  int     // old names that are gone and have its pattern
	alike    float64 // of its pairs, how alike they are on the whole
	rivals   int     // pairs for which a name came that keeps a word which the family replaces
	misfits  int     // pairs of which one counts at some width alone, and the other does not
	kept     int     // pairs whose new name was there before
	score    float64
	stated   int     // pairs of which the library itself says so
	follows  float64 // how much speaks for the new names having taken the place of the old ones as a whole
}

// String is how findings name it: bw-col-$1-shift-$2 → bw-shift-$1-$2.
func (f *renamePattern) String() string {
	return strings.NewReplacer(anyWord, "…", freeMark, "$").Replace(f.key())
}

// key tells one family from another.
func (f *renamePattern) key() string {
	return strings.Join(f.old, "-") + " → " + strings.Join(f.new, "-")
}

// Words of a pattern that no name has, since parts takes these characters out.
const (
	freeMark = "\x00"  // begins a word that stands for others, with its number
	anyWord  = "\x01…" // stands for whatever comes before or after
)

func isFree(word string) bool { return strings.HasPrefix(word, freeMark) }

// freeNumber is the number of a word that is free, 0 for any other.
func freeNumber(word string) int {
	if n := strings.TrimPrefix(word, freeMark); isFree(word) && len(n) == 1 && n[0] >= '0' && n[0] <= '9' {
		return int(n[0] - '0')
	}
	return 0
}

// holds reports whether the library itself says of one pair that it changed so, and nothing speaks against the others:
// then all of them did.
func (f *renamePattern) holds() bool {
	return f.stated > 0 && len(f.pairs) == f.matched && f.rivals+f.misfits+f.kept == 0
}

// maxTogether is how many new names with one word are looked at for one old name, and maxFamilies how many ways are
// weighed.
const (
	maxTogether = 80
	maxFamilies = 20_000
)

// families finds the ways in which the names that are gone became those that came. Alike tells of two classes how alike
// they are and how much that says.
func families(gone, come, kept []string, bases map[string][]string, certain map[string]string,
	alike func(o, n string) (share, said float64, fits bool)) []*renamePattern {
	words := map[string][]string{} // a word to the new names that have it
	is := map[string]named{}       // words of a new name to the name
	split := map[string][]string{}
	for i, c := range slices.Concat(come, kept) {
		split[c] = parts(c)
		is[strings.Join(split[c], "-")] = named{c, split[c], i >= len(come)}
		for _, w := range split[c] {
			words[w] = append(words[w], c)
		}
	}
	at := byPlace{}
	for _, o := range gone {
		split[o] = parts(o)
		for i, w := range split[o] {
			p := place{len(split[o]), i, w}
			at[p] = append(at[p], named{o, split[o], false})
		}
	}
	seen := map[string]bool{}
	var list []*renamePattern
	for _, o := range gone {
		near := partners(o, split, words)
		if n := certain[o]; n != "" {
			near = map[string]bool{n: true}
		}
		for _, n := range nearest(o, near, split, alike) {
			for _, f := range waysOf(split[o], split[n]) {
				key := f.key()
				if seen[key] || len(seen) > maxFamilies {
					continue
				}
				seen[key] = true
				if f.fill(at.having(f.old), is); len(f.pairs) > 1 {
					list = append(list, f)
				}
			}
		}
	}
	list = append(list, replacements(gone, split, words, is)...)
	list = append(list, stems(gone, split, is, bases)...)
	list = append(list, successions(gone, come, kept, split)...)
	for _, f := range list {
		f.weigh(alike)
		f.within(gone, is)
	}
	slices.SortFunc(list, func(a, b *renamePattern) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.String(), b.String()))
	})
	return list
}

// A named is a name with its words.
type named struct {
	name  string
	words []string
	kept  bool // it was there before
}

// partners are the new names that have the rarest words of an old one.
func partners(o string, split, words map[string][]string) map[string]bool {
	near := map[string]bool{}
	byRarity := slices.Clone(split[o])
	slices.SortStableFunc(byRarity, func(a, b string) int { return len(words[a]) - len(words[b]) })
	for _, w := range byRarity {
		if len(near) > maxTogether || len(near) > 0 && len(words[w]) > maxTogether {
			break
		}
		for _, n := range words[w] {
			near[n] = true
		}
	}
	return near
}

// maxNear is how many new names are taken for partners of an old one.
const maxNear = 16

// nearest are the new names that have most words in common with an old one, of those with equally many the most alike.
func nearest(o string, near map[string]bool, split map[string][]string, alike func(o, n string) (share, said float64,
	fits bool)) []string {
	type rated struct {
		name          string
		common, share float64
	}
	list := make([]rated, 0, len(near))
	for n := range near {
		r := rated{name: n}
		for _, w := range split[n] {
			if slices.Contains(split[o], w) {
				r.common++
			}
		}
		list = append(list, r)
	}
	if len(list) > maxNear {
		slices.SortFunc(list, func(a, b rated) int {
			return cmp.Or(cmp.Compare(b.common, a.common), cmp.Compare(a.name, b.name))
		})
		last := list[maxNear-1].common // of those with as many the most alike are taken
		for i := range list {
			if list[i].common == last {
				list[i].share, _, _ = alike(o, list[i].name)
			}
		}
		slices.SortStableFunc(list, func(a, b rated) int {
			return cmp.Or(cmp.Compare(b.common, a.common), cmp.Compare(b.share, a.share))
		})
		list = list[:maxNear]
	}
	names := make([]string, len(list))
	for i, r := range list {
		names[i] = r.name
	}
	return names
}

// A place is a word of a name: how many words that has, and which it is.
type place struct {
	words, index int
	word         string
}

// byPlace are the names that are gone, by each of their words.
type byPlace map[place][]named

// having are the names that have the rarest of a pattern's firm words in its place.
func (at byPlace) having(pattern []string) []named {
	var best []named
	for i, w := range pattern {
		if isFree(w) {
			continue
		}
		if list := at[place{len(pattern), i, w}]; best == nil || len(list) < len(best) {
			best = list
		}
	}
	return best
}

// maxFree is how many words of a name may stand for others.
const maxFree = 4

// waysOf are the ways of which one pair of names could be an instance.
func waysOf(old, new []string) []*renamePattern {
	var at [][2]int // words that both have
	used := map[int]bool{}
	for i, w := range old {
		for j, v := range new {
			if v == w && !used[j] {
				at = append(at, [2]int{i, j})
				used[j] = true
				break
			}
		}
	}
	if len(at) == 0 || len(at) > maxFree || len(at) == len(old) && slices.Equal(old, new) ||
		len(at) < (min(len(old), len(new))+1)/2 {
		return nil
	}
	var list []*renamePattern
	for free := uint(1); free < 1<<len(at); free++ {
		f := &renamePattern{old: slices.Clone(old), new: slices.Clone(new)}
		n := 0
		for k, p := range at {
			if free&(1<<k) != 0 {
				n++
				mark := freeMark + string(rune('0'+n))
				f.old[p[0]], f.new[p[1]] = mark, mark
			}
		}
		if bits.OnesCount(free) == len(old) {
			continue // nothing of the old name is firm
		}
		list = append(list, f)
	}
	return list
}

// fill finds the names that are gone and have the pattern, and those of them whose new name came.
func (f *renamePattern) fill(gone []named, came map[string]named) {
	words := make([]string, len(f.new))
	for _, g := range gone {
		o := g.words
		bound := [10]string{}
		fits := true
		for i, w := range f.old {
			if isFree(w) {
				bound[freeNumber(w)] = o[i]
			} else if w != o[i] {
				fits = false
				break
			}
		}
		if !fits {
			continue
		}
		f.matched++
		for i, w := range f.new {
			if words[i] = w; isFree(w) {
				words[i] = bound[freeNumber(w)]
			}
		}
		n := came[strings.Join(words, "-")]
		if n.name == "" || n.name == g.name {
			continue
		}
		f.pairs = append(f.pairs, [2]string{g.name, n.name})
		if n.kept {
			f.kept++
		}
		if f.hasRival(o, words, n.kept, came) {
			f.rivals++
		}
	}
}

// hasRival reports whether, in the place of one of a new name's words that the old name has not, an old word that the
// new one has not gives a name that came, too, or was there as the new one was: a step of a scale that is still there
// did not become another one.
func (f *renamePattern) hasRival(old, new []string, kept bool, came map[string]named) bool {
	for j, w := range f.new {
		if isFree(w) || slices.Contains(old, new[j]) {
			continue
		}
		for i, v := range f.old {
			if isFree(v) || slices.Contains(new, old[i]) {
				continue
			}
			other := slices.Clone(new)
			other[j] = old[i]
			if n := came[strings.Join(other, "-")]; n.name != "" && (kept || !n.kept) {
				return true
			}
		}
	}
	return false
}

// fewest is how many names must have changed in one word for that to be a way of its own.
const fewest = 3

// replacements are the families in which one word took another's place, wherever it stands: left became start.
func replacements(gone []string, split map[string][]string, words map[string][]string,
	is map[string]named) []*renamePattern {
	having := map[string][]string{} // an old word to the names that have it
	for _, o := range gone {
		for _, w := range split[o] {
			if !slices.Contains(having[w], o) {
				having[w] = append(having[w], o)
			}
		}
	}
	var list []*renamePattern
	for w, names := range having {
		if len(names) < fewest {
			continue
		}
		by := map[string]*renamePattern{}
		for _, o := range names {
			for _, v := range instead(split[o], w, words, split) {
				if by[v] == nil {
					by[v] = &renamePattern{old: []string{anyWord, w, anyWord}, new: []string{anyWord, v, anyWord},
						matched: len(names)}
				}
			}
		}
		for v, f := range by {
			for _, o := range names {
				changed := slices.Clone(split[o])
				changed[slices.Index(changed, w)] = v
				if n := is[strings.Join(changed, "-")]; n.name != "" && n.name != o {
					f.pairs = append(f.pairs, [2]string{o, n.name})
					if n.kept {
						f.kept++
					}
				}
			}
			if len(f.pairs) >= fewest {
				list = append(list, f)
			}
		}
	}
	return list
}

// within adds names that have the replaced word within one of theirs, where many names changed so: dropright became
// dropend.
func (f *renamePattern) within(gone []string, is map[string]named) {
	if f.old[0] != anyWord || f.score < numbers.Carry || len(f.pairs) < 5 {
		return
	}
	for _, o := range gone {
		changed := strings.Replace(o, f.old[1], f.new[1], 1)
		if n := is[strings.Join(parts(changed), "-")]; changed != o && n.name == changed && !n.kept &&
			!slices.ContainsFunc(f.pairs, func(p [2]string) bool { return p[0] == o }) {
			f.pairs = append(f.pairs, [2]string{o, changed})
		}
	}
}

// instead are the words that stand in new names where an old name has a word, all else being the same.
func instead(old []string, w string, words map[string][]string, split map[string][]string) []string {
	rarest := ""
	for _, u := range old {
		if u != w && (rarest == "" || len(words[u]) < len(words[rarest])) {
			rarest = u
		}
	}
	if rarest == "" {
		return nil
	}
	var list []string
	at := slices.Index(old, w)
	for _, n := range words[rarest] {
		if s := split[n]; len(s) == len(old) && s[at] != w && slices.Equal(s[:at], old[:at]) &&
			slices.Equal(s[at+1:], old[at+1:]) && !slices.Contains(list, s[at]) {
			list = append(list, s[at])
		}
	}
	return list
}

// weigh rates a family: by how many names it explains, how many it does not, how alike those are that it pairs, and how
// much of the names stays.
func (f *renamePattern) weigh(alike func(o, n string) (share, said float64, fits bool)) {
	sum, told := 0.0, 0.0
	for _, p := range f.pairs {
		share, said, fits := alike(p[0], p[1])
		told += said
		sum += share * min(1, numbers.Trusted+said)
		if !fits {
			f.misfits++
		}
	}
	n := float64(len(f.pairs))
	f.alike = sum / n
	stay := 0
	for _, w := range f.new {
		if isFree(w) || slices.Contains(f.old, w) {
			stay++
		}
	}
	stays := float64(stay) / float64(max(len(f.old), len(f.new)))
	explained := n / float64(f.matched)
	// What they have in common counts by its root: where declarations were rewritten a little is much, and nothing is
	// still nothing.
	f.score = numbers.PatternAlike*math.Sqrt(f.alike) + numbers.PatternStays*stays + numbers.PatternExplains*explained +
		numbers.PatternMany*min(1, math.Log2(n)/5) - (numbers.PatternRival*float64(f.rivals)+
		numbers.PatternMisfit*float64(f.misfits)+numbers.PatternKept*float64(f.kept))/n
	f.score += f.follows
	if f.follows > 0 {
		return
	}
	if f.alike < 0.02 || told/n < 0.02 && f.kept == len(f.pairs) || f.old[0] == anyWord && f.alike < 0.1 {
		f.score -= numbers.PatternEmpty // nothing but names speaks for it
	}
	switch {
	case n >= 4 && explained >= 0.75:
		f.score += numbers.PatternChance // hardly by chance
	case explained == 1:
		f.score += numbers.PatternAll
	}
}
