package rehearse

import (
	"fmt"
	"strings"
	"testing"
)

// playModules rehearses a page with one module script, the first of those given; their specifiers are their names.
func playModules(t *testing.T, modules ...string) *Report {
	t.Helper()
	req := &Request{HTML: "<!doctype html><body><p id=one></p><script type=module></script><script " +
		"type=module></script>", Address: "https://club.example/index.html", Browser: []string{"Intl"},
		Scripts: []Script{{Name: "first", When: Deferred, Module: 1}, {Name: "end", When: Deferred,
			Text: "if (window.want !== window.got) throw new Error(window.got)"}}}
	at := map[string]int{}
	for i, m := range modules {
		name, text, _ := strings.Cut(m, ": ")
		at[name] = i
		kind := ""
		if strings.HasSuffix(name, ".json") {
			kind = "json"
		}
		req.Modules = append(req.Modules, Module{Name: name, Text: text, Type: kind, Address: "https://club.example/" +
			name, Imports: at})
	}
	at["nowhere"] = -1
	return Run(req, nil)
}

func TestModules(t *testing.T) {
	for _, tt := range []struct {
		name    string
		modules []string
		want    string // faults
	}{
		{"imports of every kind", []string{"a: import d, { x as y, f } from 'b'; import * as all from 'b'; import " +
			"'c'; window.want = 'd1x2f3 2 c'; window.got = 'd' + d + 'x' + y + 'f' + f() + ' ' + all.x + ' ' + " +
			"window.c;",
			"b: export default 1; export const x = 2; export function f() { return 3 }", "c: window.c = 'c'"}, ""},
		{"live bindings", []string{"a: import { n, add } from 'b'; add(); add(); window.want = 2; window.got = n",
			"b: export let n = 0; export function add() { n++ }"}, ""},
		{"exports handed on", []string{"a: import { x, default as d, 'the y' as y, ns } from 'b'; window.want = '1 2 " +
			"3 1'; window.got = [x, d, y, ns.x].join(' ')",
			"b: export * from 'c'; export { d as default } from 'c'; export * as ns from 'c'; import { y } from 'c'; " +
				"export { y as 'the y' }", "c: export const x = 1, d = 2, { y } = { y: 3 }; export default 9"}, ""},
		{"a circle of functions", []string{"a: import { even } from 'b'; export function odd(n) { return n !== 0 && " +
			"even(n - 1) } window.want = true; window.got = even(4)", "b: import { odd } from 'a'; export function " +
			"even(n) { return n === 0 || odd(n - 1) }"}, ""},
		{"a circle that reads too early", []string{"a: import 'b'; export const x = 1",
			"b: import { x } from 'a'; x.toFixed()"}, "b 1:24 ReferenceError: Cannot access"},
		{"defaults", []string{"a: import f from 'b'; import C from 'c'; import g from 'd'; window.want = '123'; " +
			"window.got = '' + f() + new C().n + g()", "b: export default function () { return 1 }\n(function () {})()",
			"c: export default class extends Object { n = 2 }", "d: export default async => 3"}, ""},
		{"named defaults", []string{"a: import f from 'b'; import C from 'c'; window.want = '12'; window.got = '' + " +
			"f() + new C().n", "b: export default function named() { return named.one }\nnamed.one = 1",
			"c: export default class Named { n = 2 }"}, ""},
		{"no this", []string{"a: this.x = 1"}, "a 1:6 TypeError"},
		{"strict", []string{"a: undeclared = 1"}, "a 1:1 ReferenceError: undeclared is not defined"},
		{"its own names", []string{"a: var x = 1; function f() {}; window.want = 'undefined'; window.got = typeof " +
			"window.x + '' + (typeof window.f === 'undefined' ? '' : 'f')"}, ""},
		{"what an import fails with", []string{"a: import 'b'; window.got = 1", "b: import 'c'; window.got = 2",
			"c: \n  null.x"}, "c 2:8 TypeError"},
		{"import()", []string{"a: import('b').then(m => { window.late = m.x }); setTimeout(() => { if (window.late " +
			"!== 1) throw new Error('late') })", "b: export const x = 1"}, ""},
		{"import() of nothing", []string{"a: import('nowhere')"}, "Failed to resolve module specifier 'nowhere'"},
		{"import() of nothing, caught", []string{"a: import('nowhere').catch(e => { window.caught = e instanceof " +
			"TypeError }); setTimeout(() => { if (!window.caught) throw new Error('no') })"}, ""},
		{"await", []string{"a: const { x } = await import('b'); window.want = 1; window.got = x",
			"b: export const x = await Promise.resolve(1)"}, ""},
		{"await in functions", []string{"a: const f = async () => { await 1; return 2 }, g = async x => " +
			"await x; f(); " +
			"g(); window.want = window.got = 1"}, ""},
		{"what it is told of itself", []string{"a: window.want = 'https://club.example/a " +
			"https://club.example/img/x.png'; window.got = import.meta.url + ' ' + new URL('img/x.png', " +
			"import.meta.url).href"}, ""},
		{"JSON", []string{"a: import tide from 't.json' with { type: 'json' }; window.want = 4; window.got = " +
			"tide.high.at", "t.json: {\"high\": {\"at\": 4}}"}, ""},
		{"patterns and divisions", []string{"a: import { x } from 'b'; const r = /import {/.test(`export ${ { a: 1 " +
			"}.a / 2 } import`) ? 1 : x / 2 / 1; window.want = 3; window.got = r", "b: export const x = 6"}, ""},
		{"a method of that name", []string{"a: const o = { import(x) { return x } }; window.want = 1; window.got = " +
			"o.import(1)"}, ""},
		{"an assignment to an import", []string{"a: import { x } from 'b'; x = 2", "b: export let x = 1"},
			"a 1:24 TypeError"},
	} {
		r := playModules(t, tt.modules...)
		got := ""
		for _, f := range r.Faults {
			if f.Module > 0 {
				name, _, _ := strings.Cut(tt.modules[f.Module-1], ":")
				got += fmt.Sprintf("%s %d:%d ", name, f.Line, f.Column)
			}
			got += f.Message
		}
		if (tt.want == "") != (got == "") || !strings.Contains(got, tt.want) || r.Stopped != "" {
			t.Errorf("%s: %q, want %q; %s, ran %v", tt.name, got, tt.want, r.Stopped, r.Ran)
		}
	}
}

