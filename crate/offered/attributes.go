package offered

import (
	"bytes"
	"iter"
)

// Attributes goes through the names of data attributes in a script.
func Attributes(b []byte) iter.Seq[string] {
	const prefix = "data-"
	isName := func(c byte) bool { return c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' }
	return func(yield func(string) bool) {
		for at := 0; ; {
			i := bytes.Index(b[at:], []byte(prefix))
			if i < 0 {
				return
			}
			from := at + i
			at = from + len(prefix)
			for at < len(b) && isName(b[at]) {
				at++
			}
			within := from > 0 && (isName(b[from-1]) && b[from-1] != '-' || b[from-1] == '_' || b[from-1] >= 'A' &&
				b[from-1] <= 'Z')
			if first := from + len(prefix); !within && first < at && b[first] >= 'a' && b[first] <= 'z' &&
				!yield(string(b[from:at])) {
				return
			}
		}
	}
}
