package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestAnswersAreSteady: every reading command gives the same answer each time, with and without what is remembered. The
// download has packages inside of it, of which a few are looked into, and pairs, renames and names of every kind.
func TestAnswersAreSteady(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	files := map[string]string{"package.json": `{"name":"quay","version":"1.0.0","main":"quay.js","dependencies":` +
		`{"oarlock":"^2.0.0","tidechart":"^3.0.0"}}`,
		"quay.js": "window.quay = { moor: oarlock.boat };\n", "quay.min.js": "window.quay={moor:oarlock.boat}\n",
		"quay.css": ".quay-a{top:1px}.quay-b{top:2px}.quay-c{top:3px}\n"}
	for i := range 12 {
		name := fmt.Sprintf("plugin%02d", i)
		inner := name
		if i%3 == 0 {
			inner = "another" + name // not what its folder says, so it matters which are looked into
		}
		files["parts/"+name+"/package.json"] = `{"name":"` + inner + `"}`
		files["parts/"+name+"/index.js"] = "quay." + name + " = 1;\n"
	}
	s.Archive("quay-1.0.0.zip", files)
	files["quay.css"] = ".pier-a{top:1px}.pier-b{top:2px}.pier-d{top:3px}\n"
	files["package.json"] = strings.Replace(files["package.json"], "1.0.0", "2.0.0", 1)
	delete(files, "quay.min.js")
	s.Archive("quay-2.0.0.zip", files)
	s.Run("take", "../downloads/quay-1.0.0.zip", "--page", "index.html")
	s.Replace("index.html", "<body", `<body data-x="1" class="quay-a quay-b quay-c"`)
	s.Write("js/club.js", s.Read("js/club.js")+"\nif (window.never) { quay.moor(); brinework.nothing(); }\n")
	for _, command := range []string{
		"peek ../downloads/quay-1.0.0.zip", "peek ../downloads/quay-1.0.0.zip --all --json", "check",
		"check --json --fresh", "check --pages --rehearse", "order index.html --json", "order index.html --graph dot",
		"contents --json", "bill --json", "compare quay ../downloads/quay-2.0.0.zip",
		"compare ../downloads/quay-1.0.0.zip ../downloads/quay-2.0.0.zip --json", "seal --check index.html --json",
		"take ../downloads/brinework-1.2.0.zip --dry-run", "repin quay@2.0.0 --from ../downloads/quay-2.0.0.zip " +
			"--rename-sure --dry-run", "check --policy",
	} {
		first := ""
		for round := range 4 {
			if round%2 == 0 {
				if err := os.RemoveAll(filepath.Join(s.Home, ".merry", "cache", "findings")); err != nil {
					t.Fatal(err)
				}
			}
			r := s.Try(strings.Fields(command)...)
			answer := fmt.Sprint(r.Status, "\n", r.Out, r.Err)
			if round == 0 {
				first = answer
			} else if answer != first {
				t.Errorf("merry %s answers otherwise in round %d:\n%s\nand at first\n%s", command, round, answer, first)
				break
			}
		}
	}
}
