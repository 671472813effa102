package page

import (
	"bytes"

	"merrycrate.example/merry/crate/template"
)

// A Token is one tag of a page, by the place it takes up in the page's bytes.
type Token struct {
	Name        string // lower case
	Start, End  int    // from '<' to just after '>'
	Closing     bool   // </name>
	SelfClosing bool   // <name/>
	attrs       span   // what stands between the name and the '>'
	raw         span   // for a raw-text element's start tag: the text up to its end tag
}

type span struct{ start, end int }

// An Attr is one attribute of a start tag. The value's span leaves out its quotes.
type Attr struct {
	Name       string // lower case
	NameStart  int
	ValueStart int
	ValueEnd   int
	End        int  // just after the value and its quote
	Quote      byte // '"', '\'', or 0 if there is none
	HasValue   bool
}

// Scanner leaps from tag to tag over a page's bytes as the tokenizer of the HTML Standard
// (section 13.2.5) does: comments, doctypes, CDATA in foreign content and raw-text elements hide
// what looks like a tag inside them. It reads attributes only when asked, which is what makes it
// fast: most of a page's tags are of no interest here.
type Scanner struct {
	b   []byte
	pos int

	// OnGap, where set, is called with what the scanner passes over between two tags. It is reported
	// whether that was text, a comment or a doctype.
	OnGap func(kind Gap, start, end int)

	// skim makes Next pass over tags that neither bring anything onto the page nor change how the rest
	// is read; skimmed is where the last of these start tags stands.
	skim    bool
	skimmed int
	// inertElement are the attributes that may lead to files, of the tags that were passed over or inertElement.
	held []inertElement
	// heldNames are those of the held attributes of one tag, the one at namesOf, if it has many.
	heldNames map[string]bool
	namesOf   int
	// conditional says that a comment begins as those do that old browsers read as markup.
	conditional bool

	token Token

	// foreign is the stack of svg and math elements, and of the places inside them that hold HTML
	// again. Raw text is an affair of HTML elements alone.
	foreign []string
	flat    bool // leave foreign content out of account, as a bare tokenizer must
}

// A Gap is the text between two tags.
type Gap int

// The kinds of gap.
const (
	Text Gap = iota
	Comment
	Doctype
)

// NewScanner reads b, which it does not change. What a server fills in is covered.
func NewScanner(b []byte) *Scanner { return &Scanner{b: template.Mask(b, template.Holes(b))} }

// Foreign reports whether the scanner is inside svg or math content.
func (s *Scanner) Foreign() bool {
	n := len(s.foreign)
	return n > 0 && !htmlInside(s.foreign[n-1])
}

// Next returns the next tag, or nil at the end. The token is good until the next call. An unfinished
// tag at the end of the page is no tag, as the standard has it (eof-in-tag).
func (s *Scanner) Next() *Token {
	b := s.b
	for s.pos < len(b) {
		if s.skim && len(s.foreign) == 0 {
			s.leap()
		}
		i := bytes.IndexByte(b[s.pos:], '<')
		if i < 0 {
			s.gap(Text, s.pos, len(b))
			s.pos = len(b)
			break
		}
		at := s.pos + i
		if at+1 >= len(b) {
			s.gap(Text, s.pos, len(b))
			s.pos = len(b)
			break
		}
		switch c := b[at+1]; {
		case isLetter(c):
			return s.startTag(at)
		case c == '/' && at+2 < len(b) && isLetter(b[at+2]):
			return s.endTag(at)
		case c == '!' || c == '?' || c == '/' && at+2 < len(b):
			s.gap(Text, s.pos, at)
			kind, end := s.declaration(at)
			s.gap(kind, at, end)
			s.pos = end
		default:
			s.gap(Text, s.pos, at+1)
			s.pos = at + 1
		}
	}
	return nil
}

func (s *Scanner) startTag(at int) *Token {
	s.gap(Text, s.pos, at)
	if !s.tag(at, at+1) {
		s.pos = len(s.b)
		return nil
	}
	s.pos = s.token.End
	s.enter(&s.token)
	return &s.token
}

