package page

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
)

// A Reader reads many pages, one after the other, in the same memory.
type Reader struct {
	page      Page
	s         Scanner
	lines     texts.Index
	onGap     func(kind Gap, start, end int)
	attrs     []Attr            // of all the page's includes
	covered   []byte            // the memory of a masked page
	texts     map[string]string // values that many pages have, so that each is made once
	templates int
	trouble   bool // something stands where its place leaves doubt
}

// maxTexts is how many values are kept at most, maxText how long one is.
const maxTexts, maxText = 1 << 12, 200

// Read is the function of that name. The page is good until the next call.
func (r *Reader) Read(b []byte) (*Page, error) { return r.read(b, template.Holes) }

// ReadFilled is Read for a page whose holes are known.
func (r *Reader) ReadFilled(b []byte, holes []template.Hole) (*Page, error) {
	return r.read(b, func([]byte) []template.Hole { return holes })
}

func (r *Reader) read(b []byte, holes func(b []byte) []template.Hole) (*Page, error) {
	if err := Editable(b); err != nil {
		return nil, err
	}
	if IsReport(b) {
		return nil, ErrReport
	}
	p := &r.page
	r.over(b, holes(b))
	if len(p.holes) > 0 && !p.serverSide() {
		r.over(b, nil) // a script on the page fills these in, and reads them as they are
	}
	return p, nil
}

// over reads a page with some holes.
func (r *Reader) over(b []byte, holes []template.Hole) {
	p := &r.page
	r.lines.Reset(b)
	*p = Page{Bytes: b, lines: &r.lines, firstBody: -1, Includes: r.page.Includes[:0], holes: holes}
	if p.masked = template.MaskIn(r.covered, b, p.holes); len(p.holes) > 0 {
		r.covered = p.masked
	}
	r.s = Scanner{b: p.masked, held: r.s.held[:0]}
	r.attrs, r.templates, r.trouble = r.attrs[:0], 0, false
	if bytes.HasPrefix(b, []byte("\xef\xbb\xbf")) {
		p.Charset = true
		p.headInsertable = 3
		r.s.pos = 3
	}
	r.tags()
}

// serverSide reports whether a server, or a generator, fills the page in, and not a script on the page: that writes
// values between two braces alone, into texts and attributes of the body.
func (p *Page) serverSide() bool {
	for _, h := range p.holes {
		code := p.Bytes[h.CodeStart:h.CodeEnd]
		if h.Syntax != template.Braces || h.Kind != template.Value || h.CodeStart-h.Start > 2 ||
			p.headEnd.there() && h.Start < p.headEnd.start {
			return true
		}
		if code = bytes.TrimSpace(code); len(code) > 0 && bytes.IndexByte([]byte(".>@$"), code[0]) >= 0 {
			return true
		}
	}
	for i := range p.Includes {
		in := &p.Includes[i]
		if in.RefAttr.End > 0 && len(template.Between(p.holes, in.Start, in.RefAttr.End)) > 0 {
			return true
		}
		if in.Kind == InlineScript && in.Inert == "" && len(p.HolesIn(in)) > 0 && !template.Parses(p.InlineText(in)) {
			return true
		}
	}
	return !p.headEnd.there() && !p.body.there()
}

