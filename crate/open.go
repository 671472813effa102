package crate

import (
	"bytes"
	"compress/gzip"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/source"
)

// opened is a source with what was learned about it.
type opened struct {
	tree *source.Tree
	*delivery.Delivery
	from string // as a packing list says it
}

func (o *opened) close() { o.tree.Close() }

// openSource opens what a person named. Relative paths begin at dir.
func openSource(name, dir string) (*opened, error) {
	full := name
	if !filepath.IsAbs(full) {
		full = filepath.Join(dir, full)
	}
	if _, err := os.Stat(full); errors.Is(err, fs.ErrNotExist) {
		return nil, refused("", "there is no file or folder %s", name)
	}
	tree, err := source.OpenPath(full)
	if err != nil {
		return nil, err
	}
	go tree.Digest() // it is asked for in the end, and takes as long as the rest
	items := make([]delivery.Item, len(tree.Entries))
	for i, e := range tree.Entries {
		items[i] = delivery.Item(e)
	}
	hint := tree.Name
	if n, v := delivery.NameVersion(hint); v == "" && n != "" && tree.Top != "" {
		if _, topVersion := delivery.NameVersion(tree.Top); topVersion != "" {
			hint = tree.Top
		}
	}
	d, err := delivery.Describe(hint, items, tree, workers())
	if err != nil {
		tree.Close()
		return nil, err
	}
	return &opened{tree: tree, Delivery: d, from: full}, nil
}

// originFor writes a source's path for the packing list: from the project's root where it lies
// inside, else its name alone, since a path of one machine means nothing on another.
func originFor(root, full string) string {
	if rel, err := filepath.Rel(root, full); err == nil && filepath.IsLocal(rel) {
		return filepath.ToSlash(rel)
	}
	return filepath.Base(full)
}

// wireSize is a text's size as a server sends it, packed by gzip.
func wireSize(b []byte) int64 {
	var out bytes.Buffer
	w, _ := gzip.NewWriterLevel(&out, 6)
	w.Write(b)
	w.Close()
	return int64(out.Len())
}
