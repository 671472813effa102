package rehearse

import (
	"fmt"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/ecma"
)

// The engine knows no modules. Each is made a function for it, of which every letter but those of import and export
// stays where it was, so that places are right: what it imports are names of an object around it, each with a getter,
// and what it exports are functions that give the value as it is then. A function that is a generator stops once its
// own functions are there and before its first statement, as modules that import each other in a circle need it
// (ECMA-262, section 16.2.1).

// linked is a module as the engine takes it.
type linked struct {
	text    string
	asks    []string          // the modules that it imports, in its order
	imports []binding         // its own names for what others export
	exports map[string]string // to its own names
	through []binding         // exports of others, under a name of its own; all of them where the name is "*"
	awaits  bool              // it waits for something outside of all functions
}

// A binding is a name for what another module exports: for all of it where what is "*".
type binding struct{ name, from, what string }

// ahead is how many lines stand before a module's first.
const ahead = 1

// link makes a module a function for the engine. The error says why that can't be.
func link(text string) (*linked, error) {
	src := []byte(text)
	edits, err := scan(src)
	if err != nil {
		return nil, err
	}
	tree, err := ecma.Parse(append(make([]byte, 0, len(src)+1), src...))
	if err != nil {
		return nil, err
	}
	l := &linked{exports: map[string]string{}}
	imports, exports := 0, 0
	for _, s := range tree.List {
		switch s := s.(type) {
		case *js.ImportStmt:
			imports++
			l.importing(s)
			l.ask(s.Module)
		case *js.ExportStmt:
			exports++
			l.exporting(s)
			l.ask(s.Module)
		}
	}
	if imports != edits.imports || exports != edits.exports {
		return nil, fmt.Errorf("its imports and exports can't be told apart")
	}
	body := edits.apply(src)
	getters := &strings.Builder{}
	for name, own := range l.exports {
		fmt.Fprintf(getters, "%q:()=>%s,", name, own)
	}
	l.awaits = edits.awaits
	kind, pause := "function*", "yield;"
	if l.awaits {
		kind, pause = "async function", ""
	}
	l.text = "(function($scope,$export,$fetch,$meta){with($scope){return (" + kind + "(){\"use strict\";let " +
		"$default;$export({" + getters.String() + "});" + pause + "\n" + string(body) + "\n}).call(undefined)}})"
	return l, nil
}

// ask notes a module that is imported, nil for none.
func (l *linked) ask(module []byte) {
	if name := ecma.Unquoted(module); module != nil && !slices.Contains(l.asks, name) {
		l.asks = append(l.asks, name)
	}
}

func (l *linked) importing(s *js.ImportStmt) {
	from := ecma.Unquoted(s.Module)
	if s.Default != nil {
		l.imports = append(l.imports, binding{string(s.Default), from, "default"})
	}
	for _, a := range s.List {
		what := a.Name
		if what == nil {
			what = a.Binding
		}
		l.imports = append(l.imports, binding{string(a.Binding), from, ecma.Unquoted(what)})
	}
}

func (l *linked) exporting(s *js.ExportStmt) {
	for _, a := range s.List {
		own := a.Name
		if own == nil {
			own = a.Binding
		}
		switch {
		case s.Module == nil:
			l.exports[ecma.Unquoted(a.Binding)] = string(own)
		case a.Name == nil && string(a.Binding) == "*":
			l.through = append(l.through, binding{"*", ecma.Unquoted(s.Module), "*"})
		default:
			l.through = append(l.through, binding{ecma.Unquoted(a.Binding), ecma.Unquoted(s.Module),
				ecma.Unquoted(own)})
		}
	}
	switch d := s.Decl.(type) {
	case *js.FuncDecl:
		if d.Name != nil {
			l.exports[own(s, string(d.Name.Data))] = string(d.Name.Data)
			return
		}
	case *js.ClassDecl:
		if d.Name != nil {
			l.exports[own(s, string(d.Name.Data))] = string(d.Name.Data)
			return
		}
	case *js.VarDecl:
		for _, b := range d.List {
			for _, name := range ecma.Bound(b.Binding) {
				l.exports[name] = name
			}
		}
	}
	if s.Default {
		l.exports["default"] = "$default"
	}
}

// own is the name under which a declaration is exported.
func own(s *js.ExportStmt, name string) string {
	if s.Default {
		return "default"
	}
	return name
}

// edits are what becomes of a module's text, in its order.
type edits struct {
	list             []edit
	imports, exports int
	awaits           bool
}

type edit struct {
	start, end int
	with       string // blanks follow up to the end
}

// apply makes the edits. Every letter that is not edited stays in its place; where something is inserted, those after
// it in their line move on.
func (e *edits) apply(src []byte) []byte {
	out := append([]byte{}, src...)
	for i := len(e.list) - 1; i >= 0; i-- {
		ed := e.list[i]
		if ed.start == ed.end {
			out = append(out[:ed.start], append([]byte(ed.with), out[ed.start:]...)...)
			continue
		}
		blank(out, ed)
		copy(out[ed.start:ed.end], ed.with)
	}
	return out
}

func blank(b []byte, ed edit) {
	for i := ed.start; i < ed.end; i++ {
		if b[i] != '\n' && b[i] != '\r' {
			b[i] = ' '
		}
	}
}
