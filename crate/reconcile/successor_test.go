package reconcile

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
		i, several := NewCandidates(list, "2.0.0").Successor(tt.name, record.NoBuild, tt.old)
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
	got := Successors(old, new)
	if got[&old.Files[0]] != nil || got[&old.Files[1]] != nil || got[&old.Files[3]] != nil ||
		got[&old.Files[2]] != &new.Files[1] {
		t.Errorf("%+v", got)
	}
}
