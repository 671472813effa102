package editing

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// A language is that of a place.
type language int

const (
	markup language = iota
	styles
	code
)

// A place is where somebody writes: a language, its text, and where the place is in it.
type place struct {
	language language
	text     []byte
	from     int // of the text in the file
	at       int // in the text
	v        *tags.Page
}

// placeAt tells what is written at an offset of a file.
func (d *Snapshot) placeAt(ctx context.Context, file string, at int) (place, bool) {
	text := d.Text(file)
	if text == nil || at < 0 || at > len(text) {
		return place{}, false
	}
	p := place{text: text, at: at}
	switch {
	case isSheet(file):
		p.language = styles
	case isScript(file):
		p.language = code
	default:
		if p.v = d.pageOf(ctx, file); p.v == nil {
			return place{}, false
		}
		if i := inlineAt(p.v, at); i >= 0 {
			in := &p.v.Includes[i]
			p.from = in.TextStart()
			p.text, p.at = p.v.InlineText(in), at-p.from
			if p.language = code; in.Kind == page.InlineStyle {
				p.language = styles
			}
		}
	}
	return p, true
}

// A tagPlace is a place in a start tag.
type tagPlace struct {
	element    string
	start      int    // of the tag
	attribute  string // whose value or name the place is in, "" for the element's own name
	inValue    bool
	start0     int // of the value or the name
	end        int // of it
	attributes []string
}

// tagAt finds the start tag that a place of a page is in. It reads tags that are not finished, too: up to the end of
// the line.
func tagAt(b []byte, at int) (t tagPlace, ok bool) {
	for from, tries := at, 0; tries < 20; tries++ {
		i := bytes.LastIndexByte(b[:from], '<')
		if i < 0 || at-i > 1<<14 {
			return t, false
		}
		if t, ok = readTag(b, i, at); ok {
			if j := bytes.LastIndexByte(b[:i], '<'); j >= 0 { // it may stand in the value of another tag
				if around, in := readTag(b, j, i); in && around.inValue {
					return readTag(b, j, at)
				}
			}
			return t, true
		}
		from = i
	}
	return t, false
}

// readTag reads a start tag up to a place that should be in it.
func readTag(b []byte, start, at int) (t tagPlace, ok bool) {
	i := start + 1
	name := func() (from, to int) {
		from = i
		for i < len(b) && !strings.ContainsRune(" \t\r\n\f/>=\"'<", rune(b[i])) {
			i++
		}
		return from, i
	}
	space := func() {
		for i < len(b) && strings.ContainsRune(" \t\r\n\f/", rune(b[i])) {
			i++
		}
	}
	from, to := name()
	t.element, t.start = strings.ToLower(string(b[from:to])), start
	if at >= from && at <= to {
		t.start0, t.end = from, to
		return t, true
	}
	for i < len(b) && i <= at {
		space()
		if i > at || i >= len(b) || b[i] == '>' || b[i] == '<' {
			break
		}
		from, to := name()
		if from == to { // a quote or a sign that is out of place
			i++
			continue
		}
		t.attribute = strings.ToLower(string(b[from:to]))
		if at >= from && at <= to {
			t.start0, t.end = from, to
			return t, true
		}
		t.attributes = append(t.attributes, t.attribute)
		space()
		if i >= len(b) || b[i] != '=' {
			continue
		}
		i++
		for i < len(b) && (b[i] == ' ' || b[i] == '\t') {
			i++
		}
		if from, to = valueAt(b, i); at >= from && at <= to {
			t.inValue, t.start0, t.end = true, from, to
			return t, true
		}
		if i = to; i < len(b) && (b[i] == '"' || b[i] == '\'') {
			i++
		}
	}
	// Between attributes, before the tag's end.
	if i >= at && (i >= len(b) || b[i] == '>' || b[i] == '<' || i > at) && at > start+1 && t.element != "" &&
		!bytes.ContainsAny(b[at-1:at], `>"'`) && !bytes.Contains(b[start:at], []byte(">")) {
		t.attribute, t.start0, t.end = "", at, at
		return t, strings.ContainsRune(" \t\r\n\f", rune(b[at-1]))
	}
	return t, false
}

// valueAt is where the value of an attribute is that begins at a place. One without its second quote ends with the
// line, or before the next tag.
func valueAt(b []byte, i int) (from, to int) {
	if i >= len(b) {
		return i, i
	}
	if q := b[i]; q == '"' || q == '\'' {
		from = i + 1
		end := bytes.IndexByte(b[from:], q)
		if to = from + max(0, end); end < 0 || bytes.ContainsAny(b[from:to], "<>") && bytes.Contains(b[from:to],
			[]byte("\n")) {
			to = from
			for to < len(b) && !strings.ContainsRune("\r\n<>", rune(b[to])) {
				to++
			}
		}
		return from, to
	}
	for to = i; to < len(b) && !strings.ContainsRune(" \t\r\n\f>", rune(b[to])); to++ {
	}
	return i, to
}

// wordAt is the word around a place: letters, digits, hyphens and what more are named.
func wordAt(b []byte, at int, more string) (from, to int) {
	is := func(c byte) bool { return texts.NameByte(c) || strings.IndexByte(more, c) >= 0 }
	for from = at; from > 0 && is(b[from-1]); from-- {
	}
	for to = at; to < len(b) && is(b[to]); to++ {
	}
	return from, to
}

// quotedAt is the text between two quotes of one line that a place of a script is in.
func quotedAt(b []byte, at int) (from, to int, ok bool) {
	line := bytes.LastIndexByte(b[:at], '\n') + 1
	quote := byte(0)
	for i := line; i < at; i++ {
		switch c := b[i]; {
		case c == '\\':
			i++
		case quote == 0 && (c == '"' || c == '\'' || c == '`'):
			quote, from = c, i+1
		case c == quote:
			quote = 0
		}
	}
	if quote == 0 {
		return 0, 0, false
	}
	to = at
	for to < len(b) && b[to] != quote && b[to] != '\n' {
		to++
	}
	return from, to, true
}

func sortedKeys[V any](m map[string]V) []string {
	list := make([]string, 0, len(m))
	for k := range m {
		list = append(list, k)
	}
	slices.Sort(list)
	return list
}
