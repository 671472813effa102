// Package csp judges content security policies (Content Security Policy Level 3) and integrity policies (Subresource
// Integrity, section 3.8): what they forbid a page, and the smallest policy with which pages work.
package csp

import (
	"fmt"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/template"

	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// A header is one that a file of headers, which the packing list names, gives to pages.
type header struct {
	Header
	file  string // from the project's root
	below string // the addresses for which the file counts begin so
}

// A Index knows the headers of a project's server, and judges its pages. It may be asked from several goroutines.
type Index struct {
	// Scripts, if set, tells what modules import.
	Scripts *tags.Scripts

	p       *project.Project
	headers []header
	sheets  memo.Memo[string, []style.Reference] // what a stylesheet asks for
	// Texts are the contents of the header files, so that callers can notice changes.
	Texts []byte
	// Found are the flaws of the files themselves.
	Found []check.Finding
}

// New reads the files of headers that the packing list names.
func New(p *project.Project) *Index {
	g := &Index{p: p}
	for _, name := range p.List.Headers {
		g.read(name)
	}
	return g
}

// read reads one file of headers.
func (g *Index) read(name string) {
	p := g.p
	at, below := paths.FoundInProject(name), "/"
	b, err := p.ReadFile(at)
	if err != nil {
		g.Found = append(g.Found, check.Finding{Name: check.FileMissing, Severity: check.Error, File: record.ListFile,
			Line: 1, Column: 1, Message: "headers: names " + name + ", which can't be read",
			Why: "merry can't tell what the server's headers forbid", Next: "put the file there, or remove it " +
				"from the list"})
		return
	}
	if site, ok := p.InSite(at); ok && strings.HasPrefix(site.Base(), ".") {
		below = strings.TrimSuffix("/"+site.Dir(), "/.") + "/" // a server reads such a file for its folder
	}
	g.Texts = append(append(g.Texts, name...), b...)
	for _, h := range ReadHeaders(b) {
		g.headers = append(g.headers, header{h, name, below})
		var flaws []Flaw
		switch h.Name {
		case "content-security-policy":
			for _, of := range ParseHeader(h.Value) {
				flaws = append(flaws, of.Ignored(false)...)
			}
		case "integrity-policy":
			_, unheeded := Demands(h.Value)
			for _, d := range unheeded {
				flaws = append(flaws, Flaw{Part: "the destination " + d, Reason: "browsers know only the " +
					"destination script"})
			}
		}
		for _, f := range flaws {
			g.Found = append(g.Found, check.Finding{Name: check.PolicyUnheeded, Severity: check.Warning, File: name,
				Line: h.Line, Column: 1, Message: fmt.Sprintf("the policy has %s, which browsers ignore", f.Part),
				Why: f.Reason, Next: "correct it, or remove it"})
		}
	}
}

// Project is the project whose pages are judged.
func (g *Index) Project() *project.Project { return g.p }

// Applies reports whether any policy may have a say on a page.
func (g *Index) Applies(v *tags.Page) bool { return len(v.Policies) > 0 || len(g.headers) > 0 }

// HeadersOf are the headers that the site's files of headers give an address of the site, with a slash at its begin.
func (g *Index) HeadersOf(address string) []Header {
	var list []Header
	for _, h := range g.headers {
		if strings.HasPrefix(address, h.below) && h.Applies(address) {
			list = append(list, h.Header)
		}
	}
	return list
}

// Links are the headers that name files which browsers fetch before a page (RFC 8288; HTML Standard, section 4.2.5).
func (g *Index) Links() []references.Link {
	var list []references.Link
	for _, h := range g.headers {
		if refs := linksOf(h.Value); h.Name == "link" && len(refs) > 0 {
			list = append(list, references.Link{File: h.file, Line: h.Line, Refs: refs})
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
	*Policy
	where string
	from  int // behind which offset of the page it counts; -1 for all
	meta  bool
}

// policiesOf lists the policies that a page stands under, and the destinations that a policy of integrity blocks.
func (g *Index) policiesOf(v *tags.Page) (list []applied, demands []string) {
	for _, m := range v.Policies {
		if line, _ := v.Position(m.Start); m.InHead && !m.ReportOnly {
			list = append(list, applied{Parse(m.Text).Enforced(), fmt.Sprintf("line %d", line), m.Start, true})
		}
	}
	address := "/" + v.Path.String()
	for _, h := range g.headers {
		if !strings.HasPrefix(address, h.below) || !h.Applies(address) {
			continue
		}
		switch h.Name {
		case "content-security-policy":
			for _, p := range ParseHeader(h.Value) {
				list = append(list, applied{p, fmt.Sprintf("%s:%d", h.file, h.Line), -1, false})
			}
		case "integrity-policy":
			list, _ := Demands(h.Value)
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
	u := Use{Directive: "script-src-elem", Inline: true, Text: page.Normal(string(pg.InlineText(&pg.Includes[0])))}
	pg.Pieces(func(x page.Piece) {
		if x.Kind == page.Handler {
			u.Directive, u.Text = "script-src-attr", x.Text
		}
	})
	list, _ := g.policiesOf(v)
	for _, p := range list {
		if verdict, _ := p.Judge(u); verdict == Forbidden && p.from <= at {
			return true
		}
	}
	return false
}

// A Uses value is one thing that a page loads or contains, as a policy sees it.
type Uses struct {
	Use
	At   int // in the page's bytes
	what string
	next string  // how else it could be done, "" for what is usual
	Many Inlines // of several of its kind, which are reported once
}

// Uses lists all of a page on which a policy has a say.
//
// It is longer than 80 lines because it is one list of the kinds of includes.
func (g *Index) Uses(v *tags.Page) []Uses {
	foreign := map[string]bool{}
	for i := range v.Includes {
		if at, err := url.Parse(v.Targets[i].URL); err == nil && at.Hostname() != "" {
			foreign[strings.ToLower(at.Hostname())] = true
		}
	}
	isForeign := func(host string) bool { return foreign[host] || g.p.HasCDN("https://"+host) }
	fallbacks := map[int]bool{}
	for i := range v.Includes {
		if at, _ := v.FallbackOf(i); at >= 0 {
			fallbacks[at] = true
		}
	}
	var list []Uses
	add := func(directive string, t tags.Target, at int, what string) *Uses {
		u := Uses{Use: Use{Directive: directive, URL: t.URL, Foreign: isForeign}, At: at, what: what}
		if !t.Path.IsZero() {
			u.Path = "/" + t.Path.String()
		}
		list = append(list, u)
		return &list[len(list)-1]
	}
	for i := range v.Includes {
		in, t := &v.Includes[i], v.Targets[i]
		nonce, _ := v.Attr(in, "nonce")
		if v.IsMap(i) {
			// a script for policies (HTML Standard, section 4.12.1.1)
			u := add("script-src-elem", t, in.Start, "the import map"+strings.TrimPrefix(v.Name(i), "the inline "+
				"script"))
			u.Nonce, u.Inline, u.Text = nonce, true, page.Normal(string(v.InlineText(in)))
			u.Filled, u.next = len(v.HolesIn(in)) > 0, "give its tag the nonce of the policy"
			continue
		}
		if strings.HasPrefix(strings.ToLower(in.Ref), "data:") {
			t.URL = in.Ref
		}
		if in.Inert != "" || in.RefAttr.End != 0 && t.IsZero() {
			continue // a server says what it leads to
		}
		value, _ := v.Attr(in, "integrity")
		switch in.Kind {
		case page.Script, page.InlineScript:
			u := add("script-src-elem", t, in.Start, v.Name(i))
			if fallbacks[i] {
				u.what = "the fallback in line" + strings.TrimPrefix(u.what, "the inline script in line")
			}
			u.Nonce, u.Inline = nonce, in.Kind == page.InlineScript
			u.Text, u.Filled = page.Normal(string(v.InlineText(in))), len(v.HolesIn(in)) > 0
			if meta, err := integrity.Parse(value); err == nil {
				u.Integrity = meta.Strongest()
			}
		case page.Stylesheet, page.InlineStyle:
			u := add("style-src-elem", t, in.Start, v.Name(i))
			u.Nonce, u.Inline = nonce, in.Kind == page.InlineStyle
			u.Text, u.Filled = page.Normal(string(v.InlineText(in))), len(v.HolesIn(in)) > 0
			if in.Kind == page.Stylesheet {
				g.usesOfSheet(t, in.Start, add)
			}
		case page.Hint:
			as, _ := v.Attr(in, "as")
			if in.Rel == "modulepreload" {
				as = "script"
			}
			if directive := destinations[as]; directive != "" && (in.Rel == "modulepreload" ||
				strings.Contains(in.Rel, "preload")) {
				add(directive, t, in.Start, "the hint of "+v.Name(i)).Nonce = nonce
			}
		case page.Other:
			if rels := strings.Fields(in.Rel); slices.Contains(rels, "icon") || slices.Contains(rels, "manifest") {
				directive := "img-src"
				if slices.Contains(rels, "manifest") {
					directive = "manifest-src"
				}
				add(directive, t, in.Start, v.Name(i))
			}
		}
	}
	g.shownBy(v, add)
	g.importedBy(v, add)
	v.Pieces(func(x page.Piece) {
		u := Uses{Use: Use{Directive: "script-src-attr", Inline: true, Text: x.Text, Filled: template.Directed(x.Text)},
			At: x.Start}
		switch x.Kind {
		case page.Handler:
			u.what, u.Many, u.next = "the "+x.Name+" of this element", Handlers,
				"let a script add the handler (addEventListener)"
		case page.StyleValue:
			u.what, u.Many, u.next, u.Directive = "this style attribute", Styles, "give the element a class, and "+
				"style the class", "style-src-attr"
		case page.ScriptLink:
			u.what, u.Many, u.next, u.Directive = "this link to javascript:", Links, "let a script handle the click",
				"script-src-elem"
		}
		list = append(list, u)
	})
	return list
}

// importedBy adds what the page's modules import, directly or over others. A nonce counts for all that a tag's module
// imports (HTML Standard, section 8.1.4.2).
func (g *Index) importedBy(v *tags.Page, add adder) {
	if g.Scripts == nil {
		return
	}
	var follow func(n *graph.Node, tag int, seen map[*graph.Node]bool)
	follow = func(n *graph.Node, tag int, seen map[*graph.Node]bool) {
		if n == nil || seen[n] {
			return
		}
		seen[n] = true
		if n.Include < 0 && !n.Target.IsZero() {
			u := add("script-src-elem", n.Target, v.Includes[tag].Start, fmt.Sprintf("%s (which %s imports)",
				path.Base(tags.WithoutQuery(n.Target.String())), v.Name(tag)))
			u.Nonce, _ = v.Attr(&v.Includes[tag], "nonce")
		}
		for _, e := range n.Imports {
			follow(e.To, tag, seen)
		}
	}
	imported := graph.Of(g.Scripts, v)
	for _, n := range imported.Nodes {
		if n.Include < 0 {
			continue
		}
		seen := map[*graph.Node]bool{}
		follow(n, n.Include, seen)
		for _, l := range n.Loads {
			if l.How == script.Dynamic {
				follow(l.To, n.Include, seen)
			}
		}
	}
}

// shownBy adds the pictures, media and frames of a page.
func (g *Index) shownBy(v *tags.Page, add adder) {
	v.References(func(r page.Reference) {
		directive := ofElement[r.Element]
		switch {
		case r.In == page.InStyle:
			directive = OfFile(r.Ref)
		case r.Attribute == "poster":
			directive = "img-src"
		case r.Element == "source" && r.Attribute == "src":
			directive = "media-src" // pictures have srcset (HTML Standard, section 4.8.2)
		}
		if r.Inert || r.NoScript || r.Branch != "" || directive == "" || r.In != page.InStyle && !shows[r.Attribute] {
			return
		}
		t := tags.ResolveOnce(v.Path, v.Base, r.Ref)
		if t.IsZero() && strings.HasPrefix(r.Ref, "data:") {
			t.URL = r.Ref
		}
		if t.IsZero() {
			return
		}
		add(directive, t, r.Start, r.Ref)
		ending := strings.ToLower(path.Ext(tags.WithoutQuery(r.Ref)))
		if directive == "object-src" && (ending == ".svg" || strings.HasPrefix(ending, ".htm")) {
			add("frame-src", t, r.Start, r.Ref) // a document is in a frame there (HTML Standard, section 4.8.7)
		}
	})
}

// An adder adds a use.
type adder func(directive string, t tags.Target, at int, what string) *Uses

// Inlines names several inline things of one kind.
type Inlines string

// The kinds of which each page is reported once.
const (
	Handlers Inlines = "handlers in attributes"
	Styles   Inlines = "style attributes"
	Links    Inlines = "links to javascript:"
)

// destinations are the directives for what a hint preloads (Fetch Standard, section 3.2).
var destinations = map[string]string{"script": "script-src-elem", "style": "style-src-elem", "font": "font-src",
	"image": "img-src", "fetch": "connect-src", "track": "media-src",
	"audio": "media-src", "video": "media-src", "worker": "worker-src", "document": "frame-src"}

// ofElement are the directives for what elements show.
var ofElement = map[string]string{"img": "img-src", "image": "img-src", "use": "img-src", "input": "img-src",
	"source": "img-src",
	"video":  "media-src", "audio": "media-src", "track": "media-src", "iframe": "frame-src",
	"frame": "frame-src", "embed": "object-src", "object": "object-src", "body": "img-src"}

// shows are the attributes by which elements load at once.
var shows = map[string]bool{"src": true, "srcset": true, "data": true, "poster": true, "href": true, "xlink:href": true,
	"background": true}

// OfFile returns the directive for a file that a stylesheet loads, by its ending.
func OfFile(ref string) string {
	switch packages.KindOf(tags.WithoutQuery(ref)) {
	case packages.Font:
		return "font-src"
	case packages.Stylesheet:
		return "style-src-elem"
	}
	if strings.HasPrefix(ref, "data:") && strings.Contains(ref[:min(len(ref), 40)], "font") {
		return "font-src"
	}
	return "img-src"
}

// usesOfSheet adds what a stylesheet asks for, which the page's policy governs, too.
func (g *Index) usesOfSheet(t tags.Target, at int, add adder) {
	g.ofSheet(t, at, add, map[string]bool{})
}

// ofSheet is usesOfSheet for a stylesheet of which those that import it were seen.
func (g *Index) ofSheet(t tags.Target, at int, add adder, seen map[string]bool) {
	if seen[t.String()] {
		return
	}
	seen[t.String()] = true
	for _, of := range g.sheets.Of(t.String(), func() []style.Reference { return g.sheetRefs(t) }) {
		ref := of.URL
		to := tags.Resolve(t.Path, "", ref)
		if t.Path.IsZero() {
			if base, err := url.Parse(t.URL); err == nil {
				if abs, err := base.Parse(ref); err == nil {
					to = tags.Target{URL: abs.String()}
				}
			}
		}
		if strings.HasPrefix(ref, "data:") {
			to = tags.Target{URL: ref}
		}
		if to.IsZero() {
			continue
		}
		directive := OfFile(ref)
		switch {
		case of.Import:
			directive = "style-src-elem"
		case of.Font:
			directive = "font-src" // whatever its ending
		}
		add(directive, to, at, fmt.Sprintf("%s (which %s asks for)",
			path.Base(tags.WithoutQuery(ref[:min(len(ref), 60)])), path.Base(tags.WithoutQuery(t.String()))))
		if of.Import {
			g.ofSheet(to, at, add, seen)
		}
	}
}

// Sheet returns the text of a stylesheet, nil if it is not available, and its name for messages.
func (g *Index) Sheet(t tags.Target) ([]byte, string) {
	var b []byte
	err := fs.ErrNotExist
	name := t.URL
	if of := tags.FileOf(g.p, t); of.File != nil {
		b, err = g.p.LocalBytes(of)
		name = of.Library + ": " + of.File.Path
	} else if !t.Path.IsZero() {
		b, err = g.p.ReadInSite(t.Path)
		name = g.p.InProject(t.Path).String()
	}
	if err != nil {
		return nil, name
	}
	return b, name
}

// sheetRefs are the references of a stylesheet, none where its text is at no hand.
func (g *Index) sheetRefs(t tags.Target) []style.Reference {
	b, _ := g.Sheet(t)
	var list []style.Reference
	for _, r := range style.References(b) {
		if !strings.HasPrefix(r.URL, "#") && !slices.ContainsFunc(list, func(o style.Reference) bool {
			return o.URL == r.URL && o.Font == r.Font
		}) {
			list = append(list, r)
		}
	}
	return list
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
	uses := g.Uses(v)
	for _, p := range list {
		if !p.Evals() {
			eval = rehearse.EvalForbidden
		}
		for _, u := range uses {
			if verdict, _ := p.Judge(u.Use); verdict == Forbidden && u.Directive == "script-src-elem" &&
				p.from <= u.At {
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
	if len(list) == 0 && len(demands) == 0 {
		return k.found
	}
	uses := g.Uses(v)
	for _, p := range list {
		for _, u := range uses {
			if p.from <= u.At {
				k.judge(p, u)
			}
		}
	}
	k.tell()
	k.demanded(demands)
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
		for _, p := range list {
			if verdict, by := p.Judge(u.Use); verdict == Forbidden && p.from <= u.At {
				out[Forbidding{u.Directive, u.URL + u.Path + u.Text}] = fmt.Sprintf("its policy (%s) forbids %s: %s",
					p.where, u.what, shown(p, by))
			}
		}
	}
	return out
}

// A Forbidding is one thing that a policy forbids, wherever it is on the page.
type Forbidding struct{ directive, what string }
