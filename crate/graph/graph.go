// Package graph follows the modules of a page and what they load, through its import map, in the order in which they
// run.
package graph

import (
	"net/url"
	"slices"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// A Graph is what the modules of a page load, each once. Those that run come in the order in which they do, each behind
// what it imports, and those of tags in the order of their tags (ECMA-262, section 16.2.1.5); scripts that a browser
// loads only when a script asks for them come behind all others.
type Graph struct {
	Nodes []*Node
	// Plain are the page's plain scripts that ask for others while they run; they are no modules themselves.
	Plain []*Node

	p     *project.Project
	v     *tags.Page
	names *module.Names // of the page's import maps, once somebody asks
}

// A Node is one module of a page's graph.
type Node struct {
	Include int         // of the page, -1 for one without a tag of its own
	Target  tags.Target // zero for a text of the page itself
	Of      project.Sealed
	Script  *tags.Script // nil if its text is not known
	Imports []Edge       // before it runs
	Loads   []Load       // while it runs
	// Late says that it is loaded only when a script asks for it.
	Late bool

	at       *url.URL
	on, done bool
}

// An Edge is one import of a module.
type Edge struct {
	script.Import
	To *Node // nil for what is no script, or leads nowhere
	Way
}

// A Load is one file that a script asks for while it runs.
type Load struct {
	script.Load
	To *Node // nil for what is not imported, or leads nowhere
	Way
}

// A Way is where a specifier leads.
type Way struct {
	Target tags.Target // zero if it leads nowhere
	Bare   bool        // it is a name, and no address
	Mapped bool        // the import map has the name
}

// maxModules is how many modules of one page are followed.
const maxModules = 20_000

// Of follows the modules of a page.
func Of(s *tags.Scripts, v *tags.Page) *Graph {
	g := &Graph{p: s.Project(), v: v}
	w := &walk{s: s, v: v, g: g}
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case in.Inert != "" || in.Kind != page.Script && in.Kind != page.InlineScript:
		case in.Module && in.Kind == page.InlineScript:
			w.run(&Node{Include: i, Script: s.OfInclude(v, i), at: v.Address()})
		case in.Module:
			if n := w.node(v.Targets[i]); n != nil {
				n.Include = i
				w.run(n)
			}
		default:
			w.plain(i)
		}
	}
	for _, n := range append(g.Nodes[:len(g.Nodes):len(g.Nodes)], g.Plain...) {
		w.late(n)
	}
	return g
}

type walk struct {
	s     *tags.Scripts
	v     *tags.Page
	g     *Graph
	known map[tags.Target]*Node
}

// node is the node of a target, nil for none.
func (w *walk) node(t tags.Target) *Node {
	if n := w.known[t]; n != nil || t.IsZero() || len(w.known) >= maxModules {
		return n
	}
	n := &Node{Include: -1, Target: t, Of: tags.FileOf(w.g.p, t), Script: w.s.Of(t)}
	n.at = addressOf(t)
	if w.known == nil {
		w.known = map[tags.Target]*Node{}
	}
	w.known[t] = n
	return n
}

// addressOf is a target as an address, with which specifiers are determined.
func addressOf(t tags.Target) *url.URL {
	if t.URL == "" {
		return tags.AddressIn(t.Path)
	}
	u, err := url.Parse(t.URL)
	if err != nil {
		return &url.URL{}
	}
	return u
}

// run follows a module and, before it, what it imports. Round a circle, the one that closes it runs first.
func (w *walk) run(n *Node) {
	if n.on || n.done {
		return
	}
	n.on = true
	if n.Script != nil {
		for _, in := range n.Script.Imports {
			e := Edge{Import: in, Way: w.g.Resolve(n.at, in.From)}
			if in.Type == "" {
				e.To = w.node(e.Target)
			}
			n.Imports = append(n.Imports, e)
			if e.To != nil {
				w.run(e.To)
			}
		}
	}
	n.on, n.done = false, true
	w.g.Nodes = append(w.g.Nodes, n)
}

// plain notes a plain script that asks for others.
func (w *walk) plain(i int) {
	k := w.s.OfInclude(w.v, i)
	if k == nil || len(k.Loads) == 0 || k.Form == script.Module {
		return
	}
	n := &Node{Include: i, Script: k, at: w.v.Address(), Of: w.v.Of[i]}
	if w.v.Includes[i].Kind == page.Script {
		n.Target, n.at = w.v.Targets[i], addressOf(w.v.Targets[i])
	}
	w.g.Plain = append(w.g.Plain, n)
}

