package script

import (
	"fmt"
	"strings"
	"testing"
)

// TestLoads: what a script asks for while it runs, in which way, and what it does where that is not there.
func TestLoads(t *testing.T) {
	for src, want := range map[string]string{
		"const x = await import('./y.js');":              "module ./y.js import() 25 waits",
		"(await import('./x')).default; export {}":       "module ./x import() 16 waits",
		"import('a').catch(() => 1)":                     "classic a import() 9 caught",
		"import('a').then(a => 1, b => 2)":               "classic a import() 9 caught",
		"import('a').then(a => 1)":                       "classic a import() 9",
		"try { await import('q') } catch {}":             "module q import() 21 waits caught",
		"function x() { import(`./a.js`) }":              "classic ./a.js import() 24 late",
		"import(name); import('./' + name); import('')":  "classic",
		"new Worker(new URL('./w.js', import.meta.url))": "module ./w.js worker 21",
		"new Worker('w.js'); new SharedWorker('s.js')": "classic w.js worker 13 page s.js " +
			"worker 39 page",
		"const u = new URL('../img/x.png', import.meta.url)":              "module ../img/x.png url 20",
		"new URL('x.png', location)":                                      "classic",
		"for await (const x of y) {}":                                     "module",
		"async function f() { await 1; for await (const x of y) {} } f()": "classic",
		"import process from 'p'; import * as self from 's'; process.env; self.x(); define(1); import { define " +
			"} from 'd'": "module",
	} {
		r := Analyze([]byte(src))
		got := string(r.Form)
		for _, l := range r.Loads {
			got += fmt.Sprintf(" %s %s %d", l.From, l.How, l.Column)
			for word, is := range map[string]bool{"page": l.Page, "late": l.Late} {
				if is {
					got += " " + word
				}
			}
			if l.Waits {
				got += " waits"
			}
			if l.Caught {
				got += " caught"
			}
		}
		if got != want || r.SyntaxError != "" || strings.Contains(src, " from 'd'") && len(r.Needs) > 0 {
			t.Errorf("%s: %q, want %q; %s, needs %v", src, got, want, r.SyntaxError, r.Needs)
		}
	}
}
