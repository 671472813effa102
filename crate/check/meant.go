package check

import (
	"strings"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/script"
)

// language are the names of globals that the language has, as far as they are long enough to be misspelt.
var language = []string{"Array", "BigInt", "Boolean", "Date", "Error", "Function", "Infinity", "JSON", "Math", "Number",
	"Object", "Promise", "Proxy", "Reflect", "RegExp", "String", "Symbol", "TypeError", "WeakMap", "decodeURIComponent",
	"encodeURIComponent", "globalThis", "isFinite", "isNaN", "parseFloat", "parseInt", "undefined"}

// meant is the name that somebody probably meant who wrote another one: of a global that the page's scripts define, or
// that browsers have; "" if there is none.
func (k *pageCheck) meant(name string) string {
	const shortest = 4 // of shorter names too many are alike
	if len(name) < shortest {
		return ""
	}
	most := 1
	if len(name) > 7 {
		most = 2
	}
	best, distance := "", most+1
	try := func(other string) {
		if other == name || len(other) < shortest {
			return
		}
		d := levenshtein.Distance(name, other, nil)
		if strings.EqualFold(name, other) || swapped(name, other) {
			d = 1
		}
		if d < distance {
			best, distance = other, d
		}
	}
	for _, it := range k.p.Items {
		for _, other := range it.Defines.List() {
			try(other)
		}
	}
	for _, other := range language {
		try(other)
	}
	for _, other := range script.BrowserNames() {
		if other[0] >= 'a' && other[0] <= 'z' || len(name) > 7 { // there are interfaces for nearly every word
			try(other)
		}
	}
	return best
}

// swapped reports whether two names differ in two neighbouring letters that changed places.
func swapped(a, b string) bool {
	if len(a) != len(b) {
		return false
	}
	for i := 0; i+1 < len(a); i++ {
		if a[i] != b[i] {
			return a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:]
		}
	}
	return false
}
