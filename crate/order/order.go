// Package order computes in which order a page's scripts and stylesheets take effect, which must come before which and
// why, and how to correct the order with the fewest moves. Its input is what each item is, defines and needs. It knows
// no bytes and no files.
package order

import (
	"fmt"
	"slices"
)

// A Phase is the time at which an item takes effect (HTML Standard, section 4.12.1).
type Phase int

// The times at which an item takes effect.
const (
	InPlace  Phase = iota // where it stands: a stylesheet, a blocking or an inline script
	Deferred              // after parsing, in the order of the page: defer, and modules
	AnyTime               // async: whenever it has come
)

// A Need is a global that an item must find when it runs.
type Need struct {
	Global string
	Or     []string // others that would serve
	Where  string   // file:line:column of the evidence
}

// An Item is one script or stylesheet of a page.
type Item struct {
	Name    string // as a reader would call it
	Library string // "" if it is of none
	Style   bool
	Inline  bool
	Own     bool // the site's own
	Phase   Phase
	Defines *Names
	Needs   []Need
	// Parts are members that it gives to others' globals, and PartNeeds those that it uses; they matter only where both
	// are on the page.
	Parts     *Names
	PartNeeds []Need
	// Unread means that the item's definitions could not be read: it is a link to another host, or a server fills in
	// the reference.
	Unread bool
	// DefinesUnknown says that it defines more than is known: all the names that an object of its own has.
	DefinesUnknown bool
	// Inert says that the browser passes over it.
	Inert bool
	// Text is whatever the caller wants to find with the item again.
	Text any
}

// A Kind says where a constraint comes from.
type Kind string

// The kinds of constraint.
const (
	Reads    Kind = "reads"    // one script reads what the other defines
	Declared Kind = "declared" // the packing list says that one library needs the other
	Styles   Kind = "styles"   // of equal rules the later one wins
	OwnOrder Kind = "own"      // the packing list gives the site's own files an order
	Habit    Kind = "habit"    // pages usually have it so; nothing breaks where they do not
)

// A Constraint says that one item must take effect before another, and why.
type Constraint struct {
	Before, After int
	Kind          Kind
	Global        string // that is read
	Where         string // the evidence, where there is any
}

// Reason says why, in words that name both.
func (c Constraint) Reason(items []Item) string {
	a, b := items[c.Before].Name, items[c.After].Name
	switch c.Kind {
	case Reads:
		return fmt.Sprintf("%s uses %s (%s), which %s defines", b, c.Global, c.Where, a)
	case Declared:
		return fmt.Sprintf("%s needs %s, as the packing list says", items[c.After].Library, items[c.Before].Library)
	case Styles:
		return fmt.Sprintf("of two equal rules the later one wins: %s before %s", a, b)
	}
	return fmt.Sprintf("the packing list has %s before %s", a, b)
}

// An MissingNeed is a need that nothing on the page meets.
type MissingNeed struct {
	Item int
	Need Need
}

// Rules are the packing list's statements about libraries and own files.
type Rules struct {
	Needs func(library string) []string // libraries that one needs before it
	Own   []string                      // own files in order, by their names
}

// MaxConfirmed is how many needs of one page are confirmed by running their scripts alone: enough for any page that
// people write, and half a second's work. Needs beyond that count as reading found them.
const MaxConfirmed = 50

// Find returns the constraints of a page, and the needs that nothing on it meets. Who defines a global that several
// define is the first that runs.
func Find(items []Item, rules Rules) (list []Constraint, absent []MissingNeed) {
	sequence := Sequence(items)
	asked := map[string]int{} // of each global that is needed, the item that defines it; -1 if no item does
	for i := range items {
		for _, n := range items[i].Needs {
			asked[n.Global] = -1
			for _, other := range n.Or {
				asked[other] = -1
			}
		}
	}
	for _, i := range sequence {
		for global := range items[i].Defines.each(asked) {
			if by := asked[global]; by < 0 || items[by].Phase == AnyTime && items[i].Phase != AnyTime {
				asked[global] = i
			}
		}
	}
	type pair struct{ before, after int }
	seen := map[pair]bool{}
	add := func(c Constraint) {
		if at := (pair{c.Before, c.After}); c.Before != c.After && !seen[at] {
			seen[at] = true
			list = append(list, c)
		}
	}
	for i := range items {
		if items[i].Inert {
			continue
		}
		for _, n := range items[i].Needs {
			by, found := -1, n.Global
			for k := -1; k < len(n.Or); k++ {
				global := n.Global
				if k >= 0 {
					global = n.Or[k]
				}
				if j := asked[global]; j >= 0 && (by < 0 || before(items, j, i)) {
					by, found = j, global
				}
			}
			if by < 0 {
				absent = append(absent, MissingNeed{i, n})
			} else {
				add(Constraint{Before: by, After: i, Kind: Reads, Global: found, Where: n.Where})
			}
		}
	}
	parts(items, sequence, add)
	declared(items, rules, add)
	styles(items, add)
	ownOrder(items, rules.Own, add)
	return list, absent
}

