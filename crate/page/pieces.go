package page

import (
	"bytes"
	"slices"
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
	Handler     PieceKind = iota // onclick and its like
	StyleValue                   // a style attribute
	ScriptLink                   // a link that begins with javascript:
	ScriptFrame                  // a frame whose address begins with it
)

// Pieces calls visit for what runs or styles from attributes of a page's elements, those in templates too: policies are
// asked when attributes are read. Links in templates are left out, since nobody follows them there.
func (p *Page) Pieces(visit func(Piece)) {
	s := NewScanner(p.Bytes)
	templates := 0
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Name == "template" && t.Closing {
			templates = max(0, templates-1)
		} else if t.Name == "template" {
			templates++
		}
		if t.Closing || bytes.IndexByte(p.Bytes[t.Start:t.End], '=') < 0 {
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
			case templates == 0 && mayBeScript(t.Name, a.Name) && isScript(text()):
				kind := map[bool]PieceKind{false: ScriptLink, true: ScriptFrame}[a.Name == "src"]
				visit(Piece{kind, a.Name, text(), a.ValueStart})
			}
		}
	}
}

// mayBeScript reports whether an attribute's address may be a script.
func mayBeScript(element, attribute string) bool {
	return slices.Contains([]string{"href", "xlink:href", "action", "formaction"}, attribute) ||
		attribute == "src" && slices.Contains([]string{"iframe", "frame", "embed"}, element)
}

// isScript reports whether an address is a script: white space before it, and tabs and line ends in it, do not count
// (URL Standard, section 4.4).
func isScript(address string) bool {
	scheme, _, has := strings.Cut(strings.TrimLeft(address, "\x00\x01 \t\n\f\r"), ":")
	return has && strings.EqualFold(strings.NewReplacer("\t", "", "\n", "", "\r", "").Replace(scheme), "javascript")
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
