package template

import (
	"bytes"

	"merrycrate.example/merry/crate/memo"
)

// MayBeMarkup reports whether markup may take the place of a hole, such as tags for scripts: it is not escaped, or it
// is called.
func MayBeMarkup(b []byte, h Hole) bool {
	if h.Kind != Value {
		return false
	}
	code := bytes.TrimSpace(b[h.CodeStart:h.CodeEnd])
	mark := b[h.Start:h.CodeStart]
	switch h.Syntax {
	case Bangs, At, Dollar:
		return called().Match(code)
	case Percent:
		return !bytes.HasPrefix(code, []byte("csrf_token"))
	case Braces:
		return bytes.HasPrefix(mark, []byte("{{{")) || called().Match(code) || unescaped().Match(code)
	case Angle:
		return bytes.HasPrefix(b[h.Start:], []byte("<%-")) || called().Match(code)
	case Code:
		return called().Match(code) || bytes.HasPrefix(code, []byte("echo"))
	}
	return false
}

var (
	called    = memo.Regexp(`\(|^\$|^>|^@|^(?:template|partial|include|partialCached|yield|render|block)\b`)
	unescaped = memo.Regexp(`\|\s*(?:safe|raw|safeHTML|html|markdownify|jsonify)\b|` +
		`^(?:content|body|contents|yield|slot)\b|^\.`)
)
