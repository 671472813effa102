package renames

import (
	"math"
	"strings"

	"merrycrate.example/merry/crate/style"
)

// What a class says alone and what an element looks like that has it are two things: a maker may write `.menu .line` in
// one version and `.menu-line` in the next, or a value of a custom property in place of the declaration that uses it.
// So a class is put on, too: on an element of a tree in which all is there that its rules ask for, with an element
// below it. Of declarations of one property the one counts that the cascade picks (CSS Cascading and Inheritance Level
// 5, section 6): by importance, specificity and order.

// A fit is where a rule counts on that tree, how specific it is, and how much of it is the class's own doing.
type fit struct {
	at          string // "self", "self:before" …, "child"
	specificity int
	weight      float64
}

// Of what a class does together with others of the same element, with those around it, and to elements below it.
const (
	together = 0.3
	around   = 0.6
	below    = 0.6
)

// fitOf places a rule by the shape of its selector. It has none on the tree where it asks for a state that comes and
// goes, or is about another element.
func fitOf(shape string) (fit, bool) {
	list, combinators := compounds(strings.ReplaceAll(shape, "::", ":"))
	f := fit{weight: 1}
	for _, c := range list {
		f.specificity += 100*strings.Count(c, "#") + 10*(strings.Count(c, ".")+strings.Count(c, "[")) + 1
	}
	last := list[len(list)-1]
	switch n := len(list); {
	case strings.Contains(last, ".&"):
		f.at = "self"
		if n > 1 {
			f.weight *= around
		}
	case n > 1 && strings.Contains(list[n-2], ".&") && (combinators[n-2] == ' ' || combinators[n-2] == '>'):
		f.at = "child"
		f.weight *= below
		if strings.Contains(list[n-2], ":") {
			return f, false
		}
	default:
		return f, false
	}
	if strings.Contains(last, ".*") && f.at == "self" {
		f.weight *= together
	}
	name, pseudo, _ := strings.Cut(last, ":")
	for pseudo != "" {
		one, rest, _ := strings.Cut(pseudo, ":")
		if strings.HasPrefix(pseudo, "not(") {
			one, rest, _ = strings.Cut(pseudo, ")")
			rest = strings.TrimPrefix(rest, ":")
		}
		pseudo = rest
		switch {
		case one == "before" || one == "after":
			f.at += ":" + one
		case strings.HasPrefix(one, "not("):
		default:
			return f, false
		}
	}
	return f, !strings.Contains(name, "[")
}

// compounds takes a selector apart: its compounds, and what stands between them.
func compounds(shape string) (list []string, combinators []byte) {
	depth, from, between := 0, 0, byte(0)
	for i := 0; i < len(shape); i++ {
		switch c := shape[i]; {
		case c == '(' || c == '[':
			depth++
		case c == ')' || c == ']':
			depth--
		case depth == 0 && (c == ' ' || c == '>' || c == '+' || c == '~'):
			if i > from {
				list = append(list, shape[from:i])
				combinators, between = append(combinators, ' '), 0
			}
			if c != ' ' || between == 0 {
				between = c
			}
			if len(combinators) > 0 {
				combinators[len(combinators)-1] = between
			}
			from = i + 1
		}
	}
	return append(list, shape[from:]), combinators
}

// maxUsers is how many rules may use a custom property for what a class gives it to be followed to them.
const maxUsers = 20

// styled is what an element looks like that has a class, by place and property.
func (m *computedStyles) styled(class string) declarations {
	if s, done := m.on[class]; done {
		return s
	}
	s, won := declarations{}, map[string]int{}
	add := func(d style.Declaration) {
		f, ok := fitOf(d.Shape)
		if !ok || strings.HasPrefix(d.Property, "-") {
			return
		}
		value := m.valueOf(d.Value)
		if value == "" {
			return
		}
		if strings.Contains(d.Value, "!") {
			f.specificity += 1000
		}
		weight := f.weight / (1 + math.Log(float64(max(1, m.counts[[2]string{d.Property, d.Value}])))/2)
		at := contextOf(d.Context) + "{" + f.at + "{"
		for _, p := range longhands(d.Property, value) {
			if key := at + p[0]; won[key] <= f.specificity {
				s[key], won[key] = evidenceItem{p[1], weight}, f.specificity
			}
		}
	}
	for _, d := range m.sheet.Decls[class] {
		users := m.sheet.Users[d.Property]
		if !strings.HasPrefix(d.Property, "--") || len(users) > maxUsers {
			add(d)
			continue
		}
		for _, u := range users {
			u.Context = d.Context
			u.Value = variable().ReplaceAllStringFunc(u.Value, func(use string) string {
				if variable().FindStringSubmatch(use)[1] == d.Property {
					return d.Value
				}
				return use
			})
			add(u)
		}
	}
	m.on[class] = s
	return s
}
