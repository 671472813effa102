package script

import (
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/texts"
)

// A value is what is known of the result of an expression.
type value struct {
	kind kind
	text string   // of a text
	fn   *closure // of a function
	has  []value  // of a container: values in it that may be called
	need *Need    // of a global that is not the script's own: what would be noted on its use
	part string   // of a member of such a global: its name with dots
	at   []byte   // where that was read
	prop map[string]value
}

type kind int

const (
	unknown kind = iota
	undefined
	global  // the global object
	browser // something that the browser has
	text
	truth // known to be true
	falsehood
	function
	container
	foreign // a global of somebody else's, not there or not to be relied on
)

type closure struct {
	params *js.Params
	body   *js.BlockStmt
	arrow  bool
	this   value // of an arrow function
	node   js.INode
}

// follower runs a script over values of which little is known.
type follower struct {
	src      []byte // as it is parsed; original is the script as it was
	original []byte
	lines    *texts.Index     // of src
	globals  map[string]value // what the script has assigned to globals
	vars     map[*js.Var]value
	needs    map[string]*Need
	defines  map[string]Global
	// parts are members given to others' globals, and partNeeds members of such that are used while loading.
	parts, partNeeds map[string]Global
	declared         map[string]bool // at the top level, by a declaration
	called           map[js.INode]int
	pending          []*closure // functions that have not been called while loading
	strength         Strength   // of a need that is found now
	// Of each global: whether it was counted on while loading, only kept for later, or asked for first.
	firm, kept, tested map[string]bool
	unsure             int // inside of a branch that may not be taken
	// inside of a typeof, or of a try that catches: a free name that is not there does no harm
	safe    int
	guarded int      // inside of a test, or of a try that catches
	present []string // globals that the test around here found present
	depth   int

	// members of others' globals that it uses, and those that it asks for first
	members  map[string]Global
	askedFor map[string]bool

	isModule, sawAMD, sawServer         bool
	elsewhere                           bool // it read what only servers have, where a browser stops
	callsDefine, usesModule, usesExport bool
	mayExport                           bool    // in a branch that may not be a browser's
	key                                 *js.Var // that of the loop over an object's names around here
	opens                               bool
	imports                             []string
	// names that import statements bind, and those that classes have within themselves
	imported map[string]bool
}

func (f *follower) script(ast *js.AST) {
	f.declared = map[string]bool{}
	f.strength = Hard
	for _, s := range ast.List {
		switch s := s.(type) {
		case *js.ImportStmt:
			f.isModule = true
			f.imports = append(f.imports, strings.Trim(string(s.Module), `"'`))
			f.imported[string(s.Default)] = true
			for _, a := range s.List {
				f.imported[string(a.Binding)] = true
			}
		case *js.ExportStmt:
			f.isModule = true
			if len(s.Module) > 0 {
				f.imports = append(f.imports, strings.Trim(string(s.Module), `"'`))
			}
		}
	}
	for _, v := range ast.Scope.Declared {
		name := string(v.Data)
		f.declared[name] = true
		if !f.isModule {
			f.defines[name] = f.place(name, v.Data)
		}
	}
	top := value{kind: global}
	if f.isModule {
		top = value{kind: undefined}
	}
	f.block(ast.List, top)
	// What was not called while loading may be called later.
	f.strength = Later
	for i := 0; i < len(f.pending) && i < 20000; i++ {
		if c := f.pending[i]; f.called[c.node] == 0 {
			f.call(c, nil, value{})
		}
	}
}

func (f *follower) form() Form {
	switch {
	case f.isModule:
		return Module
	case f.usesModule || f.usesExport || f.elsewhere && len(f.defines)+len(f.parts) == 0:
		return Server
	case f.callsDefine && len(f.defines) == 0:
		return AMD
	case f.sawAMD || f.sawServer:
		return Universal
	}
	return Classic
}

// exports notes that something is given to a loader of modules: by a browser, too, unless what leads here is in
// question.
func (f *follower) exports() {
	if f.guarded == 0 && f.strength == Hard {
		f.usesExport = f.usesExport || f.unsure == 0
		f.mayExport = true
	}
}

