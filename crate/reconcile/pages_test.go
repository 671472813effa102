package reconcile

import (
	"testing"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/successors"
)

func TestSuccessors(t *testing.T) {
	old := &record.Sealed{Files: []record.File{{Path: "dist/oarlock-1.4.2.js", Build: "readable"},
		{Path: "dist/oarlock-1.4.2.min.js", Build: "minified"}, {Path: "css/gone.css"}, {Path: "img/a.svg"}}}
	new := &record.Sealed{Files: []record.File{{Path: "lib/oarlock-2.0.3.js", Build: "readable"},
		{Path: "lib/oarlock-2.0.3.min.js", Build: "minified"}, {Path: "img/a.svg"}}}
	moved := successors.Between(old, new)
	for i, want := range []string{"lib/oarlock-2.0.3.js", "lib/oarlock-2.0.3.min.js", "", "img/a.svg"} {
		got := ""
		if f := moved[&old.Files[i]]; f != nil {
			got = f.Path
		}
		if got != want {
			t.Errorf("%s goes to %q, want %q", old.Files[i].Path, got, want)
		}
	}
}
