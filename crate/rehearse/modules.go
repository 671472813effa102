package rehearse

import (
	"encoding/json"
	"fmt"
	"slices"

	"github.com/dop251/goja"
)

// A Module is one module that the page's scripts import, or one of its module scripts itself.
type Module struct {
	Name    string `json:"name"` // as findings call it
	Text    string `json:"text"`
	Address string `json:"address"`
	Type    string `json:"type,omitempty"` // json or css, where it is no script
	// Line and Column are where the text begins on its file or page, from 1.
	Line, Column int
	// Imports are the modules to which its specifiers lead, by their place in the request; one that leads nowhere has
	// -1, and of one that is not here nothing is known.
	Imports map[string]int `json:"imports,omitempty"`
	Unknown bool           `json:"unknown,omitempty"` // its text is not available
	// Unresolved are the names that it asks import.meta.resolve for and that no import map has.
	Unresolved []string `json:"unresolved,omitempty"`
}

// The states of a module.
type state int

const (
	untouched state = iota
	linking
	ready // to run
	running
	ran
	failed  // it, or one that it imports, stopped, or can't be linked
	waiting // for something that does not come in this room
)

// A unit is a module in the room.
type unit struct {
	*Module
	*linked
	at      int // its place in the request
	state   state
	owner   int // the script that first imported it
	getters map[string]goja.Value
	scope   *goja.Object
	all     *goja.Object // what import * gives
	start   goja.Callable
}

// units are the request's modules, each in its unit.
func (s *page) units() []*unit {
	if s.soon == nil {
		for i := range s.req.Modules {
			s.made = append(s.made, &unit{Module: &s.req.Modules[i], at: i, owner: -1})
		}
		soon, _ := s.vm.RunString("(function (f) { return Promise.resolve().then(f) })")
		s.soon, _ = goja.AssertFunction(soon)
		s.vm.GlobalObject().DefineDataProperty("$fetch", s.vm.ToValue(func(name goja.Value) goja.Value {
			return s.fetch(nil, name)
		}), goja.FLAG_TRUE, goja.FLAG_TRUE, goja.FLAG_FALSE)
	}
	return s.made
}

// module runs one of the request's modules, with what it imports, and reports whether that came to its end. Of one that
// can't be had in this room nothing is known then.
func (s *page) module(at int) (ended, known bool) {
	u := s.units()[at]
	doubt := s.doubt
	if !s.link(u, s.current) {
		return false, s.doubt == doubt
	}
	if err := s.evaluate(u); err != nil {
		s.fault(err)
	}
	return u.state == ran, u.state != waiting
}

// link makes a module and all that it imports ready to run (ECMA-262, section 16.2.1.6). It reports whether that could
// be done; what is missing is told by reading already. Nothing runs where one of them can't be linked.
func (s *page) link(u *unit, owner int) bool {
	var graph []*unit
	if !s.read(u, owner, &graph) {
		for _, v := range graph {
			if v.state == linking {
				v.state = untouched // another script may have it without what failed
			}
		}
		return false
	}
	for _, v := range graph {
		v.state = ready
		if !s.bind(v) {
			v.state = failed
		}
	}
	return s.whole(u, map[*unit]bool{})
}

// whole reports whether nothing that a module imports, over others too, failed to be linked.
func (s *page) whole(u *unit, seen map[*unit]bool) bool {
	if seen[u] || u.state == ran {
		return true
	}
	seen[u] = true
	if u.state == failed {
		return false
	}
	for _, name := range u.asks {
		if !s.whole(s.made[u.Imports[name]], seen) {
			return false
		}
	}
	return true
}

