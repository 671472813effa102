package origin

import (
	"testing"

	"merrycrate.example/merry/crate/cdn"
)

func TestReadAddress(t *testing.T) {
	for address, want := range map[string]string{
		"https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js": "oarlock 2.0.3 dist/oarlock.min.js",
		"https://cdn.harbour.example/oarlock@2.0.3/dist/oarlock.min.js":     "oarlock 2.0.3 dist/oarlock.min.js",
		"https://cdn.harbour.example/@gull/pennants@1.1.0/css/" +
			"pennants.css": "@gull/pennants 1.1.0 css/pennants.css",
		"https://cdn.harbour.example/x/@gull/pennants/1.1.0/css/" +
			"pennants.css": "@gull/pennants 1.1.0 css/pennants.css",
		"https://cdn.harbour.example/oarlock@2/oarlock.js":                   "oarlock 2 oarlock.js",
		"https://cdn.harbour.example/oarlock@latest/oarlock.js":              "oarlock  oarlock.js",
		"https://cdn.harbour.example/oarlock-2.0.3.min.js":                   "oarlock 2.0.3 oarlock.min.js",
		"https://cdn.harbour.example/js/Oarlock.js?v=2.0.3":                  "oarlock 2.0.3 Oarlock.js",
		"https://cdn.harbour.example/js/oarlock.js?x=1&version=2.0.3-rc.1&y": "oarlock 2.0.3-rc.1 oarlock.js",
		"https://cdn.harbour.example/latest/quickbrine.js":                   "quickbrine  quickbrine.js",
		"https://cdn.harbour.example/oarlock/latest/page.js":                 "oarlock  page.js",
		"https://cdn.harbour.example/lib/oarlock/v2.0.3/oarlock.js":          "oarlock 2.0.3 oarlock.js",
		"https://cdn.harbour.example/2024/oarlock/oarlock.js":                "oarlock  oarlock.js",
		"https://cdn.harbour.example/lib/oarlock/3.0.0-beta.1/dist/" +
			"oarlock.css": "oarlock 3.0.0-beta.1 dist/oarlock.css",
	} {
		e := ReadAddress(address)
		if got := e.Name + " " + e.Version + " " + e.Path; got != want {
			t.Errorf("%s is %q, want %q", address, got, want)
		}
	}
}

// FuzzReadAddress: whatever an address looks like, what is read off it can be known and used.
func FuzzReadAddress(f *testing.F) {
	for _, s := range []string{"https://x.example/a@1/b.js", "https://x.example/@a/b/1.2.3/c", "https://x.example",
		"https://x.example//@/", "https://x.example/?v=1.2", "://", "https://x.example/%zz"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, address string) {
		e := ReadAddress(address)
		for _, pattern := range cdn.Explain(address, cdn.File{Name: "oarlock", Version: e.Version, Path: e.Path}) {
			if pattern.Validate() != nil {
				t.Fatalf("%q is explained by %q, which is no pattern", address, pattern)
			}
		}
	})
}

func TestSplitPackage(t *testing.T) {
	for in, want := range map[string][2]string{"oarlock": {"oarlock", ""}, "oarlock@2": {"oarlock", "2"},
		"@gull/pennants": {"@gull/pennants", ""}, "@gull/pennants@^1": {"@gull/pennants", "^1"},
		"a@>=1 <2": {"a", ">=1 <2"}} {
		if name, wish := SplitPackage(in); name != want[0] || wish != want[1] {
			t.Errorf("%s: %q %q", in, name, wish)
		}
	}
	for in, want := range map[string]bool{"oarlock": true, "oarlock@2": true, "@gull/pennants": true, "chart.js": true,
		"./oarlock": false, "a/b": false, "a.zip": false, "style.css": true, "../x": false, "": false} {
		if LooksLikePackage(in) != want {
			t.Errorf("%q: %v", in, !want)
		}
	}
}
