package page

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

var corpus = sync.OnceValues(func() ([]string, error) {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "golang.org/x/net").Output()
	if err != nil {
		return nil, err
	}
	names, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(out)),
		"html/testdata/html5lib-tests/tree-construction/*.dat"))
	if err != nil {
		return nil, err
	}
	var docs []string
	for _, name := range names {
		b, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		for _, c := range strings.Split("\n"+string(b), "\n#data\n")[1:] {
			doc, rest, ok := strings.Cut(c, "\n#errors")
			if !ok || strings.Contains(rest, "#document-fragment") {
				continue // a fragment needs a context element that no page gives
			}
			docs = append(docs, doc)
		}
	}
	return docs, nil
})

// treeDocuments returns the documents of html5lib's tree-construction tests.
func treeDocuments(t testing.TB) []string {
	t.Helper()
	docs, err := corpus()
	if err != nil || len(docs) < 1000 {
		t.Fatalf("html5lib's documents: found %d, %v", len(docs), err)
	}
	return docs
}
