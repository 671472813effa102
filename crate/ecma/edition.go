package ecma

import (
	"bytes"

	"github.com/tdewolff/parse/v2/js"
)

// Edition finds the year of the newest ECMAScript edition whose syntax a script uses.
func Edition(ast *js.AST, src []byte) int {
	v := &syntaxVisitor{year: 2009, src: src}
	if bytes.HasPrefix(src, []byte("#!")) {
		v.atLeast(2023)
	}
	js.Walk(v, ast)
	return v.year
}

type syntaxVisitor struct {
	src         []byte
	year, depth int
	inFunction  int
}

func (v *syntaxVisitor) atLeast(year int) { v.year = max(v.year, year) }

// MaxDepth is how far into nested code this package looks; code written by people or minifiers is
// never so deep, and code made to exhaust the stack is cut off.
const MaxDepth = 5000

// Exit leaves a node.
func (v *syntaxVisitor) Exit(n js.INode) {
	v.depth--
	switch n.(type) {
	case *js.FuncDecl, *js.MethodDecl, *js.ArrowFunc:
		v.inFunction--
	}
}

// Enter notes which edition a node demands.
func (v *syntaxVisitor) Enter(n js.INode) js.IVisitor {
	if v.depth > MaxDepth {
		return nil
	}
	v.depth++
	switch n := n.(type) {
	case *js.VarDecl:
		if n.TokenType != js.VarToken {
			v.atLeast(2015)
		}
	case *js.ArrowFunc:
		v.inFunction++
		v.function(n.Async, false, n.Params)
		v.atLeast(2015)
	case *js.FuncDecl:
		v.inFunction++
		v.function(n.Async, n.Generator, n.Params)
	case *js.MethodDecl:
		v.inFunction++
		v.function(n.Async, n.Generator, n.Params)
		if !n.Get && !n.Set {
			v.atLeast(2015)
		}
		v.name(n.Name)
	case *js.ClassDecl:
		v.atLeast(2015)
		for _, e := range n.List {
			switch {
			case e.StaticBlock != nil:
				v.atLeast(2022)
			case e.Method == nil:
				v.atLeast(2022)
				v.name(e.Field.Name)
			}
		}
	case *js.BindingArray, *js.BindingObject, *js.ForOfStmt, *js.ImportStmt, *js.ExportStmt, *js.NewTargetExpr:
		v.atLeast(2015)
		if b, ok := n.(*js.BindingObject); ok && b.Rest != nil {
			v.atLeast(2018)
		}
		if f, ok := n.(*js.ForOfStmt); ok && f.Await {
			v.atLeast(2018)
		}
	case *js.TryStmt:
		if n.Catch != nil && n.Binding == nil {
			v.atLeast(2019)
		}
	default:
		v.expression(n)
	}
	return v
}

// expression notes which edition an expression demands.
func (v *syntaxVisitor) expression(n js.INode) {
	switch n := n.(type) {
	case *js.TemplateExpr:
		v.atLeast(2015)
		if n.Optional {
			v.atLeast(2020)
		}
	case *js.ImportMetaExpr:
		v.atLeast(2020)
	case *js.Property:
		switch {
		case n.Spread:
			v.atLeast(2018)
		case n.Name != nil && n.Name.Computed != nil:
			v.atLeast(2015)
		case v.shorthand(n):
			v.atLeast(2015)
		}
	case *js.ArrayExpr:
		for _, e := range n.List {
			if e.Spread {
				v.atLeast(2015)
			}
		}
	case *js.Args:
		for _, a := range n.List {
			if a.Rest {
				v.atLeast(2015)
			}
		}
	case *js.DotExpr:
		if n.Optional {
			v.atLeast(2020)
		}
	case *js.IndexExpr:
		if n.Optional {
			v.atLeast(2020)
		}
	case *js.CallExpr:
		if n.Optional {
			v.atLeast(2020)
		}
		if l, ok := n.X.(*js.LiteralExpr); ok && string(l.Data) == "import" {
			v.atLeast(2020)
		}
	case *js.BinaryExpr:
		switch n.Op {
		case js.ExpToken, js.ExpEqToken:
			v.atLeast(2016)
		case js.NullishToken:
			v.atLeast(2020)
		case js.NullishEqToken, js.AndEqToken, js.OrEqToken:
			v.atLeast(2021)
		case js.InToken:
			if x, ok := n.X.(*js.Var); ok && len(x.Data) > 0 && x.Data[0] == '#' {
				v.atLeast(2022)
			}
		}
	case *js.UnaryExpr:
		if n.Op == js.AwaitToken {
			v.atLeast(2017)
			if v.inFunction == 0 {
				v.atLeast(2022)
			}
		}
	case *js.LiteralExpr:
		v.literal(n)
	}
}

// shorthand tells {a} from {a: a}: the parser makes up a name for the first, which is not in the source.
func (v *syntaxVisitor) shorthand(p *js.Property) bool {
	_, ok := p.Value.(*js.Var)
	return ok && (p.Name == nil || Offset(v.src, p.Name.Literal.Data) < 0)
}

func (v *syntaxVisitor) function(async, generator bool, p js.Params) {
	if async {
		v.atLeast(2017)
		if generator {
			v.atLeast(2018)
		}
	}
	if generator || p.Rest != nil {
		v.atLeast(2015)
	}
	for _, b := range p.List {
		if b.Default != nil {
			v.atLeast(2015)
		}
	}
}

func (v *syntaxVisitor) name(n js.ClassElementName) {
	if n.Private != nil {
		v.atLeast(2022)
	}
}

func (v *syntaxVisitor) literal(n *js.LiteralExpr) {
	switch n.TokenType {
	case js.BinaryToken, js.OctalToken:
		if len(n.Data) > 1 && (n.Data[1]|0x20 == 'b' || n.Data[1]|0x20 == 'o') {
			v.atLeast(2015)
		}
	case js.RegExpToken:
		end := bytes.LastIndexByte(n.Data, '/')
		for _, flag := range n.Data[end+1:] {
			switch flag {
			case 'u', 'y':
				v.atLeast(2015)
			case 's':
				v.atLeast(2018)
			case 'd':
				v.atLeast(2022)
			case 'v':
				v.atLeast(2024)
			}
		}
		body := n.Data[:max(0, end)]
		if bytes.Contains(body, []byte("(?<=")) || bytes.Contains(body, []byte("(?<!")) ||
			bytes.Contains(body, []byte(`\p{`)) {
			v.atLeast(2018)
		}
	}
	switch n.TokenType {
	case js.DecimalToken, js.HexadecimalToken, js.IntegerToken, js.BinaryToken, js.OctalToken:
		if bytes.HasSuffix(n.Data, []byte("n")) { // a BigInt
			v.atLeast(2020)
		}
		if bytes.IndexByte(n.Data, '_') >= 0 {
			v.atLeast(2021)
		}
	}
}
