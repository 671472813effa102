package matrix

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// modulePages are pages with import maps of every kind and modules that import through them.
func modulePages() []habit {
	maps := map[string]string{
		"none": "", "names": `{"imports": {"mast": "./js/mast.mjs", "every": "./js/every.mjs"}}`,
		"root":   `{"imports": {"mast": "/js/mast.mjs", "every": "/js/every.mjs"}}`,
		"prefix": `{"imports": {"mast": "./js/mast.mjs", "rig/": "./js/"}}`, "nowhere": `{"imports": {"mast": ` +
			`"./js/gone.mjs", "every": "./js/every.mjs", "rig/": "./gone/"}}`,
		"blocked": `{"imports": {"mast": null, "every": "./js/every.mjs"}}`, "not an address": `{"imports": {"mast": ` +
			`"js/mast.mjs", "every": "js/every.mjs"}}`,
		"scope": `{"imports": {"mast": "./js/gone.mjs"}, "scopes": {"/": {"mast": "./js/mast.mjs", "every": ` +
			`"./js/every.mjs"}}}`, "other scope": `{"imports": {"every": "./js/every.mjs"}, "scopes": {"/js/": ` +
			`{"mast": "./js/mast.mjs"}}}`,
		"broken": `{"imports": {"mast": "./js/mast.mjs",}}`, "address": `{"imports": {"./js/gone.mjs": ` +
			`"./js/mast.mjs", "mast": "./js/mast.mjs", "every": "./js/every.mjs"}}`,
	}
	scripts := []string{
		`import { height } from 'mast'; height();`, `import every from 'every'; every;`,
		`import { height } from 'every'; height();`, `import { depth } from 'mast'; depth();`,
		`import mast from 'mast'; mast;`,
		`import { height } from 'rig/mast.mjs'; height();`, `import { height } from 'rig/../mast.mjs'; height();`,
		`import { height } from './js/gone.mjs'; height();`, `import { height } from './js/mast.mjs'; height();`,
		`import * as all from 'every'; all.height();`, `import 'mast'; import 'every';`, `import './js/asks-mast.mjs';`,
		`import { x, depth } from './js/named.mjs'; depth(x);`, `import data from 'data:text/javascript,export ` +
			`default 1'; data;`,
	}
	var list []habit
	for _, name := range []string{"none", "names", "root", "prefix", "nowhere", "blocked", "not an address", "scope",
		"other scope", "broken", "address"} {
		head := ""
		if maps[name] != "" {
			head = `<script type="importmap">` + maps[name] + "</script>\n"
		}
		for _, s := range scripts {
			list = append(list, habit{name, head, `<script type="module">` + s + "</script>\n"})
		}
	}
	two := `<script type="importmap">{"imports": {"mast": "./js/mast.mjs"}}</script>` + "\n"
	list = append(list, habit{"two", two + `<script type="importmap">{"imports": {"mast": "./js/gone.mjs", "every": ` +
		`"./js/every.mjs"}}</script>` + "\n", `<script type="module">import 'mast'; import 'every';</script>`},
		habit{"file", two, `<script type="module" src="js/asks-mast.mjs"></script>`},
		habit{"file", "", `<script type="module" src="js/asks-mast.mjs"></script>`},
		habit{"file", "", `<script type="module" src="js/circle.mjs"></script>`})
	return append(list, loadingPages()...)
}

