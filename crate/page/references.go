package page

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
)

// A Reference is one place of a page, beside its text for people, that leads to a file: an attribute, one picture of a
// set, a part of a stylesheet or of a script.
type Reference struct {
	Ref        string // as a browser reads it
	Start, End int    // what stands for it in the page's bytes
	In         ReferenceKind
	Element    string // the name of the element
	Attribute  string // "" for what is in an element's text
	Branch     string // the condition of the comment that it stands in, "" for none
	Inert      bool   // it is in a template
	NoScript   bool   // only browsers without scripts look there
	quote      byte
}

// A ReferenceKind says how a reference is written.
type ReferenceKind int

// The kinds of reference.
const (
	InAttribute ReferenceKind = iota
	InStyle                   // in a style element or attribute
	InImport                  // an import of a module, or an address in an import map
	InText                    // a text in a script that may be a path
)

// Edit is the edit that makes the reference lead elsewhere, in the way that it is written.
func (r *Reference) Edit(ref string) Edit {
	if r.In != InAttribute && !Templated(ref) { // what makes it is code, which is not escaped
		ref = strings.NewReplacer("'", "%27", "(", "%28", ")", "%29").Replace(ref)
	}
	if r.Attribute != "" {
		ref = encode(ref, r.quote)
	}
	return Edit{Start: r.Start, End: r.End, Text: ref}
}

// carrier tells the attributes whose value is one address (HTML Standard, section 3.2; SVG 2, section 16.1), each for
// all the elements that may have it.
func carrier(attribute string) bool {
	switch attribute {
	case "href", "src", "poster", "action", "formaction", "background", "xlink:href", "longdesc", "manifest":
		return true
	}
	return false
}

// set tells the attributes whose value is a list of addresses with descriptors (HTML Standard, section 4.8.4.2.1).
func set(attribute string) bool {
	return attribute == "srcset" || attribute == "imagesrcset" || attribute == "data-srcset"
}

var (
	condition = memo.Regexp(`^<!--\s*\[if\s+([^\]]*)\]>(?:-->|<!-->)?`)
	imported  = memo.Regexp("(?:\\bfrom|\\bimport|\\bimport\\s*\\(|\\bnew\\s+URL\\s*\\()\\s*[\"'`]([^\"'`\\n]+)[\"'`]")
	ownURL    = memo.Regexp(`^\s*,\s*import\.meta\.url`)
)

// References calls visit for every reference of a page's bytes, those in conditional comments and templates too. What
// leads to a place of the page itself is left out. A reference with holes is as the page writes it.
func References(b []byte, visit func(Reference)) {
	holes := template.Holes(b)
	references(b, template.Mask(b, holes), holes, place{}, visit)
}

// A place is where a piece of a page stands.
type place struct {
	from     int    // its first byte in the page
	branch   string // the condition of the comment that it is in
	noScript bool
}

func references(b, masked []byte, holes []template.Hole, at place, visit func(Reference)) {
	s := &Scanner{b: masked}
	s.OnGap = func(kind Gap, start, end int) {
		if kind != Comment {
			return
		}
		if m := condition().FindSubmatchIndex(b[start:end]); m != nil && at.branch == "" {
			if stop := bytes.Index(b[start+m[1]:end], []byte("<![endif]")); stop >= 0 {
				end = start + m[1] + stop
			}
			inner := start + m[1]
			references(b[inner:end], masked[inner:end], part(holes, inner, end), place{at.from + inner,
				string(b[start+m[2] : start+m[3]]), at.noScript}, visit)
		}
	}
	inert := 0
	tell := func(r Reference) {
		r.Ref = strings.TrimSpace(r.Ref)
		if r.Ref == "" || r.Ref[0] == '#' || r.Ref[0] == '?' {
			return
		}
		r.Start, r.End, r.Branch, r.Inert = r.Start+at.from, r.End+at.from, at.branch, inert > 0
		r.NoScript = at.noScript
		visit(r)
	}
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Name == "template" {
			if t.Closing {
				inert = max(0, inert-1)
			} else {
				inert++
			}
		}
		if t.Closing {
			continue
		}
		name := t.Name
		if mayCarry(name, b[t.Start:t.End]) {
			for _, a := range s.Attrs(t) {
				attribute(b, masked, holes, name, &a, tell)
			}
		}
		if t.raw.end <= t.raw.start {
			continue
		}
		switch text := b[t.raw.start:t.raw.end]; name {
		case "noscript":
			// It is text for browsers with scripts, and markup for all others (HTML Standard, section 4.12.2).
			references(text, masked[t.raw.start:t.raw.end], part(holes, t.raw.start, t.raw.end),
				place{at.from + t.raw.start, at.branch, true}, func(r Reference) {
					r.Inert = inert > 0
					visit(r)
				})
		case "style":
			inStyle(text, part(holes, t.raw.start, t.raw.end), t.raw.start, Reference{Element: name}, tell)
		case "script":
			typ := ""
			for _, a := range s.Attrs(t) {
				if a.Name == "type" {
					typ = strings.ToLower(strings.TrimSpace(string(b[a.ValueStart:a.ValueEnd])))
				}
			}
			inScript(text, part(holes, t.raw.start, t.raw.end), t.raw.start, typ, tell)
		}
	}
}

