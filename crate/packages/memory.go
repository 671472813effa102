package packages

import (
	"context"
	"io/fs"
	"slices"
	"strings"
)

// InMemory is a tree of files that were gathered from several places: their contents by path.
type InMemory map[string][]byte

// ReadFile returns a file's content. The error of one that is not there is fs.ErrNotExist.
func (m InMemory) ReadFile(name string) ([]byte, error) {
	if b, ok := m[name]; ok {
		return b, nil
	}
	return nil, fs.ErrNotExist
}

// ReadInto returns a copy of a file's content, in buf where that is large enough.
func (m InMemory) ReadInto(name string, buf []byte) ([]byte, error) {
	b, err := m.ReadFile(name)
	return append(buf[:0], b...), err
}

// Describe learns what the files are, as the function Describe does. The source is what messages call them.
func (m InMemory) Describe(ctx context.Context, source string, scripts ScriptReader) (*Package, error) {
	return m.describe(ctx, source, scripts, usual)
}

func (m InMemory) describe(ctx context.Context, source string, scripts ScriptReader, much reading) (*Package, error) {
	items := make([]Listed, 0, len(m))
	for path, b := range m {
		items = append(items, Listed{Path: path, Size: int64(len(b))})
	}
	slices.SortFunc(items, func(a, b Listed) int { return strings.Compare(a.Path, b.Path) })
	return much.describe(ctx, source, items, m, scripts)
}