// read reads a module and what it imports, and creates them: their functions are there then.
func (s *page) read(u *unit, owner int, graph *[]*unit) bool {
	if u.state != untouched {
		return u.state != failed
	}
	u.state, u.owner, u.getters = linking, owner, map[string]goja.Value{}
	*graph = append(*graph, u)
	if u.Unknown || !s.create(u) {
		s.doubt = true
		u.state = failed
		return false
	}
	for _, name := range u.asks {
		to, known := u.Imports[name]
		if !known || to < 0 || to >= len(s.made) || !s.read(s.made[to], owner, graph) {
			s.doubt = s.doubt || !known
			u.state = failed
			return false
		}
	}
	return true
}

// create makes the module's function, and has it declare its own functions.
func (s *page) create(u *unit) bool {
	u.scope, u.all = s.vm.CreateObject(nil), s.vm.CreateObject(nil)
	if u.Type != "" {
		u.linked = &linked{exports: map[string]string{"default": "default"}}
		var v any
		if u.Type == "json" && json.Unmarshal([]byte(u.Text), &v) == nil {
			u.getters["default"] = s.vm.ToValue(func() goja.Value { return s.vm.ToValue(v) })
			return true
		}
		f, _ := goja.AssertFunction(s.engine.Get("anything"))
		stand, err := f(goja.Undefined())
		u.getters["default"] = s.vm.ToValue(func() goja.Value { return stand })
		return err == nil
	}
	var err error
	if u.linked, err = link(u.Text); err != nil {
		return false
	}
	program, err := compile(fmt.Sprintf("module %d", u.at), u.text)
	if err != nil {
		return false
	}
	made, err := s.vm.RunProgram(program)
	if err != nil {
		return false
	}
	enter, _ := goja.AssertFunction(made)
	export := s.vm.ToValue(func(list *goja.Object) {
		for _, name := range list.Keys() {
			u.getters[name] = list.Get(name)
		}
	})
	meta := s.vm.NewObject()
	meta.Set("url", u.Address)
	meta.Set("resolve", func(name string) string {
		if slices.Contains(u.Unresolved, name) {
			panic(s.vm.NewTypeError("Failed to resolve module specifier " + name))
		}
		return s.resolveFrom(u.Address, name)
	})
	args := []goja.Value{u.scope, export, s.vm.ToValue(func(name goja.Value) goja.Value { return s.fetch(u, name) }),
		meta}
	if u.awaits {
		u.start = func(goja.Value, ...goja.Value) (goja.Value, error) { return enter(goja.Undefined(), args...) }
		return true
	}
	generator, err := enter(goja.Undefined(), args...)
	if err != nil {
		return false
	}
	next, ok := goja.AssertFunction(generator.ToObject(s.vm).Get("next"))
	if !ok {
		return false
	}
	u.start = func(goja.Value, ...goja.Value) (goja.Value, error) { return next(generator) }
	_, err = u.start(nil)
	return err == nil
}

// bind gives a module the names that it imports, and its namespace what it exports.
func (s *page) bind(u *unit) bool {
	for _, b := range u.imports {
		from := s.made[u.Imports[b.from]]
		if b.what == "*" {
			u.scope.Set(b.name, from.all)
			continue
		}
		get, ok := s.getter(from, b.what, map[*unit]bool{})
		if !ok {
			return false // reading told of it
		}
		u.scope.DefineAccessorProperty(b.name, get, nil, goja.FLAG_TRUE, goja.FLAG_TRUE)
	}
	for name := range s.names(u, map[*unit]bool{}) {
		if get, ok := s.getter(u, name, map[*unit]bool{}); ok {
			u.all.DefineAccessorProperty(name, get, nil, goja.FLAG_TRUE, goja.FLAG_TRUE)
		}
	}
	return true
}

// names are all that a module exports.
func (s *page) names(u *unit, seen map[*unit]bool) map[string]bool {
	list := map[string]bool{}
	if seen[u] || u.linked == nil {
		return list
	}
	seen[u] = true
	for name := range u.exports {
		list[name] = true
	}
	for _, b := range u.through {
		if b.name != "*" {
			list[b.name] = true
			continue
		}
		for name := range s.names(s.made[u.Imports[b.from]], seen) {
			if name != "default" {
				list[name] = true
			}
		}
	}
	return list
}