// HasFrames reports whether a page may have frames with documents of their own.
func HasFrames(b []byte) bool { return texts.HasValueOf(b, "srcdoc") }

// A Frame is a frame with its document in an attribute (HTML Standard, section 4.8.5).
type Frame struct {
	Text       string // of the document
	Start, End int    // of the value, as it is written
	Inert      bool   // it stands in a template
	NoScripts  bool   // it is a sandbox without scripts
}

// Frames calls visit for the frames of a page that have their documents in attributes.
func Frames(b []byte, visit func(Frame)) {
	if !HasFrames(b) {
		return
	}
	s := &Scanner{b: b}
	templates := 0
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Name == "template" && t.Closing {
			templates = max(0, templates-1)
		} else if t.Name == "template" {
			templates++
		}
		if t.Closing || t.Name != "iframe" {
			continue
		}
		f, has := Frame{Inert: templates > 0}, false
		for _, a := range s.Attrs(t) {
			value := decode(string(b[a.ValueStart:a.ValueEnd]))
			switch a.Name {
			case "srcdoc":
				f.Text, f.Start, f.End, has = value, a.ValueStart, a.ValueEnd, a.HasValue
			case "sandbox":
				f.NoScripts = !slices.Contains(strings.Fields(strings.ToLower(value)), "allow-scripts")
			}
		}
		if has {
			visit(f)
		}
	}
}

// Elements calls visit for each start tag of a page, with the names of its attributes.
func Elements(b []byte, visit func(name string, attributes []string, start int)) {
	s := &Scanner{b: template.Mask(b, template.Holes(b))}
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Closing {
			continue
		}
		var names []string
		for _, a := range s.Attrs(t) {
			names = append(names, a.Name)
		}
		visit(t.Name, names, t.Start)
	}
}

// FrameReferences calls visit for the references in the documents of a page's frames. What stands for one in the page's
// bytes is not told: it begins and ends where the document does.
func FrameReferences(b []byte, visit func(Reference)) {
	Frames(b, func(f Frame) {
		References([]byte(f.Text), func(r Reference) {
			r.Start, r.End = f.Start, f.Start
			visit(r)
		})
	})
}

// part are the holes between two places of a text, with their own places counted from the first.
func part(holes []template.Hole, start, end int) []template.Hole {
	list := slices.Clone(template.Between(holes, start, end))
	for i := range list {
		h := &list[i]
		h.Start, h.End, h.CodeStart, h.CodeEnd = h.Start-start, h.End-start, h.CodeStart-start, h.CodeEnd-start
	}
	return list
}

// References calls visit for the references of the page, as the function of that name does, at less cost where nothing
// is hidden in comments or templates.
func (p *Page) References(visit func(Reference)) {
	if p.scattered {
		References(p.Bytes, visit)
		return
	}
	p.quickReferences(func(*inertElement) bool { return false }, visit)
}

// ReferencesBeside is References without those by which the page's includes have their files, and without attributes
// whose value, as it is written and without the white space around it, is known: the same links stand on many pages.
// Known may be nil.
func (p *Page) ReferencesBeside(known func(value []byte) bool, visit func(Reference)) {
	if p.scattered {
		References(p.Bytes, func(r Reference) {
			if r.Attribute == "" || !slices.ContainsFunc(p.Includes, func(in Include) bool {
				return in.RefAttr.ValueStart <= r.Start && r.Start < in.RefAttr.ValueEnd
			}) {
				visit(r)
			}
		})
		return
	}
	i := 0 // the includes are in the order of the attributes
	p.quickReferences(func(h *inertElement) bool {
		for i < len(p.Includes) && p.Includes[i].Start < h.tag {
			i++
		}
		if i < len(p.Includes) && p.Includes[i].RefAttr.HasValue && p.Includes[i].RefAttr.NameStart == h.NameStart {
			return true
		}
		return known != nil && carrier(h.Name) && known(bytes.TrimSpace(p.Bytes[h.ValueStart:h.ValueEnd]))
	}, visit)
}