// ownOrder adds the order that the packing list gives to own files.
func ownOrder(items []Item, own []string, add func(Constraint)) {
	if len(own) == 0 {
		return
	}
	first := map[string]int{}
	for i, it := range slices.Backward(items) {
		if !it.Inert {
			first[it.Name] = i
		}
	}
	last := -1
	for _, name := range own {
		if i, ok := first[name]; ok {
			if last >= 0 && items[last].Style == items[i].Style {
				add(Constraint{Before: last, After: i, Kind: OwnOrder})
			}
			last = i
		}
	}
}

// parts adds that a member of a shared global is given before it is used.
func parts(items []Item, sequence []int, add func(Constraint)) {
	asked := map[string]int{}
	for i := range items {
		for _, n := range items[i].PartNeeds {
			asked[n.Global] = -1
		}
	}
	for _, i := range slices.Backward(sequence) {
		for member := range items[i].Parts.each(asked) {
			asked[member] = i // the first in the sequence
		}
	}
	for i := range items {
		if items[i].Inert {
			continue
		}
		for _, n := range items[i].PartNeeds {
			if by := asked[n.Global]; by >= 0 && !items[i].Parts.Has(n.Global) {
				add(Constraint{Before: by, After: i, Kind: Reads, Global: n.Global, Where: n.Where})
			}
		}
	}
}

// declared adds what the packing list says of libraries: scripts before scripts, and styles before styles, but where
// both have scripts on the page: those are what need each other then. Of equal tags the first counts.
func declared(items []Item, rules Rules, add func(Constraint)) {
	if rules.Needs == nil {
		return
	}
	type kind struct {
		library string
		style   bool
	}
	scripted := map[string]bool{}
	tags := map[kind][]int{}
	seen := map[string]bool{}
	for i, it := range items {
		if it.Inert || it.Library == "" {
			continue
		}
		if !it.Style {
			scripted[it.Library] = true
		}
		if it.Inline || !seen[it.Name] {
			of := kind{it.Library, it.Style}
			tags[of] = append(tags[of], i)
			seen[it.Name] = true
		}
	}
	needs := map[string][]string{}
	for i := range items {
		library := items[i].Library
		if items[i].Inert || library == "" {
			continue
		}
		if _, known := needs[library]; !known {
			needs[library] = rules.Needs(library)
		}
		for _, need := range needs[library] {
			if items[i].Style && scripted[need] && scripted[library] {
				continue
			}
			for _, j := range tags[kind{need, items[i].Style}] {
				add(Constraint{Before: j, After: i, Kind: Declared})
			}
		}
	}
}

// styles adds that the site's own stylesheets come after the libraries'. Of equal tags of a library the last counts: of
// equal rules the later one wins.
func styles(items []Item, add func(Constraint)) {
	last := map[string]int{}
	var own []int
	for i, it := range items {
		if !it.Style || it.Inert {
			continue
		}
		if it.Library != "" {
			last[it.Name] = i
		}
		if it.Own && !it.Inline {
			own = append(own, i)
		}
	}
	for i, it := range items {
		if !it.Style || it.Library == "" || it.Inert || last[it.Name] != i {
			continue
		}
		for _, j := range own {
			add(Constraint{Before: i, After: j, Kind: Styles})
		}
	}
}

// Sequence lists the items in the order in which they take effect. Async items are at their earliest possible position.
func Sequence(items []Item) []int {
	list := make([]int, 0, len(items))
	for _, deferred := range []bool{false, true} {
		for i := range items {
			if !items[i].Inert && (items[i].Phase == Deferred) == deferred {
				list = append(list, i)
			}
		}
	}
	return list
}

func phase(it *Item) int {
	if it.Phase == Deferred {
		return 1
	}
	return 0
}

// before reports whether a surely takes effect before b.
func before(items []Item, a, b int) bool {
	if items[a].Phase == AnyTime || items[b].Phase == AnyTime && items[a].Phase == Deferred {
		return false
	}
	if pa, pb := phase(&items[a]), phase(&items[b]); pa != pb {
		return pa < pb
	}
	return a < b
}

// A State says how a constraint is on the page as it is.
type State string

// The states of a constraint.
const (
	Kept   State = "kept"
	Broken State = "broken"
	Race   State = "race" // one of the two is async: it depends on the network
)

// StateOf returns the state of a constraint.
func StateOf(items []Item, c Constraint) State {
	switch {
	case items[c.Before].Phase == AnyTime:
		return Race
	case before(items, c.Before, c.After):
		return Kept
	case items[c.After].Phase == AnyTime:
		return Race
	}
	return Broken
}
