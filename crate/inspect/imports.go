package inspect

import (
	"cmp"
	"fmt"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/tags"
)

// imports adds the modules that have no tags to the steps of a page: each before the first that imports it.
type imports struct {
	c   *inspection
	at  map[*graph.Node]int // of each module, its step
	out *Ordered
}

// before adds what a module imports.
func (m *imports) before(n *graph.Node) {
	if n == nil {
		return
	}
	seen := map[*graph.Node]bool{n: true}
	var visit func(n *graph.Node)
	visit = func(n *graph.Node) {
		for _, e := range n.Imports {
			if _, done := m.at[e.To]; e.To == nil || done || seen[e.To] || e.To.Include >= 0 {
				continue
			}
			seen[e.To] = true
			visit(e.To)
			m.add(e.To, "imported")
		}
	}
	visit(n)
}

// add adds one module.
func (m *imports) add(n *graph.Node, when string) {
	m.at[n] = len(m.out.Steps)
	s := Step{Name: n.Target.String(), Kind: page.Script.String(), When: when, Library: n.Of.Library, Verdict: Fine,
		Item: -1, From: cmp.Or(cdn.Origin(n.Target.URL), "local")}
	s.Size, s.Wire = m.c.p.Sizes(tags.LocationOf(m.c.p, n.Target, n.Of))
	switch {
	case m.c.leads.Missing(n):
		s.Verdict = NotThere
	case n.Script == nil:
		s.Verdict = Unknown
	default:
		for _, g := range n.Script.Defines {
			s.Defines = append(s.Defines, g.Name)
		}
	}
	m.out.Steps = append(m.out.Steps, s)
}

// constrain adds what scripts import while they run, and the reason for every import.
func (m *imports) constrain(of *graph.Graph) {
	for _, n := range of.Nodes {
		if _, done := m.at[n]; !done {
			m.add(n, "when a script asks for it")
		}
	}
	for _, n := range of.Nodes {
		for _, e := range n.Imports {
			if e.To == nil || e.To == n {
				continue
			}
			before, after := m.at[e.To], m.at[n]
			why := fmt.Sprintf("%s imports it (%s:%d:%d)", m.out.Steps[after].Name, m.out.Steps[after].Name, e.Line,
				e.Column)
			if before > after {
				why += "; they import each other in a circle, and the other one runs first"
			}
			m.out.Constraints = append(m.out.Constraints, OrderConstraint{Before: before, After: after, Reason: why,
				State: order.Kept})
		}
	}
}
