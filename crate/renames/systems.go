package renames

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/style"
)

// Frameworks have systems of classes: one for each step of a scale, each number of columns, each side. A system has a
// stem, which is the words that all its classes have, and slots for what differs. From one version to the next a whole
// system gets another stem, the step moves to another place of the name, or is written short (col-medium-3, col-3@m).
// The rules may stand on other elements then, and hold at other widths, so that no class is like its successor; but
// the system is there as a whole.

// steps are the words of scales, with the place of each.
var steps = map[string]int{"mini": 0, "tiny": 0, "xsmall": 0, "xs": 0, "small": 1, "sm": 1, "s": 1, "medium": 2,
	"md": 2,
	"m":  2, "large": 3, "lg": 3, "l": 3, "xlarge": 4, "xl": 4, "xxlarge": 5, "xxl": 5}

// A slotted name is a class's name as a system has it.
type slotted struct {
	stem  string // the words that are no slots, with blanks between
	slots string // the values of the slots: numbers in their sequence, and the step of a scale
	step  string // the step as it is written
}

func slottedOf(name string) slotted {
	var stem, digits []string
	s := slotted{}
	for _, w := range strings.FieldsFunc(name, func(r rune) bool {
		return r == '-' || r == '_' || r == '@' || r == ':' || r == '\\'
	}) {
		_, err := strconv.Atoi(w)
		_, isStep := steps[w]
		switch {
		case err == nil:
			digits = append(digits, w)
		case isStep && s.step == "":
			s.step = w
		default:
			stem = append(stem, w)
		}
	}
	s.stem, s.slots = strings.Join(stem, " "), strings.Join(digits, " ")
	if s.step != "" {
		s.slots += fmt.Sprintf(" step %d", steps[s.step])
	}
	return s
}

// systemsOf are the systems in a list of names: the names by their slots, by stem.
func systemsOf(names []string) map[string]map[string]string {
	all := map[string]map[string]string{}
	for _, name := range names {
		s := slottedOf(name)
		if s.slots == "" || s.stem == "" {
			continue
		}
		if all[s.stem] == nil {
			all[s.stem] = map[string]string{}
		}
		if other, twice := all[s.stem][s.slots]; !twice || len(name) < len(other) {
			all[s.stem][s.slots] = name
		}
	}
	return all
}

// systems finds for systems that are gone those that came in their places.
func systems(old, new *style.Sheet, gone, come []string) []Rename {
	had, has := systemsOf(gone), systemsOf(come)
	var list []Rename
	for _, stem := range slices.Sorted(maps.Keys(had)) {
		members := had[stem]
		if len(members) < systemFrom {
			continue
		}
		best, most, why := "", 0.0, ""
		for _, other := range slices.Sorted(maps.Keys(has)) {
			score, because := succession(old, new, stem, other, members, has[other])
			if score > most {
				best, most, why = other, score, because
			}
		}
		if best == "" || most < numbers.Tell {
			continue
		}
		for _, slots := range slices.Sorted(maps.Keys(members)) {
			if to := has[best][slots]; to != "" {
				list = append(list, Rename{Old: members[slots], New: to, Score: most, Because: []string{why}})
			}
		}
	}
	return list
}

// succession weighs whether one system came in the place of another: by how many of its classes there are again, by the
// words of the stems, and by declarations, on whatever element they stand.
func succession(old, new *style.Sheet, stem, other string, members, others map[string]string) (score float64,
	because string) {
	common := map[string]int{} // of a declaration, how many classes of the old system have it
	for _, name := range members {
		for d := range bare(old.Rules[name]) {
			common[d]++
		}
	}
	pairs, told, alike, least := 0, 0, 0.0, numbers.SystemCovered
	if stem == other {
		least = numbers.SystemCoveredSame
	}
	for slots, name := range members {
		to := others[slots]
		if to == "" {
			continue
		}
		pairs++
		a, b := bare(old.Rules[name]), bare(new.Rules[to])
		alike += sameDeclarations(a, b)
		for d := range a {
			if b[d] && common[d] <= len(members)/3+1 {
				told++ // a third of the width belongs to three columns, and to no other number
				break
			}
		}
	}
	covered := float64(pairs) / float64(len(members))
	if pairs < systemFrom || covered < least {
		return 0, ""
	}
	a, b := strings.Fields(stem), strings.Fields(other)
	same := 0
	for _, w := range a {
		if slices.Contains(b, w) {
			same++
		}
	}
	words := float64(same) / float64(max(len(a), len(b)))
	declared := max(alike, float64(told)) / float64(pairs)
	if words <= numbers.SystemHalf && declared < numbers.SystemAlike {
		return 0, ""
	}
	score = min(numbers.SystemMost, numbers.System+numbers.SystemWords*words+numbers.SystemDeclared*declared)
	return score, fmt.Sprintf("%d of %d names of this system came again as %s", pairs, len(members),
		cmp.Or(strings.ReplaceAll(other, " ", "-"), "others"))
}

// bare are declarations wherever they hold and on whatever element.
func bare(rules map[string]bool) map[string]bool {
	out := map[string]bool{}
	for r := range rules {
		out[longNumber().ReplaceAllStringFunc(r[strings.LastIndexByte(r, '{')+1:], func(n string) string {
			v, _ := strconv.ParseFloat(n, 64)
			return strconv.FormatFloat(v, 'f', 2, 64) // makers write a third with more places, or fewer
		})] = true
	}
	return out
}

// sameDeclarations is the part of two classes' declarations that is the same.
func sameDeclarations(x, y map[string]bool) float64 {
	same := 0
	for d := range x {
		if y[d] {
			same++
		}
	}
	if len(x)+len(y) == 0 {
		return 0
	}
	return float64(same) / float64(max(1, min(len(x), len(y))))
}

var longNumber = memo.Regexp(`\d+\.\d{3,}`)

// onScale leaves out renames to another step of a scale than the old name's, and those of steps above the first to
// names without one: a step stays what it is, at whatever width it begins now. What the library itself says stays. It
// returns those that it left out, too.
func onScale(all []Rename) (left, out []Rename) {
	for _, r := range all {
		a, b := slottedOf(r.Old), slottedOf(r.New)
		off := a.step != "" && (b.step != "" && steps[a.step] != steps[b.step] || b.step == "" && a.stem == b.stem &&
			steps[a.step] > firstStep)
		if off && !r.stated {
			out = append(out, r)
		} else {
			left = append(left, r)
		}
	}
	return left, out
}

// doubted takes the certainty from renames of which a rival was left out that was as likely.
func doubted(list, out []Rename) []Rename {
	for i := range list {
		r := &list[i]
		r.Sure = r.Sure && !slices.ContainsFunc(out, func(o Rename) bool {
			return (o.Old == r.Old || o.New == r.New) && o.Score > r.Score-numbers.Margin
		})
	}
	return list
}

// addSystems adds what systems tell to other evidence: a rename that is there already is as likely as the likelier of
// both says.
func addSystems(all, more []Rename) []Rename {
	at := map[[2]string]int{}
	for i, r := range all {
		at[[2]string{r.Old, r.New}] = i
	}
	for _, r := range more {
		i, there := at[[2]string{r.Old, r.New}]
		if !there {
			all = append(all, r)
			continue
		}
		all[i].Score = max(all[i].Score, r.Score)
		all[i].Because = append(all[i].Because, r.Because...)
	}
	return all
}
