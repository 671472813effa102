package page

import (
	"bytes"
	"errors"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/lines"
	"merrycrate.example/merry/crate/template"
)

// ErrUTF16 is returned for a page in UTF-16, which has no ASCII-compatible bytes to edit.
var ErrUTF16 = errors.New("the page is in UTF-16")

// Kind tells what an include brings.
type Kind int

// The kinds of include.
const (
	Script       Kind = iota // <script src>
	Stylesheet               // <link rel=stylesheet href>
	InlineScript             // <script> with its text on the page
	InlineStyle              // <style>
	Hint                     // <link rel=preload>, preconnect and their like
	Other                    // a link to something else: an icon, a manifest
)

// String is the word for it.
func (k Kind) String() string {
	return [...]string{"script", "stylesheet", "inline script", "inline style", "hint", "link"}[k]
}

// When tells when a script runs (HTML Standard, section 4.12.1).
type When int

// The times at which a script can run.
const (
	Blocking When = iota // where it stands, while the parser waits
	Deferred             // after parsing, in order; a module too
	Async                // at any time
)

// An Include is one tag of a page that brings a script, a stylesheet or a hint of one.
type Include struct {
	Kind       Kind
	Start, End int    // the whole element, with its end tag where it has one
	Ref        string // the reference, character references resolved and trimmed
	RefAttr    Attr   // the attribute it stands in
	Attrs      []Attr
	When       When
	Module     bool
	NoModule   bool
	Rel        string // of a link, lower case
	InHead     bool
	Text       span // of an inline script or style
	// Inert says why the browser passes over this tag, "" where it does not.
	Inert string
}

// TextStart is where the text of an inline script or style begins.
func (in *Include) TextStart() int { return in.Text.start }

// Templated tells whether the reference holds an expression that a server fills in, so that what
// it will say can't be known.
func (in *Include) Templated() bool { return templated(in.Ref) }

func templated(ref string) bool {
	for i := 0; i+1 < len(ref); i++ {
		switch ref[i : i+2] {
		case "{{", "{%", "<%", "<?", "${", "#{", "@(", "@{", "[[":
			return true
		}
	}
	return strings.HasPrefix(ref, "~/") || strings.HasPrefix(ref, "@")
}

// A Page is what was read off a page's bytes.
type Page struct {
	Bytes    []byte
	Includes []Include
	Base     string // the first <base href>
	baseAt   int    // behind which it counts for what is fetched while the page is read
	Doctype  bool
	Charset  bool // declared, by a meta element or a byte order mark
	Viewport bool
	// Fragment says that the page has neither doctype nor html, head or body tags: a part that
	// something else puts into a whole.
	Fragment bool
	Policies []Policy // in its meta elements, in their order
	// LastContent is where the last tag stands that is no script, style or template: what comes
	// behind it is the tail of scripts that many pages end in.
	LastContent int
	// OnLoad is what the body's onload attribute runs when the page has loaded, and OnLoadStart is where it stands, 0 where there is none
	// (HTML Standard, section 8.1.8.2: it is the window's handler).
	OnLoad      string
	OnLoadStart int

	html, head, headEnd, body, bodyEnd, htmlEnd mark
	firstBody                                   int  // where the first content of the body stands
	plain                                       bool // head and body as everybody writes them
	headInsertable                              int  // behind the doctype
	lines                                       *lines.Index
	held                                        []held            // attributes that may lead to files
	scattered                                   bool              // references stand where these do not tell, too
	served                                      []template.Region // once they were looked for
	looked                                      bool
}

// BaseAt is the base for what is fetched from a place of the page: an element before the base element is read, and its address
// resolved, before that is there (HTML Standard, section 4.2.3).
func (p *Page) BaseAt(offset int) string {
	if offset < p.baseAt {
		return ""
	}
	return p.Base
}

// First is where a tag stands before all that is fetched and runs: behind the start tag of the head, else of the html element, else behind
// the doctype.
func (p *Page) First() int {
	switch {
	case p.head.there():
		return p.head.end
	case p.html.there():
		return p.html.end
	}
	return p.headInsertable
}

// Position returns the line and the column of an offset, as the function Position does, at less cost for many.
func (p *Page) Position(offset int) (line, column int) { return p.lines.At(offset) }

// A mark is a tag's place; the zero mark stands for a tag that is not there.
type mark struct{ start, end int }

func (m mark) there() bool { return m.end > 0 }

// Read reads a page. It returns ErrUTF16 for what it can't edit; every other sequence of bytes is a
// page.
func Read(b []byte) (*Page, error) { return new(Reader).Read(b) }

