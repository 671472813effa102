package delivery

import (
	"path"
	"strings"
	"testing"
)

const (
	umd = "(function (root, factory) {\n  if (typeof define === 'function' && define.amd) {\n    define([], factory);\n  } else if (typeof module === 'object') {\n    module.exports = factory();\n  } else {\n    root.winch = factory();\n  }\n})(this, function () {\n  return {};\n});\n"
	esm = "import { x } from './x.js';\n\nexport const winch = x;\n"
	cjs = "var x = require('x');\n\nmodule.exports = x;\n"
	amd = "define(['x'], function (x) {\n  return x;\n});\n"
	css = "body {\n  margin: 0;\n}\n"
)

// TestSuggestions holds the choice for the layouts that libraries come in: the files for pages, in order.
func TestSuggestions(t *testing.T) {
	tests := []struct {
		name   string
		source string
		files  mapTree
		want   string
	}{
		{"flat", "winch-1.0.0.zip", mapTree{"winch.js": umd, "winch.min.js": minified, "README.md": ""}, "winch.js winch.min.js"},
		{"minified under the plain name", "winch-1.0.0.zip", mapTree{"winch.js": minified, "winch-src.js": readable}, "winch-src.js winch.js"},
		{"dist beside sources", "winch-1.0.0.zip", mapTree{"src/winch.js": esm, "dist/winch.js": umd, "dist/winch.min.js": minified, "test/winch.test.js": cjs}, "dist/winch.js dist/winch.min.js"},
		{"five builds", "winch-1.0.0.tgz", mapTree{"dist/winch.cjs.js": cjs, "dist/winch.esm.js": esm, "dist/winch.umd.js": umd, "dist/winch.amd.js": amd, "index.js": cjs, "package.json": `{"name":"winch","main":"dist/winch.cjs.js","module":"dist/winch.esm.js"}`}, "dist/winch.umd.js"},
		{"global build", "winch-1.0.0.tgz", mapTree{"dist/winch.global.js": readable, "dist/winch.cjs.js": cjs}, "dist/winch.global.js"},
		{"folders by form", "winch-1.0.0.tgz", mapTree{"cjs/winch.js": cjs, "esm/winch.js": esm, "umd/winch.development.js": umd, "umd/winch.production.min.js": minified}, "umd/winch.development.js umd/winch.production.min.js"},
		{"modules only", "winch-1.0.0.tgz", mapTree{"winch.js": esm, "x.js": "export const x = 1;\n"}, "winch.js"},
		{"server only", "winch-1.0.0.tgz", mapTree{"winch.js": cjs, "lib/x.js": cjs}, ""},
		{"style and script", "winch-1.0.0.zip", mapTree{"css/winch.css": css, "js/winch.js": readable}, "css/winch.css js/winch.js"},
		{"style only", "winch-1.0.0.zip", mapTree{"winch.css": css, "winch.scss": "a{}"}, "winch.css"},
		{"scoped", "x.tgz", mapTree{"package.json": `{"name":"@gull/winch"}`, "winch.js": umd, "other.js": "var other = 1;\n"}, "winch.js"},
		{"name with .js", "x.tgz", mapTree{"package.json": `{"name":"winch.js"}`, "winch.js": umd, "a.js": "var a = 1;\n"}, "winch.js"},
		{"hint of the manifest", "x.tgz", mapTree{"package.json": `{"name":"harbour-winch","browser":"dist/w.js"}`, "dist/w.js": readable, "dist/z.js": "var z = 1;\n"}, "dist/w.js"},
		{"only in sources", "winch-1.0.0.zip", mapTree{"src/winch.js": readable, "README.md": ""}, "src/winch.js"},
		{"tests and tools are nothing", "winch-1.0.0.zip", mapTree{"gulpfile.js": cjs, "test/a.js": umd}, ""},
		{"version in the name", "winch.zip", mapTree{"winch-2.1.0.js": readable, "winch-2.1.0.min.js": minified}, "winch-2.1.0.js winch-2.1.0.min.js"},
		{"everything in one", "badge-1.0.0.tgz", mapTree{"css/all.css": css, "css/part1.css": css, "css/part2.css": css, "css/part3.css": css}, "css/all.css"},
		{"broken script", "winch-1.0.0.zip", mapTree{"winch.js": "function ( {", "other.js": readable}, "other.js"},
	}
	for _, tt := range tests {
		d := describe(t, tt.source, tt.files)
		s := d.Suggest()
		var got []string
		for _, c := range s.Choices {
			if c.Page {
				got = append(got, c.Path)
			}
			if c.Reason == "" {
				t.Errorf("%s: %s has no reason", tt.name, c.Path)
			}
		}
		if strings.Join(got, " ") != tt.want {
			t.Errorf("%s: suggested %q, want %q", tt.name, got, tt.want)
		}
		if tt.want == "" && len(s.Notes) == 0 {
			t.Errorf("%s: nothing is suggested, and nothing said", tt.name)
		}
	}
}

