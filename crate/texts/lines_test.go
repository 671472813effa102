package texts

import (
	"bytes"
	"testing"
)

// FuzzAt: every place has the line and the column that counting gives.
func FuzzAt(f *testing.F) {
	for _, s := range []string{"", "a", "\n", "a\nb\r\n\nc", "\n\n\n"} {
		f.Add([]byte(s), 1)
	}
	f.Fuzz(func(t *testing.T, text []byte, offset int) {
		if offset < 0 {
			return
		}
		x := NewIndex(text)
		line, column := x.At(offset)
		before := text[:min(offset, len(text))]
		if line != 1+bytes.Count(before, []byte("\n")) || column != len(before)-bytes.LastIndexByte(before, '\n') {
			t.Fatalf("%q at %d: %d:%d", text, offset, line, column)
		}
	})
}
