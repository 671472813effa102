package page

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
)

// Kind is what an include loads.
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

// Ending is what the files end in that an include of the kind loads, "" if that is not known.
func (k Kind) Ending() string {
	switch k {
	case Script:
		return ".js"
	case Stylesheet:
		return ".css"
	}
	return ""
}

// When is the time at which a script runs (HTML Standard, section 4.12.1).
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
	// Inert says why the browser passes over this tag, "" if it does not.
	Inert string
}

// TextStart is where the text of an inline script or style begins.
func (in *Include) TextStart() int { return in.Text.start }

// Templated reports whether the path of the reference has a hole that a server fills in, so that what it leads to is
// not plainly written.
func (in *Include) Templated() bool { return Templated(in.Ref) }

// MayHaveHoles tells, much faster than looking would, whether a reference may have holes.
func MayHaveHoles(ref string) bool { return strings.ContainsAny(ref, "{<$#@[~") }

// Templated reports whether the path of a reference has a hole.
func Templated(ref string) bool {
	return MayHaveHoles(ref) && (template.Reference(ref).Hidden || odd(ref))
}

// odd tells the marks of languages that write whole pages in another way.
func odd(ref string) bool {
	for i := 0; i+1 < len(ref); i++ {
		switch ref[i : i+2] {
		case "#{", "@{", "[[":
			return true
		}
	}
	return strings.HasPrefix(ref, "@")
}

// A Page is a parsed page.
type Page struct {
	Bytes    []byte
	Includes []Include
	Base     string // the first <base href>
	Ignored  string // the same, if browsers do not heed it
	baseAt   int    // behind which it counts for what is fetched while the page is read
	Doctype  bool
	Charset  bool // declared, by a meta element or a byte order mark
	Viewport bool
	// Fragment says that the page has neither doctype nor html, head or body tags: a part that
	// something else puts into a whole.
	Fragment bool
	Policies []Policy // in its meta elements, in their order
	// LastContent is where the last tag stands that is no script, style or template: what comes
	// after it is the tail of scripts that many pages end in.
	LastContent int
	// OnLoad is what the body's onload attribute runs when the page has loaded, and OnLoadStart is where it stands, 0
	// if there is none (HTML Standard, section 8.1.8.2: it is the window's handler).
	OnLoad      string
	OnLoadStart int

	html, head, headEnd, body, bodyEnd, htmlEnd mark
	firstBody                                   int  // where the first content of the body stands
	plain                                       bool // head and body as everybody writes them
	headInsertable                              int  // behind the doctype
	lines                                       *texts.Index
	held                                        []inertElement    // attributes that may lead to files
	scattered                                   bool              // references stand where these do not tell, too
	served                                      []template.Region // once they were looked for
	looked                                      bool
	holes                                       []template.Hole
	masked                                      []byte // the page's bytes with its holes covered
}

// Holes are the parts of the page that a server, or a generator, fills in, in their order.
func (p *Page) Holes() []template.Hole { return p.holes }

// Inserts reports whether a server may put tags into the page beside those that are written there: a hole stands alone
// between tags, behind the beginning of the head, and may be filled with markup.
func (p *Page) Inserts() bool {
	if !slices.ContainsFunc(p.holes, func(h template.Hole) bool { return template.MayBeMarkup(p.Bytes, h) }) {
		return false
	}
	const blanks = " \t\r\n\f\x01"
	from, inserts, within := p.First(), false, ""
	s := &Scanner{b: p.masked}
	s.OnGap = func(kind Gap, start, end int) {
		if kind != Text || inserts || holdsText(within) {
			return
		}
		for _, h := range template.Between(p.holes, start, end) {
			inserts = inserts || h.Start >= from && len(bytes.Trim(p.masked[start:end], blanks)) == 0 &&
				template.MayBeMarkup(p.Bytes, h)
		}
	}
	for t := s.Next(); t != nil; t = s.Next() {
		if within = t.Name; t.Closing {
			within = ""
		}
	}
	return inserts
}

// holdsText tells the elements whose content is text, and tags of texts.
func holdsText(element string) bool {
	switch element {
	case "p", "h1", "h2", "h3", "h4", "h5", "h6", "li", "td", "th", "dt", "dd", "a", "span", "button", "label",
		"option",
		"em", "strong", "b", "i", "small", "code", "pre", "figcaption", "caption", "legend", "summary", "time":
		return true
	}
	return false
}

// Covered are the page's bytes with its holes covered.
func (p *Page) Covered() []byte { return p.masked }

// HolesIn are the holes of an inline script or style, with places in its text.
func (p *Page) HolesIn(in *Include) []template.Hole {
	list := slices.Clone(template.Between(p.holes, in.Text.start, in.Text.end))
	for i := range list {
		h := &list[i]
		h.Start, h.End = h.Start-in.Text.start, h.End-in.Text.start
		h.CodeStart, h.CodeEnd = h.CodeStart-in.Text.start, h.CodeEnd-in.Text.start
	}
	return list
}

// Code is the text of an inline script or style as it may be read: with something in its holes, at the same places.
func (p *Page) Code(in *Include) []byte {
	text, holes := p.InlineText(in), p.HolesIn(in)
	switch {
	case len(holes) == 0:
		return text
	case in.Kind == InlineStyle:
		return template.FillStyle(text, holes)
	case strings.HasPrefix(in.Inert, "a data block"):
		return template.FillJSON(text, holes)
	}
	return template.FillScript(text, holes).Text
}

// BaseAt is the base for what is fetched from a place of the page: an element before the base element is read, and its
// address resolved, before that is there (HTML Standard, section 4.2.3).
func (p *Page) BaseAt(offset int) string {
	if offset < p.baseAt {
		return ""
	}
	return p.Base
}

// BaseStart is where the base element stands.
func (p *Page) BaseStart() int { return p.baseAt }

// IgnoreBase makes the page one whose base browsers do not heed.
func (p *Page) IgnoreBase() { p.Ignored, p.Base = p.Base, "" }

// First is where a tag is before all that is fetched and runs: behind the start tag of the head, else of the html
// element, else behind the doctype.
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

// Read reads a page. It returns an *EncodingError for what it can't edit and ErrReport for a report of this program;
// every other sequence of bytes is a page.
func Read(b []byte) (*Page, error) { return new(Reader).Read(b) }

func (p *Page) value(a Attr) string {
	return strings.TrimSpace(decode(string(p.Bytes[a.ValueStart:a.ValueEnd])))
}

// Fetches reports whether a hint has a browser fetch its file (HTML Standard, section 4.6.7).
func (in *Include) Fetches() bool {
	return in.Kind == Hint && (in.Rel == "preload" || in.Rel == "modulepreload" || in.Rel == "prefetch")
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

// WhenWords describes when an include runs or applies.
func (in *Include) WhenWords() string {
	switch {
	case in.Kind == Stylesheet || in.Kind == InlineStyle:
		return "applies; scripts after it wait"
	case in.Module && in.When == Async:
		return "module, at any time"
	case in.When == Async:
		return "at any time"
	case in.Module:
		return "module, after parsing"
	case in.When == Deferred:
		return "after parsing"
	}
	return "while parsing"
}
