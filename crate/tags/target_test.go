package tags

import (
	"testing"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
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
		{page: "index.html", ref: "data:text/javascript,1", odd: "the reference contains its content"},
		{page: "index.html", ref: "file:///home/me/a.js", odd: "the reference leads to a file on one machine"},
		{page: "index.html", ref: "http://[::1", odd: "the reference is not an address"},
	}
	for _, tt := range tests {
		got := Resolve(paths.Found(tt.page), tt.base, tt.ref)
		if got != (Target{Path: paths.Found(tt.path), URL: tt.url, Odd: tt.odd}) {
			t.Errorf("%s on %s (base %q): %+v", tt.ref, tt.page, tt.base, got)
		}
	}
}

// TestReferencesLeadBack: what Reference writes, Resolve resolves to the same file, from every page.
func TestReferencesLeadBack(t *testing.T) {
	heads := []string{"", "<base href='/'>", "<base href='/club/'>", "<base href='..'>",
		"<script src='/js/x.js'></script>"}
	for _, head := range heads {
		pg, err := page.Read([]byte("<!doctype html>" + head))
		if err != nil {
			t.Fatal(err)
		}
		for _, from := range []string{"index.html", "crews/index.html", "a/b/c/d.html", "js/page.html"} {
			for _, file := range []string{"js/a.js", "a.js", "a/b/x.js", "lib/a b/ü&'\".js", "css/50%.css", "x:y.js",
				"a#b?c.js"} {
				ref, ok := Reference(pg, paths.Found(from), paths.Found(file))
				if got := Resolve(paths.Found(from), pg.Base, ref); !ok || got.Path.String() != file {
					t.Errorf("%q from %s to %s: %q leads to %+v", head, from, file, ref, got)
				}
			}
		}
	}
	pg, _ := page.Read([]byte("<base href='https://else.example/'>"))
	if _, ok := Reference(pg, paths.Found("index.html"), paths.Found("js/a.js")); ok {
		t.Error("a local file is reached from another site")
	}
}

func TestReferenceKeepsThePagesHabit(t *testing.T) {
	for text, want := range map[string]string{
		"<p>": "../js/a.js", "<script src='../js/x.js'></script>": "../js/a.js",
		"<script src='/js/x.js'></script>":                                           "/js/a.js",
		"<script src='/js/x.js'></script><link rel=stylesheet href='x.css'>":         "../js/a.js",
		"<script src='/js/x.js'></script><script src='https://a.example/'></script>": "/js/a.js",
	} {
		pg, _ := page.Read([]byte(text))
		if got, _ := Reference(pg, paths.Found("crews/index.html"), paths.Found("js/a.js")); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
}
