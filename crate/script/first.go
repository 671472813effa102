package script

import "github.com/tdewolff/parse/v2/js"

// firstRead returns the free name that a script reads before anything else can happen, "" if there is none. Such a need
// is certain: no branch, call or error of the script comes before it.
func firstRead(list []js.IStmt) string {
	for _, s := range list {
		switch s := s.(type) {
		case *js.FuncDecl, *js.DirectivePrologueStmt, *js.EmptyStmt, *js.Comment:
			continue
		case *js.ExprStmt:
			if name, done := readsFirst(s.Value); done {
				return name
			}
		case *js.VarDecl:
			for _, b := range s.List {
				if _, plain := b.Binding.(*js.Var); !plain {
					return ""
				}
				if name, done := readsFirst(b.Default); done {
					return name
				}
			}
		default:
			return ""
		}
	}
	return ""
}

// readsFirst returns the free name that an expression reads first. It is done if there is one, or if something else
// happens first.
func readsFirst(x js.IExpr) (name string, done bool) {
	switch x := x.(type) {
	case nil, *js.FuncDecl, *js.ArrowFunc, *js.LiteralExpr:
		return "", false
	case *js.Var:
		if r := root(x); r.Decl == js.NoDecl {
			return string(r.Data), true
		}
		return "", true
	case *js.GroupExpr:
		return readsFirst(x.X)
	case *js.DotExpr:
		if name, done := readsFirst(x.X); done {
			return name, true
		}
	case *js.CallExpr:
		return callReadsFirst(x.X, x.Args)
	case *js.NewExpr:
		if x.Args == nil {
			return readsFirst(x.X)
		}
		return callReadsFirst(x.X, *x.Args)
	case *js.UnaryExpr:
		switch x.Op {
		case js.NotToken, js.VoidToken, js.PosToken, js.NegToken, js.BitNotToken:
			return readsFirst(x.X)
		}
	case *js.BinaryExpr:
		if _, plain := x.X.(*js.Var); plain && x.Op == js.EqToken {
			return readsFirst(x.Y)
		}
		return readsFirst(x.X)
	}
	return "", true
}

// callReadsFirst is readsFirst for a call: the function comes first, then its arguments, and only then it runs.
func callReadsFirst(fn js.IExpr, args js.Args) (name string, done bool) {
	if name, done := readsFirst(fn); done {
		return name, true
	}
	for _, a := range args.List {
		if a.Rest {
			return "", true
		}
		if name, done := readsFirst(a.Value); done {
			return name, true
		}
	}
	return "", true
}
