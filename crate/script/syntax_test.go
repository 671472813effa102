package script

import (
	"strings"
	"testing"
)

func TestSyntaxYears(t *testing.T) {
	for src, want := range map[string]int{
		`var a = function () { return this; };`: 2009,
		`var a = { get b() { return 1; } };`:    2009,
		`var a = /x/gim;`:                       2009,
		`let a = 1;`:                            2015,
		`const a = 1;`:                          2015,
		`var a = () => 1;`:                      2015,
		`class A { }`:                           2015,
		"var a = `x`;":                          2015,
		"var a = `x${1}y`;":                     2015,
		`var { a } = {};`:                       2015,
		`var [a] = [];`:                         2015,
		`function f(a = 1) { }`:                 2015,
		`function f(...a) { }`:                  2015,
		`f(...[1]); function f() { }`:           2015,
		`var a = [...[1]];`:                     2015,
		`for (var a of []) { }`:                 2015,
		`function* f() { yield 1; }`:            2015,
		`var a = 1, b = { a };`:                 2015,
		`var b = { f() { } };`:                  2015,
		`var b = { ["a"]: 1 };`:                 2015,
		`function F() { return new.target; }`:   2015,
		`var a = /x/u;`:                         2015,
		`var a = /x/y;`:                         2015,
		`var a = 0b1;`:                          2015,
		`var a = 0o7;`:                          2015,
		`var a = 2 ** 3;`:                       2016,
		`var a = 2; a **= 3;`:                   2016,
		`async function f() { }`:                2017,
		`var f = async () => { await 1; };`:     2017,
		`var b = { async f() { } };`:            2017,
		`var a = { ...{} };`:                    2018,
		`var { a, ...b } = {};`:                 2018,
		`async function* f() { }`:               2018,
		`async function f() { for await (var a of b) { } } var b;`: 2018,
		`var a = /x/s;`:               2018,
		`var a = /(?<=x)y/;`:          2018,
		`var a = /\p{L}/u;`:           2018,
		`try { } catch { }`:           2019,
		`var a = window?.b;`:          2020,
		`var a = window?.[1];`:        2020,
		`var a = window?.();`:         2020,
		`var a = 1 ?? 2;`:             2020,
		`var a = 1n;`:                 2020,
		`var a; a ??= 1;`:             2021,
		`var a; a ||= 1;`:             2021,
		`var a; a &&= 1;`:             2021,
		`var a = 1_000;`:              2021,
		`class A { b = 1; }`:          2022,
		`class A { static b = 1; }`:   2022,
		`class A { #b; }`:             2022,
		`class A { static { } }`:      2022,
		`var a = /x/d;`:               2022,
		`var a = /x/v;`:               2024,
		"#!/usr/bin/env node\nvar a;": 2023,
		`import a from "b"; await a;`: 2022,
		`import("a");`:                2020,
	} {
		r := Analyze([]byte(src))
		if r.Form == Broken && !strings.HasPrefix(src, "#!") {
			t.Errorf("%s: %s", src, r.Fault)
		} else if r.Syntax != want && r.Form != Broken {
			t.Errorf("%s: told as %d, want %d", src, r.Syntax, want)
		}
	}
}

// TestReadings holds single readings: what a piece of code says of the globals around it.
func TestReadings(t *testing.T) {
	tests := []struct{ src, defines, needs string }{
		{`a.b.c.d();`, "", "a"},
		{`a["b"]();`, "", "a"},
		{`window["a"].b = 1;`, "", "a"},
		{`self.a.b();`, "", "a"},
		{`var w = window; w.a = 1;`, "a w", ""},
		{`(function () { var w = this; w.a = 1; })();`, "a", ""},
		{`(function () { "use strict"; window.a = b; })();`, "a", "b"},
		{`(() => { window.a = 1; })();`, "a", ""},
		{`new A();`, "", "A"},
		{`var x = new (window.A)();`, "x", "A"},
		{`x instanceof A; var x;`, "x", "A"},
		{`typeof a;`, "", "a?"},
		{`typeof a === "function" && a();`, "", "a?"},
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
		{`(function () { var j = window.a, v = (function () { return j && j.b ? 1 : 0; })(); if (v > 0) { j.b.c = 1; } })();`, "", "a?"},
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
