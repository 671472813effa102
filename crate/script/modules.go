package script

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/ecma"
)

// An Import is one statement by which a module imports from another, or exports what another does (ECMA-262, section
// 16.2).
type Import struct {
	From   string   `json:"from"`            // the specifier as it is written
	Names  []string `json:"names,omitempty"` // that the other must export; default is one
	Type   string   `json:"type,omitempty"`  // json or css, where it is no script
	Line   int      `json:"line"`
	Column int      `json:"column"`
}

// modules lists what a module imports and exports. Stars are the modules of which it exports all.
func (f *follower) modules(ast *js.AST) (imports []Import, exports, stars []string) {
	from := func(module []byte, names []string) {
		g := f.place("", module)
		// behind the quote
		imports = append(imports, Import{From: strings.Trim(string(module), "\"'`"), Names: names,
			Type: ecma.TypeBehind(f.original, ecma.Offset(f.src, module), len(module)), Line: g.Line,
			Column: g.Column + 1})
	}
	for _, s := range ast.List {
		switch s := s.(type) {
		case *js.ImportStmt:
			var names []string
			if s.Default != nil {
				names = append(names, "default")
			}
			for _, a := range s.List {
				if name := ecma.Unquoted(firstOf(a.Name, a.Binding)); name != "*" {
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
					exports = append(exports, ecma.Unquoted(a.Binding))
					if name := ecma.Unquoted(firstOf(a.Name, a.Binding)); name != "*" {
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

func firstOf(a, b []byte) []byte {
	if len(a) > 0 {
		return a
	}
	return b
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
			list = append(list, ecma.Bound(b.Binding)...)
		}
		return list
	}
	return nil
}
