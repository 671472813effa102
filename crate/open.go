package crate

import (
	"bytes"
	"compress/gzip"
	"path/filepath"
	"sync"
)

// originFor writes a source's path for the packing list: from the project's root where it lies
// inside, else its name alone, since a path of one machine means nothing on another.
func originFor(root string, o *opened) string {
	full := o.from
	if o.address || o.registry {
		return full
	}
	if rel, err := filepath.Rel(root, full); err == nil && filepath.IsLocal(rel) {
		return filepath.ToSlash(rel)
	}
	return filepath.Base(full)
}

// packers are used again: making one costs more than packing a small file.
var packers = sync.Pool{New: func() any { w, _ := gzip.NewWriterLevel(nil, 6); return w }}

// wireSize is a text's size as a server sends it, packed by gzip.
func wireSize(b []byte) int64 {
	var out bytes.Buffer
	w := packers.Get().(*gzip.Writer)
	defer packers.Put(w)
	w.Reset(&out)
	w.Write(b)
	w.Close()
	return int64(out.Len())
}
