// Package csp judges content security policies (Content Security Policy Level 3) and integrity policies (Subresource
// Integrity, section 3.8): what they forbid a page, and the smallest policy with which pages work.
package csp

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/policy"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/references"

	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// A Index knows the headers of a project's server, and judges its pages. It may be asked from several goroutines.
type Index struct {
	// Scripts, if set, tells what modules import.
	Scripts *tags.Scripts

	p       *project.Project
	headers *project.Headers
	sheets  memo.Memo[string, []style.Reference] // what a stylesheet asks for
	// Found are the flaws of the files themselves.
	Found []check.Finding
}

// New reads the files of headers that the packing list names.
func New(p *project.Project) *Index {
	g := &Index{p: p, headers: p.Headers()}
	for _, name := range g.headers.Lost {
		g.Found = append(g.Found, check.Finding{Name: check.FileMissing, Severity: check.Error, File: record.ListFile,
			Line: 1, Column: 1, Message: "headers: names " + name + ", which can't be read",
			Why: "merry can't tell what the server's headers forbid", Next: "put the file there, or remove it " +
				"from the list"})
	}
	for _, h := range g.headers.List {
		var flaws []policy.Flaw
		switch h.Name {
		case "content-security-policy":
			for _, of := range policy.ParseHeader(h.Value) {
				flaws = append(flaws, of.Ignored(false)...)
			}
		case "integrity-policy":
			_, flaws = policy.Demands(h.Value)
		}
		for _, f := range flaws {
			g.Found = append(g.Found, check.Finding{Name: check.PolicyUnheeded, Severity: check.Warning, File: h.File,
				Line: h.Line, Column: 1, Message: fmt.Sprintf("the policy has %s, which browsers ignore", f.Part),
				Why: f.Reason, Next: "correct it, or remove it"})
		}
	}
	return g
}

// Project is the project whose pages are judged.
func (g *Index) Project() *project.Project { return g.p }

// Applies reports whether any policy may have a say on a page.
func (g *Index) Applies(v *tags.Page) bool { return len(v.Policies) > 0 || len(g.headers.List) > 0 }

// HeadersOf are the headers that the site's files of headers give an address of the site, with a slash at its begin.
func (g *Index) HeadersOf(address string) []project.Header { return g.headers.Of(address) }

// Links are the headers that name files which browsers fetch before a page (RFC 8288; HTML Standard, section 4.2.5).
func (g *Index) Links() []references.Link {
	var list []references.Link
	for _, h := range g.headers.List {
		if refs := linksOf(h.Value); h.Name == "link" && len(refs) > 0 {
			list = append(list, references.Link{File: h.File, Line: h.Line, Refs: refs})
		}
	}
	return list
}

// linksOf are the addresses of a Link header.
func linksOf(value string) []string {
	var list []string
	for _, m := range linked().FindAllStringSubmatch(value, -1) {
		list = append(list, strings.TrimSpace(m[1]))
	}
	return list
}

var linked = memo.Regexp(`<([^<>]*)>\s*;[^,]*\brel\s*=\s*"?(?:preload|modulepreload|prefetch|stylesheet|icon)\b`)

// A applied policy is one under which a page stands, with its place.
type applied struct {
	*policy.Policy
	where string
	from  int // behind which offset of the page it counts; -1 for all
	meta  bool
}

// policiesOf lists the policies that a page stands under, and the destinations that a policy of integrity blocks.
func (g *Index) policiesOf(v *tags.Page) (list []applied, demands []string) {
	for _, m := range v.Policies {
		if line, _ := v.Position(m.Start); m.InHead && !m.ReportOnly {
			list = append(list, applied{policy.Parse(m.Text).Enforced(), fmt.Sprintf("line %d", line), m.Start, true})
		}
	}
	for _, h := range g.headers.Of("/" + v.Path.String()) {
		switch h.Name {
		case "content-security-policy":
			for _, p := range policy.ParseHeader(h.Value) {
				list = append(list, applied{p, fmt.Sprintf("%s:%d", h.File, h.Line), -1, false})
			}
		case "integrity-policy":
			list, _ := policy.Demands(h.Value)
			demands = append(demands, list...)
		}
	}
	return list, demands
}

