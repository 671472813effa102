package script

import (
	"strings"
	"testing"
	"time"

	"github.com/tdewolff/minify/v2"
	minjs "github.com/tdewolff/minify/v2/js"
)

// A sample is a made-up script in one of the ways that libraries are wrapped, with what is to be known
// of it. Optional and later needs are written with "?" and "~".
type sample struct {
	name, src string
	form      Form
	defines   string
	needs     string
	year      int
}

const body = `
  function turn(n) {
    return n * 2;
  }
`

var corpus = []sample{
	{"plain var", `var winch = { turn: function (n) { return n * 2; } };`, Classic, "winch", "", 2009},
	{"plain function", `function winch(n) { return n; }`, Classic, "winch", "", 2009},
	{"lexical", `const winch = (n) => n * 2; let crank = 1;`, Classic, "crank winch", "", 2015},
	{"IIFE to window", `(function () {` + body + `window.winch = turn; })();`, Classic, "winch", "", 2009},
	{"IIFE with parameters", `(function (window, document, undefined) {` + body + `window.winch = turn; })(window, ` +
		`document);`, Classic, "winch", "", 2009},
	{"IIFE on this", `(function () {` + body + `this.winch = turn; }).call(this);`, Classic, "winch", "", 2009},
	{"bang function", `!function (w) {` + body + `w.winch = turn; }(window);`, Classic, "winch", "", 2009},
	{"unary plus", `+function ($) {` + body + `$.fn.turn = turn; }(oarlock);`, Classic, "", "oarlock", 2009},
	{"assigned IIFE", `var winch = (function () {` + body + `return { turn: turn }; })();`, Classic, "winch", "", 2009},
	{"implicit global", `(function () {` + body + `winch = turn; })();`, Classic, "winch", "", 2009},
	{"globalThis", `(function () {` + body + `globalThis.winch = turn; })();`, Classic, "winch", "", 2009},
	{"Function this", `(function (root) {` + body + `root.winch = turn; })(Function("return this")());`, Classic,
		"winch", "", 2009},
	{"computed name", `(function (root) { var name = "winch"; root[name] = function () {}; })(self);`, Classic, "winch",
		"", 2009},
	{"defineProperty", `Object.defineProperty(window, "winch", { value: 1 });`, Classic, "winch", "", 2009},
	{"Object.assign", `Object.assign(window, { winch: 1, crank: 2 });`, Classic, "crank winch", "", 2009},
	{"namespace", `var Boat = Boat || {}; Boat.winch = function () {};`, Classic, "Boat", "", 2009},
	{"window namespace", `window.Boat = window.Boat || {}; Boat.winch = function () {};`, Classic, "Boat", "", 2009},
	{"noConflict", `(function (w) { var old = w.winch; function winch() {} winch.noConflict = function () { ` +
		`w.winch = ` +
		`old; return winch; }; w.winch = winch; })(window);`, Classic, "winch", "", 2009},

	{"UMD, all branches", `(function (root, factory) {
  if (typeof define === "function" && define.amd) { define([], factory); }
  else if (typeof module === "object" && module.exports) { module.exports = factory(); }
  else { root.winch = factory(); }
})(this, function () {` + body + `return turn; });`, Universal, "winch", "", 2009},
	{"UMD with a need", `(function (root, factory) {
  if (typeof define === "function" && define.amd) { define(["oarlock"], factory); }
  else if (typeof exports === "object") { module.exports = factory(require("oarlock")); }
  else { root.winch = factory(root.oarlock); }
}(typeof self !== "undefined" ? self : this, function (oarlock) {` + body + `oarlock.fn.turn = turn; return turn; }));`, Universal, "winch", "oarlock", 2009},
	{"UMD, need kept for later", `(function (root, factory) {
  if (typeof define === "function" && define.amd) { define(["oarlock"], factory); } else { root.winch = factory(root.oarlock); }
}(this, function (oarlock) { return { turn: function () { return oarlock("a"); } }; }));`, Universal, "winch", "oarlock", 2009},
	{"UMD by conditional", `!function (e, t) { "object" == typeof exports && "undefined" != typeof module ? ` +
		`t(exports) : "function" == typeof define && define.amd ? define(["exports"], t) : t((e = "undefined" != ` +
		`typeof globalThis ? globalThis : e || self).winch = {}); }(this, function (e) { e.turn = function () {}; });`,
		Universal, "winch", "", 2009},
	{"UMD by conditional, with a need", `(function (global, factory) {
  typeof exports === "object" && typeof module !== "undefined" ? module.exports = factory(require("oarlock")) :
  typeof define === "function" && define.amd ? define(["oarlock"], factory) :
  (global = global || self, global.winch = factory(global.oarlock));
})(this, function (oarlock) { "use strict"; oarlock = oarlock && oarlock.hasOwnProperty("default") ? oarlock["default"] : oarlock; return oarlock.make(); });`, Universal, "winch", "oarlock", 2009},
	{"bundler's UMD", `(function packUniversal(root, factory) {
  if (typeof exports === "object" && typeof module === "object") module.exports = factory();
  else if (typeof define === "function" && define.amd) define([], factory);
  else if (typeof exports === "object") exports["winch"] = factory();
  else root["winch"] = factory();
})(window, function () { return (function (modules) {
  function load(id) { var m = { exports: {} }; modules[id].call(m.exports, m, m.exports, load); return m.exports; }
  return load(0);
})([function (module, exports, load) { module.exports = load(1); }, function (module, exports) { module.exports = function () {}; }]); });`, Universal, "winch", "", 2009},
	{"bundle with a need inside", `(function (modules) {
  function load(id) { var m = { exports: {} }; modules[id](m, m.exports, load); return m.exports; }
  load(0);
})([function (module, exports, load) { var o = load(1); window.winch = o; }, function (module, exports) { module.exports = oarlock.make("div"); }]);`, Classic, "winch", "oarlock", 2009},
	{"standalone by browser bundle", `(function (f) { if (typeof exports === "object" && typeof module !== ` +
		`"undefined") { module.exports = f(); } else if (typeof define === "function" && define.amd) { ` +
		`define([], f); ` +
		`} else { var g; if (typeof window !== "undefined") { g = window; } else if (typeof global !== ` +
		`"undefined") { ` +
		`g = global; } else if (typeof self !== "undefined") { g = self; } else { g = this; } g.winch = f(); } ` +
		`})(function () { return {}; });`, Universal, "winch", "", 2009},
	{"global first, then loaders", `(function () { var winch = function () {}; window.winch = winch; if (typeof ` +
		`define === "function" && define.amd) { define("winch", [], function () { return winch; }); } })();`, Universal,
		"winch", "", 2009},
	{"exports or window", `(function (exports) { exports.winch = function () {}; })(typeof exports === "undefined" ? ` +
		`this : exports);`, Universal, "winch", "", 2009},
	{"plugin by loader or global", `(function (factory) { if (typeof define === "function" && define.amd) { ` +
		`define(["oarlock"], factory); } else if (typeof module === "object" && module.exports) { module.exports = ` +
		`factory; } else { factory(oarlock); } }(function ($) { $.fn.turn = function () { return this; }; }));`,
		Universal, "", "oarlock", 2009},

	{"AMD only", `define(["oarlock"], function (oarlock) { return { turn: oarlock }; });`, AMD, "", "", 2009},
	{"named AMD", `define("winch", ["require", "exports"], function (require, exports) { exports.turn = 1; });`, AMD,
		"", "", 2009},
	{"CommonJS", `var oarlock = require("oarlock"); module.exports = function () { return oarlock; };`, Server, "", "",
		2009},
	{"CommonJS exports", `"use strict"; Object.defineProperty(exports, "__esModule", { value: true }); ` +
		`exports.turn = ` +
		`function () {};`, Server, "", "", 2009},
	{"server with process", `if (process.env.NODE_ENV === "production") { module.exports = require("./a.min.js"); } ` +
		`else { module.exports = require("./a.js"); }`, Server, "", "", 2009},
	{"ES module", `import { oarlock } from "./oarlock.js"; export function winch() { return oarlock; }`, Module, "", "",
		2015},
	{"ES module default", `const winch = () => 1; export default winch;`, Module, "", "", 2015},
	{"ES module with global", `export const a = 1; window.winch = a;`, Module, "winch", "", 2015},

	{"hard need, free name", `oarlock(function () { oarlock("a"); });`, Classic, "", "oarlock", 2009},
	{"hard need, window", `window.oarlock.fn.turn = function () {};`, Classic, "", "oarlock", 2009},
	{"throws without", `(function ($) { if (!$) { throw new Error("no"); } window.winch = 1; })(window.oarlock);`,
		Classic, "winch", "oarlock", 2009},
	{"power of a step down", "var winch = { a: t => --t ** 3 + 1, b: t => { return ++t ** 2 } };", Classic, "winch", "",
		2015},
	{"defaults of what is taken apart", "var winch = (a, b = {}, {rope, knots: [k, l]} = {\n  rope: ')', knots: [1, " +
		"2]}) => oarlock(rope);\nvar crank = ([a] = ['('], c = {d: 1}) => a;", Classic, "crank winch", "oarlock~",
		2015},
	{"short question for a loader", `var need = (e => typeof require < "u" ? require : e)(function () { if (typeof ` +
		`require < "u") return require.apply(this, arguments); }); var winch = 1;`, Universal, "need winch", "", 2015},
	{"taken away on demand", `window.winch = { gone: function () { delete window.winch; } };`, Classic, "winch", "",
		2009},
	{"a module of its own", "var winch = 1;\n" + strings.Repeat("winch = 2;\n", 50) + "var module = window.module = " +
		"window.module || {}; module.rope = 1;", Universal, "module winch", "", 2009},
	{"given and taken away", `window.winch = 1; window.rope = 2; delete window.rope;`, Classic, "winch", "", 2009},
	{"typeof throws without", `if (typeof oarlock === "undefined") { throw new Error("no"); } var winch = 1;`, Classic,
		"winch", "oarlock", 2009},
	{"optional need", `(function () { if (window.oarlock) { oarlock.fn.turn = 1; } window.winch = 1; })();`, Classic,
		"winch", "oarlock?", 2009},
	{"optional by typeof", `if (typeof oarlock !== "undefined") { oarlock.fn.turn = 1; } var winch = 1;`, Classic,
		"winch", "oarlock?", 2009},
	{"optional by and", `window.oarlock && (oarlock.fn.turn = 1);`, Classic, "", "oarlock?", 2009},
	{"alternatives", `(function ($) { $.fn.turn = 1; })(window.oarlock || window.rowlock);`, Classic, "",
		"oarlock|rowlock", 2009},
	{"used later", `document.addEventListener("click", function () { oarlock("a"); });`, Classic, "", "oarlock~", 2009},
	{"used later by own function", `function go() { oarlock("a"); }`, Classic, "go", "oarlock~", 2009},
	{"subclass", `class Winch extends Capstan { turn() { return 1; } }`, Classic, "Winch", "Capstan", 2015},
	{"part of a core", `tidechart.addTheme("dark", { ink: "#000" });`, Classic, "", "tidechart", 2009},
	{"part of a core, guarded", `(function () { if (!window.tidechart) { return; } tidechart.addTheme("dark"); })();`,
		Classic, "", "tidechart?", 2009},
	{"own name inside", `(function () { var oarlock = {}; oarlock.fn = 1; window.winch = oarlock; })();`, Classic,
		"winch", "", 2009},
	{"browser's names", `var a = new XMLHttpRequest(), b = document.body, c = Math.max(1, 2), d = window.innerWidth, ` +
		`e = onload, f = HTMLElement;`, Classic, "a b c d e f", "", 2009},
	{"try", `try { oarlock.fn.turn = 1; } catch (e) { }`, Classic, "", "oarlock?", 2009},
	{"forEach at once", `["a"].forEach(function (n) { window[n] = oarlock; oarlock(n); });`, Classic, "", "oarlock",
		2009},

	{"2016", `var a = 2 ** 3;`, Classic, "a", "", 2016},
	{"2017", `async function a() { await 1; }`, Classic, "a", "", 2017},
	{"2018", `var a = { ...{} };`, Classic, "a", "", 2018},
	{"2019", `try { a(); } catch { } function a() { }`, Classic, "a", "", 2019},
	{"2020", `var a = window?.b ?? 1;`, Classic, "a", "b?", 2020},
	{"2020 BigInt", `var a = 10n;`, Classic, "a", "", 2020},
	{"2021", `var a; a ??= 1_000;`, Classic, "a", "", 2021},
	{"2022", `class A { #b = 1; c() { return this.#b; } }`, Classic, "A", "", 2022},
	{"a default for a member", `(function (w) { var a = w.oarlock.fn || {}; a.turn = 1; })(window);`, Classic, "",
		"oarlock", 2009},
	{"a question at the end of a row", `(function ($) { if ($.fn.turn = oarlock.turn, !$.fn.turn.version) { ` +
		`$.fn.turn.version = 1; } })(window.rowlock);`, Classic, "", "oarlock rowlock", 2009},
	{"kept among defaults", `(function () { function Winch() {} Winch.DEFAULTS = { paint: window.brine, turns: 1 }; ` +
		`window.Winch = Winch; })();`, Classic, "Winch", "brine~", 2009},
	{"handed to another library", `(function () { var form = oarlock.template("<p>", null, this.settings); ` +
		`window.Form = form; }).call(this);`, Classic, "Form", "oarlock settings~", 2009},
	{"asks for what nobody has", `(function (root, factory) { if (typeof define === "function" && define.amd) { ` +
		`define(["oarlock"], factory); } else if (typeof modules === "object" && module.exports) { module.exports = ` +
		`factory(require("oarlock")); } else { factory(oarlock); } }(this, function (o) { o.turn = 1; return o; }));`,
		Universal, "", "modules? oarlock", 2009},
	{"called without new", `(function (g) { function Winch(o) { if (!(this instanceof Winch)) { return new Winch(o); ` +
		`} this.turns = 1; } Winch(); g.Winch = Winch; })(window);`, Classic, "Winch", "", 2009},
	{"called without new, by prototype", `(function (g, f) { g.Winch = f(); })(this, function () { function Winch(o) ` +
		`{ var plain = typeof this === "undefined" || Object.getPrototypeOf(this) !== Winch.prototype; if (plain) { ` +
		`return new Winch(o); } this.turns = 1; Object.defineProperty(this, "rope", { get: function () { return 1; } ` +
		`}); } Winch(); return Winch; });`, Classic, "Winch", "", 2009},
	{"called without new, by constructor", `(function (g) { function Winch(o) { return this.constructor === Winch ? ` +
		`(this.turns = 1, this) : new Winch(o); } Winch(); g.Winch = Winch; })(window);`, Classic, "Winch", "", 2009},
	{"helper where it is there", `(function () { var $ = window.oarlock || window.rowlock, has = typeof $ === ` +
		`"function" ? $ : null; window.winch = { find: function (n) { return has ? has(n) : ` +
		`document.querySelectorAll(n); }, clean: function (n) { if ($) { $.clean([n]); } } }; })();`, Classic, "winch",
		"oarlock|rowlock?", 2009},
	{"helper for later", `(function (root) { var Winch = function (o) { this.paint = o.paint || root.brine; if ` +
		`(this.paint) { this.paint.set({}); } }; Winch.prototype.show = function (t) { return window.brine.show(t); ` +
		`}; root.Winch = Winch; })(this);`, Classic, "Winch", "brine~", 2009},
	{"registers where it may", `(function (f) { if (typeof oarlock !== "undefined") { f(oarlock); } if ` +
		`(typeof module ` +
		`!== "undefined") { module.exports = f; } })(function (o) { o.use("knots", function () {}); }); typeof ` +
		`tidechart !== "undefined" && tidechart.register({ id: "knots" });`, Universal, "", "oarlock? tidechart?",
		2009},
	{"add-on of an add-on", `(function (factory) { if (typeof define === "function" && define.amd) { ` +
		`define(["oarlock", "oarlock-stage"], factory); } else { factory(oarlock); } })(function ($) { ` +
		`$.fn.stage.defaults.knot = 1; $.extend($.fn.stage.methods, { tie: function () {} }); });`, Universal, "",
		"oarlock", 2009},
	{"class on a namespace", `(function () { var k = "undefined" != typeof globalThis ? globalThis : self; k.Winch = ` +
		`class extends k.Rope.Base {}; })();`, Classic, "Winch", "Rope", 2015},
	{"packed with what calls for it", `var Winch = (() => { var need = (r => typeof require !== "undefined" ` +
		`? require ` +
		`: r)(function (r) { if (typeof require !== "undefined") return require.apply(this, arguments); throw ` +
		`Error(r); }); var lazy = (f, m) => () => (m || f((m = { exports: {} }).exports, m), m.exports); var rope = ` +
		`lazy((e, m) => { m.exports = { a: 1 }; }); return rope(); })();`, Universal, "Winch", "", 2015},
	{"two needs by one wrapper", `(function (root, factory) { if (typeof exports === "object") { module.exports = ` +
		`factory(require("rope"), require("knots")); } else if (typeof define === "function" && define.amd) { ` +
		`define(["rope", "knots"], factory); } else { root.Winch = factory(root.Rope, root.Knots.core); } })(self, ` +
		`function (rope, knots) { return { tie: rope.tie(knots) }; });`, Universal, "Winch", "Knots Rope", 2009},
	{"namespace of several levels", `var Boat = Boat || {}; Boat.deck = Boat.deck || {}; Boat.deck.winch = (function ` +
		`(self) { self.turn = 1; return self; })(Boat.deck.winch || {});`, Classic, "Boat", "", 2009},
	{"locale for a core", `(function (global, factory) { typeof exports === "object" && typeof module !== ` +
		`"undefined" ` +
		`? factory(require("../tidechart")) : typeof define === "function" && define.amd ? define(["../tidechart"], ` +
		`factory) : factory(global.tidechart); }(this, function (tidechart) { "use strict"; ` +
		`tidechart.addTongue("nl", ` +
		`{ high: "hoog" }); }));`, Universal, "", "tidechart", 2009},
	{"loader that is given back", `var old = window.winch; window.winch = { give: function () { window.winch = ` +
		`old; } };`, Classic, "old winch", "", 2009},

	{"broken", `function ( {`, Broken, "", "", 0},
}

