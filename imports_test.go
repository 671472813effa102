package merry_test

import (
	"go/build"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const module = "merrycrate.example/merry"

// allowed says what each package, and what lies below it, may import of the project's own. It is the
// direction of docs/ARCHITECTURE.md: cmd, cli, crate, its parts.
var allowed = map[string][]string{
	"cmd/merry":                 {"cli"},
	"cli":                       {"crate", "demo", "standin"},
	"crate":                     {"crate"},
	"crate/page":                {},
	"crate/style":               {},
	"crate/script":              {},
	"crate/integrity":           {},
	"crate/order":               {},
	"crate/rehearse":            {},
	"crate/draw":                {},
	"crate/record":              {},
	"crate/change":              {},
	"crate/delivery":            {"crate/script", "crate/style"},
	"crate/source":              {"crate/integrity"},
	"crate/check":               {"crate/page", "crate/order", "crate/script", "crate/integrity"},
	"standin":                   {"demo", "standin"},
	"demo":                      {},
	"docs/screenshots/standins": {"demo", "standin"},
	"bench":                     {"crate/integrity", "demo", "standin"},
	"internal/merrytest":        {"demo", "standin"},
}

// pure are the packages that compute: bytes and values in, values out.
var pure = []string{"crate/rehearse", "crate/draw", "crate/delivery", "crate/script", "crate/style", "crate/page", "crate/order", "crate/integrity", "crate/check"}

var impure = []string{"os", "net", "net/http", "time", "os/exec", "syscall", "math/rand", "math/rand/v2"}

func TestImportsPointOneWay(t *testing.T) {
	seen := 0
	err := filepath.WalkDir(".", func(dir string, e fs.DirEntry, err error) error {
		if err != nil || !e.IsDir() {
			return err
		}
		if strings.HasPrefix(e.Name(), ".") && dir != "." || e.Name() == "testdata" {
			return fs.SkipDir
		}
		p, err := build.ImportDir(dir, 0)
		if err != nil {
			return nil // no Go files
		}
		seen++
		name := filepath.ToSlash(dir)
		rules, ok := allowed[name]
		for at := name; !ok && at != "."; at = path.Dir(at) {
			rules, ok = allowed[at]
		}
		for _, imp := range p.Imports {
			if own, isOwn := strings.CutPrefix(imp, module+"/"); isOwn {
				if !slices.ContainsFunc(rules, func(r string) bool { return own == r || strings.HasPrefix(own, r+"/") }) {
					t.Errorf("%s imports %s", name, own)
				}
				if own == "standin" && name != "cli" && name != "demo" && name != "bench" && !strings.HasPrefix(name, "docs/") && !strings.HasPrefix(name, "internal/") {
					t.Errorf("%s imports standin", name)
				}
			}
			if slices.Contains(pure, name) && slices.Contains(impure, imp) {
				t.Errorf("%s is to be pure, and imports %s", name, imp)
			}
			if strings.HasPrefix(name, "crate") && (strings.HasPrefix(imp, "github.com/spf13/") || strings.HasPrefix(imp, "github.com/charmbracelet/")) {
				t.Errorf("%s is of the core, and imports %s", name, imp)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if seen < 12 {
		t.Errorf("only %d packages were looked at", seen)
	}
}
