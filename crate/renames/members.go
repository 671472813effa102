package renames

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// wayOf is a way in which makers rename members of a global: old and new names by their paths (scale.linear).
type wayOf struct {
	what  string // in words, such as "the path became one name"
	pairs [][2]string
}

// makers are words that stand before the name of what a function makes.
var makers = []string{"create", "make", "get", "use", "new"}

// Members finds the new names of members of a global by how paths changed: a path that became one name (scale.linear,
// scaleLinear), a member that moved into a namespace (random, utils.random), one that moved out, and a name with a verb
// before it (timeline, createTimeline). The more members changed in one way, the likelier is each. None is sure: a
// function with another name often takes other arguments.
func Members(gone, come []string) []Rename {
	new := map[string]bool{}
	byLast := map[string][]string{} // the paths that end in a name
	for _, c := range come {
		new[c] = true
		if i := strings.LastIndexByte(c, '.'); i > 0 && !strings.Contains(c, "prototype.") {
			byLast[c[i+1:]] = append(byLast[c[i+1:]], c)
		}
	}
	ways := map[string]*wayOf{}
	note := func(what, old, to string) {
		if ways[what] == nil {
			ways[what] = &wayOf{what: what}
		}
		ways[what].pairs = append(ways[what].pairs, [2]string{old, to})
	}
	for _, old := range gone {
		if strings.HasPrefix(old, "prototype.") || strings.Contains(old, ".prototype.") {
			continue
		}
		if to := joined(old); to != old && new[to] {
			note("the path became one name", old, to)
		}
		if i := strings.LastIndexByte(old, '.'); i > 0 && new[old[i+1:]] {
			note("it moved out of "+old[:i], old, old[i+1:])
		}
		if !strings.Contains(old, ".") {
			for _, to := range byLast[old] {
				note("it moved into "+to[:strings.LastIndexByte(to, '.')], old, to)
			}
		}
		for _, verb := range makers {
			if to := verb + capital(old); new[to] {
				note(fmt.Sprintf("it begins with %q now", verb), old, to)
			}
		}
	}
	var all []Rename
	for _, w := range ways {
		score := cmp.Or(map[int]float64{1: 0.6, 2: 0.7}[len(w.pairs)], 0.8)
		for _, p := range w.pairs {
			why := w.what
			if len(w.pairs) > 1 {
				why += fmt.Sprintf(", as with %d others", len(w.pairs)-1)
			}
			all = append(all, Rename{Old: p[0], New: p[1], Score: score, Because: []string{why}})
		}
	}
	// Of several new names the one counts that most others went with.
	slices.SortFunc(all, func(a, b Rename) int {
		return cmp.Or(cmp.Compare(a.Old, b.Old), cmp.Compare(b.Score, a.Score), cmp.Compare(len(a.New), len(b.New)),
			cmp.Compare(a.New, b.New))
	})
	return slices.CompactFunc(all, func(a, b Rename) bool { return a.Old == b.Old })
}

// joined is a path as one name: scale.linear is scaleLinear.
func joined(path string) string {
	first, rest, _ := strings.Cut(path, ".")
	for rest != "" {
		var part string
		part, rest, _ = strings.Cut(rest, ".")
		first += capital(part)
	}
	return first
}

func capital(name string) string {
	if name == "" {
		return ""
	}
	return strings.ToUpper(name[:1]) + name[1:]
}
