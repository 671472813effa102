package ecma

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
		buf := append(make([]byte, 0, len(src)+1), src...)
		tree, err := Parse(buf)
		if err != nil && !strings.HasPrefix(src, "#!") {
			t.Errorf("%s: %v", src, err)
		} else if err == nil && Edition(tree, buf) != want {
			t.Errorf("%s: told as %d, want %d", src, Edition(tree, buf), want)
		}
	}
}

// TestParsed are scripts that are none to the parser alone, and texts that are none to anybody.
func TestParsed(t *testing.T) {
	for src, sound := range map[string]bool{
		"var a = 2, b = --a ** 2;": true, "var f = ({ a } = { a: 1 }) => a;": true, "import a from './a.json' with { " +
			"type: 'json' };\nexport default a;": true,
		"export * from './a.css' with { type: 'css' }; export { b } from './b.json' with { 'type': \"json\" }": true,
		"import a from './a.json' with { type:": false, "with { type: 'json' };": false, "var a = ;": false,
	} {
		buf := append(make([]byte, 0, len(src)+1), src...)
		if _, err := Parse(buf); (err == nil) != sound {
			t.Errorf("%s: %v", src, err)
		}
	}
	const src = "import a from './a.json' with { type: 'json' };"
	if got := TypeBehind([]byte(src), strings.Index(src, "'./"), len("'./a.json'")); got != "json" {
		t.Errorf("the type is %q", got)
	}
}
