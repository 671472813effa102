// Package renames finds the new names of a library's classes, members, attributes and parts of pictures in another
// version: by declarations, computed styles, patterns of names, drawings, and the changelog. It works on parsed
// stylesheets, not on files.
package renames

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/style"
)

// A Rename is a class of an old stylesheet that a new one probably calls otherwise.
type Rename struct {
	Old   string  `json:"old"`   // the old name
	New   string  `json:"new"`   // the new name
	Score float64 `json:"score"` // 0 to 1
	// Sure says that the evidence is strong and points to no other.
	Sure    bool     `json:"sure"`
	Because []string `json:"because"` // the evidence
	// And are further classes that an element needs to look as before.
	And []string `json:"and,omitempty"`

	stated bool // by the library itself: several old names may then have become one
}

// A ChangeNote is a line of a library's own change notes.
type ChangeNote struct {
	Text, Where string
	Table       bool // a row of a table of names, in which every word is one
}

// Evidence holds what is known about two versions beside their stylesheets.
type Evidence struct {
	Notes  []ChangeNote
	Compat []*style.Sheet               // of the new version, for old names
	Fonts  func() (old, new glyphs.Set) // those in which icons are drawn; asked for where icons are gone
}

// Classes returns the likely renames from old to new, the best for each old class: by equal or similar declarations,
// similar names, patterns of names, icons' drawings, the changelog, and stylesheets that keep old names working.
func Classes(old, new *style.Sheet, e Evidence) []Rename {
	gone, come := missing(old, new), missing(new, old)
	by := map[string][]string{} // a declaration to the new classes that have it
	for _, c := range come {
		for d := range new.Rules[c] {
			by[d] = append(by[d], c)
		}
	}
	words := map[string][]string{} // a part of a name to the new classes that have it
	for _, c := range come {
		for _, w := range parts(c) {
			words[w] = append(words[w], c)
		}
	}
	one := alone{prints(old), prints(new)}
	ways := newWays(old, new, gone, come, one)
	said := fromNotes(gone, slices.Concat(come, ways.kept), e.Notes)
	ways.state(said)
	ways.alias(gone, e.Compat)
	ways.draw(gone, e)
	var all []Rename
	for _, o := range gone {
		candidates := map[string]bool{}
		for d := range old.Rules[o] {
			if len(by[d]) <= 40 { // what everybody has tells nothing
				for _, c := range by[d] {
					candidates[c] = true
				}
			}
		}
		for _, w := range parts(o) {
			if len(words[w]) <= 60 {
				for _, c := range words[w] {
					candidates[c] = true
				}
			}
		}
		for c := range said[o] {
			candidates[c] = true
		}
		for c := range ways.of[o] {
			candidates[c] = true
		}
		for _, n := range []string{ways.scoped[o], ways.icons[o].class} {
			if n != "" {
				candidates[n] = true
			}
		}
		for _, c := range slices.Concat(ways.saying(o), ways.alone[ways.old.of(o).own()],
			slices.Collect(maps.Keys(ways.aliased[o]))) {
			candidates[c] = true
		}
		for c := range candidates {
			all = append(all, ways.weigh(rate(old, new, o, c, said[o][c], one)))
		}
	}
	all, out := onScale(addSystems(all, systems(old, new, gone, come)))
	return ways.worded(doubted(best(carried(all, gone, come)), out), gone)
}

// alone counts, for each sheet, the classes that have just the same declarations.
type alone struct{ old, new map[string]int }

func fingerprint(rules map[string]bool) string {
	return strings.Join(slices.Sorted(maps.Keys(rules)), "\x00")
}

func prints(s *style.Sheet) map[string]int {
	m := map[string]int{}
	for _, rules := range s.Rules {
		m[fingerprint(rules)]++
	}
	return m
}

// missing lists the classes that one sheet makes and the other does not.
func missing(a, b *style.Sheet) []string {
	has := map[string]bool{}
	for _, m := range b.Mentions {
		if m.Kind == style.Class && m.Makes {
			has[m.Name] = true
		}
	}
	var list []string
	for _, m := range a.Makes() {
		if m.Kind == style.Class && !has[m.Name] {
			list = append(list, m.Name)
		}
	}
	return list
}

// parts splits a name into its words, at least one.
func parts(name string) []string {
	list := strings.FieldsFunc(name, func(r rune) bool {
		return r == '-' || r == '_' || r == rune(freeMark[0]) ||
			r == rune(anyWord[0])
	})
	if len(list) == 0 {
		return []string{name} // nothing but marks: it is a word anyway
	}
	return list
}

