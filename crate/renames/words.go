package renames

import (
	"fmt"
	"slices"
	"strings"
)

// thesaurus has the words that names of classes use for one thing, in the English of user interfaces. A word may be in
// several rows.
var thesaurus = [][]string{
	{"small", "sm", "mini", "condensed", "compact", "tiny"}, {"xs", "mini", "tiny"},
	{"large", "lg", "big"}, {"xl", "xlarge", "huge"},
	{"default", "secondary", "neutral"}, {"default", "light"}, {"inverse", "inverted", "dark"},
	{"divider", "line", "separator"}, {"image", "img", "picture"}, {"responsive", "fluid"},
	{"circle", "round"}, {"left", "start"}, {"right", "end"}, {"open", "opened", "show", "in", "shown"},
	{"error", "invalid", "danger"}, {"has", "is"}, {"hidden", "hide", "none"}, {"content", "body"},
	{"header", "heading", "head"}, {"footer", "foot"}, {"title", "heading"}, {"caption", "legend"},
	{"disabled", "inactive"}, {"active", "current", "selected"}, {"column", "col", "cell"}, {"button", "btn"},
	{"navigation", "nav"}, {"wrapper", "wrap", "container"}, {"panel", "pane", "card", "box"},
	{"alert", "callout", "message", "notification"}, {"badge", "label", "tag", "chip"}, {"modal", "dialog"},
	{"tooltip", "tip"}, {"toggle", "toggler", "trigger"}, {"close", "dismiss"}, {"input", "field", "control"},
	{"spinner", "loader", "loading"}, {"drawer", "sidebar", "offcanvas"}, {"avatar", "thumbnail", "thumb"},
	{"muted", "subtle"}, {"bordered", "outlined", "outline"}, {"striped", "zebra"}, {"vertical", "stacked"},
}

// endings are what a word may have behind it and still be the same one.
var endings = []string{"s", "es", "ed", "d", "r", "er", "ing"}

// sameWord reports whether two words are one, or one in two forms: tab and tabs.
func sameWord(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	rest, is := strings.CutPrefix(b, a)
	return a == b || len(a) > 2 && is && slices.Contains(endings, rest)
}

// synonyms reports whether two words are used for one thing.
func synonyms(a, b string) bool {
	return slices.ContainsFunc(thesaurus, func(row []string) bool {
		return slices.Contains(row, a) && slices.Contains(row, b)
	})
}

// A split name is one with its words.
type split struct {
	name  string
	words []string
}

// worded adds, for gone classes of which nothing else tells the new name, the one whose words mean the same: word for
// word, behind the new name of what theirs begins with, or less a word at one end. What both mean for an element must
// agree in part, unless they change something that has its name in both versions (tide-condensed, tide-small). None
// of these is sure.
func (w *matcher) worded(told []Rename, gone []string) []Rename {
	list, has := slices.Clone(told), map[string]string{}
	for _, r := range told {
		has[r.Old] = r.New
	}
	byLength := map[int][]split{}
	for name := range w.new.sheet.Decls {
		words := parts(name)
		byLength[len(words)] = append(byLength[len(words)], split{name, words})
	}
	for _, o := range gone {
		if has[o] != "" {
			continue
		}
		best, next := Rename{}, 0.0
		consider := func(n string, least float64, because string) {
			share, _ := w.alike(o, n)
			if _, kept := w.old.sheet.Decls[n]; kept {
				least += numbers.WordedKept
			}
			if n == o || n == best.New || share < least {
				return
			}
			score := numbers.Worded + numbers.WordedShare*share
			if score > best.Score {
				best, next = Rename{Old: o, New: n, Score: score, Because: []string{because}}, best.Score
			} else {
				next = max(next, score)
			}
		}
		own := parts(o)
		for _, n := range byLength[len(own)] {
			words := inOtherWords(own, n.words)
			if words == "" {
				continue
			}
			least := numbers.WordedLeast
			if w.changes(own, n.words) || slices.EqualFunc(own, n.words, sameWord) {
				least = 0
			}
			consider(n.name, least, words)
		}
		for k := 1; k < len(own); k++ {
			front := has[strings.Join(own[:k], "-")]
			if front == "" {
				continue
			}
			moved := append(parts(front), own[k:]...)
			for _, n := range byLength[len(moved)] {
				if words := inOtherWords(moved, n.words); words != "" || slices.Equal(moved, n.words) {
					consider(n.name, 0, strings.Join(own[:k], "-")+" is "+front+" now")
				}
			}
		}
		if len(own) > 1 {
			for i, less := range [][]string{own[1:], own[:len(own)-1]} {
				if _, step := steps[own[i*(len(own)-1)]]; step {
					continue // it would hold at all widths, or in all sizes
				}
				for _, n := range byLength[len(less)] {
					if slices.Equal(n.words, less) || inOtherWords(less, n.words) != "" {
						consider(n.name, numbers.WordedLess, "it has a word less")
					}
				}
			}
		}
		if best.New != "" && best.Score > next {
			list = append(list, best)
		}
	}
	slices.SortFunc(list, func(a, b Rename) int { return strings.Compare(a.Old, b.Old) })
	return list
}

// inOtherWords says which words of a name stand for which of another one, if each is the same, in another form, or is
// used for the same thing, and not all are the same; "" otherwise. One word at least must stay, but for its form.
func inOtherWords(old, new []string) string {
	stay, changed := 0, ""
	for i, a := range old {
		switch b := new[i]; {
		case a == b:
			stay++
		case sameWord(a, b):
			stay++
			changed = fmt.Sprintf("%s is %s in another form", b, a)
		case synonyms(a, b):
			changed = fmt.Sprintf("%s stands for what %s does", b, a)
		default:
			return ""
		}
	}
	if stay == 0 {
		return ""
	}
	return changed
}

// changes reports whether the words that both names begin with are a class of both versions.
func (w *matcher) changes(old, new []string) bool {
	n := 0
	for n < len(old) && old[n] == new[n] {
		n++
	}
	base := strings.Join(old[:n], "-")
	return n > 0 && w.old.sheet.Decls[base] != nil && w.new.sheet.Decls[base] != nil
}
