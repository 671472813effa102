package page

import "bytes"

// class sorts the bytes that end an attribute's name: 1 is white space, 2 the other marks.
var class = [256]byte{' ': 1, '\n': 1, '\t': 1, '\r': 1, '\f': 1, '/': 2, '>': 2, '=': 2}

// nextAttr reads the attribute that follows i, sections 13.2.5.32 to 13.2.5.39 of the standard, into
// a where that is not nil. It returns where it stopped, at a '>' where there was none left, at len(b)
// where the page ends first.
func nextAttr(b []byte, i int, a *Attr) (int, bool) {
	for i < len(b) && (class[b[i]] == 1 || b[i] == '/') {
		i++
	}
	if i >= len(b) || b[i] == '>' {
		return i, false
	}
	start := i
	i++ // an '=' that stands first is part of the name
	for i < len(b) && class[b[i]] == 0 {
		i++
	}
	if a != nil {
		*a = Attr{Name: attrName(b[start:i]), NameStart: start, End: i, ValueStart: i, ValueEnd: i}
	}
	j := i
	for j < len(b) && class[b[j]] == 1 {
		j++
	}
	if j >= len(b) {
		return j, true
	}
	if b[j] != '=' {
		return i, true
	}
	j++
	for j < len(b) && class[b[j]] == 1 {
		j++
	}
	if j >= len(b) {
		return j, true
	}
	value, end, quote := j, j, byte(0)
	switch c := b[j]; c {
	case '>':
	case '"', '\'':
		k := bytes.IndexByte(b[j+1:], c)
		if k < 0 {
			return len(b), true
		}
		quote = c
		value, end = j+1, j+1+k
		j = end + 1
	default:
		for j < len(b) && class[b[j]] != 1 && b[j] != '>' {
			j++
		}
		end = j
	}
	if a != nil {
		a.HasValue, a.Quote, a.ValueStart, a.ValueEnd, a.End = true, quote, value, end, j
	}
	return j, true
}

// Attrs reads t's attributes in order. Of several with one name only the first counts (section
// 13.2.5.33), so only that is returned.
func (s *Scanner) Attrs(t *Token) []Attr {
	if t.attrs.end-t.attrs.start < 2 {
		return nil
	}
	return s.appendAttrs(make([]Attr, 0, 4), t)
}

// appendAttrs is Attrs, into a list that is used again.
func (s *Scanner) appendAttrs(attrs []Attr, t *Token) []Attr {
	if t.attrs.end-t.attrs.start < 2 {
		return attrs
	}
	i := t.attrs.start
	first := len(attrs)
	var names map[string]bool // of this tag's attributes, if it has many
	for {
		var a Attr
		var more bool
		i, more = nextAttr(s.b[:t.End], i, &a)
		if !more {
			return attrs
		}
		switch {
		case names != nil:
			if names[a.Name] {
				continue
			}
			names[a.Name] = true
		case has(attrs, a.Name):
			continue
		}
		attrs = append(attrs, a)
		if names == nil && len(attrs)-first == manyAttrs {
			names = map[string]bool{}
			for _, a := range attrs {
				names[a.Name] = true
			}
		}
	}
}

// attrName returns an attribute's name without making a string for the names that pages are full of.
func attrName(b []byte) string {
	switch string(b) {
	case "href":
		return "href"
	case "src":
		return "src"
	case "class":
		return "class"
	case "id":
		return "id"
	case "title":
		return "title"
	case "alt":
		return "alt"
	case "style":
		return "style"
	case "rel":
		return "rel"
	case "type":
		return "type"
	case "name":
		return "name"
	case "content":
		return "content"
	case "charset":
		return "charset"
	case "width":
		return "width"
	case "height":
		return "height"
	case "target":
		return "target"
	case "value":
		return "value"
	}
	return lower(b)
}

func has(attrs []Attr, name string) bool {
	for i := range attrs {
		if attrs[i].Name == name {
			return true
		}
	}
	return false
}