// note records that a global is needed. What is read under a guard is optional.
func (f *follower) note(n *Need, extends bool) {
	if n == nil || n.Name == "" {
		return
	}
	s := f.strength
	if f.guarded > 0 {
		f.tested[n.Name] = true
	}
	if s == Later && n.loaded && f.guarded == 0 && !slices.Contains(f.present, n.Name) {
		s = Hard
		f.kept[n.Name] = true
	} else if s == Hard && f.guarded == 0 && !slices.Contains(f.present, n.Name) {
		if f.unsure > 0 {
			f.kept[n.Name] = true // a test elsewhere may be what leads here
		} else {
			f.firm[n.Name] = true
		}
	}
	if s == Hard && (f.guarded > 0 || slices.Contains(f.present, n.Name)) {
		s = Optional
		f.tested[n.Name] = true // it is used where a test found it
	}
	f.noteAs(n, s, extends)
}

// noteFree records the reading of a free name. That ends in an error where it is not there, inside of a
// test too; only another test, for a property or by typeof, makes it safe.
func (f *follower) noteFree(n *Need) {
	guarded := f.guarded
	f.guarded = 0
	f.note(n, false)
	f.guarded = guarded
}

func (f *follower) noteAs(n *Need, s Strength, extends bool) {
	old := f.needs[n.Name]
	if old == nil {
		c := *n
		c.Strength, c.Extends = s, extends
		f.needs[n.Name] = &c
		return
	}
	if rank(s) > rank(old.Strength) {
		old.Strength, old.Global = s, n.Global
	}
	old.Extends = old.Extends || extends
	if len(n.Or) > 0 && old.Or == nil {
		old.Or = n.Or
	}
}

func rank(s Strength) int { return map[Strength]int{Later: 0, Optional: 1, Hard: 2}[s] }

// hoist makes the functions that a block declares known before its first statement.
func (f *follower) hoist(list []js.IStmt, this value) {
	for _, s := range list {
		if d, ok := s.(*js.FuncDecl); ok && d.Name != nil {
			f.set(d.Name, f.closureOf(d, &d.Params, &d.Body, false, this))
		}
		if e, ok := s.(*js.ExportStmt); ok {
			if d, ok := e.Decl.(*js.FuncDecl); ok && d.Name != nil {
				f.set(d.Name, f.closureOf(d, &d.Params, &d.Body, false, this))
			}
		}
	}
}

func (f *follower) closureOf(n js.INode, p *js.Params, body *js.BlockStmt, arrow bool, this value) value {
	c := &closure{params: p, body: body, arrow: arrow, this: this, node: n}
	f.pending = append(f.pending, c)
	return value{kind: function, fn: c}
}

// block runs statements; it returns what a return statement gave, and whether the end can't be reached.
func (f *follower) block(list []js.IStmt, this value) (result value, ended bool) {
	f.hoist(list, this)
	mark := len(f.present)
	defer func() { f.present = f.present[:min(mark, len(f.present))] }()
	for _, s := range list {
		r, end := f.statement(s, this)
		if r.kind != unknown && result.kind == unknown {
			result = r
		}
		if end {
			return result, true
		}
	}
	return result, false
}

// statement follows a statement; ended tells that what is after it does not run.
func (f *follower) statement(s js.IStmt, this value) (result value, ended bool) {
	if f.depth > 400 {
		return value{}, false
	}
	f.depth++
	defer func() { f.depth-- }()
	switch s := s.(type) {
	case *js.BlockStmt:
		return f.block(s.List, this)
	case *js.ExprStmt:
		f.eval(s.Value, this)
	case *js.VarDecl:
		f.declare(s, this)
	case *js.FuncDecl:
	case *js.ClassDecl:
		f.class(s, this)
	case *js.ReturnStmt:
		if s.Value != nil {
			return f.eval(s.Value, this), true
		}
		return value{kind: undefined}, true
	case *js.ThrowStmt:
		f.eval(s.Value, this)
		return value{}, true
	case *js.IfStmt:
		return f.ifElse(s, this)
	case *js.ForStmt:
		if s.Init != nil {
			f.evalAny(s.Init, this)
		}
		if s.Cond != nil {
			f.eval(s.Cond, this)
		}
		result, _ = f.block(s.Body.List, this)
		if s.Post != nil {
			f.eval(s.Post, this)
		}
	case *js.ForInStmt:
		f.eval(s.Value, this)
		f.evalAny(s.Init, this)
		around := f.key
		f.key = keyOf(s.Init)
		result, _ = f.block(s.Body.List, this)
		f.key = around
	case *js.ForOfStmt:
		f.eval(s.Value, this)
		f.evalAny(s.Init, this)
		result, _ = f.block(s.Body.List, this)
	case *js.WhileStmt:
		f.eval(s.Cond, this)
		result, _ = f.statement(s.Body, this)
	case *js.DoWhileStmt:
		result, _ = f.statement(s.Body, this)
		f.eval(s.Cond, this)
	case *js.SwitchStmt:
		f.eval(s.Init, this)
		for _, c := range s.List {
			if c.Cond != nil {
				f.eval(c.Cond, this)
			}
			if r, _ := f.block(c.List, this); r.kind != unknown {
				result = r
			}
		}
	case *js.LabelledStmt:
		return f.statement(s.Value, this)
	case *js.WithStmt:
		f.eval(s.Cond, this)
		return f.statement(s.Body, this)
	case *js.BranchStmt:
		return value{}, true
	case *js.TryStmt:
		result = f.try(s, this)
	case *js.ExportStmt:
		if s.Decl != nil {
			f.evalAny(s.Decl, this)
		}
	}
	return result, false
}

