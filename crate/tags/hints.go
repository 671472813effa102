package tags

import (
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/style"
)

// Resource hints (HTML Standard, section 4.6.7) are links in the head: preconnect for the origin of a CDN that
// the page has links to, and preload for the fonts of a library's stylesheet. They are recognised by being,
// byte for byte, what would be written.

func preconnectTag(origin string) string {
	return `<link rel="preconnect" href="` + origin + `" crossorigin>`
}

// A font is fetched with CORS even from the page's own origin, so a preload without crossorigin would fetch
// it twice.
func preloadTag(ref string) string {
	kind := strings.TrimPrefix(path.Ext(WithoutQuery(ref)), ".")
	return `<link rel="preload" href="` + ref + `" as="font" type="font/` + kind + `" crossorigin>`
}

// OwnHints lists the includes of a page that are hints as this product writes them.
func (v *Page) OwnHints(p *project.Project) []int {
	var list []int
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Kind != page.Hint || in.Inert != "" {
			continue
		}
		text := string(v.Bytes[in.Start:in.End])
		switch {
		case in.Rel == "preconnect" && text == preconnectTag(in.Ref) && p.HasCDN(in.Ref),
			in.Rel == "preload" && text == preloadTag(in.Ref) && v.Library(i) != "":
			list = append(list, i)
		}
	}
	return list
}

// Hint puts the hints of a page right: those that are wanted, once each, in the head before everything that they
// hint at, and none else of this product's.
func (e *Editor) Hint(wanted bool) {
	var tags []string
	add := func(tag string) {
		if !slices.Contains(tags, tag) {
			tags = append(tags, tag)
		}
	}
	first := -1
	for i := range e.Includes {
		if !e.Runs(i) || e.Removed(i) {
			continue
		}
		if first < 0 && e.Includes[i].InHead {
			first = i
		}
		of := e.Of[i]
		if of.File == nil || !wanted {
			continue
		}
		if u := e.Targets[i].URL; u != "" {
			add(preconnectTag(cdn.Origin(u)))
		}
		if e.IsStyle(i) {
			for _, ref := range e.fontsOf(i, of) {
				add(preloadTag(ref))
			}
		}
	}
	old := e.OwnHints(e.p)
	same := len(old) == len(tags)
	for _, i := range old {
		same = same && slices.Contains(tags, e.Text(i))
	}
	if same {
		return
	}
	e.Remove(old...)
	s, at := slot{spot: page.EndOfHead, what: item{Item: order.Item{Inert: true}, inHead: true}}, 0
	if first >= 0 {
		s.spot, at = page.Spot{Index: first}, e.position(first)
	}
	for k, tag := range tags {
		s.tag = tag
		e.insertAt(at+k, s)
	}
}

// fontsOf lists the references to the fonts of a stylesheet on the page.
func (e *Editor) fontsOf(i int, of project.Sealed) []string {
	var refs []string
	for _, font := range e.fontsIn(of) {
		if e.Targets[i].URL != "" {
			if base, err := url.Parse(e.Targets[i].URL); err == nil {
				if u, err := base.Parse(font); err == nil {
					refs = append(refs, u.String())
				}
			}
			continue
		}
		if t := Resolve(e.Targets[i].Path, "", font); !t.Path.IsZero() {
			if ref, ok := Reference(e.Page.Page, e.Path, t.Path); ok {
				// The query too: a browser takes another one for another file.
				if _, query, asked := strings.Cut(font, "?"); asked {
					ref += "?" + query
				}
				refs = append(refs, ref)
			}
		}
	}
	return refs
}

// fontsIn lists what a stylesheet says of its fonts: of several files for one, the kind that is smallest.
func (e *Editor) fontsIn(of project.Sealed) []string {
	return e.scripts.fonts.Of(of.File.Integrity, func() []string {
		b, err := e.p.LocalBytes(of)
		if err != nil {
			return nil
		}
		stem := func(ref string) string { return strings.TrimSuffix(WithoutQuery(ref), path.Ext(WithoutQuery(ref))) }
		rank := func(ref string) int {
			return slices.Index([]string{".ttf", ".woff", ".woff2"}, path.Ext(WithoutQuery(ref)))
		}
		var list []string
		for _, r := range style.References(b) {
			if !r.Font || rank(r.URL) < 0 {
				continue
			}
			at := slices.IndexFunc(list, func(name string) bool { return stem(name) == stem(r.URL) })
			if at < 0 {
				list = append(list, r.URL)
			} else if rank(r.URL) > rank(list[at]) {
				list[at] = r.URL
			}
		}
		return list
	})
}
