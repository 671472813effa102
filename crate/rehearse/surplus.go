package rehearse

import (
	"reflect"

	"github.com/dop251/goja/ast"
	"github.com/dop251/goja/token"
)

// clearSurplus makes up for a mistake of the engine: where a function uses "arguments", and a closure one of its
// variables, the variable begins with the value of a surplus argument instead of undefined (ECMA-262, section 10.2.11).
// Such variables are given undefined at the start of the function, which is what they have anyway.
func clearSurplus(tree *ast.Program) {
	w := &surplus{}
	w.walk(reflect.ValueOf(tree.Body))
}

// surplus walks a syntax tree; the engine's package has no walk of its own.
type surplus struct{ inside []*scope }

// A scope is a function whose body is being walked.
type scope struct {
	usesArguments bool
	functions     map[string]bool // names that function declarations in it have
}

func (w *surplus) walk(v reflect.Value) {
	switch v.Kind() {
	case reflect.Interface:
		if !v.IsNil() {
			w.walk(v.Elem())
		}
	case reflect.Slice:
		for i := range v.Len() {
			w.walk(v.Index(i))
		}
	case reflect.Pointer:
		if !v.IsNil() {
			w.node(v)
		}
	case reflect.Struct:
		w.fields(v)
	}
}

func (w *surplus) fields(v reflect.Value) {
	for i := range v.NumField() {
		switch f := v.Field(i); f.Kind() {
		case reflect.Interface, reflect.Slice, reflect.Pointer, reflect.Struct:
			if t := v.Type().Field(i); t.IsExported() && t.Name != "DeclarationList" {
				// its declarations are in the body, too
				w.walk(f)
			}
		}
	}
}

func (w *surplus) node(v reflect.Value) {
	switch n := v.Interface().(type) {
	case *ast.Identifier:
		if len(w.inside) > 0 && n.Name == "arguments" {
			w.inside[len(w.inside)-1].usesArguments = true
		}
	case *ast.FunctionDeclaration:
		if len(w.inside) > 0 && n.Function.Name != nil {
			s := w.inside[len(w.inside)-1]
			if s.functions == nil {
				s.functions = map[string]bool{}
			}
			s.functions[n.Function.Name.Name.String()] = true
		}
		w.node(reflect.ValueOf(n.Function))
	case *ast.FunctionLiteral:
		s := &scope{}
		w.inside = append(w.inside, s)
		w.fields(v.Elem())
		w.inside = w.inside[:len(w.inside)-1]
		if s.usesArguments {
			clearVariables(n, s.functions)
		}
	default:
		w.walk(v.Elem())
	}
}

// clearVariables gives undefined to a function's variables, behind its directives.
func clearVariables(f *ast.FunctionLiteral, taken map[string]bool) {
	own := map[string]bool{"arguments": true}
	for _, p := range f.ParameterList.List {
		id, ok := p.Target.(*ast.Identifier)
		if !ok {
			return // with patterns the variables have a scope of their own
		}
		own[id.Name.String()] = true
	}
	if f.ParameterList.Rest != nil {
		return
	}
	var clear []ast.Statement
	for _, d := range f.DeclarationList {
		for _, b := range d.List {
			id, ok := b.Target.(*ast.Identifier)
			if !ok || own[id.Name.String()] || taken[id.Name.String()] {
				continue
			}
			own[id.Name.String()] = true
			at := f.Body.LeftBrace
			clear = append(clear, &ast.ExpressionStatement{Expression: &ast.AssignExpression{Operator: token.ASSIGN,
				Left: &ast.Identifier{Name: id.Name, Idx: at},
				Right: &ast.UnaryExpression{Operator: token.VOID, Idx: at, Operand: &ast.NumberLiteral{Idx: at,
					Literal: "0", Value: int64(0)}}}})
		}
	}
	n := 0
	for n < len(f.Body.List) {
		s, ok := f.Body.List[n].(*ast.ExpressionStatement)
		if !ok {
			break
		}
		if _, ok := s.Expression.(*ast.StringLiteral); !ok {
			break
		}
		n++
	}
	f.Body.List = append(append(append([]ast.Statement{}, f.Body.List[:n]...), clear...), f.Body.List[n:]...)
}
