package support

import (
	"strings"
	"testing"
)

func names(list []Found) string {
	var out []string
	for _, f := range list {
		out = append(out, f.Name)
	}
	return strings.Join(out, " ")
}

// TestInScript: what a script calls is found, and what it asks for, declares, names in texts or comments is not.
func TestInScript(t *testing.T) {
	for text, want := range map[string]string{
		"fetch('/tides.json').then(show);":                                   "fetch",
		"if (window.fetch) fetch('/tides.json');":                            "",
		"if (typeof Promise === 'undefined') { load(); } new Promise(f);":    "",
		"if ('IntersectionObserver' in window) new IntersectionObserver(f);": "",
		"var fetch = function () {}; fetch();":                               "",
		"function fetch() {} fetch();":                                       "",
		"boat.fetch('x');":                                                   "",
		"// fetch('x')\n/* new Promise(f) */ var a = 'fetch(1)';":            "",
		"var r = /fetch(1)/; fetch(2);":                                      "fetch",
		"var half = a / b; fetch(1); var c = d / e;":                         "fetch",
		"list.flat();": "flat",
		"if (!list.flat) { list.flat = x; } list.flat();":         "",
		"if (Array.prototype.flat) list.flat();":                  "",
		"_.padStart('1', 2);":                                     "",
		"Object.entries(a).flatMap(b);":                           "Object.entries flatMap",
		"Object.entries && Object.entries(a);":                    "",
		"Promise.all(x); Promise.allSettled(y);":                  "Promise Promise.all Promise.allSettled",
		"new Map([[1, 2]]); new Set(x); let s = Symbol('x');":     "Map Set Symbol",
		"lib = { replaceAll: function () {} }; lib.replaceAll();": "",
		"document.startViewTransition?.(f); navigator.clipboard.writeText(a)": "navigator navigator.clipboard " +
			"writeText",
		"`${fetch}` + fetch`x`":    "",
		"({ Promise: 1, URL: 2 })": "",
	} {
		if got := names(InScript([]byte(text))); got != want {
			t.Errorf("%s\n uses %q, want %q", text, got, want)
		}
	}
}

// TestInStyle: what a stylesheet says is found, less what stands in @supports or after an older declaration.
func TestInStyle(t *testing.T) {
	for text, want := range map[string]string{
		"a:has(b) { color: red }":                               ":has()",
		"@layer base, late; @layer base { a { inset: 0 } }":     "@layer inset",
		"@supports (inset: 0) { a { inset: 0 } } b { top: 0 }":  "",
		"a { height: 100vh; height: 100dvh }":                   "vh",
		"a { height: 100dvh }":                                  "dvh",
		"a { width: clamp(1px, 2vw, 3px); --b: clamp(1, 2, 3)}": "clamp() vw",
		"a { grid-template: minmax(1px, 2px) }":                 "grid-template",
		"a { display: grid; position: sticky }":                 "display:grid position:sticky",
		"a { filter: alpha(opacity=50); color: red }":           "filter",
		"a:focus { color: red } a::selection { color: red }":    "::selection",
		"a { content: 'clamp(' } /* b { inset: 0 } */":          "",
		"@media print { a:focus-visible { color: var(--x) } }":  ":focus-visible var()",
		".hashas { color: red }":                                "",
	} {
		if got := names(InStyle([]byte(text))); got != want {
			t.Errorf("%s\n uses %q, want %q", text, got, want)
		}
	}
}

// TestLacking: engines go by versions, years by what all had then, editions by what is part of the language.
func TestLacking(t *testing.T) {
	for _, tt := range []struct{ browsers, kind, name, want string }{
		{"ie 11, chrome 80", "global", "fetch", "ie 11"},
		{"safari 9, firefox 38", "global", "fetch", "firefox 38, safari 9"},
		{"es5", "global", "fetch", ""},
		{"es5", "global", "Promise", "browsers of edition 2009"},
		{"2016", "global", "fetch", "browsers of 2016"},
		{"2016", "global", "Promise", ""},
		{"2024", "global", "requestIdleCallback", "browsers of 2024"},
		{"chrome 104", "selector", ":has()", "chrome 104"},
		{"chrome 105", "selector", ":has()", ""},
		{"", "selector", ":has()", ""},
	} {
		b, err := Parse(tt.browsers)
		if err != nil {
			t.Fatal(err)
		}
		if got := b.Missing(features()[FeatureKind(tt.kind)][tt.name]); got != tt.want {
			t.Errorf("%s lack %s: %q, want %q", tt.browsers, tt.name, got, tt.want)
		}
	}
}

// TestTable: each line of the table says of every column something that can be.
func TestTable(t *testing.T) {
	n := 0
	for kind, of := range features() {
		for name, f := range of {
			n++
			if f.year < 2009 || f.year > 2099 ||
				f.from["chrome"]+f.from["firefox"]+f.from["safari"]+f.from["edge"] == 0 {
				t.Errorf("%s %s: %+v", kind, name, f)
			}
		}
	}
	if n < 5000 {
		t.Errorf("the table has %d lines", n)
	}
}

// FuzzFind: no text makes looking for features fail.
func FuzzFind(f *testing.F) {
	for _, s := range []string{"fetch(", "/[/]/", "`${`${a}`}`", "a{b:c;", "@supports{a{}}}}", "Object. entries(",
		"'\\", "//", "/*"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, found := range append(InScript(b), InStyle(b)...) {
			if found.Offset < 0 || found.Offset > len(b) {
				t.Fatalf("%s at %d of %d", found.Name, found.Offset, len(b))
			}
		}
	})
}
