package look

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/browser"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/internal/cratetest"
)

// TestDiffering: where check and the browser say different things is reported, and not where one error keeps others
// from happening.
func TestDiffering(t *testing.T) {
	known := &console.Message{Kind: console.Error, Text: "a", Known: true, Cause: "c"}
	unknown := &console.Message{Kind: console.Error, Text: "b"}
	broken := &console.Message{Kind: console.Error, Text: "d", Looking: true}
	warning := &console.Message{Kind: console.Warning, Text: "w"}
	site := &console.Site{Sites: ".", Findings: []check.Finding{
		{Name: check.NeedMissing, Severity: check.Error, File: "index.html", Message: "needs oarlock"},
		{Name: check.NeedMissing, Severity: check.Warning, File: "index.html", Message: "a warning"},
		{Name: check.NoDoctype, Severity: check.Error, File: "index.html", Message: "not for the console"},
		{Name: check.NeedMissing, Severity: check.Error, File: "other.html", Message: "of another page"},
	}}
	for i, tt := range []struct {
		messages  []*console.Message
		noScripts bool
		want      string
	}{
		{nil, false, "check reports, but the browser does not: needs oarlock"},
		{[]*console.Message{known}, false, ""},
		{[]*console.Message{unknown, known}, false, "the browser reports, but check does not: b"},
		{[]*console.Message{broken, unknown}, false, ""},
		{[]*console.Message{warning}, false, "check reports, but the browser does not: needs oarlock"},
		{nil, true, ""},
	} {
		var got []string
		for _, d := range differing(&Page{Page: "index.html", Messages: tt.messages,
			View: browser.View{NoScripts: tt.noScripts}}, site) {
			got = append(got, d.What)
		}
		if strings.Join(got, "; ") != tt.want {
			t.Errorf("%d: %q, want %q", i, got, tt.want)
		}
	}
}

// TestChosen: pages that are named, or all where they are few; reports of this program are left out.
func TestChosen(t *testing.T) {
	report := `<!doctype html><meta charset="utf-8"><meta name="generator" content="merry: a report">`
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"a.html": "<!doctype html>",
		"b.html": "<!doctype html>", "report.html": report})
	names := func(patterns ...string) string {
		list, err := chosen(context.Background(), p, Request{Pages: patterns, Dir: string(p.Root)})
		if err != nil {
			return "error: " + err.Error()
		}
		var words []string
		for _, n := range list {
			words = append(words, n.String())
		}
		return strings.Join(words, " ")
	}
	if got := names(); got != "a.html b.html" {
		t.Errorf("all are %s", got)
	}
	if got := names("b.html"); got != "b.html" {
		t.Errorf("b.html is %s", got)
	}
	if got := names("report.html"); !strings.Contains(got, "a report that merry wrote") {
		t.Errorf("a report is %s", got)
	}
	many := map[string]string{}
	for i := range maxPages + 1 {
		many[fmt.Sprint("p", i, ".html")] = "<!doctype html>"
	}
	p = cratetest.WithPages(t, cratetest.Harbour, many)
	if got := names(); !strings.Contains(got, "name those to open") {
		t.Errorf("of many, %d are opened", len(strings.Fields(got)))
	}
}

func TestNamed(t *testing.T) {
	for _, name := range []string{"", "before", "v1.2-rc"} {
		if err := named(name); err != nil {
			t.Errorf("%q: %v", name, err)
		}
	}
	for _, name := range []string{"..", "a/b", "-x", "a b", strings.Repeat("a", 80)} {
		if named(name) == nil {
			t.Errorf("%q is a name", name)
		}
	}
}

// TestWords: what was seen is clean only without errors, and becomes findings.
func TestWords(t *testing.T) {
	seen := &Report{site: ".",
		Pages: []*Page{{Page: "index.html", Messages: []*console.Message{{Kind: console.Warning, Text: "w"}},
			Bytes: map[string]int64{"": 1, "b.example": 2, "a.example": 3}}}}
	if !seen.Clean() || !seen.Same() || !slices.Equal(seen.Pages[0].Hosts(), []string{"", "a.example", "b.example"}) {
		t.Errorf("clean %v, same %v, hosts %v", seen.Clean(), seen.Same(), seen.Pages[0].Hosts())
	}
	seen.Pages[0].Messages = append(seen.Pages[0].Messages, &console.Message{Kind: console.Error, Text: "e",
		File: "js/a.js", Line: 3, Column: 4})
	seen.Pages[0].Different = &Difference{}
	found := seen.findings()
	if seen.Clean() || seen.Same() || len(found) != 2 || found[1].File != "js/a.js" || found[1].Line != 3 ||
		found[1].Severity != check.Error {
		t.Errorf("%+v", found)
	}
}
