package texts

import (
	"bytes"
	"slices"
	"sort"
	"sync"
)

// An Index knows where the lines of a text begin. It is made when the first place is asked for; it may be asked from
// several goroutines.
type Index struct {
	text   []byte
	once   sync.Once
	starts []int
}

// Reset makes the index one of another text. Nobody may ask it meanwhile.
func (x *Index) Reset(text []byte) {
	x.text, x.once, x.starts = text, sync.Once{}, x.starts[:0]
}

// NewIndex makes the index of a text, which is not changed as long as the index is in use.
func NewIndex(text []byte) *Index { return &Index{text: text} }

// At returns the line and the column, both from 1 and the column in bytes, of an offset in bytes. What is beyond the
// text is at its end.
func (x *Index) At(offset int) (line, column int) {
	x.once.Do(func() {
		x.starts = append(slices.Grow(x.starts, 1+bytes.Count(x.text, []byte("\n"))), 0)
		for at := 0; ; {
			i := bytes.IndexByte(x.text[at:], '\n')
			if i < 0 {
				break
			}
			at += i + 1
			x.starts = append(x.starts, at)
		}
	})
	offset = min(offset, len(x.text))
	line = sort.SearchInts(x.starts, offset+1)
	return line, offset - x.starts[line-1] + 1
}