// try follows a statement whose faults, where it catches them, are nobody's.
func (f *follower) try(s *js.TryStmt, this value) (result value) {
	if s.Catch != nil {
		f.guarded++
		f.safe++
	}
	result, _ = f.block(s.Body.List, this)
	if s.Catch != nil {
		f.guarded--
		f.safe--
		if r, _ := f.block(s.Catch.List, this); result.kind == unknown {
			result = r
		}
	}
	if s.Finally != nil {
		f.block(s.Finally.List, this)
	}
	return result
}

// evalAny evaluates what is in an expression's place but may be a declaration.
func (f *follower) evalAny(n js.INode, this value) value {
	switch n := n.(type) {
	case *js.VarDecl:
		f.declare(n, this)
		return value{}
	case js.IExpr:
		return f.eval(n, this)
	}
	return value{}
}

func (f *follower) declare(d *js.VarDecl, this value) {
	for _, b := range d.List {
		v := value{kind: undefined}
		if b.Default != nil {
			v = f.eval(b.Default, this)
		} else if d.InForInOf {
			v = value{}
		}
		if b.Default == nil && d.TokenType == js.VarToken {
			// "var a;" leaves a as it is.
			if x, ok := b.Binding.(*js.Var); ok {
				if _, set := f.vars[root(x)]; set {
					continue
				}
			}
		}
		f.bind(b.Binding, v)
	}
}

func (f *follower) bind(b js.IBinding, v value) {
	switch b := b.(type) {
	case *js.Var:
		f.set(b, v)
	case *js.BindingObject:
		for _, item := range b.List {
			if item.Key != nil && item.Key.Computed == nil {
				f.bind(item.Value.Binding, f.member(v, strings.Trim(string(item.Key.Literal.Data), `"'`),
					item.Key.Literal.Data))
			} else if x, ok := item.Value.Binding.(*js.Var); ok {
				f.bind(x, f.member(v, string(x.Data), x.Data))
			}
		}
	case *js.BindingArray:
		f.use(v)
		for _, e := range b.List {
			if e.Binding != nil {
				f.bind(e.Binding, value{})
			}
		}
	}
}

func root(v *js.Var) *js.Var {
	for v.Link != nil {
		v = v.Link
	}
	return v
}

// keyOf is the variable to which a loop gives an object's names, nil for any other pattern.
func keyOf(init js.IExpr) *js.Var {
	switch x := init.(type) {
	case *js.Var:
		return root(x)
	case *js.VarDecl:
		if len(x.List) == 1 {
			if v, ok := x.List[0].Binding.(*js.Var); ok {
				return root(v)
			}
		}
	}
	return nil
}

func (f *follower) set(x *js.Var, v value) {
	r := root(x)
	if r.Decl == js.NoDecl {
		f.define(string(r.Data), x.Data, v)
		return
	}
	f.vars[r] = v
	if name := string(r.Data); f.declared[name] && !f.isModule {
		if _, ok := f.defines[name]; ok && r.Decl != js.ArgumentDecl {
			f.globals[name] = v
		}
	}
}