// quickReferences tells the references of a page that has none in comments or templates, without the attributes that
// are passed over.
func (p *Page) quickReferences(passes func(*inertElement) bool, visit func(Reference)) {
	tell := func(r Reference) {
		if r.Ref = strings.TrimSpace(r.Ref); r.Ref != "" && r.Ref[0] != '#' && r.Ref[0] != '?' {
			visit(r)
		}
	}
	for i := range p.held {
		h := &p.held[i]
		if !passes(h) {
			attribute(p.Bytes, p.masked, p.holes, elementAt(p.Bytes, h.tag), &h.Attr, tell)
		}
	}
	for i := range p.Includes {
		switch in := &p.Includes[i]; in.Kind {
		case InlineStyle:
			inStyle(p.InlineText(in), p.HolesIn(in), in.Text.start, Reference{Element: "style"}, tell)
		case InlineScript:
			typ, _ := p.Attr(in, "type")
			inScript(p.InlineText(in), p.HolesIn(in), in.Text.start, strings.ToLower(typ), tell)
		}
	}
}

// mayCarry tells, much faster than reading its attributes would, whether a tag may hold a reference.
func mayCarry(name string, tag []byte) bool {
	switch name {
	case "a", "img", "link", "script", "source", "use", "image":
		return true
	}
	if bytes.IndexByte(tag, '=') < 0 {
		return false
	}
	for _, word := range carrying {
		if bytes.Contains(tag, word) {
			return true
		}
	}
	return bytes.IndexFunc(tag, func(r rune) bool { return 'A' <= r && r <= 'Z' }) >= 0 // it may be one in capitals
}

// carrying are parts of the names of all attributes that may hold a reference.
var carrying = [][]byte{[]byte("style"), []byte("data"), []byte("href"), []byte("src"), []byte("poster"),
	[]byte("action"), []byte("background"), []byte("longdesc"), []byte("manifest")}

// attribute tells the references that an attribute holds.
func attribute(b, masked []byte, holes []template.Hole, element string, a *Attr, tell func(Reference)) {
	raw, covered := b[a.ValueStart:a.ValueEnd], masked[a.ValueStart:a.ValueEnd]
	r := Reference{Element: element, Attribute: a.Name, quote: a.Quote}
	switch {
	case !a.HasValue || element == "base":
	case set(a.Name):
		candidates(covered, func(start, end int) {
			c := r
			c.Ref, c.Start, c.End = decode(string(raw[start:end])), a.ValueStart+start, a.ValueStart+end
			tell(c)
		})
	case carrier(a.Name) || a.Name == "data" && element == "object" || isData(a.Name) && mayBePath(raw):
		start, end := a.ValueStart, a.ValueEnd
		for start < end && isSpace(masked[start]) {
			start++
		}
		for end > start && isSpace(masked[end-1]) {
			end--
		}
		r.Ref, r.Start, r.End = decode(string(b[start:end])), start, end
		tell(r)
	case a.Name == "style" && bytes.IndexByte(raw, '&') < 0:
		inStyle(raw, part(holes, a.ValueStart, a.ValueEnd), a.ValueStart, r, tell)
	}
}

// isData tells the attributes of the page's own (HTML Standard, section 3.2.6.6).
func isData(attribute string) bool { return strings.HasPrefix(attribute, "data-") }

// elementAt is the name of the start tag at an offset.
func elementAt(b []byte, at int) string {
	end := at + 1
	for end < len(b) && (class[b[end]] == 0 || b[end] == '=') {
		end++
	}
	return tagName(b[at+1 : end])
}

// mayBePath reports whether a value of an attribute of the page's own may be a file's path: it has an ending, and no
// spaces.
func mayBePath(value []byte) bool {
	dot := bytes.LastIndexByte(value, '.')
	return dot > 0 && len(value)-dot <= 6 && len(value) < 300 && bytes.IndexFunc(value, func(r rune) bool {
		return r <= ' ' && r != template.Cover || strings.ContainsRune(`{}<>"'`, r)
	}) < 0
}

