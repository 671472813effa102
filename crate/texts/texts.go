// Package texts makes foreign texts safe for terminals and shells, splits next texts into steps, and finds lines and
// columns of offsets.
package texts

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// maxLength is how long a text may be, in bytes, to be printed whole.
const maxLength = 400

// Text makes a text from outside safe to print: control characters, terminal escapes among them, and marks that reorder
// text or take no width are written as their code. A very long text is cut.
func Text(s string) string {
	if !strings.ContainsFunc(s, IsUnsafe) && len(s) <= maxLength {
		return s
	}
	var out strings.Builder
	for i, r := range s {
		if i > maxLength {
			out.WriteString("…")
			break
		}
		if IsUnsafe(r) {
			fmt.Fprintf(&out, `\u%04x`, r)
		} else {
			out.WriteRune(r)
		}
	}
	return out.String()
}

// IsUnsafe reports whether a character must not reach a terminal or a name: control characters, characters of width
// zero, marks that reorder text, and the replacement for invalid bytes.
func IsUnsafe(r rune) bool {
	switch {
	case r < 0x20, r >= 0x7f && r < 0xa0:
		return true
	case r >= 0x200b && r <= 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x2060 && r <= 0x2069, r == 0xfeff, r == 0x061c,
		r == utf8.RuneError,
		r == 0xad, r == 0x180e, r == 0x2028, r == 0x2029, r >= 0xfff9 && r <= 0xfffb, r >= 0xe0000 && r <= 0xe007f:
		return true
	}
	return false
}
