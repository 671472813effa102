package delivery

import (
	"bytes"
	"compress/gzip"
	"sync"
)

// packers are used again: making one costs more than packing a small file.
var packers = sync.Pool{New: func() any { w, _ := gzip.NewWriterLevel(nil, 6); return w }}

// WireSize is a text's size in bytes as a server sends it, packed by gzip.
func WireSize(b []byte) int64 {
	var out bytes.Buffer
	w := packers.Get().(*gzip.Writer)
	defer packers.Put(w)
	w.Reset(&out)
	w.Write(b)
	w.Close()
	return int64(out.Len())
}