func TestBuildOf(t *testing.T) {
	long := strings.Repeat("a.b=function(c){return c.d(e,1)};", 60)
	for text, want := range map[string]Build{
		readable: Readable, minified: Minified, "": Readable, "var a = 1;\n": Readable, long: Minified,
		"/*!\n * kept\n * for its licence\n */" + long:                                           Minified,
		"/*! a */\n/*! b\n c */\n" + long + "\n//# sourceMappingURL=x.map\n":                     Minified,
		"@charset \"UTF-8\";/*!\n * x\n */body{margin:0}a{color:red;padding:1px}p{margin:0 1px}": Minified,
		"body{margin:0}\n": Minified, css: Readable,
		"// comment\n" + strings.Repeat("  indented();\n", 30):            Readable,
		strings.Repeat("  x = \""+strings.Repeat("data", 20)+"\";\n", 30): Readable,
	} {
		if got := BuildOf([]byte(text)); got != want {
			t.Errorf("%.60q…: %s, want %s", text, got, want)
		}
	}
}

func TestKindsAndWhatIsSetApart(t *testing.T) {
	for name, want := range map[string]struct {
		kind  Kind
		aside string
	}{
		"dist/a.js": {Script, ""}, "a.mjs": {Script, ""}, "a.css": {Stylesheet, ""}, "a.js.map": {Map, ""}, "fonts/a.woff2": {Font, ""}, "a.svg": {Image, ""},
		"README.md": {Document, "documentation"}, "LICENSE": {Licence, ""}, "LICENSE.txt": {Licence, ""}, "license.js": {Script, ""}, "package.json": {Manifest, ""}, "a.d.ts": {Types, "types"},
		"src/a.js": {Script, "sources"}, "a.scss": {Source, "sources"}, "test/a.js": {Script, "tests"}, "a.test.js": {Script, "tests"}, "docs/a.js": {Script, "documentation"},
		"examples/a.css": {Stylesheet, "examples"}, "webpack.config.js": {Script, "tools"}, ".eslintrc.js": {Script, "tools"}, "Gruntfile.js": {Script, "tools"}, "a/node_modules/b/c.js": {Script, "other packages"},
		"data.json": {Data, ""}, "CHANGELOG": {Document, "documentation"}, "strange.bin": {Other, ""},
	} {
		if got := KindOf(name); got != want.kind {
			t.Errorf("%s is a %s, want %s", name, got, want.kind)
		}
		if got := asideOf(name); got != want.aside {
			t.Errorf("%s is set apart as %q, want %q", name, got, want.aside)
		}
	}
}

func TestNameVersion(t *testing.T) {
	for base, want := range map[string][2]string{
		"oarlock-2.0.3.zip": {"oarlock", "2.0.3"}, "oarlock.v2.0.zip": {"oarlock", "2.0"}, "oarlock_2.0.3.tar.gz": {"oarlock", "2.0.3"}, "oarlock@2.0.3.tgz": {"oarlock", "2.0.3"}, "oarlock-2.0.3.min.js": {"oarlock", "2.0.3"},
		"oarlock-2.0.3-rc.1.zip": {"oarlock", "2.0.3-rc.1"}, "oarlock-2.0.3-dist.zip": {"oarlock", "2.0.3"}, "oarlock.zip": {"oarlock", ""}, "oarlock.min.js": {"oarlock", ""}, "chart.js": {"chart", ""}, "a-1.js": {"a-1", ""}, "oarlock-src.js": {"oarlock", ""},
	} {
		if name, version := NameVersion(base); name != want[0] || version != want[1] {
			t.Errorf("%s: %q %q, want %q", base, name, version, want)
		}
	}
}

func TestLicences(t *testing.T) {
	for text, want := range map[string]string{
		"Permission is hereby granted, free of charge,\n to any person obtaining a copy": "MIT", "Apache License\n  Version 2.0, January 2004": "Apache-2.0",
		"Redistribution and use in source and binary forms … Neither the name of the club": "BSD-3-Clause", "Redistribution and use in source and binary forms": "BSD-2-Clause",
		"SIL OPEN FONT LICENSE Version 1.1": "OFL-1.1", "This is free and unencumbered software": "Unlicense", "GNU LESSER GENERAL PUBLIC LICENSE": "LGPL", "Licensed under the ISC licence": "ISC", "all rights reserved": "",
	} {
		if got := LicenceOf(text); got != want {
			t.Errorf("%.40q: %q, want %q", text, got, want)
		}
	}
}