// rate weighs the evidence for one rename.
func rate(old, new *style.Sheet, o, n, note string, one alone) Rename {
	r := Rename{Old: o, New: n}
	a, b := old.Rules[o], new.Rules[n]
	same := 0
	for d := range a {
		if b[d] {
			same++
		}
	}
	rules := 0.0
	if len(a)+len(b) > 0 {
		rules = float64(same) / float64(len(a)+len(b)-same)
	}
	names := levenshtein.Similarity(o, n, nil)
	last := parts(o)[len(parts(o))-1] == parts(n)[len(parts(n))-1]
	switch {
	case same == len(a) && same == len(b) && same > 1:
		r.Because = append(r.Because, fmt.Sprintf("the same %d declarations", same))
	case same > 0:
		r.Because = append(r.Because, fmt.Sprintf("%d of %d declarations", same, max(len(a), len(b))))
	}
	// One declaration in common is little: many classes have it.
	trust := min(1, float64(same)/3)
	r.Score = numbers.Rules*rules*(numbers.Few+(1-numbers.Few)*trust) + numbers.Letters*names
	if last {
		r.Score += numbers.Ending
	}
	if rules == 1 && same >= 3 {
		r.Score = max(r.Score,
			numbers.Same+numbers.SameLetters*names) // three rules that are the same by chance are rare
	} else if p := fingerprint(a); rules == 1 && names >= numbers.AloneAlike && one.old[p] == 1 && one.new[p] == 1 {
		r.Score = max(r.Score, numbers.Alone+numbers.AloneLetters*names)
		r.Because = append(r.Because, "no other class has exactly these")
	}
	if names > 0.6 {
		r.Because = append(r.Because, fmt.Sprintf("the names are %d %% alike", int(100*names)))
	}
	if note != "" {
		r.Score, r.stated = numbers.Stated+(1-numbers.Stated)*r.Score, true
		r.Because = append(r.Because, note)
	}
	return r
}

// best keeps the best candidate for each old class, and says which are sure: those that stand well before the next,
// from both sides.
func best(all []Rename) []Rename {
	slices.SortFunc(all, func(a, b Rename) int {
		return cmp.Or(cmp.Compare(b.Score, a.Score), cmp.Compare(a.Old, b.Old), cmp.Compare(a.New, b.New))
	})
	first, firstOfNew := map[string]int{}, map[string]int{}
	next, nextOfNew := map[string]float64{}, map[string]float64{}
	for i, r := range all {
		if _, ok := first[r.Old]; !ok {
			first[r.Old] = i
		} else {
			next[r.Old] = max(next[r.Old], r.Score)
		}
		if _, ok := firstOfNew[r.New]; !ok {
			firstOfNew[r.New] = i
		} else {
			nextOfNew[r.New] = max(nextOfNew[r.New], r.Score)
		}
	}
	var list []Rename
	for old, i := range first {
		r := all[i]
		if r.Score < numbers.Tell || firstOfNew[r.New] != i && r.Score < numbers.Sure && !r.stated {
			continue
		}
		r.Score = min(1, r.Score)
		r.Sure = r.Score >= numbers.Sure && r.Score-next[old] >= numbers.Margin && (r.stated || r.And == nil &&
			firstOfNew[r.New] == i && r.Score-nextOfNew[r.New] >= numbers.Margin/2)
		list = append(list, r)
	}
	slices.SortFunc(list, func(a, b Rename) int { return cmp.Compare(a.Old, b.Old) })
	return list
}

// fromNotes finds lines of change notes that name an old and a new class, in this order, and not many others; a star
// stands for any end.
func fromNotes(gone, come []string, notes []ChangeNote) map[string]map[string]string {
	old, new := map[string]bool{}, map[string]bool{}
	for _, g := range gone {
		old[g] = true
	}
	for _, c := range come {
		new[c] = true
	}
	said := map[string]map[string]string{}
	say := func(o, n, where string) {
		if said[o] == nil {
			said[o] = map[string]string{}
		}
		said[o][n] = "the library itself says so (" + where + ")"
	}
	for _, n := range notes {
		var left, right, stars []string
		for _, w := range strings.FieldsFunc(n.Text, func(r rune) bool {
			return !(r == '-' || r == '_' || r == '*' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' &&
				r <= 'Z')
		}) {
			stem, star := strings.CutSuffix(w, "-*")
			switch {
			case star && stem != "":
				stars = append(stars, stem+"-")
			case !n.Table && !isName(n.Text, w):
			case slices.Contains(left, w) || slices.Contains(right, w):
			case old[w] && len(right) == 0:
				left = append(left, w)
			case new[w] && len(left) > 0:
				right = append(right, w)
			}
		}
		if len(left) == 1 && len(right) == 1 {
			say(left[0], right[0], n.Where)
		}
		if len(stars) == 2 {
			for o := range old {
				if rest, ok := strings.CutPrefix(o, stars[0]); ok && new[stars[1]+rest] {
					say(o, stars[1]+rest, n.Where)
				}
			}
		}
	}
	return said
}

// isName tells a name in a sentence from a word of it: it has a dash, or stands in quotes or after a dot.
func isName(text, word string) bool {
	if strings.ContainsAny(word, "-_") {
		return true
	}
	for _, mark := range []string{".", "`", `"`, "'", "| "} {
		if strings.Contains(text, mark+word) {
			return true
		}
	}
	return false
}