// ForbidsInline reports whether a policy forbids an inline script, the first of some markup, at a place of a page.
func (g *Index) ForbidsInline(v *tags.Page, at int, markup string) bool {
	pg, err := page.Read([]byte(markup))
	if err != nil || len(pg.Includes) == 0 {
		return false
	}
	u := policy.Use{Directive: "script-src-elem", Inline: true,
		Text: page.Normal(string(pg.InlineText(&pg.Includes[0])))}
	pg.Pieces(func(x page.Piece) {
		if x.Kind == page.Handler {
			u.Directive, u.Text = "script-src-attr", x.Text
		}
	})
	list, _ := g.policiesOf(v)
	for _, p := range list {
		if verdict, _ := p.Judge(u); verdict == policy.Forbidden && p.from <= at {
			return true
		}
	}
	return false
}

// Upgrades reports whether a policy has browsers ask for https wherever the page says http.
func (g *Index) Upgrades(v *tags.Page) bool {
	list, _ := g.policiesOf(v)
	return slices.ContainsFunc(list, func(p applied) bool { return p.Upgrades() })
}

// Blocked returns the page's scripts that its policies block, by the index of their includes, and how they treat
// strings run as code.
func (g *Index) Blocked(v *tags.Page) (scripts map[int]bool, eval rehearse.Eval) {
	list, _ := g.policiesOf(v)
	if len(list) == 0 {
		return nil, ""
	}
	scripts = map[int]bool{}
	at := map[int]int{}
	for i := range v.Includes {
		at[v.Includes[i].Start] = i
	}
	for _, p := range list {
		if !p.Evals() {
			eval = rehearse.EvalForbidden
		}
	}
	for _, u := range g.Uses(v) {
		for _, p := range u.under(list) {
			if verdict, _ := p.Judge(u.Use); verdict == policy.Forbidden && u.Directive == "script-src-elem" {
				if i, ok := at[u.At]; ok {
					scripts[i] = true
				}
			}
		}
	}
	return scripts, eval
}

// Findings returns what a page's policies forbid, and which parts of them browsers ignore.
func (g *Index) Findings(v *tags.Page, file string) []check.Finding {
	list, demands := g.policiesOf(v)
	k := &policyFindings{v: v, file: file}
	k.unheeded()
	if len(list) == 0 && len(demands) == 0 && !page.HasFrames(v.Bytes) {
		return k.found
	}
	for _, u := range g.Uses(v) {
		for _, p := range u.under(list) {
			k.judge(p, u)
		}
	}
	k.tell()
	k.demanded(demands)
	g.demandedOfModules(k, demands)
	return k.found
}

// Forbidden lists what a page's policies forbid, each with its message.
func (g *Index) Forbidden(v *tags.Page) map[Forbidding]string {
	list, demands := g.policiesOf(v)
	out := map[Forbidding]string{}
	if len(list) == 0 && len(demands) == 0 {
		return out
	}
	for _, u := range g.Uses(v) {
		for _, p := range u.under(list) {
			if verdict, by := p.Judge(u.Use); verdict == policy.Forbidden {
				words := fmt.Sprintf("its policy (%s) forbids %s: %s", p.where, u.what, shown(p, by))
				if u.Inline && by != "sandbox" {
					words += "; add " + policy.HashOf(u.Text) + " to " + by
				}
				out[Forbidding{u.Directive, u.URL + u.Path + u.Text}] = words
			}
		}
	}
	return out
}

// A Forbidding is one thing that a policy forbids, wherever it is on the page.
type Forbidding struct {
	directive string
	What      string // its address, or its text
}
