package csp

import (
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/cratetest"
	"merrycrate.example/merry/internal/tagstest"
)

// TestFindings: what a policy in the head, or in a file of headers, forbids of a page is found, and nothing else.
func TestFindings(t *testing.T) {
	meta := func(policy string) string {
		return `<!doctype html><head><meta http-equiv="Content-Security-Policy" content="` + policy + `"></head>`
	}
	body := `<script src="js/own.js"></script><script>var a</script><script src="https://cdn.example/a.js"></script>`
	for _, tt := range []struct {
		page, headers string
		want          int
		says          string
	}{
		{"<!doctype html>" + body, "", 0, ""},
		{meta("script-src 'self' https://cdn.example 'unsafe-inline'") + body, "", 0, ""},
		{meta("script-src 'self' 'unsafe-inline'") + body, "", 1, "https://cdn.example/a.js"},
		{meta("script-src 'self' https://cdn.example") + body, "", 1, "inline"},
		{meta("script-src https://cdn.example 'unsafe-inline'") + body, "", 1, "js/own.js"},
		{meta("img-src 'none'") + body, "", 0, ""},
		{"<!doctype html>" + body, "/*\n  Content-Security-Policy: script-src 'self' 'unsafe-inline'\n", 1,
			"https://cdn.example/a.js"},
		{"<!doctype html>" + body, "/other/*\n  Content-Security-Policy: script-src 'none'\n", 0, ""},
	} {
		list := cratetest.Harbour
		files := map[string]string{"index.html": tt.page, "js/own.js": "var own"}
		if tt.headers != "" {
			list += "headers: [_headers]\n"
			files["_headers"] = tt.headers
		}
		p := cratetest.WithPages(t, list, files)
		g := New(p)
		v := tagstest.Page(t, p, "index.html")
		found := g.Findings(v, "index.html")
		if len(found) != tt.want || tt.want > 0 && !strings.Contains(found[0].Message, tt.says) {
			t.Errorf("%s %s: %+v", tt.page, tt.headers, found)
		}
		if g.Applies(v) != (strings.Contains(tt.page, "<meta") || tt.headers != "") {
			t.Errorf("%s: a policy has a say: %v", tt.page, g.Applies(v))
		}
	}
	p := cratetest.WithPages(t, cratetest.Harbour+"headers: [_headers]\n",
		map[string]string{"index.html": "<!doctype html>"})
	if g := New(p); len(g.Found) != 1 || !slices.Contains([]string{"crate.yaml"}, g.Found[0].File) {
		t.Errorf("a file of headers that is not there: %+v", g.Found)
	}
}
