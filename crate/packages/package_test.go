package packages

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/manifest"
)

// library has the texts of a package's files, by path.
type library map[string]string

func describe(t *testing.T, source string, files library) *Package {
	t.Helper()
	tree := InMemory{}
	for name, text := range files {
		tree[name] = []byte(text)
	}
	d, err := tree.Describe(context.Background(), source, nil)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

const (
	readable = "/*! winch v1.2.3 | MIT */\n(function () {\n  var turns = 0;\n\n  window.winch = function (n) {\n" +
		"    turns += n;\n    return turns;\n  };\n})();\n"
	minified = "/*! winch v1.2.3 | MIT */\n(function(){var t=0;window.winch=function(n){return t+=n}})();\n" +
		"//# sourceMappingURL=winch.min.js.map\n"
)

func TestPairsByNameAndContent(t *testing.T) {
	tests := []struct{ readable, minified string }{
		{"winch.js", "winch.min.js"}, {"winch-src.js", "winch.js"}, {"winch.debug.js", "winch.js"},
		{"winch.js", "winch-min.js"},
		{"dist/winch.js", "dist/winch.min.js"}, {"winch.js", "min/winch.js"},
		{"winch.development.js", "winch.production.min.js"},
	}
	for _, tt := range tests {
		d := describe(t, "winch.zip", library{tt.readable: readable, tt.minified: minified})
		r, m := d.File(tt.readable), d.File(tt.minified)
		if r.Build != Readable || m.Build != Minified || r.OtherBuild != m.Path || m.OtherBuild != r.Path {
			t.Errorf("%s and %s: %+v %+v", tt.readable, tt.minified, r, m)
		}
	}
}

func TestNamesLieAboutBuilds(t *testing.T) {
	d := describe(t, "winch.zip", library{"winch.min.js": readable})
	if d.File("winch.min.js").Build != Readable {
		t.Error("a readable file with a minified name is called minified")
	}
}

func TestIdentify(t *testing.T) {
	tests := []struct {
		source            string
		files             library
		name, version     string
		nameFrom, verFrom string
		licence           string
	}{
		{"winch-2.0.0.zip", library{"winch.js": readable, "LICENSE": "Permission is hereby granted, free of charge, " +
			"to any person obtaining a copy"}, "winch", "2.0.0", "the file name", "the file name", "MIT"},
		{"download.zip", library{"package.json": `{"name":"@gull/winch","version":"3.0.0","license":"ISC"}`,
			"w.js": readable}, "@gull/winch", "3.0.0", "package.json", "package.json", "ISC"},
		{"winch.js", library{"winch.js": readable}, "winch", "1.2.3", "the banner of winch.js",
			"the banner of winch.js", "MIT"},
		{"stuff.zip", library{"stuff.js": "var stuff = 1;\n"}, "stuff", "", "the file name", "", ""},
	}
	for _, tt := range tests {
		d := describe(t, tt.source, tt.files)
		got := fmt.Sprint(d.Name, d.Version, d.NameFrom, d.VersionFrom, d.Licence)
		if want := fmt.Sprint(tt.name, tt.version, tt.nameFrom, tt.verFrom, tt.licence); got != want {
			t.Errorf("%s: got %s, want %s", tt.source, got, want)
		}
	}
}

func TestStylesheetBringsItsClosure(t *testing.T) {
	d := describe(t, "deck-1.0.0.zip", library{
		"css/deck.css": "@import 'base.css';\n\nbody {\n  background: url(../img/sea.png?x#y);\n}\n",
		"css/base.css": "@font-face {\n  src: url('../fonts/deck.woff');\n}\n", "fonts/deck.woff": "w",
		"img/sea.png": "p", "img/unused.png": "p",
		"docs/deck.css": "a{}", "README.md": "# deck",
	})
	s := d.Suggest()
	if got := strings.Join(s.Paths(), " "); got != "css/base.css css/deck.css fonts/deck.woff img/sea.png" {
		t.Errorf("suggested %s", got)
	}
	for _, c := range s.Choices {
		if c.Page != (c.Path == "css/deck.css") || c.Reason == "" {
			t.Errorf("%+v", c)
		}
	}
}

// FuzzTexts: whatever a file holds, telling what it is comes to an end and takes nothing from it.
func FuzzTexts(f *testing.F) {
	for _, text := range []string{readable, minified, "/*/", "/*", "//", "/**/", "/*!*/x", "@charset \"utf-8\"; /*! " +
		"winch v1.2.3 */", "//# sourceMappingURL=", "/*# sourceMappingURL=a */"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		before := string(b)
		manifest.BannerOf(b)
		manifest.BuildOf(b)
		manifest.SourceMapOf(b)
		namesIn(b)
		findsItself(b)
		if string(b) != before {
			t.Error("a file's bytes were changed")
		}
	})
}
