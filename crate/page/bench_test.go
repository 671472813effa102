package page

import (
	"os"
	"path/filepath"
	"testing"
)

// BenchmarkRead reads pages from the folder that MERRY_BENCH_PAGES names, else the html5lib documents.
func BenchmarkRead(b *testing.B) {
	var docs [][]byte
	names, _ := filepath.Glob(filepath.Join(os.Getenv("MERRY_BENCH_PAGES"), "*.html"))
	for _, n := range names {
		doc, err := os.ReadFile(n)
		if err != nil {
			b.Fatal(err)
		}
		docs = append(docs, doc)
	}
	if len(docs) == 0 {
		for _, d := range treeDocuments(b) {
			docs = append(docs, []byte(d))
		}
	}
	size := 0
	for _, d := range docs {
		size += len(d)
	}
	b.SetBytes(int64(size))
	b.ReportAllocs()
	var r Reader
	for b.Loop() {
		for _, d := range docs {
			if _, err := r.Read(d); err != nil {
				b.Fatal(err)
			}
		}
	}
}
