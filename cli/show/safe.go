package show

import (
	"bytes"
	"fmt"
	"io"
	"unicode/utf16"
	"unicode/utf8"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/texts"
)

// A SafeWriter is the one way out to a terminal, a pipe or a file: whatever a name, a page or a server had in it, no
// control character but the end of a line and the tab, no mark that reorders or hides text, leaves as itself. Each is
// written as \uXXXX, which is what JSON has for it, too. Where colours are on, their own sequences pass, and no others.
type SafeWriter struct {
	To      io.Writer
	Colours bool
	kept    []byte // the beginning of what can't be judged yet
}

var colour = memo.Regexp(`^\x1b\[[0-9;]*m`)

// Write writes b, made harmless.
func (w *SafeWriter) Write(b []byte) (int, error) {
	if len(w.kept) == 0 && plainASCII(b) {
		return w.To.Write(b)
	}
	text := append(w.kept, b...)
	w.kept = nil
	var out bytes.Buffer
	for i := 0; i < len(text); {
		rest := text[i:]
		if !utf8.FullRune(rest) {
			w.kept = bytes.Clone(rest)
			break
		}
		r, size := utf8.DecodeRune(rest)
		switch {
		case r == '\n' || r == '\t':
			out.WriteByte(byte(r))
		case r == '\r' && len(rest) == 1:
			w.kept = bytes.Clone(rest)
			i += size
			continue
		case r == '\r' && rest[1] == '\n': // a line of somebody's page, as it is there
			out.WriteByte('\r')
		case r == 0x1b && w.Colours && colour().Match(rest):
			size = len(colour().Find(rest))
			out.Write(rest[:size])
		case !texts.IsUnsafe(r):
			out.Write(rest[:size])
		case r > 0xffff:
			high, low := utf16.EncodeRune(r)
			fmt.Fprintf(&out, `\u%04x\u%04x`, high, low)
		default:
			fmt.Fprintf(&out, `\u%04x`, r)
		}
		i += size
	}
	if _, err := w.To.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(b), nil
}

// End writes what was kept to the End.
func (w *SafeWriter) End() {
	if len(w.kept) > 0 {
		fmt.Fprintf(w.To, `\u%04x`, []rune(string(w.kept))[0])
		w.kept = nil
	}
}

func plainASCII(b []byte) bool {
	for _, c := range b {
		if c != '\n' && (c < 0x20 || c >= 0x7f) {
			return false
		}
	}
	return true
}