// candidates tells the addresses of a set of images.
func candidates(raw []byte, visit func(start, end int)) {
	for i := 0; i < len(raw); {
		for i < len(raw) && (isSpace(raw[i]) || raw[i] == ',') {
			i++
		}
		start := i
		for i < len(raw) && !isSpace(raw[i]) {
			i++
		}
		end := i
		for end > start && raw[end-1] == ',' {
			end--
		}
		if end > start {
			visit(start, end)
		}
		if end == i { // a descriptor follows
			for i < len(raw) && raw[i] != ',' {
				i++
			}
		}
	}
}

// inStyle tells the references of a piece of style.
func inStyle(text []byte, holes []template.Hole, at int, r Reference, tell func(Reference)) {
	read := text
	if len(holes) > 0 {
		read = template.FillStyle(text, holes)
	}
	for _, ref := range style.References(read) {
		if ref.End > ref.Start {
			r.Ref, r.Start, r.End, r.In = ref.URL, at+ref.Start, at+ref.End, InStyle
			if len(holes) > 0 {
				r.Ref = string(text[ref.Start:ref.End])
			}
			tell(r)
		}
	}
}

// inScript tells the references of a script's text: imports of a module, addresses of an import map, texts that may be
// paths.
func inScript(text []byte, holes []template.Hole, at int, typ string, tell func(Reference)) {
	covered := template.Mask(text, holes)
	switch {
	case typ == "importmap" || typ == "speculationrules":
		quotedTexts(covered, func(start, end int) {
			// others are packages' names (HTML Standard, section 8.1.6.2)
			if c := covered[start]; c == '.' || c == '/' || c == template.Cover {
				tell(Reference{Ref: string(text[start:end]), Start: at + start, End: at + end, In: InImport,
					Element: typ})
			}
		})
	case typ == "module" || typ == "" || isScriptType(typ):
		ScriptReferences(covered, func(r Reference) {
			if len(holes) > 0 {
				r.Ref = string(text[r.Start:r.End])
			}
			r.Start, r.End, r.Element = r.Start+at, r.End+at, "script"
			tell(r)
		})
		if len(holes) == 0 {
			return
		}
		quotedTexts(covered, func(start, end int) { // texts that a hole makes, in whole or in part
			if v := covered[start:end]; bytes.IndexByte(v, template.Cover) >= 0 && !mayBePath(v) {
				tell(Reference{Ref: string(text[start:end]), Start: start + at, End: end + at, In: InText,
					Element: "script"})
			}
		})
	}
}

// imports finds the imports of a script, and addresses beside it, as imported matches them.
func imports(text []byte) [][]int {
	for _, word := range []string{"import", "from", "URL"} {
		if bytes.Contains(text, []byte(word)) {
			return imported().FindAllSubmatchIndex(text, -1)
		}
	}
	return nil
}

// quotedTexts calls visit for the texts between two quotes that have no white space, no backslash and no marks of
// markup or blocks in them.
func quotedTexts(text []byte, visit func(start, end int)) {
	for i := 0; i < len(text); i++ {
		if inQuotes[text[i]] != quote {
			continue
		}
		end := i + 1
		for end < len(text) && inQuotes[text[end]] == plain {
			end++
		}
		if end > i+1 && end < len(text) && inQuotes[text[end]] == quote {
			visit(i+1, end)
			i = end
		}
	}
}

// What a byte is where texts stand between quotes.
const (
	plain = iota
	quote
	breaks
)

var inQuotes = func() (table [256]byte) {
	for _, c := range "\"'`" {
		table[c] = quote
	}
	for _, c := range "\\ \t\n\f\r<>{}" {
		table[c] = breaks
	}
	return table
}()

// ScriptReferences calls visit for the places of a script's text that lead to files: imports of modules, which are
// sure, and quoted texts that may be paths.
func ScriptReferences(text []byte, visit func(Reference)) {
	var sure []int // where those begin that are sure
	for _, m := range imports(text) {
		if bytes.HasPrefix(text[m[0]:], []byte("new")) && !ownURL().Match(text[m[1]:]) {
			continue
		}
		sure = append(sure, m[2])
		if ref := string(text[m[2]:m[3]]); strings.HasPrefix(ref, ".") || strings.HasPrefix(ref, "/") ||
			bytes.HasPrefix(text[m[0]:], []byte("new")) {
			visit(Reference{Ref: ref, Start: m[2], End: m[3], In: InImport})
		}
	}
	quotedTexts(text, func(start, end int) {
		if value := text[start:end]; mayBePath(value) && !slices.Contains(sure, start) {
			visit(Reference{Ref: string(value), Start: start, End: end, In: InText})
		}
	})
}