func needsText(r *Report) string {
	var list []string
	for _, n := range r.Needs {
		s := n.Name
		for _, or := range n.Or {
			s += "|" + or
		}
		list = append(list, s+map[Strength]string{Optional: "?", Later: "~"}[n.Strength])
	}
	return strings.Join(list, " ")
}

func definesText(r *Report) string {
	var list []string
	for _, g := range r.Defines {
		list = append(list, g.Name)
	}
	return strings.Join(list, " ")
}

// TestCorpus is the measure of what is reported right: every sample as written and minified. Minifying
// keeps top-level names and may rewrite what a year's syntax is reported by, so years are held on the
// readable form.
func TestCorpus(t *testing.T) {
	m := minify.New()
	minifier := &minjs.Minifier{KeepVarNames: false, Version: 2009}
	total, right := 0, 0
	var tp, fp, fn int
	for _, s := range corpus {
		short, err := m.String("", s.src)
		_ = err
		var b strings.Builder
		if err := minifier.Minify(m, &b, strings.NewReader(s.src), nil); err == nil {
			short = b.String()
		}
		for i, src := range []string{s.src, short} {
			if i == 1 && (s.form == Broken || short == "") {
				continue
			}
			total++
			r := Analyze([]byte(src))
			ok := r.Form == s.form && definesText(r) == s.defines && needsText(r) == s.needs &&
				(i == 1 || r.Syntax == s.year)
			count(r, s, &tp, &fp, &fn)
			if ok {
				right++
				continue
			}
			t.Errorf("%s (%s):\n got %s, defines %q, needs %q, %d\nwant %s, defines %q, needs %q, %d\n%s", s.name,
				[]string{"readable", "minified"}[i],
				r.Form, definesText(r), needsText(r), r.Syntax, s.form, s.defines, s.needs, s.year, src)
		}
	}
	t.Logf("%d of %d scripts told right; needs and definitions: precision %.3f, recall %.3f", right, total,
		float64(tp)/float64(tp+fp), float64(tp)/float64(tp+fn))
}