// FuzzLink links any text, which must not end the program, and leaves its lines where they are.
func FuzzLink(f *testing.F) {
	for _, s := range []string{"import a, { b as c } from 'x' with { type: 'json' };\nexport default a / c",
		"export * as ns from 'x'; export { a as 'b' }; export class {}", "import('x'); import.meta.url; `${ export }`",
		"export default async function* () {}", "import"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		l, err := link(text)
		if err == nil && strings.Count(l.text, "\n") != strings.Count(text, "\n")+2*ahead {
			t.Errorf("%q has other lines linked: %q", text, l.text)
		}
		withImports(text)
	})
}

// TestModulesThatAreNotAtHand: of what is not here nothing is said, as of anything that hangs on it; nothing else
// suffers.
func TestModulesThatAreNotAtHand(t *testing.T) {
	request := func(first string, more ...Module) *Request {
		at := map[string]int{"self": 0, "nowhere": -1}
		modules := []Module{{Name: "a", Text: first, Address: "https://club.example/a", Imports: at}}
		for i, m := range more {
			m.Address, m.Imports = "https://club.example/"+m.Name, at
			at[m.Name] = i + 1
			modules = append(modules, m)
		}
		return &Request{HTML: "<!doctype html><body><script type=module></script><script type=module></script>",
			Address: "https://club.example/index.html",
			Scripts: []Script{{Name: "first", When: Deferred, Module: 1}, {Name: "end", When: Deferred,
				Text: "window.ended = 1; null.x"}}, Modules: modules}
	}
	for _, tt := range []struct {
		name   string
		req    *Request
		faults int // beside the one at the end
		ran    bool
	}{
		{"an import of an unknown text", request("import 'far'; null.y", Module{Name: "far", Unknown: true}), 0, false},
		{"an import over another of an unknown text", request("import 'near'; null.y",
			Module{Name: "near", Text: "import 'far'"}, Module{Name: "far", Unknown: true}), 0, false},
		{"an import of a name that nothing is known of", request("import 'foreign'; null.y"), 0, false},
		{"import() of an unknown text", request("import('far').then(m => null.y, e => null.z); window.here = 1",
			Module{Name: "far", Unknown: true}), 0, true},
		{"import() of a name that nothing is known of", request("import('foreign').then(() => null.y)"), 0, true},
		{"await of an unknown text", request("await import('far'); null.y", Module{Name: "far", Unknown: true}), 0,
			false},
		{"await of itself", request("await import('self'); null.y"), 0, false},
		{"a stylesheet", request("import sheet from 'look.css' with { type: 'css' }; document.adoptedStyleSheets = "+
			"[sheet]; sheet.anything.goes()", Module{Name: "look.css", Text: "a{}", Type: "css"}), 0, true},
		{"JSON that is none", request("import tide from 't.json' with { type: 'json' }; tide.high",
			Module{Name: "t.json", Text: "{", Type: "json"}), 0, true},
		{"a text that no engine here reads", request("import 'odd'; null.y",
			Module{Name: "odd", Text: "export const x = @@ 1"}), 0, false},
		{"one that fails, again", request("import('bad').catch(() => import('bad')).catch(e => { window.same = e }); ",
			Module{Name: "bad", Text: "throw new Error('no wind')"}), 0, true},
	} {
		r := Run(tt.req, nil)
		own, ended := 0, false
		for _, f := range r.Faults {
			if f.Script == 1 {
				ended = true
			} else {
				own++
			}
		}
		if own != tt.faults || !ended || r.Stopped != "" || len(r.Ran) != 2 || r.Ran[0] != tt.ran {
			t.Errorf("%s: %+v, stopped %q, ran %v", tt.name, r.Faults, r.Stopped, r.Ran)
		}
	}
}
