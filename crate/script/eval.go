package script

import (
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

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
	f.unsure++
	defer func() { f.unsure-- }()
	mark := len(f.present)
	f.present = append(f.present, names(yes)...)
	a := f.eval(x.X, this)
	f.present = append(f.present[:mark], names(no)...)
	b := f.eval(x.Y, this)
	f.present = f.present[:mark]
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
		f.guarded--
		return value{}
	}
	f.eval(x.X, this)
	return value{}
}

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
	case js.AddEqToken, js.SubEqToken, js.MulEqToken, js.DivEqToken, js.ModEqToken, js.ExpEqToken, js.LtLtEqToken, js.GtGtEqToken,
		js.GtGtGtEqToken, js.BitAndEqToken, js.BitOrEqToken, js.BitXorEqToken, js.AndEqToken:
		f.eval(x.X, this)
		f.eval(x.Y, this)
		return value{}
	case js.AndToken:
		cond, yes, _ := f.test(x.X, this)
		switch cond.kind {
		case falsehood, undefined:
			return value{kind: falsehood}
		}
		mark := len(f.present)
		f.present = append(f.present, names(yes)...)
		if cond.kind != truth {
			f.unsure++
			defer func() { f.unsure-- }()
		}
		v := f.eval(x.Y, this)
		f.present = f.present[:mark]
		if cond.kind == truth || v.kind == global {
			return v
		}
		if v.kind == foreign {
			return v
		}
		return value{}
	case js.OrToken, js.NullishToken:
		f.guarded++
		a := f.eval(x.X, this)
		f.use(a)
		f.guarded--
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
	case js.EqEqToken, js.EqEqEqToken, js.NotEqToken, js.NotEqEqToken:
		f.guarded++
		defer func() { f.guarded-- }()
		c, _, _ := f.compare(x, this)
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
		f.eval(x.X, this)
		f.use(f.eval(x.Y, this))
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
		if x, ok := onExpr.(*js.Var); ok && root(x).Decl == js.NoDecl && (string(x.Data) == "module" || string(x.Data) == "exports") {
			f.usesExport = f.usesExport || f.guarded == 0 && f.strength == Hard
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
		f.use(pv) // kept for later, so it is counted on
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

func (f *follower) args(a *js.Args, this value) []value {
	var list []value
	for _, arg := range a.List {
		list = append(list, f.eval(arg.Value, this))
	}
	return list
}

// runsItsFunctions are methods that call the functions they are given at once.
var runsItsFunctions = map[string]bool{"forEach": true, "map": true, "filter": true, "some": true, "every": true, "reduce": true,
	"reduceRight": true, "sort": true, "find": true, "findIndex": true, "flatMap": true, "replace": true, "from": true, "call": true, "apply": true}

func (f *follower) callExpr(x *js.CallExpr, this value) value {
	// f.call(this, …) and f.apply(this, …)
	if d, ok := x.X.(*js.DotExpr); ok {
		name, _ := dotName(d)
		if name == "call" || name == "apply" || name == "bind" {
			on := f.eval(d.X, this)
			if on.kind == function || on.kind == container {
				args := f.args(&x.Args, this)
				self := value{}
				if len(args) > 0 {
					self = args[0]
					args = args[1:]
				}
				if name == "apply" && len(args) > 0 {
					args = args[0].has
				}
				if name == "bind" {
					return on
				}
				return f.callValue(on, args, self)
			}
		}
		if v, ok := f.knownCall(d, name, x, this); ok {
			return v
		}
	}
	if v, ok := x.X.(*js.Var); ok && root(v).Decl == js.NoDecl && string(v.Data) == "define" && f.strength == Hard {
		// A loader's define, not asked for first: the script is for that loader.
		if _, own := f.globals["define"]; !own {
			f.sawAMD = true
			f.callsDefine = f.callsDefine || f.guarded == 0
			f.args(&x.Args, this)
			return value{}
		}
	}
	callee := f.eval(x.X, this)
	args := f.args(&x.Args, this)
	switch callee.kind {
	case function:
		f.handedOver(x.X, args)
		self := value{kind: global} // a plain call, in sloppy code
		if d, ok := x.X.(*js.DotExpr); ok {
			self = f.quiet(d.X, this)
		}
		return f.callValue(callee, args, self)
	case container:
		return f.callValue(callee, args, value{})
	case global:
		return callee // Function("return this")()
	case foreign, unknown:
		f.use(callee)
	case browser:
		if callee.text == "Function" || callee.text == "eval" {
			return value{kind: global}
		}
		return value{}
	}
	for _, a := range args {
		f.use(a) // given away, so it is counted on
	}
	if d, ok := x.X.(*js.DotExpr); ok {
		if name, _ := dotName(d); runsItsFunctions[name] {
			for _, a := range args {
				f.callValue(a, nil, value{})
			}
		}
	}
	return value{}
}

// handedOver notes what a universal wrapper gives to its factory: those globals are the dependencies that
// its other branches require by name.
func (f *follower) handedOver(callee js.IExpr, args []value) {
	x, ok := callee.(*js.Var)
	if !ok || root(x).Decl != js.ArgumentDecl || !f.sawAMD && !f.sawServer {
		return
	}
	for _, a := range args {
		if a.kind == foreign && a.need.loaded {
			f.note(a.need, false)
		}
	}
}

// quiet evaluates an expression a second time, without noting anything.
func (f *follower) quiet(e js.IExpr, this value) value {
	switch x := e.(type) {
	case *js.Var:
		r := root(x)
		if r.Decl != js.NoDecl {
			return f.vars[r]
		}
		if alias[string(r.Data)] {
			return value{kind: global}
		}
		return f.globals[string(r.Data)]
	case *js.LiteralExpr:
		if x.TokenType == js.ThisToken {
			return this
		}
	}
	return value{}
}

// knownCall knows the calls by which globals are made without an assignment, and Function's.
func (f *follower) knownCall(d *js.DotExpr, name string, x *js.CallExpr, this value) (value, bool) {
	on, ok := d.X.(*js.Var)
	if !ok || root(on).Decl != js.NoDecl || string(on.Data) != "Object" && string(on.Data) != "Reflect" {
		return value{}, false
	}
	switch name {
	case "defineProperty":
		args := f.args(&x.Args, this)
		if len(args) >= 3 && args[0].kind == global && args[1].kind == text {
			v := args[2].prop["value"]
			f.define(args[1].text, data(x.Args.List[1].Value), v)
		} else if len(args) > 0 {
			f.use(args[0])
		}
		return value{}, true
	case "assign":
		args := f.args(&x.Args, this)
		if len(args) > 1 && args[0].kind == global {
			for key, v := range args[1].prop {
				f.define(key, nil, v)
			}
		} else if len(args) > 0 {
			f.use(args[0])
		}
		if len(args) > 0 {
			return args[0], true
		}
	case "freeze", "seal", "create":
		args := f.args(&x.Args, this)
		if len(args) > 0 {
			f.use(args[0])
			return args[0], true
		}
	}
	return value{}, false
}

// callValue calls a function, or every function that a container holds: a bundle's modules are called
// by number, in an order that only running it would tell.
func (f *follower) callValue(v value, args []value, this value) value {
	switch v.kind {
	case function:
		return f.call(v.fn, args, this)
	case container:
		for _, h := range v.has {
			if h.kind == function && f.called[h.fn.node] == 0 {
				f.call(h.fn, args, this)
			}
		}
	}
	return value{}
}

// mostCalls is how often one function is followed; the third time rarely tells anything new.
const mostCalls = 3

func (f *follower) call(c *closure, args []value, this value) value {
	if f.called[c.node] >= mostCalls || f.depth > 300 {
		return value{}
	}
	f.called[c.node]++
	if c.arrow {
		this = c.this
	} else if this.kind == undefined {
		this = value{kind: global} // sloppy code gets the global object
	}
	for i, p := range c.params.List {
		v := value{}
		if args != nil {
			v = value{kind: undefined}
		}
		if i < len(args) {
			v = args[i]
		}
		if p.Default != nil && (v.kind == undefined || v.kind == unknown) {
			v = f.eval(p.Default, this)
		}
		if p.Binding != nil {
			f.bind(p.Binding, v)
		}
	}
	if c.params.Rest != nil {
		f.bind(c.params.Rest, value{kind: container, has: args})
	}
	// The guards around a call are not guards inside of a function that is called later.
	guarded, safe, present := f.guarded, f.safe, f.present
	if f.strength == Later {
		f.guarded, f.safe, f.present = 0, 0, nil
	}
	v, _ := f.block(c.body.List, this)
	f.guarded, f.safe, f.present = guarded, safe, present
	return v
}