func count(r *Report, s sample, tp, fp, fn *int) {
	got := append(strings.Fields(definesText(r)), strings.Fields(needsText(r))...)
	want := append(strings.Fields(s.defines), strings.Fields(s.needs)...)
	have := map[string]bool{}
	for _, w := range want {
		have[w] = true
	}
	hits := 0
	for _, g := range got {
		if have[g] {
			hits++
		} else {
			*fp++
		}
	}
	*tp += hits
	*fn += len(want) - hits
}

func TestEvidenceHasAPlace(t *testing.T) {
	r := Analyze([]byte("\ufeffvar a = 1;\n  (function () {\n    oarlock.fn.turn = a;\n  })();\n"))
	if len(r.Needs) != 1 || r.Needs[0].Line != 3 || r.Needs[0].Column != 5 || !r.Needs[0].Extends {
		t.Errorf("needs are %+v", r.Needs)
	}
	r = Analyze([]byte("var a = 1;\nvar b = ;\n"))
	if r.Form != Broken || r.SyntaxErrorLine != 2 || r.SyntaxError == "" {
		t.Errorf("a broken script is told as %+v", r)
	}
}

// TestHostileScripts: code made to exhaust the reader ends in time.
func TestHostileScripts(t *testing.T) {
	for name, src := range map[string]string{
		"nested groups":    strings.Repeat("(", 1<<20),
		"nested blocks":    strings.Repeat("{", 1<<20),
		"nested functions": strings.Repeat("function a(){", 1<<18),
		"long sum":         "a=1" + strings.Repeat("+1", 1<<20),
		"nested calls":     strings.Repeat("a(", 1<<18) + strings.Repeat(")", 1<<18),
		"members":          "a" + strings.Repeat(".b", 1<<19),
		"recursion":        "function f(g){ return f(f(f(g)))}; f(f)",
		"nested bindings":  "var " + strings.Repeat("[", 3<<20),
		"NULs":             strings.Repeat("\x00", 1000),
	} {
		from := time.Now()
		r := analyze([]byte(src))
		if took := time.Since(from); took > time.Minute {
			t.Errorf("%s took %v", name, took)
		}
		if nested := strings.HasPrefix(name, "nested") && name != "nested calls"; nested && r.Form != Broken ||
			len(r.Defines) > 1 || r.SyntaxError == "" && r.Form == Broken {
			t.Errorf("%s is told as %s, defines %v: %s", name, r.Form, r.Defines, r.SyntaxError)
		}
	}
}

