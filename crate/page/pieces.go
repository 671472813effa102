package page

import (
	"bytes"
	"strings"
)

// A Piece is code or style in an element's attribute, which a policy can forbid.
type Piece struct {
	Kind  PieceKind
	Name  string // of the attribute
	Text  string // as a browser reads it
	Start int    // of the value
}

// A PieceKind is the kind of a Piece.
type PieceKind int

// The kinds of piece.
const (
	Handler    PieceKind = iota // onclick and its like
	StyleValue                  // a style attribute
	ScriptLink                  // a link that begins with javascript:
)

// Pieces calls visit for what runs or styles from attributes of a page's elements, templates left out: those come to
// nothing before a script makes something of them.
func (p *Page) Pieces(visit func(Piece)) {
	s := NewScanner(p.Bytes)
	templates := 0
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Name == "template" {
			if t.Closing {
				templates = max(0, templates-1)
			} else {
				templates++
			}
		}
		if t.Closing || templates > 0 || bytes.IndexByte(p.Bytes[t.Start:t.End], '=') < 0 {
			continue
		}
		for _, a := range s.Attrs(t) {
			text := func() string { return Normal(decode(string(p.Bytes[a.ValueStart:a.ValueEnd]))) }
			switch {
			case !a.HasValue:
			case len(a.Name) > 4 && strings.HasPrefix(a.Name, "on"):
				visit(Piece{Handler, a.Name, text(), a.ValueStart})
			case a.Name == "style":
				visit(Piece{StyleValue, a.Name, text(), a.ValueStart})
			case a.Name == "href" || a.Name == "action" || a.Name == "formaction":
				if v := text(); strings.HasPrefix(strings.ToLower(strings.TrimSpace(v)), "javascript:") {
					visit(Piece{ScriptLink, a.Name, v, a.ValueStart})
				}
			}
		}
	}
}

// Normal is a text with its line endings as a browser reads them (HTML Standard, section 13.2.3.5).
func Normal(text string) string {
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
}

// A Policy is a content security policy that is in a meta element of the page.
type Policy struct {
	Text   string
	Start  int  // of the element
	InHead bool // elsewhere a browser does not heed it
	// ReportOnly says that it stands under the name of a policy that reports alone, which no browser heeds in an
	// element.
	ReportOnly bool
}