// getter finds the function that gives what a module exports under a name.
func (s *page) getter(u *unit, name string, seen map[*unit]bool) (goja.Value, bool) {
	if seen[u] || u.linked == nil {
		return nil, false
	}
	seen[u] = true
	if own, ok := u.exports[name]; ok {
		for _, b := range u.imports {
			if b.name == own { // it hands on what it imports
				return s.through(u, b, seen)
			}
		}
		if get := u.getters[name]; get != nil {
			return get, true
		}
		return s.vm.ToValue(func() goja.Value { // one that waits has not begun
			if get, ok := goja.AssertFunction(u.getters[name]); ok {
				v, err := get(goja.Undefined())
				if err != nil {
					panic(err)
				}
				return v
			}
			return goja.Undefined()
		}), true
	}
	for _, b := range u.through {
		if b.name == name {
			return s.through(u, b, seen)
		}
	}
	for _, b := range u.through {
		if b.name == "*" && name != "default" {
			if get, ok := s.getter(s.made[u.Imports[b.from]], name, seen); ok {
				return get, true
			}
		}
	}
	return nil, false
}

// through is the getter of what a module has from another one.
func (s *page) through(u *unit, b binding, seen map[*unit]bool) (goja.Value, bool) {
	to, ok := u.Imports[b.from]
	if !ok || to < 0 {
		return nil, false
	}
	if b.what == "*" {
		return s.vm.ToValue(func() goja.Value { return s.made[to].all }), true
	}
	return s.getter(s.made[to], b.what, seen)
}

// evaluate runs a module behind what it imports (ECMA-262, section 16.2.1.6.1.3). The error is what stopped it, or the
// one of those that stopped.
func (s *page) evaluate(u *unit) error {
	if u.state != ready {
		return nil
	}
	u.state = running
	for _, name := range u.asks {
		to := s.made[u.Imports[name]]
		err := s.evaluate(to)
		if to.state == failed || to.state == waiting {
			u.state = to.state
			return err
		}
	}
	if !u.awaits {
		u.state = ran // what it asks for a moment later may have it; one that awaits is not at its end yet
	}
	if u.start == nil {
		return nil
	}
	v, err := u.start(nil)
	if err != nil {
		u.state = failed
		return err
	}
	if promise, ok := v.Export().(*goja.Promise); ok && u.awaits {
		switch promise.State() {
		case goja.PromiseStateFulfilled:
			u.state = ran
		case goja.PromiseStatePending:
			u.state = waiting
		case goja.PromiseStateRejected:
			u.state = failed // the rejection is reported, as nobody handles it
		}
	}
	return nil
}

// fetch is import() in the room: a promise of what the other module exports, which runs a moment later. Of what is not
// available nothing comes.
func (s *page) fetch(u *unit, name goja.Value) goja.Value {
	owner := s.current
	at, known := -1, false
	if u != nil {
		owner = u.owner
		at, known = u.Imports[name.String()]
	} else if s.current >= 0 {
		at, known = s.req.Scripts[s.current].Imports[name.String()]
	}
	never := func() goja.Value {
		s.touched[-1] = true
		promise, _, _ := s.vm.NewPromise()
		return s.vm.ToValue(promise)
	}
	v, err := s.soon(goja.Undefined(), s.vm.ToValue(func() goja.Value {
		switch {
		case !known:
			return never()
		case at < 0:
			panic(s.vm.NewTypeError("Failed to resolve module specifier '" + name.String() + "'"))
		}
		to := s.made[at]
		if !s.link(to, owner) {
			return never()
		}
		if err := s.evaluate(to); err != nil {
			panic(err)
		}
		if to.state == waiting || to.state == running { // it would be there when that has come to its end
			return never()
		}
		return to.all
	}))
	if err != nil {
		panic(err)
	}
	return v
}
