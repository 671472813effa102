package script

import "github.com/tdewolff/parse/v2/js"

func (f *follower) args(a *js.Args, this value) []value {
	var list []value
	for _, arg := range a.List {
		list = append(list, f.eval(arg.Value, this))
	}
	return list
}

// runsItsFunctions are methods that call the functions they are given at once.
var runsItsFunctions = map[string]bool{"forEach": true, "map": true, "filter": true, "some": true, "every": true,
	"reduce":      true,
	"reduceRight": true, "sort": true, "find": true, "findIndex": true, "flatMap": true, "replace": true, "from": true,
	"call": true, "apply": true}

// calls notes that a value is called: only where it is there, by an optional call.
func (f *follower) calls(callee value, optional bool) {
	if !optional || callee.kind != foreign {
		f.use(callee)
		return
	}
	f.noteAs(callee.need, weaker(f.strength), false)
	f.tested[callee.need.Name] = true
}

// given is what a function of the browser's own gives back, as far as that matters here.
func given(name string, args []value) value {
	switch {
	case name == "Function" || name == "eval":
		return value{kind: global}
	case name == "Object" && len(args) == 1:
		return args[0] // an object is itself (ECMA-262, section 20.1.1.1)
	}
	return value{}
}

func (f *follower) callExpr(x *js.CallExpr, this value) value {
	// Nothing is evaluated twice here: calls nest in each other, and each time would double what is below.
	var callee value
	evaluated := false
	// f.call(this, …) and f.apply(this, …)
	if d, ok := x.X.(*js.DotExpr); ok {
		name, at := dotName(d)
		if (name == "call" || name == "apply" || name == "bind") && !d.Optional {
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
			callee, evaluated = f.member(on, name, at), true
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
	if !evaluated {
		callee = f.eval(x.X, this)
	}
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
		f.calls(callee, x.Optional)
	case browser:
		return given(callee.text, args)
	}
	for _, a := range args {
		if callee.need != nil {
			f.keep(a) // another library's function may take it or leave it
		} else {
			f.use(a) // given away, so it is counted on
		}
	}
	if d, ok := x.X.(*js.DotExpr); ok {
		f.callsDefine = f.callsDefine || callee.need != nil && f.strength == Hard && registers(d)
		if name, _ := dotName(d); runsItsFunctions[name] {
			for _, a := range args {
				f.callValue(a, nil, value{})
			}
		}
	}
	return value{}
}

// registers tells a call that hands a module to a loader, as define() does.
func registers(d *js.DotExpr) bool {
	v, is := d.X.(*js.Var)
	name, _ := dotName(d)
	return is && string(v.Data) == "System" && name == "register"
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

// maxCalls is how often one function is followed; the third time rarely tells anything new.
const maxCalls = 3

func (f *follower) call(c *closure, args []value, this value) value {
	if f.called[c.node] >= maxCalls || f.depth > 300 {
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
