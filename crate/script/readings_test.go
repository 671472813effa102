package script

import "testing"

// TestReadings holds single readings: what a piece of code says of the globals around it.
func TestReadings(t *testing.T) {
	tests := []struct{ src, defines, needs string }{
		{`a.b.c.d();`, "", "a"},
		{`a["b"]();`, "", "a"},
		{`window.a?.(1);`, "", "a?"},
		{`const w = globalThis, b = w.a; b?.(1);`, "b w", "a?"},
		{`window.a?.b.c(1);`, "", "a?"},
		{`window["a"].b = 1;`, "", "a"},
		{`self.a.b();`, "", "a"},
		{`var w = window; w.a = 1;`, "a w", ""},
		{`(function () { var w = this; w.a = 1; })();`, "a", ""},
		{`(function () { "use strict"; window.a = b; })();`, "a", "b"},
		{`(() => { window.a = 1; })();`, "a", ""},
		{`new A();`, "", "A"},
		{`!function (t, e) { t.a = e(); }(Object("undefined" != typeof self ? self : this), () => 1);`, "a", ""},
		{`var x = new (window.A)();`, "x", "A"},
		{`x instanceof A; var x;`, "x", "A"},
		{`typeof a;`, "", "a?"},
		{`if (window.opera) { a(); } else { b(); }`, "", "b"},
		{`if (window.attachEvent) { a(); } b();`, "", "b"},
		{`var x = window.ActiveXObject ? a : b;`, "x", "b"},
		{`if (typeof setImmediate === "undefined") { a(); }`, "", "a"},
		{`typeof a === "function" && a();`, "", "a?"},
		{`null == window.a || a();`, "", "a?"},
		{`const w = window, b = w.a; void 0 === b || b(1);`, "b w", "a?"},
		{`!window.a || a.b();`, "", "a?"},
		{`"u" < typeof a || a.b();`, "", "a?"},
		{`var o; o || typeof a > "u" || (o = a);`, "o", "a?"},
		{`null == window.a || !a.b || a.c.d();`, "", "a?"},
		{`var x = a.b ? 1 : 2;`, "x", "a"},
		{`(function (a) { return a.b ? 1 : 2; })(window.a);`, "", "a"},
		{`(function (a) { if (a && a.b) { return 1; } })(window.a);`, "", "a?"},
		{`(function (a) { if (!a || !a.b) { return 1; } a.b.c(); })(window.a);`, "", "a?"},
		{`null == window.a || b();`, "", "a? b"},
		{`typeof a !== "undefined" ? a() : b();`, "", "a? b"},
		{`if (typeof a == "undefined") { b(); } else { a(); }`, "", "a? b"},
		{`"a" in window && a();`, "", "a?"},
		{`if (!window.a) { window.a = {}; } a.b = 1;`, "a", ""},
		{`a = window.a || {};`, "a", ""},
		{`var x = window.a || window.b || {};`, "x", "a|b? b?"},
		{`void 0 === window.a && b();`, "", "a? b"},
		{`try { a(); } finally { b(); }`, "", "a b"},
		{`for (var i = 0; i < a.length; i++) { b(i); }`, "i", "a b"},
		{`switch (a) { case b: c(); }`, "", "a b c"},
		{`label: while (a) { break label; }`, "", "a"},
		{`var x = a ? b : c;`, "x", "a b c"},
		{`(0, a.b)();`, "", "a"},
		{`setTimeout(function () { a(); });`, "", "a~"},
		{`new Promise(function (r) { a(); });`, "", "a"},
		{`[1].map(function () { return a; });`, "", "a"},
		{`[1].map(function () { return a(); });`, "", "a"},
		{`function f() { a(); } f();`, "f", "a"},
		{`function f() { a(); } document.onclick = f;`, "f", "a~"},
		{`var f = function () { return function () { a(); }; }; f()();`, "f", "a"},
		{`var o = { f: function () { a(); } }; o.f();`, "o", "a"},
		{`var o = {}; o.f = function () { a(); }; o.f();`, "o", "a"},
		{`class A { static { a(); } }`, "A", "a"},
		{`class A { m() { a(); } }`, "A", "a~"},
		{"tag`x`;", "", "tag"},
		{"var x = `${a()}`;", "x", "a"},
		{`(function () { var j = window.a, v = (function () { return j && j.b ? 1 : 0; })(); if (v > 0) { j.b.c = ` +
			`1; } })();`, "", "a?"},
		{`(function () { if (Math.random() > 2) { a.b(); } })();`, "", "a"},
		{`delete window.a;`, "", "a?"},
		{`var { a } = window; a();`, "a", ""},
		{`(function ({ a }) { a.b(); })(window);`, "", "a"},
		{`(function (a) { a = a || {}; a.b = 1; })(window.a);`, "", "a?"},
		{`(function f(n) { if (n) { f(n - 1); } window.g = f; })(3);`, "g", ""},
		{`Function("return this")().a = 1;`, "a", ""},
		{`(0, eval)("this").a = 1;`, "a", ""},
		{`document.defaultView.a = 1;`, "a", ""},
		{`window.onload = function () { a(); };`, "", "a~"},
		{`var x = event, y = name, z = HTMLVideoElement;`, "x y z", ""},
	}
	for _, tt := range tests {
		r := Analyze([]byte(tt.src))
		if got := definesText(r); got != tt.defines {
			t.Errorf("%s defines %q, want %q", tt.src, got, tt.defines)
		}
		if got := needsText(r); got != tt.needs {
			t.Errorf("%s needs %q, want %q", tt.src, got, tt.needs)
		}
	}
}

// TestOpens: a script that gives the page all that an object has defines more than is read; one that makes a name up
// for later does not.
func TestOpens(t *testing.T) {
	for text, want := range map[string]bool{
		"(function (root, make) {\n  if (typeof exports === 'object') { module.exports = make(); } else { var a = " +
			"make(); for (var i in a) (typeof exports === 'object' ? exports : root)[i] = a[i]; }\n" +
			"})(this, function () { return { hull: 1 }; });": true,
		"var made = { hull: 1 }; for (var name in made) { window[name] = made[name]; }": true,
		"var made = { hull: 1 }, name; for (name in made) self[name] = made[name];":     true,
		"var made = {}; for (var name in window) { made[name] = window[name]; }":        false,
		"function call(name) { window[name] = function () {}; }":                        false,
		"var list = { a: 1 }; for (var k in list) { list[k] = 2; } window['x'] = list;": false,
	} {
		if got := Analyze([]byte(text)).DefinesUnknown; got != want {
			t.Errorf("%s opens: %v", text, got)
		}
	}
}
