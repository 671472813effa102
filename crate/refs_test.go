package crate

import (
	"testing"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
)

func TestTargets(t *testing.T) {
	tests := []struct{ page, base, ref, path, url, odd string }{
		{page: "index.html", ref: "js/a.js", path: "js/a.js"},
		{page: "crews/index.html", ref: "../js/a.js", path: "js/a.js"},
		{page: "crews/index.html", ref: "a.js", path: "crews/a.js"},
		{page: "crews/index.html", ref: "/js/a.js", path: "js/a.js"},
		{page: "crews/index.html", ref: "../../../js/a.js", path: "js/a.js"},
		{page: "index.html", ref: "./js/../js/a.js", path: "js/a.js"},
		{page: "index.html", ref: "js/a.js?v=2#x", path: "js/a.js"},
		{page: "index.html", ref: "js/a%20b.js", path: "js/a b.js"},
		{page: "index.html", ref: `js\a.js`, path: "js/a.js"},
		{page: "index.html", ref: "js/\na.js", path: "js/a.js"},
		{page: "index.html", base: "/club/", ref: "js/a.js", path: "club/js/a.js"},
		{page: "crews/index.html", base: "../", ref: "js/a.js", path: "js/a.js"},
		{page: "index.html", base: "https://else.example/x/", ref: "a.js", url: "https://else.example/x/a.js"},
		{page: "index.html", ref: "https://cdn.example/a.js", url: "https://cdn.example/a.js"},
		{page: "index.html", ref: "//cdn.example/a.js", url: "https://cdn.example/a.js"},
		{page: "index.html", ref: "HTTP://cdn.example/a.js", url: "http://cdn.example/a.js"},
		{page: "index.html", ref: "", odd: "the reference is empty"},
		{page: "index.html", ref: "data:text/javascript,1", odd: "the reference carries its content in itself"},
		{page: "index.html", ref: "file:///home/me/a.js", odd: "the reference leads to a file of one machine"},
		{page: "index.html", ref: "http://[::1", odd: "the reference is no address"},
	}
	for _, tt := range tests {
		got := targetOf(tt.page, tt.base, tt.ref)
		if got != (Target{Path: tt.path, URL: tt.url, Odd: tt.odd}) {
			t.Errorf("%s on %s (base %q): %+v", tt.ref, tt.page, tt.base, got)
		}
	}
}

// TestReferencesLeadBack: what refTo writes, targetOf resolves to the same file, from every page.
func TestReferencesLeadBack(t *testing.T) {
	heads := []string{"", "<base href='/'>", "<base href='/club/'>", "<base href='..'>", "<script src='/js/x.js'></script>"}
	for _, head := range heads {
		pg, err := page.Read([]byte("<!doctype html>" + head))
		if err != nil {
			t.Fatal(err)
		}
		for _, from := range []string{"index.html", "crews/index.html", "a/b/c/d.html", "js/page.html"} {
			for _, file := range []string{"js/a.js", "a.js", "a/b/x.js", "lib/a b/ü&'\".js", "css/50%.css", "x:y.js", "a#b?c.js"} {
				ref, ok := refTo(pg, from, file)
				if got := targetOf(from, pg.Base, ref); !ok || got.Path != file {
					t.Errorf("%q from %s to %s: %q leads to %+v", head, from, file, ref, got)
				}
			}
		}
	}
	pg, _ := page.Read([]byte("<base href='https://else.example/'>"))
	if _, ok := refTo(pg, "index.html", "js/a.js"); ok {
		t.Error("a local file is reached from another site")
	}
}

func TestRefToKeepsThePagesHabit(t *testing.T) {
	for text, want := range map[string]string{
		"<p>": "../js/a.js", "<script src='../js/x.js'></script>": "../js/a.js", "<script src='/js/x.js'></script>": "/js/a.js",
		"<script src='/js/x.js'></script><link rel=stylesheet href='x.css'>":         "../js/a.js",
		"<script src='/js/x.js'></script><script src='https://a.example/'></script>": "/js/a.js",
	} {
		pg, _ := page.Read([]byte(text))
		if got, _ := refTo(pg, "crews/index.html", "js/a.js"); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
}

func TestSplitPackage(t *testing.T) {
	for in, want := range map[string][2]string{"oarlock": {"oarlock", ""}, "oarlock@2": {"oarlock", "2"}, "@gull/pennants": {"@gull/pennants", ""}, "@gull/pennants@^1": {"@gull/pennants", "^1"}, "a@>=1 <2": {"a", ">=1 <2"}} {
		if name, wish := splitPackage(in); name != want[0] || wish != want[1] {
			t.Errorf("%s: %q %q", in, name, wish)
		}
	}
	for in, want := range map[string]bool{"oarlock": true, "oarlock@2": true, "@gull/pennants": true, "chart.js": true, "./oarlock": false, "a/b": false, "a.zip": false, "style.css": false, "../x": false, "": false} {
		if looksLikePackage(in) != want {
			t.Errorf("%q: %v", in, !want)
		}
	}
}

func TestCDNPatterns(t *testing.T) {
	lib := &record.Library{Name: "pennants", From: "registry:@gull/pennants"}
	f := &record.File{Path: "dist/css/pennants.min.css"}
	for pattern, want := range map[string]string{
		"https://a.example/{name}@{version}/{path}": "https://a.example/@gull/pennants@1.1.0/dist/css/pennants.min.css",
		"https://a.example/{version}/{short}":       "https://a.example/1.1.0/css/pennants.min.css",
		"https://a.example/{version}/{file}":        "https://a.example/1.1.0/pennants.min.css",
	} {
		if why := validPattern(pattern); why != "" {
			t.Errorf("%s: %s", pattern, why)
		}
		if got := cdnAddress(pattern, lib, "1.1.0", f); got != want {
			t.Errorf("%s: %s", pattern, got)
		}
	}
	for _, bad := range []string{"a.example/{version}/{path}", "https://a.example/{path}", "https://a.example/{version}", "https://a.example/{version}/{path}/{what}", "https://a.example/{version}/{path"} {
		if validPattern(bad) == "" {
			t.Errorf("%s is called a pattern", bad)
		}
	}
	for _, address := range []string{"https://a.example/x/@gull/pennants/1.1.0/dist/css/pennants.min.css", "https://a.example/1.1.0/css/pennants.min.css", "https://a.example/v1.1.0/pennants.min.css"} {
		found := false
		for _, pattern := range patternsOf(address, lib, "1.1.0", f) {
			found = found || cdnAddress(pattern, lib, "1.1.0", f) == address
		}
		if !found {
			t.Errorf("no pattern explains %s", address)
		}
	}
}

func TestStartExamples(t *testing.T) {
	for text, want := range map[string]string{
		"# x\n```html\n<script src=a.js></script>\n```\n":     "<script src=a.js></script>",
		"```js\nimport x\n```\n```\n<link href=a.css>\n```\n": "<link href=a.css>",
		"Put\n<script src=a.js></script>\nat the end.":        "<script src=a.js></script>",
		"Nothing here.": "",
	} {
		if got := startExamples(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
