package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// sails are two versions of a made-up library of modules: what the second exports has other names in part.
var sails = map[string]map[string]string{
	"sails-2.0.0.zip": {"package.json": `{"name":"sails","version":"2.0.0","type":"module","exports":{".":"./dist/` +
		`sails.js","./mast":"./dist/mast.js","./sheet":"./dist/sheet.js"}}`,
		"dist/sails.js": "export * from './mast.js';\nexport function trim(angle, wind) { const pull = angle * wind; " +
			"return pull > 3 ? Math.sqrt(pull) : pull / 2; }\nexport const version = '2.0.0';\n" +
			"export function furl(a) { return a; }\nexport default trim;\n",
		"dist/mast.js": "export const mast = 'oak', boom = 'ash';\n", "dist/sheet.js": "export const sheet = 1;\n"},
	"sails-3.0.0.zip": {"package.json": `{"name":"sails","version":"3.0.0","type":"module","exports":{".":"./dist/` +
		`sails.js","./mast":"./dist/mast.js"}}`,
		"dist/sails.js": "export * from './mast.js';\nexport function set(angle, wind) { const pull = angle * wind; " +
			"return pull > 3 ? Math.sqrt(pull) : pull / 2; }\nexport const version = '3.0.0';\n" +
			"export function reef(a) { return a; }\n",
		"dist/mast.js": "export const mast = 'oak', jib = 2;\n", "CHANGES.md": "# Changes\n" +
			"- `furl` is called `reef` now\n"},
}

// sailing is a site with two modules of its own, one on the page, that import the library by name and by path.
func sailing(t *testing.T) *merrytest.Site {
	t.Helper()
	s := merrytest.Empty(t)
	for name, files := range sails {
		s.Archive(name, files)
	}
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n"+
		"  <title>x</title>\n</head>\n<body>\n  <script type=\"module\">\n    import go, { trim, mast } from "+
		"'sails';\n    import { boom } from 'sails/mast';\n    go(1, 2); trim(3, 4); globalThis.told = boom + mast;\n"+
		"  </script>\n  <script type=\"module\" src=\"js/app.js\"></script>\n</body>\n</html>\n")
	s.Write("js/app.js", "import { furl as roll } from '../lib/sails/sails.js';\n"+
		"import { sheet } from 'sails/sheet';\nroll(sheet);\n")
	s.Run("start")
	s.Run("take", "../downloads/sails-2.0.0.zip", "--whole", "--page", "index.html")
	return s
}