// tags reads the page's tags.
func (r *Reader) tags() {
	p, s := &r.page, &r.s
	if r.onGap == nil {
		r.onGap = r.gap
	}
	for {
		// Between the first content of the body and its end only few tags matter.
		s.skim = p.firstBody >= 0 && !p.bodyEnd.there() && r.templates == 0
		if s.OnGap = r.onGap; s.skim {
			s.OnGap = nil
		}
		t := s.Next()
		p.LastContent = max(p.LastContent, s.skimmed)
		if t == nil {
			break
		}
		if t.Closing {
			r.end(t)
			continue
		}
		if t.attrs.end > t.attrs.start {
			s.passAttrs(t.Start, t.attrs.start)
		}
		switch t.Name {
		case "script":
			r.script(t)
		case "link":
			r.link(t)
		case "style":
			p.Includes = append(p.Includes, Include{Kind: InlineStyle, Start: t.Start, End: r.elementEnd(t),
				Attrs: r.attrsOf(t),
				Text:  t.raw, InHead: p.firstBody < 0, Inert: r.inert()})
		case "meta":
			r.meta(t)
		case "base":
			if v, ok := r.attr(t, "href"); ok && p.Base == "" && r.templates == 0 {
				p.Base, p.baseAt = strings.TrimSpace(v), t.Start
			}
		case "html":
			r.once(&p.html, t)
		case "head":
			r.once(&p.head, t)
			if p.firstBody >= 0 {
				r.trouble = true
			}
		case "body":
			r.once(&p.body, t)
			r.onLoad(t)
			r.content(t.Start)
		case "template":
			r.templates++
			p.scattered = true
		case "noscript":
			p.scattered = true
		case "title", "bgsound", "basefont":
		case "frameset", "plaintext":
			r.trouble = true
			r.content(t.Start)
		default:
			if r.templates == 0 {
				r.content(t.Start)
				p.LastContent = t.Start
			}
		}
	}
	p.held = s.held
	p.scattered = p.scattered || s.conditional || s.Foreign()
	p.Fragment = !p.Doctype && !p.html.there() && !p.head.there() && !p.body.there()
	p.plain = !r.trouble && r.templates == 0 && !s.Foreign() && p.head.there() && p.headEnd.there() &&
		p.body.there() && p.bodyEnd.there() && p.head.start < p.headEnd.start &&
		p.headEnd.end <= p.body.start && p.body.start < p.bodyEnd.start && p.firstBody == p.body.start
}

func (r *Reader) gap(kind Gap, start, end int) {
	switch p := &r.page; {
	case kind == Doctype:
		p.Doctype = true
		if p.html.end == 0 {
			p.headInsertable = end
		}
	case kind == Comment:
	case p.firstBody < 0 || p.bodyEnd.there():
		for _, c := range p.masked[start:end] {
			if !isSpace(c) && c != template.Cover {
				r.content(start)
				return
			}
		}
	}
}

// content takes note of what can only are in the body.
func (r *Reader) content(at int) {
	p := &r.page
	if p.firstBody < 0 {
		p.firstBody = at
	}
	if p.bodyEnd.there() {
		r.trouble = true
	}
}

func (r *Reader) once(m *mark, t *Token) {
	if m.there() {
		r.trouble = true
		return
	}
	*m = mark{t.Start, t.End}
}

func (r *Reader) end(t *Token) {
	p := &r.page
	switch t.Name {
	case "head":
		if p.firstBody >= 0 || r.templates > 0 {
			r.trouble = true
			return
		}
		r.once(&p.headEnd, t)
	case "body":
		if r.templates > 0 {
			r.trouble = true
			return
		}
		r.once(&p.bodyEnd, t)
	case "html":
		r.once(&p.htmlEnd, t)
	case "template":
		r.templates = max(0, r.templates-1)
	}
}

func (r *Reader) inert() string {
	if r.templates > 0 {
		return "inside a template element"
	}
	return ""
}

// attrsOf reads a start tag's attributes, as the scanner does, into the memory that the page's includes share.
func (r *Reader) attrsOf(t *Token) []Attr {
	if cap(r.attrs)-len(r.attrs) < 16 {
		r.attrs = make([]Attr, 0, 2*cap(r.attrs)+32) // those that were read stay where they are
	}
	list := r.s.appendAttrs(r.attrs[len(r.attrs):], t)
	if len(list) <= cap(r.attrs)-len(r.attrs) {
		r.attrs = r.attrs[:len(r.attrs)+len(list)]
	}
	return slices.Clip(list)
}

// value is an attribute's value, as the page's method of that name has it.
func (r *Reader) value(a *Attr) string {
	b := bytes.TrimSpace(r.page.Bytes[a.ValueStart:a.ValueEnd])
	if len(b) > maxText || bytes.IndexByte(b, '&') >= 0 {
		return r.page.value(*a)
	}
	if text, ok := r.texts[string(b)]; ok {
		return text
	}
	if r.texts == nil || len(r.texts) == maxTexts {
		r.texts = map[string]string{}
	}
	text := string(b)
	r.texts[text] = text
	return text
}

// elementEnd finds the end of a raw-text element, its end tag with it.
func (r *Reader) elementEnd(t *Token) int {
	b := r.page.Bytes
	if t.raw.end == 0 && t.raw.start == 0 {
		return t.End
	}
	if i := bytes.IndexByte(b[t.raw.end:], '>'); i >= 0 {
		return t.raw.end + i + 1
	}
	return len(b)
}