func (s *Scanner) endTag(at int) *Token {
	s.gap(Text, s.pos, at)
	if !s.tag(at, at+2) {
		s.pos = len(s.b)
		return nil
	}
	s.token.Closing = true
	s.pos = s.token.End
	s.leave(s.token.Name)
	return &s.token
}

func (s *Scanner) gap(kind Gap, start, end int) {
	if s.OnGap != nil && end > start {
		s.OnGap(kind, start, end)
	}
}

// tag reads the tag that begins at start, with its name at name, into s.token.
func (s *Scanner) tag(start, name int) bool {
	b := s.b
	i := name
	for i < len(b) && (class[b[i]] == 0 || b[i] == '=') {
		i++
	}
	s.token = Token{Start: start, Name: tagName(b[name:i]), attrs: span{start: i}}
	valueEnd := i
	for {
		at, more := nextAttr(b, i, nil)
		if at >= len(b) {
			return false
		}
		i = at
		if !more {
			break
		}
		valueEnd = i
	}
	s.token.attrs.end = i
	s.token.End = i + 1
	s.token.SelfClosing = valueEnd < i && b[i-1] == '/'
	return true
}

// declaration finds the end of a comment, doctype, bogus comment or CDATA section at i.
func (s *Scanner) declaration(i int) (Gap, int) {
	b := s.b
	rest := b[i:]
	switch {
	case bytes.HasPrefix(rest, []byte("<!--")):
		s.conditional = s.conditional || bytes.HasPrefix(bytes.TrimLeft(rest[4:min(len(rest), 40)], " \n\t\r\f\v"),
			[]byte("[if"))
		return Comment, commentEnd(b, i+4)
	case len(rest) >= 9 && bytes.EqualFold(rest[2:9], []byte("doctype")) && rest[1] == '!':
		return Doctype, after(b, i, ">")
	case bytes.HasPrefix(rest, []byte("<![CDATA[")) && s.Foreign():
		return Text, after(b, i+9, "]]>")
	}
	return Comment, after(b, i+2, ">")
}

func after(b []byte, i int, mark string) int {
	if j := bytes.Index(b[min(i, len(b)):], []byte(mark)); j >= 0 {
		return i + j + len(mark)
	}
	return len(b)
}

// commentEnd finds the end of a comment whose text begins at i: "-->", "--!>", or at once ">" or
// "->" (sections 13.2.5.43 to 13.2.5.51).
func commentEnd(b []byte, i int) int {
	if i < len(b) && b[i] == '>' {
		return i + 1
	}
	if i+1 < len(b) && b[i] == '-' && b[i+1] == '>' {
		return i + 2
	}
	for i < len(b) {
		j := bytes.Index(b[i:], []byte("--"))
		if j < 0 {
			return len(b)
		}
		i += j + 2
		if i < len(b) && b[i] == '>' {
			return i + 1
		}
		if i+1 < len(b) && b[i] == '!' && b[i+1] == '>' {
			return i + 2
		}
		i-- // the second hyphen may be the first of the next pair
	}
	return len(b)
}

// enter takes note of a start tag: the raw text that follows it, and foreign content.
func (s *Scanner) enter(t *Token) {
	if !s.flat {
		if s.Foreign() {
			switch {
			case breaksOut(t.Name) || t.Name == "font" && s.breakingFont(t):
				s.foreign = nil
			case !t.SelfClosing && (htmlInside(t.Name) || t.Name == "svg" || t.Name == "math"):
				s.foreign = append(s.foreign, t.Name)
				return
			default:
				return
			}
		} else if t.Name == "svg" || t.Name == "math" {
			if !t.SelfClosing {
				s.foreign = append(s.foreign, t.Name)
			}
			return
		}
	}
	switch t.Name {
	case "script", "style", "title", "textarea", "xmp", "iframe", "noembed", "noframes", "noscript":
		end := s.rawEnd(t.Name, t.End)
		t.raw = span{t.End, end}
		s.pos = end
	case "plaintext":
		t.raw = span{t.End, len(s.b)}
		s.pos = len(s.b)
	}
}

func (s *Scanner) breakingFont(t *Token) bool {
	for _, a := range s.Attrs(t) {
		if a.Name == "color" || a.Name == "face" || a.Name == "size" {
			return true
		}
	}
	return false
}

