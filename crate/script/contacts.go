package script

import (
	"bytes"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/ecma"
	"merrycrate.example/merry/crate/memo"
)

// A Contact is a host that a script asks for something while it runs, by an address that is written in it.
type Contact struct {
	Host   string `json:"host"`
	Line   int    `json:"line"` // of the first address
	Column int    `json:"column"`
}

// askers are functions and constructors that ask the address in one of their first two arguments.
var askers = map[string]bool{"fetch": true, "WebSocket": true, "EventSource": true, "Worker": true,
	"SharedWorker": true, "importScripts": true, "sendBeacon": true, "import": true, "getScript": true, "getJSON": true,
	"ajax": true, "Audio": true, "addModule": true, "register": true, "loadScript": true, "loadStyle": true}

// holders are properties whose value is an address that is asked: those of elements, and those that settings name so.
var holders = memo.Regexp(`(?i)^(?:.*(?:src|cdn|endpoint|tiles?|server)(?:ur[li])?|(?:base|api|data|font|script|` +
	`style|` +
	`worker|image|root|request|ajax)_?(?:ur[li]|path|root)|url)$`)

// holds is holders, asked only of names with such an end: a large script has hundreds of thousands of names.
func holds(name string) bool {
	if len(name) < 3 {
		return false
	}
	switch strings.ToLower(name[len(name)-3:]) {
	case "src", "cdn", "int", "ile", "les", "ver", "url", "uri", "ath", "oot":
		return holders().MatchString(name)
	}
	return false
}

// hostOf finds the host of an address that is written out.
var hostOf = memo.Regexp(`^(?:(?:https?|wss?):)?//([a-z0-9-]+(?:\.[a-z0-9-]+)+)(?::[0-9]+)?(?:[/?#]|$)`)

// maxWritten is how many addresses one expression is followed to, and how deep.
const maxWritten = 8

// contacts lists the hosts that a script asks while it runs, sorted.
func (f *follower) contacts(ast *js.AST) []Contact {
	if !bytes.Contains(f.src, []byte("://")) && !bytes.Contains(f.src, []byte(`"//`)) &&
		!bytes.Contains(f.src, []byte("'//")) {
		return nil
	}
	v := &contactsVisitor{f: f, held: map[*js.Var]js.IExpr{}}
	js.Walk(v, ast)
	slices.SortFunc(v.list, func(a, b Contact) int { return strings.Compare(a.Host, b.Host) })
	return v.list
}

type contactsVisitor struct {
	f     *follower
	list  []Contact
	held  map[*js.Var]js.IExpr // what variables begin with
	depth int
}

// Exit leaves a node.
func (v *contactsVisitor) Exit(js.INode) { v.depth-- }

// Enter notes what a node asks for.
func (v *contactsVisitor) Enter(n js.INode) js.IVisitor {
	if v.depth > ecma.MaxDepth {
		return nil
	}
	v.depth++
	switch n := n.(type) {
	case *js.BindingElement:
		if name, ok := n.Binding.(*js.Var); ok && n.Default != nil {
			v.held[root(name)] = n.Default
		}
	case *js.CallExpr:
		v.call(lastName(n.X), n.Args.List)
	case *js.NewExpr:
		if n.Args != nil {
			v.call(lastName(n.X), n.Args.List)
		}
	case *js.BinaryExpr:
		if n.Op == js.EqToken && holds(lastName(n.X)) {
			v.asks(n.Y)
		}
	case *js.Property:
		if n.Name != nil && n.Value != nil && holds(strings.Trim(n.Name.Literal.String(), `"'`)) {
			v.asks(n.Value)
		}
	}
	return v
}

// call notes the addresses among the first arguments of a call.
func (v *contactsVisitor) call(name string, args []js.Arg) {
	switch {
	case name == "open" && len(args) > 1: // a request; a window is opened by its first argument
		v.asks(args[1].Value)
	case askers[name]:
		for _, a := range args[:min(2, len(args))] {
			v.asks(a.Value)
		}
	case name == "setAttribute" && len(args) == 2:
		if is, ok := args[0].Value.(*js.LiteralExpr); ok && holds(strings.Trim(string(is.Data), `"'`)) {
			v.asks(args[1].Value)
		}
	}
}

// lastName is the name by which something is called or assigned: a variable's, or the last of its members.
func lastName(n js.IExpr) string {
	switch n := n.(type) {
	case *js.Var:
		return string(n.Data)
	case *js.DotExpr:
		return n.Y.String()
	case *js.LiteralExpr:
		return string(n.Data)
	case *js.GroupExpr:
		return lastName(n.X)
	}
	return ""
}

// asks notes the hosts of the addresses that an expression may be.
func (v *contactsVisitor) asks(n js.IExpr) {
	texts, at := v.written(n, maxWritten)
	for _, text := range texts {
		found := hostOf().FindStringSubmatch(strings.ToLower(text))
		if found == nil || at == nil || slices.ContainsFunc(v.list, func(c Contact) bool {
			return c.Host == found[1]
		}) {
			continue
		}
		g := v.f.place("", at)
		v.list = append(v.list, Contact{Host: found[1], Line: g.Line, Column: g.Column + 1})
	}
}

// written lists the texts that an expression may begin with, as far as they are written in the script, and where the
// first of them is written. What is not known is a NUL, which no host has.
func (v *contactsVisitor) written(n js.IExpr, deep int) (list []string, at []byte) {
	unknown := []string{"\x00"}
	if deep == 0 {
		return unknown, nil
	}
	switch n := n.(type) {
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken {
			return []string{strings.Trim(string(n.Data), `"'`)}, n.Data
		}
	case *js.TemplateExpr:
		if n.Tag == nil && len(n.List) > 0 {
			return []string{strings.Trim(string(n.List[0].Value), "`${")}, n.List[0].Value
		} else if n.Tag == nil {
			return []string{strings.Trim(string(n.Tail), "`")}, n.Tail
		}
	case *js.GroupExpr:
		return v.written(n.X, deep-1)
	case *js.Var:
		if begins := v.held[root(n)]; begins != nil {
			return v.written(begins, deep-1)
		}
	case *js.CondExpr:
		return either(v, n.X, n.Y, deep-1)
	case *js.BinaryExpr:
		switch n.Op {
		case js.OrToken, js.NullishToken:
			return either(v, n.X, n.Y, deep-1)
		case js.EqToken:
			return v.written(n.Y, deep-1)
		case js.AddToken:
			before, at := v.written(n.X, deep-1)
			behind, then := v.written(n.Y, deep-1)
			for _, a := range before {
				for _, b := range behind {
					if len(list) < maxWritten {
						list = append(list, a+b)
					}
				}
			}
			if at == nil {
				at = then
			}
			return list, at
		}
	}
	return unknown, nil
}

// either joins what two expressions may be.
func either(v *contactsVisitor, a, b js.IExpr, deep int) ([]string, []byte) {
	x, at := v.written(a, deep)
	y, then := v.written(b, deep)
	if at == nil {
		at = then
	}
	return slices.Concat(x, y), at
}