func TestRelative(t *testing.T) {
	for in, want := range map[[2]string]string{{".", "a.js"}: "a.js", {"a", "a/b.js"}: "b.js", {"a/b", "c.js"}: "../../c.js", {"a/b", "a/c/d.js"}: "../c/d.js", {"a", "a"}: "../a"} {
		if got := Relative(in[0], in[1]); got != want {
			t.Errorf("from %s to %s: %s, want %s", in[0], in[1], got, want)
		}
	}
}

func TestMapsAreTied(t *testing.T) {
	d := describe(t, "winch.zip", mapTree{"dist/winch.js": readable, "dist/winch.min.js": strings.Replace(minified, "winch.min.js.map", "maps/w.map", 1), "dist/maps/w.map": "{}", "dist/winch.js.map": "{}", "dist/lost.map": "{}"})
	if d.File("dist/maps/w.map").MapOf != "dist/winch.min.js" || d.File("dist/winch.js.map").MapOf != "dist/winch.js" || d.File("dist/lost.map").MapOf != "" {
		t.Errorf("maps are tied to %q, %q, %q", d.File("dist/maps/w.map").MapOf, d.File("dist/winch.js.map").MapOf, d.File("dist/lost.map").MapOf)
	}
	pl, err := d.Place(d.Suggest(), "winch", "1.0.0", Habits{Scripts: "js", Styles: "css", Together: "lib"}, false, nil)
	if err != nil || pl.At["dist/maps/w.map"] != "js/maps/w.map" {
		t.Errorf("placed as %+v, %v", pl, err)
	}
}

func TestPlacementsThatCantBe(t *testing.T) {
	h := Habits{Scripts: "js", Styles: "css", Fonts: "fonts", Images: "img", Together: "lib"}
	for name, files := range map[string]mapTree{
		"two files of one name":      {"a/x.js": readable, "b/x.js": readable + "\n"},
		"out of the site":            {"css/x.css": "a {\n  background: url(../../y.png);\n}\n", "y.png": ""},
		"no folder for it":           {"x.css": "a {\n  background: url(data.json);\n}\n", "data.json": "{}"},
		"asked for from two folders": {"a/x.css": "@import '../c/z.css';\n", "b/d/y.css": "@import '../../c/z.css';\n", "c/z.css": css},
	} {
		d := describe(t, "x.zip", files)
		s := d.Choose(func(string) (string, bool) { return "**", true })
		pl, err := d.Place(s, "x", "1", h, false, nil)
		if err != nil || name != "out of the site" && (!pl.Together || pl.Why == "") {
			t.Errorf("%s: %+v, %v", name, pl, err)
		}
	}
}

// TestModulesBringTheirParts: what a module imports from beside it comes along, and what that imports too; packages do not.
func TestModulesBringTheirParts(t *testing.T) {
	files := mapTree{
		"dist/horn.js":       `import { tone } from "./tone.js"; import x from "oarlock"; export { tone };`,
		"dist/tone.js":       `import "./deep/low.js"; export const tone = 1;`,
		"dist/deep/low.js":   `import up from "../up.js"; export const low = 2;`,
		"dist/up.js":         `export default 3;`,
		"dist/unrelated.js":  `export default 4;`,
		"package.json":       `{"name": "horn", "version": "1.0.0", "module": "dist/horn.js"}`,
		"dist/deep/other.js": `export default 5;`,
	}
	d := describe(t, "horn-1.0.0.tgz", files)
	s := d.Choose(func(name string) (string, bool) { return name, name == "dist/horn.js" })
	if got := strings.Join(s.Paths(), " "); got != "dist/deep/low.js dist/horn.js dist/tone.js dist/up.js" {
		t.Errorf("chosen: %s", got)
	}
	for _, c := range s.Choices {
		if c.Page != (c.Path == "dist/horn.js") {
			t.Errorf("%s goes on pages: %v", c.Path, c.Page)
		}
	}
	p, err := d.Place(s, "horn", "1.0.0", Habits{Scripts: "js", Styles: "css", Together: "lib"}, false, nil)
	if err != nil {
		t.Fatal(err)
	}
	for from, to := range map[string]string{"dist/horn.js": "dist/tone.js", "dist/tone.js": "dist/deep/low.js", "dist/deep/low.js": "dist/up.js"} {
		if Relative(path.Dir(p.At[from]), p.At[to]) != Relative(path.Dir(from), to) {
			t.Errorf("%s is at %s and finds %s no more at %s", from, p.At[from], to, p.At[to])
		}
	}
}
