package ecma

import (
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// Bound lists the names that a pattern binds, in their order (ECMA-262, BoundNames, section 8.2.1).
func Bound(b js.IBinding) []string {
	var list []string
	switch b := b.(type) {
	case *js.Var:
		list = append(list, string(b.Data))
	case *js.BindingArray:
		for _, e := range b.List {
			list = append(list, Bound(e.Binding)...)
		}
		list = append(list, Bound(b.Rest)...)
	case *js.BindingObject:
		for _, e := range b.List {
			list = append(list, Bound(e.Value.Binding)...)
		}
		if b.Rest != nil {
			list = append(list, string(b.Rest.Data))
		}
	}
	return list
}

// Unquoted is the name that a module's import, export or address means: one that is written as a string has quotes.
func Unquoted(name []byte) string { return strings.Trim(string(name), "\"'") }