// onLoad keeps what the first body tag runs when the page has loaded.
func (r *Reader) onLoad(t *Token) {
	if r.page.OnLoadStart > 0 || r.templates > 0 {
		return
	}
	for _, a := range r.attrsOf(t) {
		if a.Name == "onload" {
			r.page.OnLoad, r.page.OnLoadStart = decode(string(r.page.Bytes[a.ValueStart:a.ValueEnd])), a.ValueStart
			return
		}
	}
}

func (r *Reader) attr(t *Token, name string) (string, bool) {
	for _, a := range r.attrsOf(t) {
		if a.Name == name {
			return decode(string(r.page.Bytes[a.ValueStart:a.ValueEnd])), true
		}
	}
	return "", false
}

func (r *Reader) script(t *Token) {
	p := &r.page
	in := Include{Kind: InlineScript, Start: t.Start, End: r.elementEnd(t), Attrs: r.attrsOf(t),
		Text: t.raw, InHead: p.firstBody < 0, Inert: r.inert()}
	if r.s.Foreign() {
		in.Inert = "inside svg or math"
	}
	typ, async, deferred := "", false, false
	for _, a := range in.Attrs {
		switch a.Name {
		case "src":
			in.Kind, in.Ref, in.RefAttr = Script, r.value(&a), a
		case "type":
			typ = strings.ToLower(r.value(&a))
			if typ == "" {
				typ = "text/javascript"
			}
		case "async":
			async = true
		case "defer":
			deferred = true
		case "nomodule":
			in.NoModule = true
		}
	}
	switch {
	case typ == "module":
		in.Module, in.When = true, Deferred
	case typ != "" && !isScriptType(typ) && r.templates == 0:
		in.Inert = "a data block of type " + typ
	}
	if in.NoModule && in.Inert == "" && !in.Module {
		in.Inert = "nomodule, for browsers without modules"
	}
	if in.Kind == Script || in.Module {
		if async {
			in.When = Async
		} else if deferred {
			in.When = Deferred
		}
	}
	p.Includes = append(p.Includes, in)
}

// isScriptType knows the JavaScript MIME type essences (MIME Sniffing Standard, section 4.6).
func isScriptType(t string) bool {
	switch t {
	case "text/javascript", "application/javascript", "text/ecmascript", "application/ecmascript",
		"application/x-ecmascript", "application/x-javascript", "text/javascript1.0",
		"text/javascript1.1", "text/javascript1.2", "text/javascript1.3", "text/javascript1.4",
		"text/javascript1.5", "text/jscript", "text/livescript", "text/x-ecmascript",
		"text/x-javascript":
		return true
	}
	return false
}

func (r *Reader) link(t *Token) {
	p := &r.page
	in := Include{Kind: Other, Start: t.Start, End: t.End, Attrs: r.attrsOf(t), InHead: p.firstBody < 0,
		Inert: r.inert()}
	for _, a := range in.Attrs {
		switch a.Name {
		case "href":
			in.Ref, in.RefAttr = r.value(&a), a
		case "rel":
			in.Rel = strings.ToLower(r.value(&a))
		}
	}
	for rel := range strings.FieldsSeq(in.Rel) {
		switch rel {
		case "stylesheet":
			in.Kind = Stylesheet
		case "preload", "modulepreload", "preconnect", "dns-prefetch", "prefetch":
			in.Kind = Hint
		}
	}
	if in.Ref == "" {
		return
	}
	p.Includes = append(p.Includes, in)
}

func (r *Reader) meta(t *Token) {
	name, content, equiv := "", "", ""
	for _, a := range r.attrsOf(t) {
		switch a.Name {
		case "charset":
			r.page.Charset = true
		case "name":
			name = r.value(&a)
		case "http-equiv":
			equiv = r.value(&a)
		case "content":
			content = r.value(&a)
		}
	}
	switch {
	case strings.EqualFold(name, "viewport"):
		r.page.Viewport = true
	case r.templates == 0 && content != "" && (strings.EqualFold(equiv, "content-security-policy") ||
		strings.EqualFold(equiv, "content-security-policy-report-only")):
		r.page.Policies = append(r.page.Policies, Policy{content, t.Start, r.page.firstBody < 0,
			len(equiv) > len("content-security-policy")})
	case strings.EqualFold(equiv, "content-type") && strings.Contains(strings.ToLower(content), "charset="):
		r.page.Charset = true
	}
}
