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

// modulePreloadTag has a browser fetch a module, and what it imports, before it comes to the import; of a link it
// demands the integrity.
func modulePreloadTag(ref string, of project.Sealed, linked bool) string {
	if linked {
		return `<link rel="modulepreload" href="` + ref + `" integrity="` + of.File.Integrity + `" crossorigin>`
	}
	return `<link rel="modulepreload" href="` + ref + `">`
}

// ownModuleHints lists the includes that are hints of modules as this product writes them.
func (e *Editor) ownModuleHints() []int {
	var list []int
	for i := range e.Includes {
		in, of := &e.Includes[i], e.Of[i]
		if in.Kind == page.Hint && in.Inert == "" && in.Rel == "modulepreload" && of.File != nil && !e.Removed(i) {
			if text := e.Text(i); text == modulePreloadTag(in.Ref, of, false) ||
				strings.HasPrefix(text, `<link rel="modulepreload" href="`+in.Ref+`" integrity="`) &&
					strings.HasSuffix(text, `" crossorigin>`) {
				list = append(list, i)
			}
		}
	}
	return list
}

// HasHints reports whether the page has hints of this product's.
func (e *Editor) HasHints() bool { return len(e.OwnHints(e.p))+len(e.ownModuleHints()) > 0 }

// Hints reports whether hints of the page are to be corrected.
func (e *Editor) Hints() bool { return e.hints != nil }

// HintModules puts the hints of modules right, where hints were, and reports whether that changed any: those of the
// crate's files that the page's modules import, in the head behind the import map.
func (e *Editor) HintModules(files []Target) (changed bool) {
	if e.hints == nil {
		return false
	}
	var tags []string
	for _, t := range files {
		of := FileOf(e.p, t)
		if !*e.hints || of.File == nil || e.hasTag(t) {
			continue
		}
		if t.URL != "" {
			tags = append(tags, modulePreloadTag(t.URL, of, true))
		} else if ref, ok := Reference(e.Page.Page, e.From, t.Path); ok {
			tags = append(tags, modulePreloadTag(ref, of, false))
		}
	}
	old := e.ownModuleHints()
	same := len(old) == len(tags)
	for k, i := range old {
		same = same && e.Tag(i) == tags[k]
	}
	if same {
		return false
	}
	e.Remove(old...)
	s, at := slot{spot: page.EndOfHead, what: item{Item: order.Item{Inert: true}, inHead: true}}, 0
	for n, o := range e.list {
		switch {
		case o.index < 0 && strings.HasPrefix(o.tag, `<script type="importmap">`):
			s.spot, at = o.spot, n+1
		case o.index >= 0 && e.IsMap(o.index) && !o.removed:
			s.spot, at = page.Spot{Index: o.index, After: true}, n+1
		case o.index >= 0 && e.Includes[o.index].InHead && at == 0 && s.spot == page.EndOfHead &&
			e.Includes[o.index].Module:
			s.spot, at = page.Spot{Index: o.index}, n
		}
	}
	if at == 0 && s.spot == page.EndOfHead {
		for n, o := range e.list {
			if o.index >= 0 && e.Includes[o.index].InHead {
				at = n + 1
			}
		}
	}
	for k, tag := range tags {
		s.tag = tag
		e.insertAt(at+k, s)
	}
	return true
}

// hasTag reports whether a module has a tag of its own.
func (e *Editor) hasTag(t Target) bool {
	for i := range e.Includes {
		if e.Includes[i].Kind == page.Script && e.Targets[i] == t && !e.Removed(i) {
			return true
		}
	}
	return false
}

// FollowHints makes hints that somebody wrote follow what they hint at, where that is another file or address than it
// was: scripts, stylesheets and modules, and the fonts of a stylesheet. A hint of another address would fetch a file
// that nothing uses. Was are the targets of the includes before.
func (e *Editor) FollowHints(was []Target) (changed bool) {
	for h := range e.Includes {
		in := &e.Includes[h]
		if _, edited := e.texts[h]; edited || !in.Fetches() || in.Inert != "" || e.Removed(h) || was[h].IsZero() {
			continue
		}
		for i := range e.Includes {
			if !e.Runs(i) || e.Removed(i) || e.Targets[i] == was[i] || e.Of[i].File == nil {
				continue
			}
			if was[i] == was[h] {
				var values map[string]string
				if e.Targets[i].URL != "" {
					values = LinkValues(e.Of[i].File)
				}
				e.Refer(h, e.Reference(i), LinkAttributes, values)
				changed = true
				break
			}
			if font := e.fontBeside(i, was[i], was[h]); font != "" {
				e.Refer(h, font, nil, nil)
				changed = true
				break
			}
		}
	}
	return changed
}

// fontBeside is the reference to a font beside where its stylesheet is now, "" if the stylesheet has no such font.
func (e *Editor) fontBeside(i int, was, font Target) string {
	if !e.IsStyle(i) {
		return ""
	}
	b, err := e.p.LocalBytes(e.Of[i])
	if err != nil {
		return ""
	}
	for _, r := range style.References(b) {
		if !r.Font || beside(was, r.URL) != font {
			continue
		}
		switch now := beside(e.Targets[i], r.URL); {
		case now.URL != "":
			return now.URL
		case !now.Path.IsZero():
			ref, _ := Reference(e.Page.Page, e.From, now.Path)
			return ref
		}
	}
	return ""
}

// beside is where a reference of a stylesheet leads.
func beside(sheet Target, ref string) Target {
	if sheet.URL == "" {
		return Resolve(sheet.Path, "", ref)
	}
	base, err := url.Parse(sheet.URL)
	if err != nil {
		return Target{}
	}
	to, err := base.Parse(ref)
	if err != nil {
		return Target{}
	}
	return Target{URL: to.String()}
}

// Hint puts the hints of a page right: those that are wanted, once each, in the head before everything that they
// hint at, and none else of this product's. It reports whether that changed any.
func (e *Editor) Hint(wanted bool) (changed bool) {
	e.hints = &wanted
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
		return false
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
	return true
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
			if ref, ok := Reference(e.Page.Page, e.From, t.Path); ok {
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
