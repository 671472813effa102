package page

import "bytes"

// A Name is a class, an id or an attribute in a page's markup.
type Name struct {
	Kind       NameKind
	Text       string
	Start, End int
}

// NameKind is the kind of a Name.
type NameKind string

// The kinds of name.
const (
	ClassName     NameKind = "class"
	IDName        NameKind = "id"
	AttributeName NameKind = "attribute"
)

// Names calls visit for every class and id in the page's markup, and for every attribute whose name has a hyphen, as
// those of libraries have. The places are those of the bytes themselves; a name that is written with character
// references is left out.
func Names(b []byte, visit func(Name)) {
	s := NewScanner(b)
	for t := s.Next(); t != nil; t = s.Next() {
		if t.Closing || bytes.IndexByte(b[t.Start:t.End], '=') < 0 && bytes.IndexByte(b[t.Start:t.End], '-') < 0 {
			continue
		}
		for _, a := range s.Attrs(t) {
			switch {
			case a.Name == "class":
				words(b, a.ValueStart, a.ValueEnd, func(start, end int) {
					visit(Name{ClassName, string(b[start:end]), start, end})
				})
			case a.Name == "id" && a.ValueEnd > a.ValueStart:
				visit(Name{IDName, string(b[a.ValueStart:a.ValueEnd]), a.ValueStart, a.ValueEnd})
			case bytes.IndexByte([]byte(a.Name), '-') > 0:
				visit(Name{AttributeName, a.Name, a.NameStart, a.NameStart + len(a.Name)})
			}
		}
	}
}

// words calls visit for each word of a value that holds no character reference.
func words(b []byte, start, end int, visit func(start, end int)) {
	for start < end {
		for start < end && isSpace(b[start]) {
			start++
		}
		from := start
		for start < end && !isSpace(b[start]) {
			start++
		}
		if start > from && bytes.IndexByte(b[from:start], '&') < 0 {
			visit(from, start)
		}
	}
}
