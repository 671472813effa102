package page

import (
	"html"
	"strings"

	"merrycrate.example/merry/crate/template"
)

// decode resolves the character references in an attribute's value. A named one without its
// semicolon stays text where a letter, a digit or "=" follows, so that "?a=1&copy=2" keeps its
// second parameter (HTML Standard, section 13.2.5.73).
func decode(value string) string {
	i := strings.IndexByte(value, '&')
	if i < 0 {
		return value
	}
	var out strings.Builder
	for i >= 0 {
		out.WriteString(value[:i])
		value = value[i:]
		n := 1
		if n < len(value) && value[n] == '#' {
			n++
		}
		for n < len(value) && isAlnum(value[n]) {
			n++
		}
		ref := value[:n]
		switch {
		case strings.HasPrefix(ref, "&#"):
			if n < len(value) && value[n] == ';' {
				n++
			}
			out.WriteString(html.UnescapeString(value[:n]))
		case n < len(value) && value[n] == ';' && html.UnescapeString(ref+";") != html.UnescapeString(ref)+";":
			n++
			out.WriteString(html.UnescapeString(value[:n]))
		case n < len(value) && value[n] == '=', html.UnescapeString(ref+";") != html.UnescapeString(ref):
			out.WriteString(ref)
		default:
			out.WriteString(html.UnescapeString(ref))
		}
		value = value[n:]
		i = strings.IndexByte(value, '&')
	}
	out.WriteString(value)
	return out.String()
}

func isAlnum(c byte) bool { return isLetter(c) || '0' <= c && c <= '9' }

// encode writes text as an attribute's value within the given quote (0 for none).
// What a server fills in stays as it is written.
func encode(text string, quote byte) string {
	if MayHaveHoles(text) && template.Directed(text) {
		var out strings.Builder
		at := 0
		for _, h := range template.Holes([]byte(text)) {
			out.WriteString(encode(text[at:h.Start], quote))
			out.WriteString(text[h.Start:h.End])
			at = h.End
		}
		out.WriteString(encode(text[at:], quote))
		return out.String()
	}
	text = strings.ReplaceAll(text, "&", "&amp;")
	switch quote {
	case '\'':
		return strings.ReplaceAll(text, "'", "&#39;")
	case '"':
		return strings.ReplaceAll(text, `"`, "&#34;")
	}
	return text
}
