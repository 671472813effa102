package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/internal/cratetest"
)

// TestWriteCases: a case has the page's tags and what its scripts use and define, nothing of its content, and
// overwrites nothing.
func TestWriteCases(t *testing.T) {
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{
		"index.html": `<!doctype html><title>Slipway</title><script src="js/club.js"></script><p>secret words</p>`,
		"js/club.js": "oarlock.row('secret words'); window.club = 1;\n",
	})
	dir := t.TempDir()
	differ := []look.Disagreement{{Page: "index.html", What: "the browser reports"},
		{Page: "index.html", What: "check reports"}}
	folders, err := writeCases(p, dir, differ)
	if err != nil || len(folders) != 1 {
		t.Fatalf("%v, %v", folders, err)
	}
	all := ""
	names, _ := filepath.Glob(filepath.Join(folders[0], "*"))
	for _, name := range names {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		all += string(b)
	}
	for _, want := range []string{"<!doctype html>", "<script src=", "oarlock; // used while loading",
		`window["club"] = {};`, "the browser reports\ncheck reports\n"} {
		if !strings.Contains(all, want) {
			t.Errorf("the case lacks %q:\n%s", want, all)
		}
	}
	if strings.Contains(all, "secret") || strings.Contains(all, "Slipway") {
		t.Errorf("the case has content of the site:\n%s", all)
	}
	if _, err := writeCases(p, dir, differ); err == nil {
		t.Error("a case was overwritten")
	}
}
