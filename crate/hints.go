package crate

import (
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
)

// Resource hints (HTML Standard, section 4.6.7) are links in the head: preconnect for the origin of a CDN that
// the page has links to, and preload for the fonts of a library's stylesheet. They are recognised by being,
// byte for byte, what would be written.

func withoutQuery(ref string) string {
	ref, _, _ = strings.Cut(ref, "?")
	ref, _, _ = strings.Cut(ref, "#")
	return ref
}

func preconnectTag(origin string) string {
	return `<link rel="preconnect" href="` + origin + `" crossorigin>`
}

// A font is fetched with CORS even from the page's own origin, so a preload without crossorigin would fetch
// it twice.
func preloadTag(ref string) string {
	kind := strings.TrimPrefix(path.Ext(withoutQuery(ref)), ".")
	return `<link rel="preload" href="` + ref + `" as="font" type="font/` + kind + `" crossorigin>`
}

// ownHints lists the includes of a page that are hints as this product writes them.
func (p *Project) ownHints(v *view) []int {
	var list []int
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Kind != page.Hint || in.Inert != "" {
			continue
		}
		text := string(v.Bytes[in.Start:in.End])
		switch {
		case in.Rel == "preconnect" && text == preconnectTag(in.Ref) && p.isCDN(in.Ref),
			in.Rel == "preload" && text == preloadTag(in.Ref) && v.library[i] != "":
			list = append(list, i)
		}
	}
	return list
}

// isCDN tells whether one of the project's CDNs is at an origin.
func (p *Project) isCDN(origin string) bool {
	for address := range p.byAddress {
		if originOf(address) == origin {
			return true
		}
	}
	return false
}

func originOf(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

// hint puts the hints of a page right: those that are wanted, once each, in the head before everything that they
// hint at, and none else of this product's.
func (p *Project) hint(v *view, wanted bool) ([]byte, error) {
	var tags []string
	add := func(tag string) {
		if !slices.Contains(tags, tag) {
			tags = append(tags, tag)
		}
	}
	first := -1
	for i := range v.Includes {
		if !wanted || !v.runs(i) {
			continue
		}
		if first < 0 {
			first = i
		}
		of := p.placed(v.targets[i])
		if of.File == nil {
			continue
		}
		if u := v.targets[i].URL; u != "" {
			add(preconnectTag(originOf(u)))
		}
		if v.isStyle(i) {
			for _, ref := range p.fontsOf(v, i, of) {
				add(preloadTag(ref))
			}
		}
	}
	old := p.ownHints(v)
	same := len(old) == len(tags)
	for n, i := range old {
		same = same && slices.Contains(tags, string(v.Bytes[v.Includes[i].Start:v.Includes[i].End])) && n < len(tags)
	}
	if same {
		return v.Bytes, nil
	}
	b := page.Apply(v.Bytes, v.Remove(old...))
	if len(tags) == 0 {
		return b, nil
	}
	v, err := p.view(v.path, b)
	if err != nil {
		return nil, err
	}
	spot := page.EndOfHead
	for i := range v.Includes {
		if v.runs(i) && v.Includes[i].InHead {
			spot = page.Spot{Index: i}
			break
		}
	}
	e, err := v.Insert(spot, tags)
	if err != nil {
		return nil, refused("switch without hints", "%s: %v", v.path, err)
	}
	return page.Apply(b, []page.Edit{e}), nil
}

// fontsOf lists the references to the fonts of a stylesheet on a page.
func (p *Project) fontsOf(v *view, i int, of Placed) []string {
	var refs []string
	for _, font := range p.fontsIn(of) {
		if v.targets[i].URL != "" {
			if base, err := url.Parse(v.targets[i].URL); err == nil {
				if u, err := base.Parse(font); err == nil {
					refs = append(refs, u.String())
				}
			}
			continue
		}
		if t := targetOf(v.targets[i].Path, "", font); t.Path != "" {
			if ref, ok := refTo(v.Page, v.path, t.Path); ok {
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
func (p *Project) fontsIn(of Placed) []string {
	p.defining.Lock()
	defer p.defining.Unlock()
	if list, ok := p.fonts[of.File.Integrity]; ok {
		return list
	}
	var list []string
	if b, err := p.bytesOf(of.Library, p.Seal.Libraries[of.Library], of.File); err == nil {
		stem := func(ref string) string { return strings.TrimSuffix(withoutQuery(ref), path.Ext(withoutQuery(ref))) }
		rank := func(ref string) int {
			return slices.Index([]string{".ttf", ".woff", ".woff2"}, path.Ext(withoutQuery(ref)))
		}
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
	}
	if p.fonts == nil {
		p.fonts = map[string][]string{}
	}
	p.fonts[of.File.Integrity] = list
	return list
}

// bytesOf returns a sealed file's bytes: the local copy where it is as sealed, else what the cache has, else
// what its address gives, where that may be asked.
func (p *Project) bytesOf(library string, sealed *record.Sealed, f *record.File) ([]byte, error) {
	if b, err := readInto(p.path(f.At), nil); err == nil && f.At != "" && integrity.Of(b) == f.Integrity {
		return b, nil
	}
	b, err := p.reach.file(sealed, f)
	if err == nil {
		return b, nil
	}
	for _, address := range p.addressesOf(library, sealed, f) {
		b, ferr := p.reach.bytesAt(address)
		if ferr != nil {
			err = ferr
			continue
		}
		if integrity.Of(b) != f.Integrity {
			err = refused("ask the CDN's keeper", "%s gives other bytes than were sealed", address)
			continue
		}
		return b, p.reach.Cache.Put(f.Integrity, b)
	}
	return nil, err
}

// addressesOf lists where a sealed file can be had.
func (p *Project) addressesOf(library string, sealed *record.Sealed, f *record.File) []string {
	var list []string
	if f.URL != "" {
		list = append(list, f.URL)
	}
	if lib := p.List.Library(library); lib != nil {
		for _, name := range p.cdnNames() {
			list = append(list, cdnAddress(p.List.CDNs[name], lib, sealed.Version, f))
		}
	}
	return list
}
