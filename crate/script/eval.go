package script

import (
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// eval follows an expression.
func (f *follower) eval(e js.IExpr, this value) value {
	if e == nil || f.depth > 400 {
		return value{}
	}
	f.depth++
	defer func() { f.depth-- }()
	switch x := e.(type) {
	case *js.Var:
		return f.read(x)
	case *js.LiteralExpr:
		return f.literal(x, this)
	case *js.GroupExpr:
		return f.eval(x.X, this)
	case *js.FuncDecl:
		v := f.closureOf(x, &x.Params, &x.Body, false, this)
		if x.Name != nil {
			f.vars[root(x.Name)] = v
		}
		return v
	case *js.ArrowFunc:
		return f.closureOf(x, &x.Params, &x.Body, true, this)
	case *js.ClassDecl:
		return f.class(x, this)
	case *js.CommaExpr:
		var v value
		for _, e := range x.List {
			v = f.eval(e, this)
		}
		return v
	case *js.CondExpr:
		return f.conditional(x, this)
	case *js.UnaryExpr:
		return f.unary(x, this)
	case *js.BinaryExpr:
		return f.binary(x, this)
	case *js.DotExpr:
		return f.dot(x, this)
	case *js.IndexExpr:
		return f.index(x, this)
	case *js.CallExpr:
		return f.callExpr(x, this)
	case *js.NewExpr:
		return f.newExpr(x, this)
	case *js.ArrayExpr:
		v := value{kind: container}
		for _, el := range x.List {
			if el.Value != nil {
				v.has = append(v.has, f.eval(el.Value, this))
			}
		}
		return v
	case *js.ObjectExpr:
		return f.object(x, this)
	case *js.TemplateExpr:
		if x.Tag != nil {
			f.use(f.eval(x.Tag, this))
		}
		for _, p := range x.List {
			f.eval(p.Expr, this)
		}
		if x.Tag == nil && len(x.List) == 0 && len(x.Tail) >= 2 {
			return value{kind: text, text: string(x.Tail[1 : len(x.Tail)-1])}
		}
	case *js.YieldExpr:
		f.eval(x.X, this)
	case *js.VarDecl:
		f.declare(x, this)
	}
	return value{}
}

// newExpr follows what is made again; what a promise is given to run is run.
func (f *follower) newExpr(x *js.NewExpr, this value) value {
	callee := f.eval(x.X, this)
	f.use(callee)
	var args []value
	if x.Args != nil {
		args = f.args(x.Args, this)
	}
	if callee.kind == browser && callee.text == "Promise" {
		for _, a := range args {
			f.callValue(a, nil, value{})
		}
	}
	if callee.kind == browser && callee.text == "Function" {
		return value{kind: global}
	}
	f.callValue(callee, args, value{kind: container})
	return value{kind: container}
}

func (f *follower) literal(x *js.LiteralExpr, this value) value {
	switch x.TokenType {
	case js.ThisToken:
		return this
	case js.TrueToken:
		return value{kind: truth}
	case js.FalseToken:
		return value{kind: falsehood}
	case js.NullToken:
		return value{kind: undefined}
	case js.StringToken:
		if s, ok := textOf(x); ok {
			return value{kind: text, text: s}
		}
	case js.DecimalToken, js.IntegerToken:
		if string(x.Data) == "0" {
			return value{kind: falsehood}
		}
		return value{kind: truth}
	case js.IdentifierToken:
		return value{kind: text, text: string(x.Data)}
	}
	return value{}
}

func (f *follower) conditional(x *js.CondExpr, this value) value {
	cond, yes, no := f.test(x.Cond, this)
	switch cond.kind {
	case truth:
		return f.eval(x.X, this)
	case falsehood, undefined:
		return f.eval(x.Y, this)
	}
	var a, b value
	f.either(yes, no, func() { a = f.eval(x.X, this) }, func() { b = f.eval(x.Y, this) })
	return join(a, b)
}

// join is what is known where it may be the one or the other.
func join(a, b value) value {
	switch {
	case a.kind == b.kind && (a.kind == global || a.kind == browser):
		return a
	case a.kind == foreign && b.kind == foreign:
		n := *a.need
		n.Or = append(append([]string{}, n.Or...), b.need.Name)
		return value{kind: foreign, need: &n}
	case a.kind == global || b.kind == global:
		return value{kind: global}
	case a.kind == function || a.kind == container:
		return a
	case b.kind == function || b.kind == container:
		return b
	case a.kind == foreign:
		return a
	case b.kind == foreign:
		return b
	case a.need != nil:
		return value{need: a.need}
	}
	return value{need: b.need}
}

func (f *follower) unary(x *js.UnaryExpr, this value) value {
	switch x.Op {
	case js.TypeofToken:
		_, name := x.X.(*js.Var)
		if name {
			f.safe++
		}
		f.guarded++
		v := f.eval(x.X, this)
		f.guarded--
		if name {
			f.safe--
		}
		switch v.kind {
		case undefined:
			return value{kind: text, text: "undefined"}
		case function:
			return value{kind: text, text: "function"}
		case global, container:
			return value{kind: text, text: "object"}
		case browser:
			switch v.text {
			case "window", "document", "navigator", "location":
				return value{kind: text, text: "object"}
			}
			return value{}
		case text:
			return value{kind: text, text: "string"}
		case foreign:
			return v // compare knows what to make of it
		}
		return value{}
	case js.NotToken:
		c, _, _ := f.test(x.X, this)
		return opposite(c)
	case js.VoidToken:
		f.eval(x.X, this)
		return value{kind: undefined}
	case js.DeleteToken:
		f.guarded++
		f.eval(x.X, this)
		if d, ok := x.X.(*js.DotExpr); ok && f.strength == Hard && f.guarded == 1 && f.quiet(d.X, this).kind == global {
			name, _ := dotName(d)
			delete(f.defines, name)
			delete(f.globals, name)
		}
		f.guarded--
		return value{}
	}
	f.eval(x.X, this)
	return value{}
}

// binary follows an expression with an operator between two others.
func (f *follower) binary(x *js.BinaryExpr, this value) value {
	switch x.Op {
	case js.EqToken:
		v := f.eval(x.Y, this)
		f.assign(x.X, v, this)
		return v
	case js.OrEqToken, js.NullishEqToken:
		f.guarded++
		old := f.eval(x.X, this)
		f.guarded--
		v := f.eval(x.Y, this)
		if old.kind == function || old.kind == container {
			v = old
		}
		f.assign(x.X, v, this)
		return v
	case js.AddEqToken, js.SubEqToken, js.MulEqToken, js.DivEqToken, js.ModEqToken, js.ExpEqToken, js.LtLtEqToken,
		js.GtGtEqToken,
		js.GtGtGtEqToken, js.BitAndEqToken, js.BitOrEqToken, js.BitXorEqToken, js.AndEqToken:
		f.eval(x.X, this)
		f.eval(x.Y, this)
		return value{}
	case js.AndToken:
		return f.and(x, this)
	case js.OrToken, js.NullishToken:
		if x.Op == js.OrToken && isQuestion(x.X) {
			return f.unless(x, this)
		}
		a := f.orElse(x.X, this)
		switch a.kind {
		case function, container, global, browser, truth:
			return a
		case text:
			if a.text != "" {
				return a
			}
		}
		b := f.eval(x.Y, this)
		if a.kind == undefined || a.kind == falsehood {
			return b
		}
		if a.kind == foreign && b.kind != foreign {
			return value{kind: b.kind, fn: b.fn, text: b.text, has: b.has, prop: b.prop}
		}
		return join(a, b)
	case js.LtToken, js.GtToken:
		if long := spelledOut(x); long != nil {
			c, _, _ := f.asked(long, this)
			return c
		}
	case js.EqEqToken, js.EqEqEqToken, js.NotEqToken, js.NotEqEqToken:
		c, _, _ := f.asked(x, this)
		return c
	case js.InToken:
		// "X" in window asks whether it is there.
		a, b := f.eval(x.X, this), f.eval(x.Y, this)
		if a.kind == text && b.kind == global {
			f.guarded++
			defer func() { f.guarded-- }()
			return f.readGlobal(a.text, nil, false)
		}
		f.use(b)
		return value{}
	case js.InstanceofToken:
		a, b := f.eval(x.X, this), f.eval(x.Y, this)
		if a.kind == global && b.kind == function {
			return value{kind: falsehood} // the window was made by no script's function
		}
		f.use(b)
		return value{}
	}
	a := f.eval(x.X, this)
	b := f.eval(x.Y, this)
	if x.Op == js.AddToken && a.kind == text && b.kind == text {
		return value{kind: text, text: a.text + b.text}
	}
	return value{}
}

func (f *follower) assign(to js.IExpr, v value, this value) {
	switch x := to.(type) {
	case *js.Var:
		f.set(x, v)
	case *js.GroupExpr:
		f.assign(x.X, v, this)
	case *js.DotExpr:
		name, at := dotName(x)
		f.assignMember(f.eval(x.X, this), name, at, v, x.X)
	case *js.IndexExpr:
		on := f.eval(x.X, this)
		key := f.eval(x.Y, this)
		if key.kind == text {
			f.assignMember(on, key.text, data(x.Y), v, x.X)
		} else {
			if name, ok := x.Y.(*js.Var); ok && on.kind == global && f.key != nil && root(name) == f.key &&
				f.strength == Hard {
				f.opens = true // for (name in made) window[name] = made[name]
			}
			f.use(on)
		}
	default:
		f.evalPattern(to, this)
	}
}

// evalPattern looks at the names that a destructuring assignment writes to.
func (f *follower) evalPattern(e js.IExpr, this value) {
	switch x := e.(type) {
	case *js.ArrayExpr:
		for _, el := range x.List {
			if el.Value != nil {
				f.assign(el.Value, value{}, this)
			}
		}
	case *js.ObjectExpr:
		for _, p := range x.List {
			f.assign(p.Value, value{}, this)
		}
	}
}

func data(e js.IExpr) []byte {
	if l, ok := e.(*js.LiteralExpr); ok {
		return l.Data
	}
	return nil
}

func dotName(x *js.DotExpr) (string, []byte) {
	switch y := x.Y.(type) {
	case *js.LiteralExpr:
		return string(y.Data), y.Data
	case js.LiteralExpr:
		return string(y.Data), y.Data
	case *js.Var:
		return string(y.Data), y.Data
	}
	return "", nil
}

func (f *follower) assignMember(on value, name string, at []byte, v value, onExpr js.IExpr) {
	switch on.kind {
	case global:
		if absent[name] {
			f.globals[name] = v // window.module is no server's, and from here on it is there
			return
		}
		f.define(name, at, v)
	case foreign:
		f.note(on.need, true)
		f.definePart(partOf(on, name), at)
	case unknown:
		if on.need != nil {
			f.note(on.need, true) // oarlock.fn.x = …
			f.use(on)
			f.definePart(partOf(on, name), at)
		}
	case undefined:
		if x, ok := onExpr.(*js.Var); ok && root(x).Decl == js.NoDecl && (string(x.Data) == "module" ||
			string(x.Data) == "exports") {
			f.exports()
		}
	case container, function:
		if on.prop != nil {
			on.prop[name] = v
		} else if x, ok := onExpr.(*js.Var); ok {
			// Values are copied about, so the property is kept with the variable.
			on.prop = map[string]value{name: v}
			if r := root(x); r.Decl != js.NoDecl {
				f.vars[r] = on
			} else if _, ours := f.globals[string(r.Data)]; ours {
				f.globals[string(r.Data)] = on
			}
		}
	}
}

func (f *follower) dot(x *js.DotExpr, this value) value {
	name, at := dotName(x)
	if x.Optional {
		f.guarded++
		on := f.eval(x.X, this)
		f.guarded--
		if on.kind == foreign {
			f.noteAs(on.need, weaker(f.strength), false)
			return value{}
		}
		return f.member(on, name, at)
	}
	on := f.eval(x.X, this)
	return f.member(on, name, at)
}

func weaker(s Strength) Strength {
	if s == Hard {
		return Optional
	}
	return s
}

func (f *follower) index(x *js.IndexExpr, this value) value {
	on := f.eval(x.X, this)
	key := f.eval(x.Y, this)
	if key.kind == text {
		return f.member(on, key.text, data(x.Y))
	}
	f.use(on)
	if on.kind == container {
		return value{kind: container, has: on.has}
	}
	return value{need: on.need}
}

func (f *follower) object(x *js.ObjectExpr, this value) value {
	v := value{kind: container, prop: map[string]value{}}
	for _, p := range x.List {
		var pv value
		switch m := p.Value.(type) {
		case *js.MethodDecl:
			pv = f.closureOf(m, &m.Params, &m.Body, false, value{kind: container})
		default:
			pv = f.eval(p.Value, this)
		}
		f.keep(pv)
		v.has = append(v.has, pv)
		if p.Name != nil {
			if p.Name.Computed != nil {
				f.eval(p.Name.Computed, this)
			} else {
				v.prop[strings.Trim(string(p.Name.Literal.Data), `"'`)] = pv
			}
		} else if name, ok := p.Value.(*js.Var); ok {
			v.prop[string(name.Data)] = pv
		}
	}
	return v
}

func (f *follower) class(x *js.ClassDecl, this value) value {
	if x.Extends != nil {
		f.use(f.eval(x.Extends, this))
	}
	v := value{kind: container}
	if x.Name != nil {
		f.set(x.Name, v)
		f.imported[string(root(x.Name).Data)] = true // the parser does not tie its use in a field's value to it
	}
	for _, e := range x.List {
		switch {
		case e.StaticBlock != nil:
			f.block(e.StaticBlock.List, v)
		case e.Method != nil:
			f.closureOf(e.Method, &e.Method.Params, &e.Method.Body, false, value{kind: container})
		case e.Field.Init != nil:
			if e.Field.Static {
				f.eval(e.Field.Init, v)
			}
		}
	}
	return v
}
