package csp

import (
	"cmp"
	"fmt"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/template"
)

// A Uses value is one thing that a page loads or contains, as a policy sees it.
type Uses struct {
	policy.Use
	At   int // in the page's bytes
	what string
	next string  // how else it could be done, "" for what is usual
	Many Inlines // of several of its kind, which are reported once

	own []applied // the policies of the frame's document that it stands in
}

// under are the policies, of those of the page, that apply to it, and those of its own document.
func (u *Uses) under(list []applied) []applied {
	var all []applied
	for _, p := range list {
		if p.from <= u.At {
			all = append(all, p)
		}
	}
	return append(all, u.own...)
}

// Uses lists all of a page on which a policy has a say.
//
// It is longer than 80 lines because it is one list of the kinds of includes.
func (g *Index) Uses(v *tags.Page) []Uses {
	isForeign := g.foreign(v)
	fallbacks := map[int]bool{}
	for i := range v.Includes {
		if at, _ := v.FallbackOf(i); at >= 0 {
			fallbacks[at] = true
		}
	}
	var list []Uses
	add := func(directive string, t tags.Target, at int, what string) *Uses {
		u := Uses{Use: policy.Use{Directive: directive, URL: t.URL, Foreign: isForeign}, At: at, what: what}
		if !t.Path.IsZero() {
			u.Path = "/" + t.Path.String()
		}
		list = append(list, u)
		return &list[len(list)-1]
	}
	for i := range v.Includes {
		in, t := &v.Includes[i], v.Targets[i]
		nonce := v.Nonce(in)
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
			u.CORS = in.Module && !u.Inline
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
			if in.Rel == "prefetch" {
				add(policy.Prefetch, t, in.Start, "the prefetch of "+v.Name(i)).Many = Prefetches
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
	g.sentBy(v, add)
	g.importedBy(v, add)
	pieces(v, func(u Uses) { list = append(list, u) })
	list = append(list, g.inFrames(v)...)
	g.upgrade(v, list)
	return list
}

// pieces adds what runs or styles from attributes.
func pieces(v *tags.Page, add func(Uses)) {
	v.Pieces(func(x page.Piece) {
		u := Uses{At: x.Start, Use: policy.Use{Directive: "script-src-attr", Inline: true, Text: x.Text,
			Filled: template.Directed(x.Text)}}
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
		case page.ScriptFrame:
			u.what, u.Directive, u.next = "the javascript: address of this frame", "script-src-elem", "let a script "+
				"fill the frame"
		}
		add(u)
	})
}

// sentBy adds where forms are sent, and the base.
func (g *Index) sentBy(v *tags.Page, add adder) {
	if base := cmp.Or(v.Base, v.Ignored); base != "" {
		t := tags.ResolveOnce(v.Path, "", base)
		if t.Path.IsZero() && t.URL == "" {
			t.Path = v.Path // the site's root
		}
		add("base-uri", t, v.BaseStart(), "the base "+base)
	}
	v.References(func(r page.Reference) {
		if r.Inert || r.NoScript || r.Attribute != "action" && r.Attribute != "formaction" {
			return
		}
		if t := tags.ResolveOnce(v.Path, v.Base, r.Ref); !t.IsZero() {
			add("form-action", t, r.Start, "sending this form to "+r.Ref).Many = Forms
		}
	})
}

// upgrade writes https in the addresses that a policy has browsers upgrade before they compare them (Upgrade Insecure
// Requests, section 3.1).
func (g *Index) upgrade(v *tags.Page, list []Uses) {
	from := -1
	policies, _ := g.policiesOf(v)
	for _, p := range policies {
		if p.Upgrades() && (from < 0 || p.from < from) {
			from = max(p.from, 0)
		}
	}
	if from < 0 {
		return
	}
	for i := range list {
		u := &list[i]
		if rest, plain := strings.CutPrefix(u.URL, "http://"); plain && u.At >= from && u.Directive != "form-action" {
			u.URL = "https://" + rest
		}
	}
}

// inFrames lists what the documents in attributes of the page's frames use: they stand under its policies, and under
// their own (HTML Standard, section 7.1.7).
func (g *Index) inFrames(v *tags.Page) (list []Uses) {
	page.Frames(v.Bytes, func(f page.Frame) {
		if f.Inert {
			return
		}
		inner, err := tags.Read(g.p, v.Path, []byte(f.Text))
		if err != nil {
			return
		}
		if inner.Base == "" && v.Base != "" {
			inner.Page.Base = v.Base
			for i := range inner.Includes {
				if in := &inner.Includes[i]; in.RefAttr.End != 0 {
					inner.Lead(g.p, i, tags.Lead(g.p, v.Path, v.Base, in.Ref, inner.Filled()))
				}
			}
		}
		var own []applied
		for _, m := range inner.Policies {
			if m.InHead && !m.ReportOnly {
				own = append(own, applied{policy.Parse(m.Text).Enforced(), "the frame's document", m.Start, true})
			}
		}
		for _, u := range g.Uses(inner) {
			if f.NoScripts && strings.HasPrefix(u.Directive, "script-src") {
				continue // they do not run anyway
			}
			u.own = u.under(own)
			u.At, u.what = f.Start, u.what+", in the document of this frame"
			list = append(list, u)
		}
	})
	return list
}

// foreign tells which hosts are certainly not the site's own.
func (g *Index) foreign(v *tags.Page) func(host string) bool {
	hosts := map[string]bool{}
	for i := range v.Includes {
		if at, err := url.Parse(v.Targets[i].URL); err == nil && at.Hostname() != "" {
			hosts[strings.ToLower(at.Hostname())] = true
		}
	}
	return func(host string) bool { return hosts[host] || g.p.HasCDN("https://"+host) }
}

// importedBy adds what the page's modules import, directly or over others. A nonce counts for all that a tag's module
// imports (HTML Standard, section 8.1.4.2).
func (g *Index) importedBy(v *tags.Page, add adder) {
	g.eachImported(v, func(n *graph.Node, tag int, dynamic bool) {
		u := add("script-src-elem", n.Target, v.Includes[tag].Start, fmt.Sprintf("%s (which %s imports)",
			path.Base(tags.WithoutQuery(n.Target.String())), v.Name(tag)))
		u.Nonce, u.Dynamic, u.CORS = v.Nonce(&v.Includes[tag]), dynamic, true
	})
}

// eachImported calls visit for each module that a tag's script imports, directly or over others, and that has no tag
// of its own.
func (g *Index) eachImported(v *tags.Page, visit func(n *graph.Node, tag int, dynamic bool)) {
	if g.Scripts == nil {
		return
	}
	var follow func(n *graph.Node, tag int, dynamic bool, seen map[*graph.Node]bool)
	follow = func(n *graph.Node, tag int, dynamic bool, seen map[*graph.Node]bool) {
		if n == nil || seen[n] {
			return
		}
		seen[n] = true
		if n.Include < 0 && !n.Target.IsZero() {
			visit(n, tag, dynamic)
		}
		for _, e := range n.Imports {
			follow(e.To, tag, dynamic, seen)
		}
	}
	imported := graph.Of(g.Scripts, v)
	for _, n := range slices.Concat(imported.Nodes, imported.Plain) {
		if n.Include < 0 {
			continue
		}
		seen := map[*graph.Node]bool{}
		follow(n, n.Include, false, seen)
		for _, l := range n.Loads {
			if l.How == script.Dynamic {
				follow(l.To, n.Include, true, seen)
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
	// Forms and Prefetches stop nothing that the page does while it loads.
	Forms      Inlines = "forms"
	Prefetches Inlines = "prefetches"
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

// ofSheet returns the directive for what a stylesheet asks for.
func ofSheet(r style.Reference) string {
	switch {
	case r.Import:
		return "style-src-elem"
	case r.Font:
		return "font-src" // whatever its ending
	}
	return OfFile(r.URL)
}

// usesOfSheet adds what a stylesheet asks for, which the page's policy governs, too.
func (g *Index) usesOfSheet(t tags.Target, at int, add adder) {
	g.followSheet(t, at, add, map[string]bool{})
}

// followSheet is usesOfSheet for a stylesheet of which those that import it were seen.
func (g *Index) followSheet(t tags.Target, at int, add adder, seen map[string]bool) {
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
		add(ofSheet(of), to, at, fmt.Sprintf("%s (which %s asks for)",
			path.Base(tags.WithoutQuery(ref[:min(len(ref), 60)])), path.Base(tags.WithoutQuery(t.String()))))
		if of.Import {
			g.followSheet(to, at, add, seen)
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