// TestExportsThatGo: what a version exports no more is met with the imports of own modules, with its place and its new
// name, before and after.
func TestExportsThatGo(t *testing.T) {
	t.Parallel()
	s := sailing(t)
	s.Run("check")
	out := s.Run("compare", "sails", "../downloads/sails-3.0.0.zip")
	for _, want := range []string{"+jib of sails", "-trim of sails", "export boom of sails/mast  1 use\n" +
		"      index.html:", "export default of sails  1 use", "export furl of sails  1 use; renamed to reef " +
		"(confidence 0.90): CHANGES.md:2 names both\n      js/app.js:1:10",
		"export trim of sails  1 use; renamed to set (confidence 0.90): it has the same declaration",
		"module sails/sheet  1 use\n      js/app.js:2:24"} {
		if !strings.Contains(out, want) {
			t.Errorf("compare does not say %q:\n%s", want, out)
		}
	}
	before := s.State()
	told := s.Run("repin", "sails@3.0.0", "--from", "../downloads/sails-3.0.0.zip", "--rename-sure")
	if !strings.Contains(told, "the export furl of sails was removed, and is imported in js/app.js:1:10; "+
		"renamed to reef") {
		t.Errorf("repin says\n%s", told)
	}
	if r := s.Try("check"); strings.Count(r.Out, "import-lacking") != 4 ||
		strings.Count(r.Out, "import-unmapped") != 1 {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
}

// TestWhatModulesImportIsUsed: a library that only modules import is on the page for the bill, the contents, and check,
// local and linked.
func TestWhatModulesImportIsUsed(t *testing.T) {
	t.Parallel()
	s := sailing(t)
	s.Replace("index.html", "  <script src=\"lib/sails/sails.js\" type=\"module\"></script>\n", "")
	for _, command := range []string{"contents", "bill"} {
		if out := s.Run(command, "--json"); !strings.Contains(out, `"pages": 1`) {
			t.Errorf("%s says\n%s", command, out)
		}
	}
	if out := s.Run("check"); strings.Contains(out, "unused") || strings.Contains(out, "on-no-page") {
		t.Errorf("check says\n%s", out)
	}
	out := s.Run("order", "index.html")
	if at := strings.Index(out, "lib/sails/mast.js"); at < 0 || at > strings.Index(out, "lib/sails/sails.js") ||
		!strings.Contains(out, "imports it (js/app.js:1:") {
		t.Errorf("order says\n%s", out)
	}
}

// TestModuleBesideOldScript: a library that was taken in both forms goes on pages as a pair, the plain script for
// browsers without modules; the two are switched, moved and taken off together, and back gives the same bytes.
func TestModuleBesideOldScript(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Empty(t)
	s.Archive("gunwale-1.0.0.zip",
		map[string]string{"package.json": `{"name":"gunwale","version":"1.0.0","main":"dist/gunwale.js","module":` +
			`"dist/gunwale.mjs"}`,
			"dist/gunwale.js": "/* gunwale */\n(function (root) {\n  root.gunwale = function (a) {\n    return a;\n" +
				"  };\n})(this);\n",
			"dist/gunwale.mjs": "import { rail } from './rail.mjs';\nexport default function gunwale(a) {\n" +
				"  return a + rail;\n}\n", "dist/rail.mjs": "export const rail = 1;\n"})
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n"+
		"  <title>x</title>\n</head>\n<body>\n  <p>x</p>\n</body>\n</html>\n")
	bare := s.Read("index.html")
	s.Run("start")
	s.Run("take", "../downloads/gunwale-1.0.0.zip", "--scripts", "--page", "index.html")
	s.Run("take", "../downloads/gunwale-1.0.0.zip", "--modules", "--page", "index.html")
	if out := s.Try("check").Out; !strings.Contains(out, "two-forms") {
		t.Errorf("a library in two forms is not told:\n%s", out)
	}
	s.Run("omit", "gunwale", "--page", "index.html")
	s.Run("include", "gunwale", "--page", "index.html")
	page := s.Read("index.html")
	if !strings.Contains(page, `<script src="js/gunwale.js" nomodule></script>`) ||
		!strings.Contains(page, `<script src="js/gunwale.mjs" type="module"></script>`) {
		t.Errorf("the page is\n%s", page)
	}
	if out := s.Run("check"); strings.Contains(out, "two-forms") {
		t.Errorf("check says\n%s", out)
	}
	before := s.State()
	s.Run("sources", "set", "cdn", "quay", "https://quay.example/{name}/{version}/{path}")
	if r := s.Try("switch", "--cdn", "--offline"); r.Status == 0 || s.Read("index.html") != page {
		t.Errorf("a link that can't be looked at was written: %s%s", r.Out, r.Err)
	}
	s.Run("undo")
	s.Run("move", "gunwale", "vendor/gunwale")
	if now := s.Read("index.html"); strings.Count(now, `src="vendor/gunwale/`) != 2 {
		t.Errorf("moved, the page is\n%s", now)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	s.Run("drop", "gunwale")
	if s.Read("index.html") != bare {
		t.Errorf("dropped, the page is\n%s", s.Read("index.html"))
	}
	for _, wrong := range [][]string{{"take", "../downloads/gunwale-1.0.0.zip", "--modules", "--scripts"},
		{"take", "../downloads/gunwale-1.0.0.zip", "--modules", "--files", "dist/*"}} {
		s.Fail(2, []string{"--modules and --scripts"}, wrong...)
	}
}

// TestWhatCheckSaysOfModules: each thing that goes wrong with a module is reported at its place, with what to do; fixed
// so, it is reported no more.
func TestWhatCheckSaysOfModules(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	const head, foot = "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n  <title>x</title>\n",
		"</head>\n<body>\n<p>x</p>\n</body>\n</html>\n"
	const entry = "  <script type=\"module\" src=\"js/a.js\"></script>\n"
	for _, tt := range []struct {
		name    string
		page    string
		files   map[string]string
		finding string // name, then what is said
		says    []string
		mended  map[string]string
	}{
		{"a module that waits for one that waits for it", entry,
			map[string]string{"js/a.js": "await import('./b.js');\n", "js/b.js": "import './a.js';\n"},
			"await-circle", []string{"js/a.js:1:", "it waits for js/b.js, which runs only after this module " +
				"has finished", "do not await the import"}, map[string]string{"js/a.js": "import('./b.js');\n"}},
		{"JSON without its type", entry, map[string]string{"js/a.js": "import tide from './tide.json';\n" +
			"tide.high;\n", "js/tide.json": "{\"high\": 4}\n"},
			"import-kind", []string{"js/a.js:1:", "js/tide.json is imported as a script", `write with { type: "json" ` +
				`} after the name`}, map[string]string{"js/a.js": "import tide from './tide.json' with { " +
				"type: 'json' " +
				"};\ntide.high;\n"}},
		{"a script as JSON", entry, map[string]string{"js/a.js": "import b from './b.js' with { type: 'json' };\n" +
			"b;\n", "js/b.js": "export default 1;\n"},
			"import-kind", []string{"js/b.js is imported as json, but is not", "remove the type"},
			map[string]string{"js/a.js": "import b from './b.js';\nb;\n"}},
		{"an export that is not there", entry, map[string]string{"js/a.js": "import { row, pull } from './b.js';\n" +
			"row(pull);\n", "js/b.js": "export * from './c.js';\n", "js/c.js": "export const row = x => x;\n"},
			"import-lacking", []string{"js/a.js:1:", "pull"}, map[string]string{"js/c.js": "export const row = x => " +
				"x, pull = 1;\n"}},
		{"a file that is not there", entry, map[string]string{"js/a.js": "import './B.js';\n",
			"js/b.js": "export {};\n"}, "leads-nowhere", []string{"js/a.js:1:", "on disk it is written js/b.js"},
			map[string]string{"js/a.js": "import './b.js';\n"}},
		{"a name without a map", entry, map[string]string{"js/a.js": "import { row } from 'oars';\nrow();\n"},
			"import-unmapped", []string{"js/a.js:1:", "oars"},
			map[string]string{"js/a.js": "const row = () => 1;\nrow();\n"}},
		{"an entry that is no address", "  <script type=\"importmap\">{\"imports\": {\"b\": \"js/b.js\"}}</script>\n" +
			entry, map[string]string{"js/a.js": "import './b.js';\n", "js/b.js": "export {};\n"},
			"import-map-entry", []string{"index.html:6:", `gives no address for "b"`,
				"begins with /, ./, ../ or https://"},
			map[string]string{"index.html": head + "  <script type=\"importmap\">{\"imports\": {\"b\": " +
				"\"./js/b.js\"}}</script>\n" + entry + foot}},
		{"a map that is no JSON", "  <script type=\"importmap\">{\"imports\": {\"b\": \"./js/b.js\",}}</script>\n" +
			entry, map[string]string{"js/a.js": "export {};\n", "js/b.js": "export {};\n"},
			"import-map-broken", []string{"index.html:6:", "the import map can't be read"},
			map[string]string{"index.html": head + "  <script type=\"importmap\">{\"imports\": {\"b\": " +
				"\"./js/b.js\"}}</script>\n" + entry + foot}},
		{"a map behind a module", entry + "  <script type=\"importmap\">{\"imports\": {\"b\": " +
			"\"./js/b.js\"}}</script>\n", map[string]string{"js/a.js": "import 'b';\n", "js/b.js": "export {};\n"},
			"import-map-late", []string{"index.html:7:"},
			map[string]string{"index.html": head + "  <script type=\"importmap\">{\"imports\": {\"b\": " +
				"\"./js/b.js\"}}</script>\n" + entry + foot}},
		{"a module without its type", "  <script src=\"js/a.js\" defer></script>\n",
			map[string]string{"js/a.js": "import './b.js';\n", "js/b.js": "export {};\n"}, "module-as-classic",
			[]string{"index.html:6:", `write type="module" on the tag`},
			map[string]string{"index.html": head + entry + foot}},
	} {
		t.Run(strings.ReplaceAll(tt.name, " ", "-"), func(t *testing.T) {
			s := merrytest.Empty(t)
			s.Write("index.html", head+tt.page+foot)
			for name, text := range tt.files {
				s.Write(name, text)
			}
			s.Run("start")
			out := s.Try("check", "--no-rehearse").Out
			for _, want := range append(tt.says, tt.finding) {
				if !strings.Contains(out, want) {
					t.Errorf("check does not say %q:\n%s", want, out)
				}
			}
			for name, text := range tt.mended {
				s.Write(name, text)
			}
			if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, tt.finding) {
				t.Errorf("mended, check says\n%s", out)
			}
		})
	}
}