// late follows what a script asks for while it runs.
func (w *walk) late(n *Node) {
	if n.Script == nil || n.Loads != nil {
		return
	}
	for _, l := range n.Script.Loads {
		from := n.at
		if l.Page {
			from = w.v.Address()
		}
		load := Load{Load: l}
		if l.How == script.Dynamic {
			load.Way = w.g.Resolve(from, l.From)
			load.To = w.node(load.Target)
		} else if to, err := from.Parse(l.From); err == nil {
			load.Target = tags.TargetAt(to)
		}
		n.Loads = append(n.Loads, load)
		if load.To == nil || load.To.done {
			continue
		}
		begin := len(w.g.Nodes)
		w.run(load.To)
		for _, m := range w.g.Nodes[begin:len(w.g.Nodes):len(w.g.Nodes)] {
			m.Late = true
			w.late(m)
		}
	}
}

// A File is one that a page loads since a script of its graph imports it or asks for it.
type File struct {
	Target tags.Target
	Of     project.Sealed
	Late   bool // only when a script asks for it
}

// Files are the files that the page loads beside those of its tags.
func (g *Graph) Files() []File {
	if len(g.Nodes)+len(g.Plain) == 0 {
		return nil
	}
	var list []File
	for _, n := range g.Nodes {
		if n.Include < 0 {
			list = append(list, File{n.Target, n.Of, n.Late})
		}
	}
	add := func(t tags.Target, late bool) {
		if !t.IsZero() {
			list = append(list, File{t, tags.FileOf(g.p, t), late})
		}
	}
	for _, n := range slices.Concat(g.Nodes, g.Plain) {
		for _, e := range n.Imports {
			if e.To == nil {
				add(e.Target, n.Late)
			}
		}
		for _, l := range n.Loads {
			if l.To == nil {
				add(l.Target, true)
			}
		}
	}
	return list
}

// Tag returns the module of an include, nil if it has none.
func (g *Graph) Tag(i int) *Node {
	if at := slices.IndexFunc(g.Nodes, func(n *Node) bool { return n.Include == i }); at >= 0 {
		return g.Nodes[at]
	}
	return nil
}

// PlainOf is the plain script of an include that asks for others, nil if it does not.
func (g *Graph) PlainOf(i int) *Node {
	if at := slices.IndexFunc(g.Plain, func(n *Node) bool { return n.Include == i }); at >= 0 {
		return g.Plain[at]
	}
	return nil
}

// Resolve returns the target of an import: a path from an address, or a name through the page's import maps.
func (g *Graph) Resolve(from *url.URL, specifier string) Way {
	if g.names == nil {
		g.names = g.v.MapNames(g.p)
	}
	to, ok := g.names.Resolve(from, specifier)
	way := Way{Bare: !module.Relative(specifier), Mapped: ok}
	if ok {
		way.Target = tags.TargetAt(to)
	}
	return way
}

// Waits reports whether a module imports another, over others too, so that it runs only when that has come to its end.
func (n *Node) Waits(other *Node) bool {
	seen := map[*Node]bool{}
	var visit func(n *Node) bool
	visit = func(n *Node) bool {
		if n == other {
			return true
		}
		if seen[n] {
			return false
		}
		seen[n] = true
		for _, e := range n.Imports {
			if e.To != nil && visit(e.To) {
				return true
			}
		}
		return false
	}
	return visit(n)
}

// Exports reports whether a module exports a name, itself or through those of which it exports all; known is false if
// that can't be known.
func (n *Node) Exports(name string) (has, known bool) { return n.exports(name, map[*Node]bool{}) }

func (n *Node) exports(name string, seen map[*Node]bool) (has, known bool) {
	if seen[n] {
		return false, true
	}
	seen[n] = true
	if n.Script == nil || n.Script.Text == nil || n.Script.Form == script.Broken || n.Script.SyntaxError != "" {
		return false, false
	}
	if slices.Contains(n.Script.Exports, name) {
		return true, true
	}
	known = true
	for _, star := range n.Script.ReExports {
		at := slices.IndexFunc(n.Imports, func(e Edge) bool { return e.From == star })
		if at < 0 || n.Imports[at].To == nil {
			known = false
			continue
		}
		inner, sure := n.Imports[at].To.exports(name, seen)
		if inner && name != "default" {
			return true, true
		}
		known = known && sure
	}
	return false, known
}