// loadingPages are pages with a module of their own that asks for others while it runs, or for what is no script.
func loadingPages() []habit {
	var list []habit
	for _, s := range []string{
		`import data from './tide.json' with { type: 'json' }; data.high.at;`, `import data from './tide.json'; ` +
			`data.high;`, `import data from './tide.json' with { type: 'css' }; data;`, `import 'tide';`,
		`import sheet from './look.css' with { type: 'css' }; document.adoptedStyleSheets = [sheet];`,
		`import './look.css';`, `import data from './mast.mjs' with { type: 'json' }; data;`,
		`const { height } = await import('./mast.mjs'); height();`, `await import('./gone.mjs');`,
		`try { await import('./gone-too.mjs'); } catch { await 1; }`, `import('mast').then(m => m.height());`,
		`import('nowhere');`, `import('nowhere').catch(() => {});`,
		`const far = () => import('nowhere'); far;`, `import('./circle.mjs');`,
		`const m = await import('data:text/javascript,export default 1'); m.default.toFixed();`,
		`new Worker(new URL('./worker.mjs', import.meta.url), { type: 'module' });`, `new Worker('js/worker.mjs', { ` +
			`type: 'module' });`,
		`fetch(new URL('./tide.json', import.meta.url));`, `fetch(new URL('./ebb.json', import.meta.url));`,
		`fetch(new URL('../js/tide.json', import.meta.url).href);`,
		`this.mast = 1;`, `import { height } from './mast.mjs'; height().no.more;`,
		`import { height } from './mast.mjs'; height = 3;`, `mast = 1;`, `import './throws.mjs';`,
		`try { await import('./throws.mjs'); } catch (e) { e.message; }`, `import { late } from './early.mjs'; late;`,
		`import * as all from './mast.mjs'; all.height = 1;`, `import * as all from './mast.mjs'; all.nothing.more;`,
		`export default class { static n = missing; }`, `const { height } = await import('mast'); height.no.more;`,
		`import('./throws.mjs');`, `document.currentScript.src;`,
		`await 1; null.x;`, `export let a = b; let b = 1;`, `new URL('x', import.meta.url).pathname.at(0);`,
		`new URL('no address');`,
		`export { height as 'the height' } from './mast.mjs'; import * as self from './mast.mjs'; self.height();`,
		`for await (const x of [Promise.resolve(1)]) x.toFixed();`,
	} {
		list = append(list, habit{"file", `<script type="importmap">{"imports": {"mast": "./js/mast.mjs"}}</script>` +
			"\n", "own: " + s})
	}
	return append(list, habit{"plain", `<script type="importmap">{"imports": {"mast": "./js/mast.mjs"}}</script>` +
		"\n", "<script>import('mast').then(m => m.height());</script>\n"},
		habit{"plain", "", "<script>import('mast').then(m => m.height());</script>\n"},
		habit{"plain", "", "<script>import('./js/gone.mjs');</script>\n"},
		habit{"plain", "", "<script>addEventListener('click', () => import('./js/mast.mjs'));</script>\n"})
}

// TestMatrixOfModules holds check against a browser's console on pages with import maps. Run with -v it prints the
// agreement and every difference; MERRY_MATRIX=all takes all pages instead of each third.
func TestMatrixOfModules(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	for name, content := range habitFiles {
		s.Write(name, content)
	}
	s.Write("js/asks-mast.mjs", "import { height } from 'mast';\nheight();\n")
	s.Write("js/tide.json", "{\"high\": {\"at\": 4}}\n")
	s.Write("js/throws.mjs", "throw new Error('no wind');\n")
	s.Write("js/early.mjs", "import './late.mjs';\nexport const late = 1;\n")
	s.Write("js/late.mjs", "import { late } from './early.mjs';\nlate.toFixed();\n")
	s.Write("js/look.css", "body { margin: 0 }\n")
	s.Write("js/worker.mjs", "import { height } from './mast.mjs';\nheight();\n")
	list := trials.Sample(modulePages())
	files := make([]string, len(list))
	for i, h := range list {
		files[i] = fmt.Sprintf("m%03d.html", i)
		if text, own := strings.CutPrefix(h.body, "own: "); own {
			s.Write(fmt.Sprintf("js/m%03d.mjs", i), text+"\n")
			h.body = fmt.Sprintf("<script type=\"module\" src=\"js/m%03d.mjs\"></script>\n", i)
		}
		s.Write(files[i], "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"+
			"<meta name=\"viewport\" content=\"width=device-width\">\n<link rel=\"icon\" href=\"data:,\">\n"+
			"<title>x</title>\n"+h.head+"</head>\n<body>\n"+h.body+"</body>\n</html>\n")
	}
	var report struct {
		Findings []struct{ Name, Severity, File, Message string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "m*.html", "--rehearse", "--json").Out), &report); err != nil {
		t.Fatal(err)
	}
	said := map[string][]string{}
	for _, f := range report.Findings {
		if f.Severity != "error" && !(f.Name == "leads-nowhere" && strings.HasPrefix(f.File, "js/m")) {
			// the console says of any file that a module asks for and that is not there
			continue
		}
		for i := range list {
			if f.File == files[i] || f.File == fmt.Sprintf("js/m%03d.mjs", i) ||
				strings.Contains(f.Message, "on "+files[i]+" ") ||
				strings.Contains(f.Message, "on "+files[i]+" leads") {
				said[files[i]] = append(said[files[i]], f.Name+": "+f.Message)
			}
		}
	}
	console := consoles(t, s, files)
	for i := range console {
		console[i] = slices.DeleteFunc(console[i], func(line string) bool {
			return strings.HasPrefix(line, "warning: ")
		})
	}
	wrong := 0
	for i, h := range list {
		if len(console[i]) == 0 && len(said[files[i]]) > 0 {
			console[i] = consolesAfter(t, s, files[i:i+1], 2000)[0] // a machine with much to do may say it late
		}
		if len(console[i]) > 0 != (len(said[files[i]]) > 0) {
			wrong++
			t.Logf("%s | %s\n  browser: %.300q\n  check: %q", h.head, h.body, console[i], said[files[i]])
		}
	}
	t.Logf("%d pages: %d agree", len(list), len(list)-wrong)
	if wrong*100 > len(list) {
		t.Errorf("%d of %d differ", wrong, len(list))
	}
}
