package script

import (
	"bytes"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/ecma"
)

// A LoadMethod is that by which a script asks for another file while it runs.
type LoadMethod string

// The ways of asking.
const (
	Dynamic LoadMethod = "import()" // ECMA-262, section 13.3.10
	Address LoadMethod = "url"      // new URL(…, import.meta.url): a file beside the module
	Worker  LoadMethod = "worker"   // a worker's script, a module or a plain one
)

// A Load is one place where a script asks for a file that it names by a constant text.
type Load struct {
	From   string     `json:"from"` // as it is written
	How    LoadMethod `json:"how"`
	Line   int        `json:"line"`
	Column int        `json:"column"`
	// Page says that the name leads on from the page and not from the script itself.
	Page bool `json:"page,omitempty"`
	// Waits says that the script itself comes to its end only once the other has (a top-level await), Caught that it
	// knows what to do if there is none, and Late that a function asks, which may not be called.
	Waits  bool `json:"waits,omitempty"`
	Caught bool `json:"caught,omitempty"`
	Late   bool `json:"late,omitempty"`
}

// loads finds what a script asks for while it runs, and whether only a module can be so: it has import.meta, or awaits
// outside of all functions.
func (f *follower) loads(ast *js.AST) (list []Load, module bool) {
	if !bytes.Contains(f.src, []byte("import")) && !bytes.Contains(f.src, []byte("await")) &&
		!bytes.Contains(f.src, []byte("Worker")) {
		return nil, false
	}
	v := &loadsVisitor{f: f}
	js.Walk(v, ast)
	return v.list, v.module
}

type loadsVisitor struct {
	f                      *follower
	list                   []Load
	module                 bool
	depth, functions, safe int
	waited, caught         *js.CallExpr // the import that the node around here waits for, or catches
}

// Exit leaves a node.
func (v *loadsVisitor) Exit(n js.INode) {
	v.depth--
	switch n := n.(type) {
	case *js.FuncDecl, *js.MethodDecl, *js.ArrowFunc:
		v.functions--
	case *js.TryStmt:
		if n.Catch != nil {
			v.safe--
		}
	}
}

// Enter notes what a node asks for.
func (v *loadsVisitor) Enter(n js.INode) js.IVisitor {
	if v.depth > ecma.MaxDepth {
		return nil
	}
	v.depth++
	switch n := n.(type) {
	case *js.FuncDecl, *js.MethodDecl, *js.ArrowFunc:
		v.functions++
	case *js.TryStmt:
		if n.Catch != nil {
			v.safe++ // what its catch asks for counts as safe, too: it is the second choice
		}
	case *js.ForOfStmt:
		v.module = v.module || n.Await && v.functions == 0
	case *js.ImportMetaExpr:
		v.module = true
	case *js.UnaryExpr:
		if n.Op == js.AwaitToken && v.functions == 0 {
			v.module = true
			v.waited = importIn(n.X)
		}
	case *js.CallExpr:
		v.call(n)
	case *js.NewExpr:
		v.create(n)
	}
	return v
}

// call notes an import, and what catches one.
func (v *loadsVisitor) call(n *js.CallExpr) {
	if d, ok := n.X.(*js.DotExpr); ok {
		if member := d.Y.String(); member == "catch" || member == "then" && len(n.Args.List) > 1 {
			v.caught = importIn(d.X)
		}
	}
	if l, ok := n.X.(*js.LiteralExpr); ok && string(l.Data) == "import" && len(n.Args.List) > 0 {
		v.add(Dynamic, n.Args.List[0].Value, false, n)
	}
}

// importIn finds the import whose outcome an expression is: itself, or what comes of it.
func importIn(n js.IExpr) *js.CallExpr {
	for range 20 {
		switch x := n.(type) {
		case *js.GroupExpr:
			n = x.X
		case *js.CallExpr:
			if l, ok := x.X.(*js.LiteralExpr); ok && string(l.Data) == "import" {
				return x
			}
			d, ok := x.X.(*js.DotExpr)
			if !ok {
				return nil
			}
			n = d.X
		default:
			return nil
		}
	}
	return nil
}

// create notes an address beside the module, and a worker.
func (v *loadsVisitor) create(n *js.NewExpr) {
	called, ok := n.X.(*js.Var)
	if !ok || n.Args == nil || len(n.Args.List) == 0 {
		return
	}
	first := n.Args.List[0].Value
	switch string(called.Data) {
	case "URL":
		if besideModule(n.Args) {
			v.add(Address, first, false, nil)
		}
	case "Worker", "SharedWorker":
		if inner, ok := first.(*js.NewExpr); ok && inner.Args != nil && besideModule(inner.Args) {
			v.add(Worker, inner.Args.List[0].Value, false, nil)
		} else {
			v.add(Worker, first, true, nil)
		}
	}
}

// besideModule tells arguments of which the second is import.meta.url.
func besideModule(args *js.Args) bool {
	if len(args.List) != 2 {
		return false
	}
	d, ok := args.List[1].Value.(*js.DotExpr)
	if !ok {
		return false
	}
	_, meta := d.X.(*js.ImportMetaExpr)
	return meta && d.Y.String() == "url"
}

// add notes a file that a constant text names.
func (v *loadsVisitor) add(way LoadMethod, n js.IExpr, page bool, call *js.CallExpr) {
	var text []byte
	switch n := n.(type) {
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken {
			text = n.Data
		}
	case *js.TemplateExpr:
		if n.Tag == nil && len(n.List) == 0 {
			text = n.Tail
		}
	}
	name := strings.Trim(string(text), "\"'`")
	if name == "" || strings.Contains(name, `\`) {
		return
	}
	g := v.f.place("", text)
	l := Load{From: name, How: way, Page: page, Line: g.Line, Column: g.Column + 1, Late: v.functions > 0}
	l.Caught = v.safe > 0 || call != nil && call == v.caught
	l.Waits = call != nil && call == v.waited && v.functions == 0
	for i, other := range v.list {
		if other.Line == l.Line && other.Column == l.Column { // the address within a worker's
			if way == Worker {
				v.list[i] = l
			}
			return
		}
	}
	v.list = append(v.list, l)
}