// TestModulesOfLibraries: what a library's own modules lack is the page's finding, since nobody fixes a library.
func TestModulesOfLibraries(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Archive("keel-1.0.0.zip", map[string]string{"package.json": `{"name":"keel","version":"1.0.0","type":"module",` +
		`"exports":"./keel.js","dependencies":{"fin":"^1.0.0"}}`,
		"keel.js": "import { fin, bulb } from 'fin';\nexport const keel = fin + bulb;\n"})
	s.Archive("fin-1.0.0.zip", map[string]string{"package.json": `{"name":"fin","version":"1.0.0","type":"module",` +
		`"exports":"./fin.js"}`, "fin.js": "export const fin = 1;\n"})
	s.Write("index.html", merrytest.PlainPage)
	s.Run("start")
	s.Run("take", "../downloads/keel-1.0.0.zip", "--page", "index.html")
	if out := s.Try("check", "--no-rehearse").Out; !strings.Contains(out, "import-unmapped") ||
		!strings.Contains(out, `no import map on index.html resolves "fin", which keel imports`) ||
		!strings.Contains(out, "next: take fin from a download") {
		t.Errorf("check says\n%s", out)
	}
	s.Run("take", "../downloads/fin-1.0.0.zip")
	s.Run("include", "keel", "--page", "index.html")
	if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "import-unmapped") ||
		!strings.Contains(out, "import-lacking") || !strings.Contains(out, "does not have the export bulb, which "+
		"keel imports") {
		t.Errorf("check says\n%s", out)
	}
}
