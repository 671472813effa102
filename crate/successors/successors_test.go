package successors

import (
	"strings"
	"testing"

	"merrycrate.example/merry/crate/record"
)

func TestSuccessor(t *testing.T) {
	for _, tt := range []struct{ name, old, list, want, several string }{
		{"js/boat.js", "1.0.0", "js/boat.js lib/boat.js", "js/boat.js", ""},
		{"js/boat-1.0.0.js", "1.0.0", "js/boat-2.0.0.js boat.js", "js/boat-2.0.0.js", ""},
		{"js/boat.js", "1.0.0", "dist/boat.js", "dist/boat.js", ""},
		{"light/theme.css", "1.0.0", "themes/dark/theme.css themes/light/theme.css", "themes/light/theme.css", ""},
		{"dark/theme.css", "1.0.0", "themes/dark/theme.css themes/light/theme.css", "themes/dark/theme.css", ""},
		{"theme.css", "1.0.0", "themes/dark/theme.css themes/light/theme.css", "", "themes/dark/theme.css " +
			"themes/light/theme.css"},
		{"grey/theme.css", "1.0.0", "themes/dark/theme.css themes/light/theme.css", "", "themes/dark/theme.css " +
			"themes/light/theme.css"},
		{"js/boat.js", "1.0.0", "js/oar.js", "", ""},
	} {
		var list []Candidate
		for _, name := range strings.Fields(tt.list) {
			list = append(list, Candidate{Path: name})
		}
		i, several := Of(list, "2.0.0").Successor(tt.name, record.NoBuild, tt.old)
		got := ""
		if i >= 0 {
			got = list[i].Path
		}
		if got != tt.want || strings.Join(several, " ") != tt.several {
			t.Errorf("%s among %s: %q, %q", tt.name, tt.list, got, several)
		}
	}
}

// TestSuccessorsAreNotShared: where one new file could stand for two old ones, it stands for neither; one that has it
// by its path keeps it.
func TestSuccessorsAreNotShared(t *testing.T) {
	old := &record.Sealed{Version: "1.0.0", Files: []record.File{{Path: "light/theme.css"}, {Path: "dark/theme.css"},
		{Path: "a/boat.js"}, {Path: "b/boat.js"}}}
	new := &record.Sealed{Version: "2.0.0", Files: []record.File{{Path: "themes/theme.css"}, {Path: "a/boat.js"}}}
	got := Between(old, new)
	if got[&old.Files[0]] != nil || got[&old.Files[1]] != nil || got[&old.Files[3]] != nil ||
		got[&old.Files[2]] != &new.Files[1] {
		t.Errorf("%+v", got)
	}
}

// TestCoreStandsIn: for the core that has no successor by name the new core stands in, whatever its build; a part that
// is gone gets none, a name in other capitals is another name, and a module is no plain script.
func TestCoreStandsIn(t *testing.T) {
	file := func(path string, size int64, module bool) record.File {
		return record.File{Path: path, Size: size, Role: record.Tagged, Module: module}
	}
	for _, tt := range []struct {
		what     string
		old, new []record.File
		want     []string // of each old file
	}{
		{"a core of another name", []record.File{file("Sail.js", 90, false), file("sail-rig.js", 10, false)},
			[]record.File{file("sail.global.js", 80, false)}, []string{"sail.global.js", ""}},
		{"a part that is gone", []record.File{file("sail.js", 90, false), file("sail-rig.js", 10, false)},
			[]record.File{file("sail.js", 80, false), file("extra.js", 20, false)}, []string{"sail.js", ""}},
		{"a name in other capitals", []record.File{file("Sail.js", 90, false)},
			[]record.File{file("sail.js", 80, true)}, []string{""}},
		{"each kind by itself", []record.File{file("a.js", 1, false), file("a.css", 2, false)},
			[]record.File{file("b.css", 3, false), file("c.js", 4, false)}, []string{"c.js", "b.css"}},
	} {
		old, new := &record.Sealed{Version: "1.0.0", Files: tt.old}, &record.Sealed{Version: "2.0.0", Files: tt.new}
		got := Between(old, new)
		for i, want := range tt.want {
			is := ""
			if n := got[&old.Files[i]]; n != nil {
				is = n.Path
			}
			if is != want {
				t.Errorf("%s: %s became %q, not %q", tt.what, old.Files[i].Path, is, want)
			}
		}
	}
}