// A Reader reads many pages, one after the other, in the same memory.
type Reader struct {
	page      Page
	s         Scanner
	attrs     []Attr // of all the page's includes
	templates int
	trouble   bool // something stands where its place leaves doubt
}

// Read is the function of that name. The page is good until the next call.
func (r *Reader) Read(b []byte) (*Page, error) {
	if bytes.HasPrefix(b, []byte("\xff\xfe")) || bytes.HasPrefix(b, []byte("\xfe\xff")) ||
		bytes.HasPrefix(b, []byte("<\x00")) || bytes.HasPrefix(b, []byte("\x00<")) {
		return nil, ErrUTF16
	}
	p := &r.page
	*p = Page{Bytes: b, lines: lines.Of(b), firstBody: -1, Includes: r.page.Includes[:0]}
	r.s = Scanner{b: b, held: r.s.held[:0]}
	r.attrs, r.templates, r.trouble = r.attrs[:0], 0, false
	if bytes.HasPrefix(b, []byte("\xef\xbb\xbf")) {
		p.Charset = true
		p.headInsertable = 3
		r.s.pos = 3
	}
	r.read()
	return p, nil
}

func (r *Reader) read() {
	p, s := &r.page, &r.s
	for {
		// Between the first content of the body and its end only few tags matter.
		s.skim = p.firstBody >= 0 && !p.bodyEnd.there() && r.templates == 0
		if s.OnGap = r.gap; s.skim {
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
		s.passAttrs(t.Start, t.attrs.start)
		switch t.Name {
		case "script":
			r.script(t)
		case "link":
			r.link(t)
		case "style":
			p.Includes = append(p.Includes, Include{Kind: InlineStyle, Start: t.Start, End: r.elementEnd(t), Attrs: r.attrsOf(t),
				Text: t.raw, InHead: p.firstBody < 0, Inert: r.inert()})
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
		for _, c := range p.Bytes[start:end] {
			if !isSpace(c) {
				r.content(start)
				return
			}
		}
	}
}

// content takes note of what can only stand in the body.
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
			in.Kind, in.Ref, in.RefAttr = Script, p.value(a), a
		case "type":
			typ = strings.ToLower(p.value(a))
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
	case typ != "" && !isScriptType(typ):
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
	in := Include{Kind: Other, Start: t.Start, End: t.End, Attrs: r.attrsOf(t), InHead: p.firstBody < 0, Inert: r.inert()}
	for _, a := range in.Attrs {
		switch a.Name {
		case "href":
			in.Ref, in.RefAttr = p.value(a), a
		case "rel":
			in.Rel = strings.ToLower(p.value(a))
		}
	}
	for _, rel := range strings.Fields(in.Rel) {
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
			name = r.page.value(a)
		case "http-equiv":
			equiv = r.page.value(a)
		case "content":
			content = r.page.value(a)
		}
	}
	switch {
	case strings.EqualFold(name, "viewport"):
		r.page.Viewport = true
	case r.templates == 0 && content != "" && (strings.EqualFold(equiv, "content-security-policy") || strings.EqualFold(equiv, "content-security-policy-report-only")):
		r.page.Policies = append(r.page.Policies, Policy{content, t.Start, r.page.firstBody < 0, len(equiv) > len("content-security-policy")})
	case strings.EqualFold(equiv, "content-type") && strings.Contains(strings.ToLower(content), "charset="):
		r.page.Charset = true
	}
}

func (p *Page) value(a Attr) string {
	return strings.TrimSpace(decode(string(p.Bytes[a.ValueStart:a.ValueEnd])))
}

// Attr returns the value of one of the include's attributes, and whether it has it.
func (p *Page) Attr(in *Include, name string) (string, bool) {
	for _, a := range in.Attrs {
		if a.Name == name {
			return p.value(a), true
		}
	}
	return "", false
}

// InlineText returns the text of an inline script or style.
func (p *Page) InlineText(in *Include) []byte { return p.Bytes[in.Text.start:in.Text.end] }

// Position turns an offset into a line and a column, both from 1. A column counts bytes.
func Position(b []byte, offset int) (line, column int) {
	offset = min(offset, len(b))
	line = 1 + bytes.Count(b[:offset], []byte("\n"))
	column = offset - bytes.LastIndexByte(b[:offset], '\n')
	return line, column
}

// WhenWords says when what an include is about runs or applies, in words.
func (in *Include) WhenWords() string {
	switch {
	case in.Kind == Stylesheet || in.Kind == InlineStyle:
		return "applies; scripts behind it wait"
	case in.Module && in.When == Async:
		return "module, at any time"
	case in.When == Async:
		return "at any time"
	case in.Module:
		return "module, after parsing"
	case in.When == Deferred:
		return "after parsing"
	}
	return "in place"
}
