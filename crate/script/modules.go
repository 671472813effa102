package script

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// An Import is one statement by which a module imports from another, or exports what another does (ECMA-262, section 16.2).
type Import struct {
	From   string   `json:"from"`            // the specifier as it is written
	Names  []string `json:"names,omitempty"` // that the other must export; default is one
	Line   int      `json:"line"`
	Column int      `json:"column"`
}

// modules lists what a module imports and exports. Stars are the modules of which it exports all.
func (f *follower) modules(ast *js.AST) (imports []Import, exports, stars []string) {
	from := func(module []byte, names []string) {
		g := f.place("", module)
		imports = append(imports, Import{From: strings.Trim(string(module), "\"'`"), Names: names, Line: g.Line, Column: g.Column + 1}) // behind the quote
	}
	for _, s := range ast.List {
		switch s := s.(type) {
		case *js.ImportStmt:
			var names []string
			if s.Default != nil {
				names = append(names, "default")
			}
			for _, a := range s.List {
				if name := firstOf(a.Name, a.Binding); name != "*" {
					names = append(names, name)
				}
			}
			from(s.Module, names)
		case *js.ExportStmt:
			var names []string
			for _, a := range s.List {
				switch {
				case len(a.Name) == 0 && string(a.Binding) == "*":
					stars = append(stars, strings.Trim(string(s.Module), "\"'`"))
				default:
					exports = append(exports, string(a.Binding))
					if name := firstOf(a.Name, a.Binding); name != "*" {
						names = append(names, name)
					}
				}
			}
			if s.Module != nil {
				from(s.Module, names)
			}
			if s.Default {
				exports = append(exports, "default")
			} else if s.Decl != nil {
				exports = append(exports, declaredBy(s.Decl)...)
			}
		}
	}
	slices.Sort(exports)
	return imports, slices.Compact(exports), stars
}

func firstOf(a, b []byte) string {
	if len(a) > 0 {
		return string(a)
	}
	return string(b)
}

// declaredBy lists the names that an exported declaration makes.
func declaredBy(n js.INode) []string {
	switch n := n.(type) {
	case *js.FuncDecl:
		if n.Name != nil {
			return []string{string(n.Name.Data)}
		}
	case *js.ClassDecl:
		if n.Name != nil {
			return []string{string(n.Name.Data)}
		}
	case *js.VarDecl:
		var list []string
		for _, b := range n.List {
			list = append(list, bound(b.Binding)...)
		}
		return list
	}
	return nil
}

// bound lists the names of a pattern.
func bound(b js.IBinding) []string {
	var list []string
	switch b := b.(type) {
	case *js.Var:
		list = append(list, string(b.Data))
	case *js.BindingArray:
		for _, e := range b.List {
			list = append(list, bound(e.Binding)...)
		}
		list = append(list, bound(b.Rest)...)
	case *js.BindingObject:
		for _, e := range b.List {
			list = append(list, bound(e.Value.Binding)...)
		}
		if b.Rest != nil {
			list = append(list, string(b.Rest.Data))
		}
	}
	return list
}
