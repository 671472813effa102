package e2e

import (
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestNeedsShown: what a library's readme shows on the page before it, and its scripts make use of, is taken, whoever
// declares it; so is what it is made for by its name, and of a base that stands under two of its needs one version.
func TestNeedsShown(t *testing.T) {
	t.Parallel()
	s, r := merrytest.Registered(t)
	publish := func(name, version, more, readme string, files ...string) {
		t.Helper()
		manifest := `{"name":"` + name + `","version":"` + version + `"` + more + `}`
		all := map[string][]byte{"package.json": []byte(manifest),
			"README.md": []byte("# " + name + "\n\n```html\n" + readme + "```\n")}
		for i := 0; i < len(files); i += 2 {
			all[files[i]] = []byte(files[i+1])
		}
		if err := r.Publish(name, version, all); err != nil {
			t.Fatal(err)
		}
	}
	add := "Davit.fn.lift = function () {\n  return 1;\n};\n"
	publish("davit", "1.0.0", "", "", "davit.js", "window.Davit = { fn: {}, old: function () {} };\n")
	publish("davit", "2.0.0", "", "", "davit.js", "window.Davit = { fn: {} };\n")
	publish("davit-lift", "1.0.0", `,"dependencies":{"davit":">=1.0.0 <3.0.0"}`, "", "davit-lift.js", add)
	publish("waves", "0.7.0", "", "", "waves.js", "window.WAVES = {};\n")
	publish("waves", "0.9.0", "", "", "waves.js", "window.WAVES = {};\n")
	publish("tide-frame", "1.0.0", "", "", "tide-frame.css", ".tide-row {\n  margin: 0;\n}\n.tide-cell {\n"+
		"  margin: 0;\n}\n", "tide-frame.js", "window.TideFrame = {};\n")
	publish("davit-waypoint", "1.0.0", `,"dependencies":{"davit":"^2.0.0"}`, "", "davit-waypoint.js",
		"Davit.fn.waypoint = function () {};\n")
	publish("spray", "1.0.0", "", `<script src="https://cdn.harbour.example/waves/r7/waves.js"></script>`+"\n"+
		`<script src="spray.js"></script>`+"\n", "spray.js", "(function () {\n  var w = window.WAVES || {};\n"+
		"  window.Spray = function () {\n    return new w.Scene();\n  };\n})();\n")
	publish("counts", "1.0.0", `,"dependencies":{"davit":"^2.0.0"}`, `<script src="davit-waypoint.js"></script>`+"\n"+
		`<script src="counts.js"></script>`+"\n", "counts.js", "Davit.fn.counts = function () {\n"+
		"  var me = this;\n  return me.waypoint(function () {});\n};\n")
	publish("trees", "1.0.0", "", `<link rel="stylesheet" href="tide-frame.css">`+"\n"+
		`<script src="trees.js"></script>`+"\n", "trees.js", "window.Trees = function () {\n"+
		"  return '<b class=\"tide-row\"><i class=\"tide-cell\">';\n};\n")
	publish("alone", "1.0.0", "", `<script src="waves.js"></script>`+"\n"+`<script src="alone.js"></script>`+"\n",
		"alone.js", "window.Alone = function () {\n  return 1;\n};\n")
	publish("davit-plugin-boom", "1.0.0", `,"peerDependencies":{"davit":"2.x"}`, "", "davit-plugin-boom.js",
		"window.Boom = function () {\n  return 1;\n};\n")
	publish("lift-add", "1.0.0", "", "<script src=\"davit-lift.js\"></script>\n<script src=\"lift-add.js\"></script>\n",
		"lift-add.js", "(function (d) {\n  if (typeof d === 'undefined') return;\n  d.fn.lift.more = function () {\n"+
			"    d.old();\n  };\n})(Davit);\n")
	publish("davit-slack", "1.0.0", "", "", "davit-slack.js", "(function (root) {\n  var host = root.Davit || "+
		"(root.Slack = root.Slack || {});\n  host.slack = function () {\n    return 1;\n  };\n})(window);\n")
	publish("handed", "1.0.0", "", "", "handed.js", "(function (f) {\n  window.handed = f(window.Davit);\n})(function "+
		"(d) {\n  return { show: function () {\n    return d.old();\n  } };\n});\n")
	publish("stell", "1.0.0", `,"dependencies":{"davit":"1 || 2"}`, "```\n\n```js\n(Davit.fn).stell();\n", "stell.js",
		"Davit.fn.stell = function () {\n  return Davit[['o', 'ld'].join('')]();\n};\n")
	publish("davit-knot", "1.0.0", `,"dependencies":{"davit":"^1.0.0"}`, "", "davit-knot.js",
		"Davit.fn.knot = function () {\n  return 1;\n};\n")
	publish("rig", "1.0.0", `,"dependencies":{"davit":"1 || 2","davit-knot":"^1.0.0"}`, "", "rig.js",
		"window.Rig = Davit.fn.knot();\n")
	s.Fail(0, []string{"merry take 'tide-frame@1.0.0' --files tide-frame.css", "it is not a declared dependency"},
		"take", "trees", "--dry-run")
	for _, tt := range []struct{ name, want, not string }{
		{"rig", "js/davit-knot.js", ""},
		{"davit-slack", "js/davit.js", ""},
		{"handed", "js/davit.js", ""},
		{"stell", "js/davit.js", ""},
		{"spray", "js/waves.js", ""},
		{"counts", "js/davit-waypoint.js", ""},
		{"trees", "css/tide-frame.css", "tide-frame.js"},
		{"alone", "js/alone.js", "waves.js"},
		{"davit-plugin-boom", "js/davit.js", ""},
		{"lift-add", "js/davit-lift.js", ""},
	} {
		s.Write("use.html", merrytest.PlainPage)
		out := s.Run("take", tt.name, "--with-needs", "--page", "use.html")
		page := s.Read("use.html")
		if !strings.Contains(page, tt.want) || tt.not != "" && strings.Contains(page, tt.not) {
			t.Errorf("%s: take says\n%sand the page is\n%s", tt.name, out, page)
		}
		switch list := s.Read("crate.yaml"); {
		case tt.name == "spray" && !strings.Contains(list, "version: 0.7.0"):
			t.Errorf("the version that the readme shows was not taken:\n%s", list)
		case slices.Contains([]string{"lift-add", "handed", "stell", "rig"}, tt.name) &&
			strings.Contains(list, "version: 2.0.0"):
			t.Errorf("a base was taken that lacks what the add-on uses:\n%s", list)
		}
		s.Run("undo")
	}
}

// TestModuleInstead: a plain script that counts on a bundler for its dependencies stops on a page, so the module is
// taken; a build whose global is an object with the library in it gives way to one whose global is that.
func TestModuleInstead(t *testing.T) {
	t.Parallel()
	s, r := merrytest.Registered(t)
	for name, files := range map[string]map[string]string{
		"davit": {"package.json": `{"name":"davit","version":"1.0.0","module":"davit.mjs"}`,
			"davit.mjs": "export function lift() {\n  return 1;\n}\n"},
		"crane": {"package.json": `{"name":"crane","version":"1.0.0","main":"dist/crane.js",` +
			`"module":"dist/crane.mjs","dependencies":{"davit":"^1.0.0"}}`,
			"dist/crane.mjs": "import { lift } from 'davit';\nexport const up = lift;\n",
			"dist/crane.js": "(function (root, factory) {\n  if (typeof module === 'object' && module.exports)\n" +
				"    module.exports = factory(require('davit'));\n  else if (typeof define === 'function' &&\n" +
				"    define.amd) define(['davit'], factory);\n  else root.Crane = factory(root[undefined]);\n})(this," +
				" function (davit) {\n  return { up: davit.lift() };\n});\n"},
		"buoy": {"package.json": `{"name":"buoy","version":"1.0.0","main":"dist/buoy.umd.js"}`,
			"dist/buoy.umd.js": "(function (root, factory) {\n  if (typeof module === 'object' && module.exports)\n" +
				"    module.exports = factory();\n  else if (typeof define === 'function' && define.amd)\n" +
				"    define([], factory);\n  else root.Buoy = factory();\n})(this, function () {\n" +
				"  function Buoy() {}\n  return { Buoy: Buoy };\n});\n",
			"dist/buoy.js": "var Buoy = (function () {\n  // The one thing that it is, for pages without a loader of " +
				"any\n  // kind, which is why no more of them is asked here than that\n  // they have it under its " +
				"name: no object holds it, nothing is exported,\n  // and no loader is asked.\n  function Buoy() {}\n" +
				"  return Buoy;\n})();\n"},
	} {
		all := map[string][]byte{}
		for file, text := range files {
			all[file] = []byte(text)
		}
		if err := r.Publish(name, "1.0.0", all); err != nil {
			t.Fatal(err)
		}
	}
	s.Write("use.html", merrytest.PlainPage)
	out := s.Run("take", "crane", "--with-needs", "--page", "use.html")
	says(t, s.Read("use.html"), `"davit":`, `src="js/crane.mjs" type="module"`)
	says(t, out, "counts on a bundler")
	s.Run("undo")
	out = s.Run("take", "buoy", "--page", "use.html")
	says(t, s.Read("use.html"), `src="js/buoy.js"`)
	says(t, out, "Buoy is what it is called")
}
