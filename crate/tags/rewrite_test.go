package tags

import (
	"testing"

	"merrycrate.example/merry/crate/paths"
)

// TestRewrite: a reference that is written again leads to the file, in the way that it was written.
func TestRewrite(t *testing.T) {
	for _, tt := range []struct{ was, from, base, old, to, want string }{
		{"js/a.js", "index.html", "", "js/a.js", "js/own/a.js", "js/own/a.js"},
		{"./js/a.js?v=1#x", "index.html", "", "js/a.js", "js/own/a.js", "./js/own/a.js?v=1#x"},
		{"../js/a.js", "crews/index.html", "", "js/a.js", "crews/a.js", "a.js"},
		{"/js/a.js", "crews/index.html", "", "js/a.js", "own/a.js", "/own/a.js"},
		{"a.js", "js/b.js", "", "js/a.js", "js/a b.js", "a%20b.js"},
		{"js/a.js", "crews/index.html", "/", "js/a.js", "own/a.js", "own/a.js"},
		{"js/a.js", "index.html", "", "js/a.js", "js:x/a.js", "./js:x/a.js"},
		{"{% static 'js/a.js' %}", "t/a.html", "", "static/js/a.js", "static/lib/a.js", "{% static 'lib/a.js' %}"},
		{"<?= $base ?>js/a.js?v=<?= V ?>", "a.php", "", "js/a.js", "own/a.js", "<?= $base ?>own/a.js?v=<?= V ?>"},
		{"{% static 'js/a.js' %}", "t/a.html", "", "static/js/a.js", "other/a.js", "{% static 'js/a.js' %}"},
	} {
		from, to := paths.Found(tt.from), paths.Found(tt.to)
		got := Rewrite(tt.was, from, from, tt.base, paths.Found(tt.old), to)
		if got != tt.want {
			t.Errorf("%s on %s became %s, want %s", tt.was, tt.from, got, tt.want)
		}
		if at := Resolve(from, tt.base, got); at.Path != to && at.Odd == "" {
			t.Errorf("%s on %s leads to %s", got, tt.from, at)
		}
	}
}

// TestResolveOnce: the quick way leads where the thorough one does.
func TestResolveOnce(t *testing.T) {
	for _, ref := range []string{"a.html", "./a.html", "../a.html", "x/../a.html", "a//b.png", "x/", "..", ".",
		"../../up.png", "a.b/c.d", "/root.png", "a%20b.png", "a.png?x", "//host/a.png", "https://host/a.png", "a:b", "",
		"a.", "...", "x/.", "x/.."} {
		for _, from := range []string{"index.html", "a/b/c.html"} {
			if got, want := ResolveOnce(paths.Found(from), "", ref), Resolve(paths.Found(from), "",
				ref); got.String() != want.String() {
				t.Errorf("%q on %s leads to %q, and thoroughly to %q", ref, from, got, want)
			}
		}
	}
}
