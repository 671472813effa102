package merry_test

import (
	"go/build"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const module = "merrycrate.example/merry"

// house lists the packages from the top to the bottom of docs/ARCHITECTURE.md. Each may import those below it and none
// above.
var house = []string{
	"cmd/merry", "cli", "cli/editor", "cli/picker", "cli/htmlpage", "cli/show", "cli/sandbox", "crate",
	"crate/editing", "crate/adopt", "crate/proved",
	"crate/sources", "crate/start", "crate/sealing", "crate/inspect", "crate/rehearsals", "crate/since",
	"crate/inventory", "crate/repin", "crate/upgrade",
	"crate/relocate", "crate/switching", "crate/libraries", "crate/entries", "crate/offered", "crate/standing",
	"crate/reconcile", "crate/successors", "crate/hashes", "crate/look", "crate/serve", "crate/csp",
	"crate/pageload", "crate/references", "crate/mentions", "crate/graph",
	"crate/tags", "crate/obtain", "crate/project",
	"crate/requirements",
	"crate/origin", "crate/facts", "crate/walk", "crate/placement", "crate/renames", "crate/packages", "crate/manifest",
	"crate/source", "crate/archive", "crate/change", "crate/browser", "crate/console", "crate/check", "crate/demands",
	"crate/rehearse",
	"crate/policy",
	"crate/script", "crate/page", "crate/compose",
	"crate/template", "crate/style", "crate/module", "crate/order", "crate/glyphs",
	"crate/ecma", "crate/watch", "crate/disk", "crate/record", "crate/support", "crate/cdn", "crate/integrity",
	"crate/licence", "crate/paths", "crate/problem", "crate/texts", "crate/memo", "crate/parallel",
}

// values are the packages whose types the command line sees: what requests and results are made of.
var values = []string{
	"cli/editor", "cli/picker", "cli/htmlpage", "cli/show", "cli/sandbox", "crate", "crate/cdn", "crate/change",
	"crate/check",
	"crate/disk",
	"crate/integrity", "crate/memo", "crate/order", "crate/packages", "crate/parallel", "crate/problem",
	"crate/record", "crate/renames", "crate/script", "crate/style", "crate/texts", "demo", "standin",
}

// pure are the packages that compute: bytes and values in, values out.
var pure = []string{
	"crate/cdn", "crate/check", "crate/console", "crate/demands", "crate/ecma", "crate/glyphs", "crate/integrity",
	"crate/licence", "crate/manifest", "crate/module", "crate/order", "crate/packages", "crate/page", "crate/placement",
	"crate/policy", "crate/rehearse", "crate/renames",
	"crate/script", "crate/style", "crate/successors", "crate/support", "crate/template", "crate/texts",
}

// impure are the standard packages that no pure package may import.
var impure = []string{"os", "net", "net/http", "time", "os/exec", "syscall", "math/rand", "math/rand/v2"}

// network are the only packages that may open a connection: the core's one, the one that answers on this machine, and
// those that stand in for servers.
var network = []string{"crate/source", "crate/serve", "standin", "cli", "bench"}

// outsiders are beside the house: stand-ins, demo data, measurements, tests' own help. They may see what they like of
// each other, and values of the core.
var outsiders = []string{"standin", "demo", "bench", "release", "internal/cases", "internal/compatibility",
	"internal/cratetest",
	"internal/merrytest", "internal/mutants", "internal/pasted",
	"internal/platform", "internal/tagstest", "internal/trials"}

func TestImportsPointOneWay(t *testing.T) {
	seen := map[string]bool{}
	err := filepath.WalkDir(".", func(dir string, e fs.DirEntry, err error) error {
		if err != nil || !e.IsDir() {
			return err
		}
		if strings.HasPrefix(e.Name(), ".") && dir != "." || e.Name() == "testdata" {
			return fs.SkipDir
		}
		p, err := build.ImportDir(dir, 0)
		if err != nil || len(p.GoFiles) == 0 {
			return nil // no Go files, or tests alone
		}
		name := filepath.ToSlash(dir)
		seen[name] = true
		at := slices.Index(house, name)
		if at < 0 && !slices.Contains(outsiders, name) {
			t.Errorf("%s has no place in the house", name)
		}
		for _, imp := range p.Imports {
			if own, isOwn := strings.CutPrefix(imp, module+"/"); isOwn {
				switch below := slices.Index(house, own); {
				case name == "cli" && !slices.Contains(values, own):
					t.Errorf("cli imports %s, which is neither the front door nor a type of values", own)
				case name == "cli", slices.Contains(outsiders, name):
				case below < 0:
					t.Errorf("%s imports %s, which is beside the house", name, own)
				case below <= at:
					t.Errorf("%s imports %s, which is above it", name, own)
				}
			}
			if slices.Contains(pure, name) && slices.Contains(impure, imp) {
				t.Errorf("%s is to be pure, and imports %s", name, imp)
			}
			if (imp == "net" || imp == "net/http") && !slices.Contains(network, name) &&
				!slices.Contains(outsiders, name) {
				t.Errorf("%s imports %s: the network is the source package's alone", name, imp)
			}
			if strings.HasPrefix(name, "crate") && (strings.HasPrefix(imp, "github.com/spf13/") ||
				strings.HasPrefix(imp, "charm.land/")) {
				t.Errorf("%s is of the core, and imports %s", name, imp)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range house {
		if !seen[name] {
			t.Errorf("there is no package %s", name)
		}
	}
}
