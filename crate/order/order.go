// Package order tells in which order a page's scripts and stylesheets take effect, which of them must come
// before which others and why, and how to put them right with the fewest moves.
//
// It is given what each one is, defines and needs. It knows no bytes and no files: tags are moved by
// package page, and which library a file is of is told by its caller.
package order

import (
	"fmt"
	"slices"
)

// A Phase tells when an item takes effect (HTML Standard, section 4.12.1).
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
	Library string // "" where it is of none
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
	// Unknown says that what it defines could not be read: a link to elsewhere, or a reference that a server
	// fills in.
	Unknown bool
	// Opens says that it defines more than is known: all the names that an object of its own has.
	Opens bool
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
		return fmt.Sprintf("%s reads %s (%s), which %s defines", b, c.Global, c.Where, a)
	case Declared:
		return fmt.Sprintf("%s needs %s, as the packing list says", items[c.After].Library, items[c.Before].Library)
	case Styles:
		return fmt.Sprintf("of equal rules the later one wins: %s before %s", a, b)
	}
	return fmt.Sprintf("the packing list has %s before %s", a, b)
}

// An Absent is a need that nothing on the page meets.
type Absent struct {
	Item int
	Need Need
}

// Rules are what a project knows of its libraries and files beside what their code says.
type Rules struct {
	Needs func(library string) []string // libraries that one needs before it
	Own   []string                      // own files in order, by their names
}

// Find returns the constraints of a page, and the needs that nothing on it meets. Who defines a global that several
// define is the first that runs.
func Find(items []Item, rules Rules) (list []Constraint, absent []Absent) {
	sequence := Sequence(items)
	definedBy := func(global string) int {
		by := -1
		for _, i := range sequence {
			if items[i].Defines.Has(global) && (by < 0 || items[by].Phase == AnyTime && items[i].Phase != AnyTime) {
				by = i
			}
		}
		return by
	}
	seen := make([]bool, len(items)*len(items))
	add := func(c Constraint) {
		if at := c.Before*len(items) + c.After; c.Before != c.After && !seen[at] {
			seen[at] = true
			list = append(list, c)
		}
	}
	for i := range items {
		if items[i].Inert {
			continue
		}
		for _, n := range items[i].Needs {
			by := -1
			for k := -1; k < len(n.Or); k++ {
				global := n.Global
				if k >= 0 {
					global = n.Or[k]
				}
				if j := definedBy(global); j >= 0 && (by < 0 || before(items, j, i)) {
					by = j
				}
			}
			if by < 0 {
				absent = append(absent, Absent{i, n})
			} else {
				add(Constraint{Before: by, After: i, Kind: Reads, Global: n.Global, Where: n.Where})
			}
		}
	}
	parts(items, sequence, add)
	declared(items, rules, add)
	styles(items, add)
	last := -1
	for _, name := range rules.Own {
		if i := slices.IndexFunc(items, func(it Item) bool { return it.Name == name && !it.Inert }); i >= 0 {
			if last >= 0 && items[last].Style == items[i].Style {
				add(Constraint{Before: last, After: i, Kind: OwnOrder})
			}
			last = i
		}
	}
	return list, absent
}

// parts adds that a member of a shared global is given before it is used.
func parts(items []Item, sequence []int, add func(Constraint)) {
	for i := range items {
		if items[i].Inert {
			continue
		}
		for _, n := range items[i].PartNeeds {
			if by := slices.IndexFunc(sequence, func(j int) bool { return items[j].Parts.Has(n.Global) }); by >= 0 && !items[i].Parts.Has(n.Global) {
				add(Constraint{Before: sequence[by], After: i, Kind: Reads, Global: n.Global, Where: n.Where})
			}
		}
	}
}

// declared adds what the packing list says of libraries: scripts before scripts, and styles before styles, but where both have
// scripts on the page: those are what need each other then.
func declared(items []Item, rules Rules, add func(Constraint)) {
	if rules.Needs == nil {
		return
	}
	scripted := map[string]bool{}
	for _, it := range items {
		if !it.Style && !it.Inert {
			scripted[it.Library] = true
		}
	}
	for i := range items {
		if items[i].Inert || items[i].Library == "" {
			continue
		}
		for _, need := range rules.Needs(items[i].Library) {
			for j := range items {
				if items[i].Style && scripted[need] && scripted[items[i].Library] {
					continue
				}
				if items[j].Library == need && items[j].Style == items[i].Style && !items[j].Inert {
					add(Constraint{Before: j, After: i, Kind: Declared})
				}
			}
		}
	}
}

// styles adds that the site's own stylesheets come after the libraries'.
func styles(items []Item, add func(Constraint)) {
	for i := range items {
		if !items[i].Style || items[i].Library == "" || items[i].Inert {
			continue
		}
		for j := range items {
			if items[j].Style && items[j].Own && !items[j].Inert && !items[j].Inline {
				add(Constraint{Before: i, After: j, Kind: Styles})
			}
		}
	}
}

// Sequence lists the items in the order in which they take effect. Async ones stand where they could at the
// earliest.
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

// before tells whether a surely takes effect before b.
func before(items []Item, a, b int) bool {
	if items[a].Phase == AnyTime || items[b].Phase == AnyTime && items[a].Phase == Deferred {
		return false
	}
	if pa, pb := phase(&items[a]), phase(&items[b]); pa != pb {
		return pa < pb
	}
	return a < b
}

// A State says how a constraint stands on the page as it is.
type State string

// The states of a constraint.
const (
	Kept   State = "kept"
	Broken State = "broken"
	Race   State = "race" // one of the two is async: it depends on the network
)

// StateOf tells how a constraint stands.
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
