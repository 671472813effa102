package template

import (
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// A Written is a reference to a file as a template writes it: a path, with holes in it or made by a hole, and what
// follows the path.
type Written struct {
	Path string // up to the query and the fragment
	Tail string // the query and the fragment
	// Hidden says that the path has a hole, so that what it leads to is not plainly written.
	Hidden bool
	// Literals are the plainly written texts in a hidden path of which one may be the end of a file's path, by their
	// places in Path.
	Literals []Span
}

// A Span is a part of a text.
type Span struct{ Start, End int }

// Reference takes a reference apart.
func Reference(ref string) Written {
	if !MayHaveIn(ref) && !strings.HasPrefix(ref, "~/") {
		path, tail := cut(ref, nil)
		return Written{Path: path, Tail: tail}
	}
	holes := inReference(ref)
	w := Written{}
	w.Path, w.Tail = cut(ref, holes)
	end := 0 // of the last hole of the path
	var inside []Span
	for _, h := range holes {
		if h.Start >= len(w.Path) {
			break
		}
		w.Hidden, end = true, h.End
		inside = append(inside, quoted(ref, h.CodeStart, h.CodeEnd)...)
	}
	switch {
	case strings.HasPrefix(w.Path, "~/"):
		w.Hidden, w.Literals = true, appendPath(nil, ref, Span{2, len(w.Path)})
	case w.Hidden && end < len(w.Path):
		w.Literals = appendPath(nil, ref, Span{end, len(w.Path)})
	case w.Hidden:
		for _, s := range inside {
			w.Literals = appendPath(w.Literals, ref, s)
		}
	}
	return w
}

// Plain takes a reference without holes apart whose whole path may be the end of a file's path.
func Plain(ref string) Written {
	path, tail := cut(ref, nil)
	return Written{Path: path, Tail: tail, Literals: appendPath(nil, path, Span{0, len(path)})}
}

// Directed reports whether a text has a hole, so that its value is not known.
func Directed(text string) bool { return MayHaveIn(text) && len(Holes([]byte(text))) > 0 }

// inReference finds the holes of a reference alone, in which an at sign or a dollar sign begins one by its brackets.
func inReference(ref string) []Hole {
	b := []byte(ref)
	return find(b, atReference().MatchString(ref), strings.Contains(ref, "${"))
}

// atReference is what follows an at sign in a reference that a server's language makes.
var atReference = memo.Regexp(`^@[A-Za-z_][\w.]*\(|^@\(|^@(?:Url|Model|Html|ViewBag)\.|[/=]@\(|@[A-Za-z_]\w*\(`)

// cut is a reference up to its query and fragment, and these. Marks in holes are none.
func cut(ref string, holes []Hole) (path, tail string) {
	for i := 0; i < len(ref); i++ {
		if len(holes) > 0 && holes[0].Start == i {
			i, holes = holes[0].End-1, holes[1:]
			continue
		}
		if ref[i] == '?' || ref[i] == '#' {
			return ref[:i], ref[i:]
		}
	}
	return ref, ""
}

// quoted are the texts in quotes in a part of a reference.
func quoted(ref string, start, end int) []Span {
	var list []Span
	for i := start; i < end; i++ {
		if c := ref[i]; c == '"' || c == '\'' || c == '`' {
			k := strings.IndexByte(ref[i+1:end], c)
			if k < 0 {
				break
			}
			list = append(list, Span{i + 1, i + 1 + k})
			i += k + 1
		}
	}
	return list
}

// appendPath adds a text that may be the end of a file's path, without what leads up to it.
func appendPath(list []Span, ref string, s Span) []Span {
	for s.Start < s.End {
		rest := ref[s.Start:s.End]
		switch {
		case strings.HasPrefix(rest, "../"):
			s.Start += 3
		case strings.HasPrefix(rest, "./"), strings.HasPrefix(rest, "~/"):
			s.Start += 2
		case rest[0] == '/':
			s.Start++
		default:
			base := rest[strings.LastIndexByte(rest, '/')+1:]
			if dot := strings.LastIndexByte(base, '.'); dot > 0 && dot < len(base)-1 &&
				!strings.Contains(rest, "//") &&
				!strings.ContainsAny(rest, "<>{}*|") {
				return append(list, s)
			}
			return list
		}
	}
	return list
}

// Pattern is what a hidden path may be, with an asterisk for each hole.
func (w *Written) Pattern() string {
	var s strings.Builder
	at := 0
	for _, h := range inReference(w.Path) {
		s.WriteString(w.Path[at:h.Start])
		s.WriteByte('*')
		at = h.End
	}
	s.WriteString(w.Path[at:])
	return s.String()
}

// MayBe reports whether a path that is hidden may be that of a file: the file's path, or the end of it, has the parts
// that are plainly written, in their order.
func MayBe(pattern, file string) bool {
	for strings.HasPrefix(pattern, "../") || strings.HasPrefix(pattern, "./") || strings.HasPrefix(pattern, "/") {
		_, pattern, _ = strings.Cut(pattern, "/")
	}
	parts := strings.Split(pattern, "*")
	last := len(parts) - 1
	if !strings.HasSuffix(file, parts[last]) {
		return false
	}
	rest := strings.TrimSuffix(file, parts[last])
	for i, part := range parts[:last] {
		at := strings.Index(rest, part)
		for i == 0 && at > 0 && rest[at-1] != '/' { // it begins where a name begins
			next := strings.Index(rest[at+1:], part)
			if next < 0 {
				return false
			}
			at += 1 + next
		}
		if at < 0 {
			return false
		}
		rest = rest[at+len(part):]
	}
	return true
}

// Spells is the literal of a hidden path that is the end of a file's path, and what the file's path has before it.
func (w *Written) Spells(file string) (literal Span, before string, ok bool) {
	for _, l := range w.Literals {
		if text := w.Path[l.Start:l.End]; file == text || strings.HasSuffix(file, "/"+text) {
			return l, strings.TrimSuffix(file, text), true
		}
	}
	return Span{}, "", false
}

// Respell writes a hidden path that spells one file so that it spells another one, in the same way. It reports whether
// that can be: the other file's path must begin as the first one's does up to the literal.
func (w *Written) Respell(file, other string) (string, bool) {
	l, before, ok := w.Spells(file)
	if !ok {
		return "", false
	}
	rest, ok := strings.CutPrefix(other, before)
	if !ok || rest == "" {
		return "", false
	}
	return w.Path[:l.Start] + rest + w.Path[l.End:], true
}