func (s *Scanner) leave(name string) {
	for i := len(s.foreign) - 1; i >= 0; i-- {
		if s.foreign[i] == name {
			s.foreign = s.foreign[:i]
			return
		}
	}
	if s.Foreign() && (name == "p" || name == "br") {
		s.foreign = nil
	}
}

// htmlInside tells the foreign elements that hold HTML again: the integration points of section
// 13.2.6 (annotation-xml, which is one only under conditions, is left out).
func htmlInside(name string) bool {
	switch name {
	case "foreignobject", "desc", "title", "mi", "mo", "mn", "ms", "mtext":
		return true
	}
	return false
}

// breaksOut tells the start tags that end foreign content, section 13.2.6.5.
func breaksOut(name string) bool {
	switch name {
	case "b", "big", "blockquote", "body", "br", "center", "code", "dd", "div", "dl", "dt", "em",
		"embed", "h1", "h2", "h3", "h4", "h5", "h6", "head", "hr", "i", "img", "li", "listing",
		"menu", "meta", "nobr", "ol", "p", "pre", "ruby", "s", "small", "span", "strong",
		"strike", "sub", "sup", "table", "tt", "u", "ul", "var":
		return true
	}
	return false
}

// rawEnd finds where the raw text that begins at i ends: at its end tag, or at the end of the page.
func (s *Scanner) rawEnd(name string, i int) int {
	if name == "script" {
		return s.scriptEnd(i)
	}
	for {
		j := bytes.Index(s.b[min(i, len(s.b)):], []byte("</"))
		if j < 0 {
			return len(s.b)
		}
		i += j
		if s.names(i+2, name) {
			return i
		}
		i += 2
	}
}

// names reports whether name is at i and ends there.
func (s *Scanner) names(i int, name string) bool {
	b := s.b
	end := i + len(name)
	return end < len(b) && bytes.EqualFold(b[i:end], []byte(name)) &&
		(isSpace(b[end]) || b[end] == '/' || b[end] == '>')
}

// scriptEnd knows the escaped states of script data, sections 13.2.5.15 to 13.2.5.31: inside
// "<!-- <script" an end tag only closes that inner one.
func (s *Scanner) scriptEnd(i int) int {
	const (
		plain = iota
		escaped
		doubly
	)
	b := s.b
	state := plain
	for i < len(b) {
		if state == plain {
			j := bytes.IndexByte(b[i:], '<')
			if j < 0 {
				return len(b)
			}
			i += j
		}
		switch {
		case b[i] == '-' && state != plain:
			if bytes.HasPrefix(b[i:], []byte("-->")) {
				state = plain
				i += 3
			} else {
				i++
			}
		case b[i] != '<':
			i++
		case state == plain && bytes.HasPrefix(b[i:], []byte("<!--")):
			state = escaped
			i += 2 // its hyphens may be those of "-->"
		case i+1 < len(b) && b[i+1] == '/' && s.names(i+2, "script"):
			if state != doubly {
				return i
			}
			state = escaped
			i += len("</script")
		case state == escaped && s.names(i+1, "script"):
			state = doubly
			i += len("<script")
		default:
			i++
		}
	}
	return len(b)
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isSpace(c byte) bool {
	return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '\f'
}

// tagName returns a tag's name without making a string for the names that pages are full of.
func tagName(b []byte) string {
	switch string(b) {
	case "a":
		return "a"
	case "p":
		return "p"
	case "li":
		return "li"
	case "td":
		return "td"
	case "tr":
		return "tr"
	case "div":
		return "div"
	case "span":
		return "span"
	case "link":
		return "link"
	case "meta":
		return "meta"
	case "head":
		return "head"
	case "html":
		return "html"
	case "body":
		return "body"
	case "title":
		return "title"
	case "script":
		return "script"
	}
	return lower(b)
}

// lower folds ASCII letters only, as the standard does for names.
func lower(b []byte) string {
	for i, c := range b {
		if 'A' <= c && c <= 'Z' {
			l := bytes.Clone(b)
			for ; i < len(l); i++ {
				if 'A' <= l[i] && l[i] <= 'Z' {
					l[i] += 'a' - 'A'
				}
			}
			return string(l)
		}
	}
	return string(b)
}
