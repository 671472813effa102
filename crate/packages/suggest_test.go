package packages

import (
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

const (
	umd = "(function (root, factory) {\n  if (typeof define === 'function' && define.amd) {\n" +
		"    define([], factory);\n  } else if (typeof module === 'object') {\n    module.exports = factory();\n" +
		"  } else {\n    root.winch = factory();\n  }\n})(this, function () {\n  return {};\n});\n"
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
		files  library
		want   string
	}{
		{"flat", "winch-1.0.0.zip", library{"winch.js": umd, "winch.min.js": minified, "README.md": ""},
			"winch.js winch.min.js"},
		{"minified under the plain name", "winch-1.0.0.zip", library{"winch.js": minified, "winch-src.js": readable},
			"winch-src.js winch.js"},
		{"dist beside sources", "winch-1.0.0.zip", library{"src/winch.js": esm, "dist/winch.js": umd,
			"dist/winch.min.js": minified, "test/winch.test.js": cjs}, "dist/winch.js dist/winch.min.js"},
		{"five builds", "winch-1.0.0.tgz", library{"dist/winch.cjs.js": cjs, "dist/winch.esm.js": esm,
			"dist/winch.umd.js": umd, "dist/winch.amd.js": amd, "index.js": cjs,
			"package.json": `{"name":"winch","main":"dist/winch.cjs.js","module":"dist/winch.esm.js"}`},
			"dist/winch.umd.js"},
		{"global build", "winch-1.0.0.tgz", library{"dist/winch.global.js": readable, "dist/winch.cjs.js": cjs},
			"dist/winch.global.js"},
		{"folders by form", "winch-1.0.0.tgz", library{"cjs/winch.js": cjs, "esm/winch.js": esm,
			"umd/winch.development.js": umd, "umd/winch.production.min.js": minified},
			"umd/winch.development.js umd/winch.production.min.js"},
		{"modules only", "winch-1.0.0.tgz", library{"winch.js": esm, "x.js": "export const x = 1;\n"}, "winch.js"},
		{"server only", "winch-1.0.0.tgz", library{"winch.js": cjs, "lib/x.js": cjs}, ""},
		{"style and script", "winch-1.0.0.zip", library{"css/winch.css": css, "js/winch.js": readable},
			"css/winch.css js/winch.js"},
		{"style only", "winch-1.0.0.zip", library{"winch.css": css, "winch.scss": "a{}"}, "winch.css"},
		{"scoped", "x.tgz", library{"package.json": `{"name":"@gull/winch"}`, "winch.js": umd,
			"other.js": "var other = 1;\n"}, "winch.js"},
		{"name with .js", "x.tgz", library{"package.json": `{"name":"winch.js"}`, "winch.js": umd,
			"a.js": "var a = 1;\n"}, "winch.js"},
		{"hint of the manifest", "x.tgz", library{"package.json": `{"name":"harbour-winch","browser":"dist/w.js"}`,
			"dist/w.js": readable, "dist/z.js": "var z = 1;\n"}, "dist/w.js"},
		{"beside others' libraries", "winch-1.0.0.zip", library{"src/winch.js": readable,
			"lib/oarlock-1.8.3.min.js": "!function(a,b){a.oarlock=b()}(window,function(){return{row:1}});\n",
			"lib/oarlock-1.9.0.min.js": "!function(a,b){a.oarlock=b()}(window,function(){return{row:2}});\n"},
			"src/winch.js"},
		{"only in sources", "winch-1.0.0.zip", library{"src/winch.js": readable, "README.md": ""}, "src/winch.js"},
		{"tests and tools are nothing", "winch-1.0.0.zip", library{"gulpfile.js": cjs, "test/a.js": umd}, ""},
		{"version in the name", "winch.zip", library{"winch-2.1.0.js": readable, "winch-2.1.0.min.js": minified},
			"winch-2.1.0.js winch-2.1.0.min.js"},
		{"everything in one", "badge-1.0.0.tgz", library{"css/all.css": css, "css/part1.css": css, "css/part2.css": css,
			"css/part3.css": css}, "css/all.css"},
		{"the whole before its parts", "x.tgz", library{"package.json": `{"name":"winch","main":"js/winch.js"}`,
			"js/winch.js": "window.winch = { turn: rope.turn };\n", "js/rope.js": "window.rope = { turn: 1 };\n",
			"dist/winch.pkgd.js": "window.rope = { turn: 1 };\nwindow.winch = { turn: rope.turn };\n"},
			"dist/winch.pkgd.js"},
		{"what another key of the manifest names", "x.tgz",
			library{"package.json": `{"name":"winch","main":"index.cjs","hosted":"./for/pages.js"}`, "index.cjs": cjs,
				"for/pages.js": readable, "for/others.js": readable}, "for/pages.js"},
		{"what the readme shows", "winch-1.0.0.zip", library{"README.md": "```html\n" +
			"<script src=\"somewhere/rope.js\"></script>\n```\n", "lib/rope.js": "var rope = 1;\n",
			"lib/anchor.js": "var anchor = 1; var larger = 2;\n", "lib/chain.js": "var chain = 1;\n"}, "lib/rope.js"},
		{"the only builds among the tools", "winch-1.0.0.zip", library{"scripts/winch.js": readable, "README.md": ""},
			"scripts/winch.js"},
		{"the only builds among the media", "winch-1.0.0.zip", library{"media/js/rope.js": readable, "README.md": ""},
			"media/js/rope.js"},
		{"the style of a demo", "winch-1.0.0.zip", library{"winch.js": readable, "demo-resources/style.css": css},
			"winch.js"},
		{"a module that needs a map of imports", "x.tgz",
			library{"package.json": `{"name":"winch","module":"winch.js"}`, "winch.js": "import { rope } from " +
				"'rope';\nexport const winch = rope;\n"}, ""},
		{"a module beside a classic script of no account", "x.tgz",
			library{"package.json": `{"name":"winch","module":"winch.js"}`, "winch.js": "export const winch = 1;\n",
				"shim.js": "if (!window.Rope) { window.Rope = 1; }\n"}, "winch.js"},
		{"a module that imports a server's file", "x.tgz",
			library{"package.json": `{"name":"winch","module":"winch.js"}`, "winch.js": "import x from './x.cjs';\n" +
				"export default x;\n", "x.cjs": cjs}, ""},
		{"of two flavours the one that the manifest names", "x.tgz",
			library{"package.json": `{"name":"winch-js","main":"winch.rope.js"}`,
				"winch.rope.js":  "rope.fn.winch = function () { return 1; };\n",
				"winch.chain.js": "window.Winch = function () { return chain(1); };\nvar larger = 1;\n"},
			"winch.rope.js"},
		{"the module that the manifest's exports name", "x.tgz",
			library{"package.json": `{"name":"winch","module":"./index.js","exports":{".":{"import":"./index.js"}}}`,
				"index.js": "export * from './parts/a.js';\n", "parts/a.js": "export const a = 1;\n",
				"old/winchError.js": "export class WinchError {}\n"}, "index.js"},
		{"a worker with the ending of modules", "x.tgz",
			library{"package.json": `{"name":"winch","module":"dist/winch.mjs"}`,
				"dist/winch.mjs": "export const winch = 1;\n", "dist/winch.worker.mjs": "class Winch {}\n" +
					"onmessage = function (e) { postMessage(new Winch(e)); };\n"}, "dist/winch.mjs"},
		{"one of many that the readme shows, where the module that is meant imports a server's file", "x.tgz",
			library{"package.json": `{"name":"winch","main":"lib/index.js","module":"es/index.js"}`,
				"README.md":    "```js\nimport go from 'winch/es/knots/bowline.js';\n```\n",
				"lib/index.js": cjs, "es/index.js": "import x from '../lib/index.js';\nexport default x;\n",
				"es/knots/bowline.js": "export default 1;\n", "es/knots/hitch.js": "export default 2;\n"}, ""},
		{"a name that is one letter longer than the file's, and begins another by chance", "winches-1.0.0.tgz",
			library{"dist/winche.js": readable, "gallery/winche-simple.js": "Gallery.register('simple');\n",
				"gallery/winche-slow.js": "Gallery.register('slow');\n"}, "dist/winche.js"},
		{"of several skins the default", "winch-1.0.0.tgz", library{"dist/winch.js": readable,
			"dist/themes/default-dark/style.css": "body {\n  margin: 0;\n  color: white;\n}\n",
			"dist/themes/default/style.css":      css}, "dist/themes/default/style.css dist/winch.js"},
		{"a module and a plain script are no pair", "x.tgz",
			library{"package.json": `{"name":"winch","module":"dist/winch.js"}`,
				"dist/winch.js": "import { x } from './x.js';\nexport default x;\n",
				"dist/x.js":     "export const x = 1;\n", "dist/winch.min.js": "!function(a,b){\"object\"==typeof " +
					"exports?module.exports=b():a.winch=b()}(this,function(){return{turn:1}});\n"},
			"dist/winch.min.js"},
		{"a copy among the documents of what is called fuller", "x.tgz",
			library{"package.json": `{"name":"winch","main":"dist/winch-full.js"}`, "dist/winch-full.js": readable,
				"dist/docs/winch.js": readable}, "dist/winch-full.js"},
		{"what a test's report looks like", "winch-1.0.0.tgz", library{"dist/winch.js": readable,
			"coverage/lcov-report/base.css": css, "sandbox/basics.css": css}, "dist/winch.js"},
		{"a site that was made of it", "winch-1.0.0.tgz", library{"_site/winch.js": readable,
			"dist/winch.js": readable}, "dist/winch.js"},
		{"the ending that servers send", "x.tgz", library{"package.json": `{"name":"winch","main":"umd/winch.cjs"}`,
			"umd/winch.cjs": umd, "umd/winch.js": umd}, "umd/winch.js"},
		{"the same with what it needs inside", "x.tgz",
			library{"package.json": `{"name":"winch","main":"peer/winch.js"}`,
				"peer/winch.js": "window.winch = { turn: rope.turn };\n", "standalone/winch.js": "(function () {\n" +
					"  var rope = { turn: 1 };\n  window.winch = { turn: rope.turn };\n})();\n"},
			"standalone/winch.js"},
		{"the only stylesheet, of the makers' own pages", "x.tgz", library{"package.json": `{"name":"winch"}`,
			"winch.js": readable, "player/player.css": ".stage { margin: 0 }\n.curtain { color: red }\n"}, "winch.js"},
		{"the only stylesheet, of the script", "x.tgz", library{"package.json": `{"name":"winch"}`,
			"winch.js":          "window.winch = function (e) { e.className = 'turns'; };\n",
			"player/player.css": ".turns { margin: 0 }\n"}, "player/player.css winch.js"},
		{"broken script", "winch-1.0.0.zip", library{"winch.js": "function ( {", "other.js": readable}, "other.js"},
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

// TestFetched: what a script fetches while it runs comes along, and keeps its place beside a stylesheet's pictures.
func TestFetched(t *testing.T) {
	d := describe(t, "winch-1.0.0.zip", library{
		"dist/winch.js": "window.winch = { icon: 'marker.png', big: 'images/marker-2x.png', other: " +
			"'elsewhere.png' };\n",
		"dist/winch.css": "a { background: url(images/layer.png) }\n", "dist/images/layer.png": "x",
		"dist/images/marker.png": "x", "dist/images/marker-2x.png": "x", "dist/images/spare.png": "x",
		"elsewhere.png":       "x",
		"dist/lone.js":        "var at = document.currentScript.src; new Worker('lone-worker.js');\n",
		"dist/lone-worker.js": "self.onmessage = null;\n",
	})
	s := d.Suggest()
	for name, want := range map[string]bool{"dist/images/layer.png": true, "dist/images/marker.png": true,
		"dist/images/marker-2x.png": true, "dist/images/spare.png": false, "elsewhere.png": false} {
		if s.Has(name) != want {
			t.Errorf("%s is in the selection: %v", name, s.Has(name))
		}
	}
	for _, c := range s.Choices {
		if c.Path == "dist/images/marker.png" && c.Reason != "winch.js fetches it while it runs" {
			t.Errorf("the reason is %q", c.Reason)
		}
	}
	if s := d.Choose(func(name string) (string, bool) {
		return name, name == "dist/lone.js"
	}); !s.Has("dist/lone-worker.js") {
		t.Error("a worker was left behind")
	}
}

func TestBuildOf(t *testing.T) {
	long := strings.Repeat("a.b=function(c){return c.d(e,1)};", 60)
	for text, want := range map[string]record.Build{
		readable: Readable, minified: Minified, "": Readable, "var a = 1;\n": Readable, long: Minified,
		"/*!\n * kept\n * for its licence\n */" +
			long: Minified,
		"/*! a */\n/*! b\n c */\n" + long +
			"\n//# sourceMappingURL=x.map\n": Minified,
		"@charset \"UTF-8\";/*!\n * x\n" +
			" */body{margin:0}a{color:red;padding:1px}p{margin:0 1px}": Minified,
		// lines of a text
		strings.Repeat("a.b=function(c){return c.d(e,1)};", 5000) + "x=`" + strings.Repeat("\n      <li>", 40) +
			"`;": Minified,
		// a rule a line
		strings.Repeat(".winch-rope-long-name,.winch-anchor-long-name{margin:0;padding:0;border:0;font:inherit}\n",
			30): Readable,
		"body{margin:0}\n": Minified, css: Readable,
		"// comment\n" + strings.Repeat("  indented();\n", 30):            Readable,
		strings.Repeat("  x = \""+strings.Repeat("data", 20)+"\";\n", 30): Readable,
	} {
		if got := manifest.BuildOf([]byte(text)); got != want {
			t.Errorf("%.60q…: %s, want %s", text, got, want)
		}
	}
}

func TestKindsAndWhatIsSetApart(t *testing.T) {
	for name, want := range map[string]struct {
		kind  Kind
		aside string
	}{
		"dist/a.js": {Script, ""}, "a.mjs": {Script, ""}, "a.css": {Stylesheet, ""}, "a.js.map": {Map, ""},
		"fonts/a.woff2": {Font, ""}, "a.svg": {Image, ""},
		"README.md": {Document, "documentation"}, "LICENSE": {Licence, ""}, "LICENSE.txt": {Licence, ""},
		"license.js": {Script, ""}, "package.json": {Data, ""}, "a.d.ts": {Types, "types"},
		"src/a.js": {Script, "sources"}, "a.scss": {Source, "sources"}, "test/a.js": {Script, "tests"},
		"a.test.js": {Script, "tests"}, "docs/a.js": {Script, "documentation"},
		"examples/a.css": {Stylesheet, "examples"}, "winch.config.js": {Script, "tools"}, ".lint.js": {Script, "tools"},
		"data.json": {Data, ""}, "CHANGELOG": {Document, "documentation"}, "strange.bin": {Other, ""},
	} {
		if got := KindOf(name); got != want.kind {
			t.Errorf("%s is a %s, want %s", name, got, want.kind)
		}
		if got := excludedBecause(name); got != want.aside {
			t.Errorf("%s is set apart as %q, want %q", name, got, want.aside)
		}
	}
}

func TestNameVersion(t *testing.T) {
	for base, want := range map[string][2]string{
		"oarlock-2.0.3.zip": {"oarlock", "2.0.3"}, "oarlock.v2.0.zip": {"oarlock", "2.0"},
		"oarlock_2.0.3.tar.gz": {"oarlock", "2.0.3"}, "oarlock@2.0.3.tgz": {"oarlock", "2.0.3"},
		"oarlock-2.0.3.min.js":   {"oarlock", "2.0.3"},
		"oarlock-2.0.3-rc.1.zip": {"oarlock", "2.0.3-rc.1"}, "oarlock-2.0.3-dist.zip": {"oarlock", "2.0.3"},
		"oarlock.zip": {"oarlock", ""}, "oarlock.min.js": {"oarlock", ""}, "chart.js": {"chart", ""},
		"a-1.js": {"a-1", ""}, "oarlock-src.js": {"oarlock", ""},
	} {
		if name, version := manifest.NameVersion(base); name != want[0] || version != want[1] {
			t.Errorf("%s: %q %q, want %q", base, name, version, want)
		}
	}
}

func TestMapsAreTied(t *testing.T) {
	d := describe(t, "winch.zip", library{"dist/winch.js": readable, "dist/winch.min.js": strings.Replace(minified,
		"winch.min.js.map", "maps/w.map", 1), "dist/maps/w.map": "{}", "dist/winch.js.map": "{}",
		"dist/lost.map": "{}"})
	if d.File("dist/maps/w.map").MapOf != "dist/winch.min.js" || d.File("dist/winch.js.map").MapOf != "dist/winch.js" ||
		d.File("dist/lost.map").MapOf != "" {
		t.Errorf("maps are tied to %q, %q, %q", d.File("dist/maps/w.map").MapOf, d.File("dist/winch.js.map").MapOf,
			d.File("dist/lost.map").MapOf)
	}
}

// TestWhatIsLeftOver: beside modules that a page can't import a leftover is not the library, and a build that the
// manifest names is; a main file that only hands on another means that; a copy of another library is no part.
func TestWhatIsLeftOver(t *testing.T) {
	manifest := `{"name": "capstan-turn", "version": "2.0.0", "module": "dist/capstan.mjs", "main": "%s"}`
	modules := "import { wind } from 'oarlock';\nexport const turn = () => wind();\n"
	for name, tt := range map[string]struct {
		main  string
		files library
		want  string
	}{
		"a leftover": {"dist/cjs.js", library{"dist/cjs.js": "module.exports = require('./a'); exports.b = " +
			"require('./b');\n", "dist/stub.mjs": "export const none = 1;\n"}, ""},
		"a build": {"dist/index.js", library{"dist/index.js": "(function (g, f) {\n  typeof exports === 'object' " +
			"? module.exports = f() : g.turn = f();\n})(this, function () {\n  return 1;\n});\n"}, "dist/index.js"},
		"handed on": {"index.js", library{"index.js": "require('./dist/ct-parts');\nmodule.exports = 'x';\n",
			"dist/ct-parts.js": "oarlock.part('turn', function () {\n  return 1;\n});\n"}, "dist/ct-parts.js"},
		"with a copy": {"dist/capstan-turn.js", library{"dist/capstan-turn.js": "window.turn = sheave(1);\n",
			"dist/sheave-4.1.0.js": "window.sheave = function (n) {\n  return n;\n};\n"}, "dist/capstan-turn.js"},
	} {
		tt.files["package.json"], tt.files["dist/capstan.mjs"] = fmt.Sprintf(manifest, tt.main), modules
		if got := strings.Join(describe(t, "capstan-turn-2.0.0.tgz", tt.files).Suggest().Paths(), " "); got != tt.want {
			t.Errorf("%s: suggested %q, want %q", name, got, tt.want)
		}
	}
}

// TestStylesOfPages: a stylesheet of which the script makes no use is its makers' own, as is another library's; one
// whose classes the script gives to elements is not.
func TestStylesOfPages(t *testing.T) {
	script := "window.buoy = function (e) {\n  e.className = 'buoy-light';\n};\n"
	for name, tt := range map[string]struct{ css, want string }{
		"of a page":          {".masthead {\n  color: red;\n}\n", "buoy.js"},
		"of another library": {"/*! tern v3.3.7 */\n.buoy-light {\n  color: red;\n}\n", "buoy.js"},
		"its own":            {".buoy-light {\n  color: red;\n}\n", "buoy.js css/look.css"},
	} {
		if got := strings.Join(describe(t, "buoy-1.0.0.zip", library{"buoy.js": script, "css/look.css": tt.css,
			"css/two.css": tt.css}).Suggest().Paths(), " "); got != tt.want {
			t.Errorf("%s: suggested %q, want %q", name, got, tt.want)
		}
	}
}

// TestSourcesAreAllThereIs: where reading sets apart the only scripts that names had left, the sources are the library.
func TestSourcesAreAllThereIs(t *testing.T) {
	d := describe(t, "dinghy-1.0.0.zip", library{"gruntwork.js": "module.exports = function (crew) {\n" +
		"  crew.loadTasks('tasks');\n};\n", "src/dinghy.js": "window.dinghy = 1;\n"})
	if got := strings.Join(d.Suggest().Paths(), " "); got != "src/dinghy.js" {
		t.Errorf("suggested %q", got)
	}
}

// TestDefaultLook: of several looks it is the one that the readme shows, else the one that the script names.
func TestDefaultLook(t *testing.T) {
	files := library{"dist/gull.js": "var gull = {\n  defaults: {look: 'sand'}\n};\n", "looks/ash.css": css,
		"looks/sand.css": css + css, "looks/reef.css": css}
	if f, why := describe(t, "gull-1.0.0.zip", files).main(Stylesheet); f == nil || f.Path != "looks/sand.css" ||
		why != "the script names it" {
		t.Errorf("%+v: %s", f, why)
	}
	files["README.md"] =
		"# gull\n\n```html\n<link href=\"looks/reef.css\">\n<script src=\"dist/gull.js\"></script>\n```\n"
	if f, why := describe(t, "gull-1.0.0.zip", files).main(Stylesheet); f == nil || f.Path != "looks/reef.css" ||
		why != "its readme shows it" {
		t.Errorf("%+v: %s", f, why)
	}
}

// TestModulesBringTheirParts: what a module imports from beside it comes along, and what that imports too; packages do
// not.
func TestModulesBringTheirParts(t *testing.T) {
	files := library{
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
}

// TestToldByContent: a manifest, a folder of installed packages and a file that runs a build are reported by what they
// say, whatever they are called.
func TestToldByContent(t *testing.T) {
	const manifest = `{"name": "%s", "version": "1.0.0", "main": "index.js"}`
	d := describe(t, "winch-1.0.0.zip", map[string]string{
		"about.json":   strings.Replace(manifest, "%s", "winch", 1),
		"strings.json": `{"name": "Winch", "hello": "world"}`,
		"winch.js":     "window.winch = {};",
		"steps.js": "const fs = require('fs');\nmodule.exports = function () { return " +
			"fs.readFileSync(__dirname + '/x'); };",
		"others/rope/about.json":    strings.Replace(manifest, "%s", "rope", 1),
		"others/rope/rope.js":       "window.rope = {};",
		"others/@gull/oar/any.json": strings.Replace(manifest, "%s", "@gull/oar", 1),
		"others/@gull/oar/oar.js":   "window.oar = {};",
		"parts/mast/mast.js":        "window.mast = {};",
		"parts/mast/colours.json":   `{"name": "blue"}`,
	})
	if d.Name != "winch" || d.NameFrom != "about.json" || d.Version != "1.0.0" || d.File("about.json").Kind != About ||
		d.File("strings.json").Kind != Data {
		t.Errorf("%s (%s) %s, %s, %s", d.Name, d.NameFrom, d.Version, d.File("about.json").Kind,
			d.File("strings.json").Kind)
	}
	for name, want := range map[string]string{"steps.js": "tools", "others/rope/rope.js": "other packages",
		"others/@gull/oar/oar.js": "other packages", "parts/mast/mast.js": "", "winch.js": ""} {
		if got := d.File(name).ExcludedBecause; got != want {
			t.Errorf("%s is set apart as %q, want %q", name, got, want)
		}
	}
}

// TestModuleBuilds: a page gets the modules that a page can run, whatever the manifest names for bundlers; and the form
// requested.
func TestModuleBuilds(t *testing.T) {
	bundled := "if (process.env.NODE_ENV === 'production') {\n  globalThis.quiet = 1;\n}\nexport const fog = 1;\n"
	files := library{"package.json": `{"name":"fog","version":"1.0.0","exports":{".":"./dist/fog.mjs","./horn":"./` +
		`dist/horn.mjs"}}`,
		"dist/fog.mjs": bundled, "dist/fog.prod.mjs": "export const fog=1;",
		"dist/fog.dev.prod.mjs": "export const fog = 1;\n\nexport const more = 2;\n",
		"dist/horn.mjs":         "export const horn = 1;\n", "other/fog.prod.mjs": "export const fog = 2;\n",
		"dist/fog.prod.cjs": "module.exports = 1;\n"}
	list := describe(t, "fog-1.0.0.tgz", files).Specifiers()
	if list["fog"] != "dist/fog.dev.prod.mjs" || list["fog/horn"] != "dist/horn.mjs" {
		t.Errorf("names lead to %q", list)
	}
	if list := describe(t, "fog-1.0.0.tgz", library{"package.json": files["package.json"], "dist/fog.mjs": bundled,
		"dist/horn.mjs": "export {};\n"}).Specifiers(); list["fog"] != "dist/fog.mjs" {
		t.Errorf("where there is no other, fog leads to %q", list["fog"])
	}
	two := describe(t, "gunwale-1.0.0.tgz",
		library{"package.json": `{"name":"gunwale","module":"dist/gunwale.mjs","main":"dist/gunwale.js"}`,
			"dist/gunwale.js": umd, "dist/gunwale.mjs": "export const gunwale = 1;\n"})
	for form, want := range map[script.Form]string{script.Module: "dist/gunwale.mjs",
		script.Classic: "dist/gunwale.js"} {
		if o, ok := two.InForm(form); !ok || strings.Join(o.Files, " ") != want {
			t.Errorf("as %s it is %q, wanted %s", form, o.Files, want)
		}
	}
	if o, ok := describe(t, "winch-1.0.0.zip", library{"winch.js": readable}).InForm(script.Module); ok {
		t.Errorf("a plain script is offered as a module: %q", o.Files)
	}
}

// TestStylesheetWithoutItsScript: where a module is what a library is, and no page can have it, that is said beside a
// stylesheet that is chosen; of a library of styles with a file for servers nothing is said.
func TestStylesheetWithoutItsScript(t *testing.T) {
	for manifest, says := range map[string]bool{`{"name":"winch","module":"es/index.js"}`: true,
		`{"name":"winch","main":"lib/index.js"}`: false} {
		s := describe(t, "x.tgz", library{"package.json": manifest, "lib/index.js": cjs,
			"es/index.js": "import x from '../lib/index.js';\nexport default x;\n", "dist/winch.css": css}).Suggest()
		if got := strings.Join(s.Paths(), " "); got != "dist/winch.css" || (len(s.Notes) > 0) != says {
			t.Errorf("%s: %s, and says %q", manifest, got, s.Notes)
		}
	}
}
