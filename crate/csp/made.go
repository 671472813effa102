package csp

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// Types are what a page's policies demand of texts that become markup or code (Trusted Types, section 4.2), nil for
// nothing.
func (g *Index) Types(v *tags.Page) *rehearse.Types {
	list, _ := g.policiesOf(v)
	var of *rehearse.Types
	for _, p := range list {
		required, names := p.Types()
		if !required && names == nil {
			continue
		}
		if of == nil {
			of = &rehearse.Types{}
		}
		of.Required = of.Required || required
		switch {
		case of.Names == nil || slices.Contains(of.Names, "*"):
			of.Names = names
		case names != nil && !slices.Contains(names, "*"): // every policy must allow a name
			of.Names = slices.DeleteFunc(of.Names, func(n string) bool { return !slices.Contains(names, n) })
		}
	}
	return of
}

// made is a use of what a script made or asked for.
type made struct {
	Uses
	include, module, line, column int
	kind                          rehearse.MadeKind // "" for an address
	sure                          bool
}

// byScripts lists what scripts made and asked for in a rehearsal, as policies see it.
func (g *Index) byScripts(v *tags.Page, report *rehearse.Report) (list []made) {
	includes := pageload.Scripts(v)
	foreign := g.foreign(v)
	at := func(script int) (int, bool) {
		if script < 0 || script >= len(includes) {
			return 0, false
		}
		return includes[script], true
	}
	for _, m := range report.Made {
		i, ok := at(m.Script)
		if !ok {
			continue
		}
		of := inlineKinds[m.Kind]
		u := Uses{At: v.Includes[i].Start, what: of.what, next: of.next, Use: policy.Use{Directive: of.directive,
			Inline: true, Text: m.Text, Nonce: m.Nonce, Foreign: foreign}}
		list = append(list, made{u, i, m.Module, m.Line, m.Column, m.Kind, m.Sure})
		if m.Kind != rehearse.MadeStyle {
			continue
		}
		for _, r := range style.References([]byte(m.Text)) { // what such a style asks for is the page's, too
			u := Uses{Use: policy.Use{Directive: ofSheet(r), Foreign: foreign}, At: v.Includes[i].Start}
			t := tags.ResolveOnce(v.Path, v.Base, r.URL)
			if strings.HasPrefix(r.URL, "data:") {
				t.URL = r.URL
			}
			if t.IsZero() {
				continue
			}
			if u.URL = t.URL; t.URL == "" {
				u.Path = "/" + t.Path.String()
			}
			u.what = "makes a style element that asks for " + r.URL[:min(len(r.URL), 80)]
			list = append(list, made{u, i, m.Module, m.Line, m.Column, "", m.Sure})
		}
	}
	for _, a := range report.Asked {
		i, ok := at(a.Script)
		directive := askedKinds[a.By]
		for _, word := range strings.Fields(a.By) {
			if directive == "" {
				directive = askedKinds[word]
			}
		}
		if !ok || directive == "" {
			continue
		}
		u := Uses{Use: policy.Use{Directive: directive, Nonce: a.Nonce, Foreign: foreign,
			Dynamic: directive == "script-src-elem" && !a.Written}, At: v.Includes[i].Start}
		if meta, err := integrity.Parse(a.Integrity); err == nil {
			u.Integrity = meta.Strongest()
		}
		address, err := url.Parse(a.Address)
		switch rest, own := strings.CutPrefix(a.Address, pageload.Site); {
		case err != nil || address.Scheme == "about" || address.Scheme == "javascript":
			continue
		case own:
			u.Path, u.what = "/"+rest, "asks for "+tags.WithoutQuery(rest)
		default:
			u.URL, u.what = a.Address, "asks for "+a.Address[:min(len(a.Address), 80)]
		}
		list = append(list, made{u, i, a.Module, a.Line, a.Column, "", a.Sure})
	}
	of := make([]Uses, len(list))
	for i := range list {
		of[i] = list[i].Uses
	}
	g.upgrade(v, of)
	for i := range list {
		list[i].Uses = of[i]
	}
	return list
}

// inlineKinds are the directives for what scripts make, what findings say of it, and how it could be done otherwise.
var inlineKinds = map[rehearse.MadeKind]struct{ directive, what, next string }{
	rehearse.MadeStyle: {"style-src-elem", "makes a style element", "put the rules into a stylesheet of the site"},
	rehearse.MadeAttribute: {"style-src-attr", "makes a style attribute", "let the script set properties of " +
		"element.style, or a class"},
	rehearse.MadeHandler: {"script-src-attr", "makes an attribute with code", "let the script add the handler " +
		"(addEventListener)"},
	rehearse.MadeScript: {"script-src-elem", "makes an inline script", "let the script load a file"},
}

// askedKinds are the directives for what scripts ask for, by the element, the relation of a link or the function.
var askedKinds = map[string]string{"script": "script-src-elem", "modulepreload": "script-src-elem",
	"stylesheet": "style-src-elem", "img": "img-src", "icon": "img-src", "audio": "media-src", "video": "media-src",
	"iframe": "frame-src", "embed": "object-src", "object": "object-src", "fetch": "connect-src", "send": "connect-src",
	"worker": "worker-src", "manifest": "manifest-src"}

// Made lists what the page's policies forbid of what its scripts made and asked for, once for each script, kind and
// policy.
func (g *Index) Made(v *tags.Page, report *rehearse.Report) []pageload.Forbidden {
	list, demands := g.policiesOf(v)
	if len(list) == 0 && len(demands) == 0 {
		return nil
	}
	var out []pageload.Forbidden
	type key struct {
		include, module    int
		what, policy, next string
	}
	count, first := map[key]int{}, map[key]int{}
	for _, m := range g.byScripts(v, report) {
		if !m.sure {
			continue
		}
		if m.Directive == "script-src-elem" && m.kind == "" && len(m.Integrity) == 0 &&
			slices.Contains(demands, "script") {
			out = append(out, pageload.Forbidden{Include: m.include, Module: m.module, Line: m.line, Column: m.column,
				What: m.what + " without an integrity", Policy: "the server's Integrity-Policy requires one",
				Next: "let the script set integrity and crossOrigin on the element"})
			continue
		}
		for _, p := range m.under(list) {
			verdict, by := p.Judge(m.Use)
			if verdict != policy.Forbidden {
				continue
			}
			f := pageload.Forbidden{Include: m.include, Module: m.module, Line: m.line, Column: m.column, What: m.what,
				Policy: fmt.Sprintf("the policy of %s forbids it: %s", p.where, shown(p, by)), Next: nextOfMade(m, by)}
			k := key{m.include, m.module, f.What, f.Policy, ""}
			if m.kind == "" {
				k.next = f.Next
			}
			if at, told := first[k]; told {
				count[k]++
				out[at].What = fmt.Sprintf("%s, and %d more", m.what, count[k])
			} else {
				first[k] = len(out)
				out = append(out, f)
			}
			break
		}
	}
	return out
}

// nextOfMade says how what a script made could be allowed.
func nextOfMade(m made, by string) string {
	switch m.kind {
	case "":
		return next(m.Uses, by)
	case rehearse.MadeAttribute, rehearse.MadeHandler:
		return fmt.Sprintf("%s; or add 'unsafe-hashes' %s to %s", m.next, policy.HashOf(m.Text), by)
	}
	return fmt.Sprintf("%s; or add %s to %s", m.next, policy.HashOf(m.Text), by)
}