// TestNestedOnce: whatever nests in what, each piece is followed once, or a script of a hundred levels would never end.
func TestNestedOnce(t *testing.T) {
	for _, form := range []string{"f.call(a, X)", "X.call(a)", "X.apply(a, b)", "X.bind(a)", "(a + X.call(b)).c(d)",
		"(s = X) != null ? s : h", "((s = X.call(a)) ? s : '') + b", "X && a", "a && X", "X || a", "X ? a : b",
		"a ? X : b", "a ? b : X", "!X", "typeof X", "typeof X < 'u'",
		"void X", "delete X.a", "a = X", "[X]", "{ a: X }", "new (X)(a)", "new A(X)", "X.a", "X[a]", "a[X]", "(X, a)",
		"(function () { return X })()", "(() => X)()", "(function (p) { return p })(X)", "X == a", "X === undefined",
		"X < a", "X in a", "'b' in X", "X instanceof a",
		"X?.a", "a?.(X)", "`${X}`", "Object.assign(a, X)", "Object.defineProperty(window, 'a', { value: X })",
		"define(['a'], X)", "X.forEach(a)", "a.forEach(function () { X })", "window[X]", "(X)()", "X ?? a", "a ||= X",
		"[...X]", "f(...X)", "await X", "yield X", "class extends X {}"} {
		text := "a"
		for range 120 {
			piece := "(" + strings.Replace(form, "X", text, 1) + ")"
			if strings.HasPrefix(form, "await") {
				piece = "(async () => " + piece + ")"
			}
			text = piece
		}
		done := make(chan *Report, 1)
		go func() { done <- analyze([]byte("var w = " + text + ";")) }()
		select {
		case <-done:
		case <-time.After(20 * time.Second):
			t.Fatalf("%s does not come to an end", form)
		}
	}
}

func FuzzAnalyze(f *testing.F) {
	for _, s := range corpus {
		f.Add([]byte(s.src))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		r := analyze(b)
		for _, n := range r.Needs {
			for _, d := range r.Defines {
				if n.Name == d.Name {
					t.Fatalf("%q: %s is needed and defined", b, n.Name)
				}
			}
		}
	})
}
