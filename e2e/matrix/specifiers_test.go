package matrix

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// specifiers are pages' import maps and modules, as people write them.
var specifiers = []string{
	`<script type="module">import fs from "node:fs";</script>`,
	`<script type="module">import x from "npm:oarlock";</script>`,
	`<script type="module">import x from "data:text/javascript,export default 1";</script>`,
	`<script type="module">import "";</script>`,
	`MAP{"imports": {"m": null}}END<script type="module">import "m";</script>`,
	`MAP{"imports": {"m": "js/m.js"}}END<script type="module">import "m";</script>`,
	`<script type="module">import "m";</script>MAP{"imports": {"m": "./js/m.js"}}END`,
	`<template>MAP{"imports": {"m": "./js/m.js"}}END</template><script type="module">import "m";</script>`,
	`MAP{}END<script type="module">import "./js/m.js";</script>`,
	`MAPEND<script type="module">import "./js/m.js";</script>`,
	`MAP{"imports": {"m": "./js/m.js"}}ENDMAP{"imports": {"n": "./js/m.js"}}END<script type="module">import "m"; ` +
		`import "n";</script>`,
	`MAP{"imports": {"m": "./js/m.js"}}ENDMAP{"imports": {"m": "./js/none.js"}}END<script type="module">import "m";` +
		`</script>`,
	`MAP{"imports": {"m": "./js/m.js"}}END<script type="module">import "m";</script>MAP{"imports": {"n": ` +
		`"./js/m.js"}}` +
		`END<script type="module">import "n";</script>`,
	`MAP{"imports": {"m": "./js/none.js"}, "scopes": {"./": {"m": "./js/m.js"}}}END<script type="module">import "m";` +
		`</script>`,
	`MAP{"imports": {"m": "./js/m.js"}, "scopes": {"./": {"m": null}}}END<script type="module">import "m";</script>`,
	`MAP{"imports": {"lib/": "./js/"}}END<script type="module">import "lib/m.js";</script>`,
	`MAP{"imports": {"lib/": "./js"}}END<script type="module">import "lib/m.js";</script>`,
	`<script type="importmap" src="map.json"></script><script type="module">import "m";</script>`,
	`MAP[]END<script type="module">import "./js/m.js";</script>`,
	`MAP{"imports": []}END<script type="module">import "./js/m.js";</script>`,
	`MAP{"imports": {"m": "./js/m.js"}, "extra": 1}END<script type="module">import "m";</script>`,
	`MAP{"imports": {"M": "./js/m.js"}}END<script type="module">import "m";</script>`,
	`<script type="module">import("nothing").catch(() => {});</script>`,
	`<script type="module">import("nothing");</script>`,
	`<script type="module">import {none} from "./js/m.js";</script>`,
	`MAP{"imports": {"./js/x.js": "./js/m.js"}}END<script type="module">import "./js/x.js";</script>`,
	`MAP{"imports": {"m": "https://:bad"}}END<script type="module">import "m";</script>`,
	`MAP{"imports": {"m": "./js/m.js",}}END<script type="module">import "m";</script>`,
	`<script type="module">import "/js/m.js";</script>`,
	`<script type="module">import "./js/m";</script>`,
	`<script type="module">import "./js/none.js";</script>`,
	`<script type="module">import.meta.resolve("nothing");</script>`,
	`MAP{"imports": {"m": "./js/m.js"}}END<script type="module">import.meta.resolve("m");</script>`,
}

// mapsOfPages and importsOfPages are put together: each map stands on a page with each import.
var (
	mapsOfPages = []string{`{"imports": {"m": "./js/m.js", "m/": "./js/"}}`,
		`{"imports": {"m": "js/m.js"}}`, `{"imports": {"m": "/js/m.js", "/js/x.js": "./js/m.js"}}`,
		`{"imports": {"m": "./js/none.js"}, "scopes": {"./spec": {"m": "./js/m.js"}}}`,
		`{"imports": {"m": "./js/m.js"}, "scopes": {"./": {"m": "./js/none.js"}, "./js/": {"m": null}}}`,
		`{"imports": {"m/a": "./js/m.js", "m/": "./none/"}}`, `{"imports": {"": "./js/m.js", "m": ""}}`,
		`{"imports": {"m": "./js/m.js"}, "integrity": {"./js/m.js": "sha384-AAAA"}}`,
		`{"imports": {"./js/m.js": "./js/n.js", "m": "./js/m.js"}}`,
	}
	importsOfPages = []string{`import "m";`, `import "m/m.js";`, `import "m/a";`, `import "./js/m.js";`,
		`import "/js/x.js";`, `import "m/";`, `import("m");`, `import {a} from "./js/n.js";`}
)

// TestSpecifiersAgainstABrowser: check has an error exactly where a browser can't resolve or load what modules import.
func TestSpecifiersAgainstABrowser(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Write("js/m.js", "export const a = 1;\nexport default 2;\n")
	s.Run("start")
	s.Write("js/n.js", "import \"m\";\nexport const a = 1;\n")
	list := slices.Clone(specifiers)
	for _, of := range mapsOfPages {
		for _, script := range importsOfPages {
			list = append(list, "MAP"+of+`END<script type="module">`+script+"</script>")
		}
	}
	list = trials.Sample(list)
	var pages []string
	of := map[string]string{} // own modules to their pages
	for n, text := range list {
		pages = append(pages, fmt.Sprintf("spec-%03d.html", n))
		text = strings.NewReplacer("MAP", `<script type="importmap">`, "END", "</script>").Replace(text)
		for _, name := range []string{"js/m.js", "js/n.js"} {
			// A browser keeps files for pages that are open beside each other, so each page has its own.
			own := strings.Replace(name, ".", fmt.Sprintf("-%03d.", n), 1)
			s.Write(own, s.Read(name))
			text, of[own] = strings.ReplaceAll(text, name, own), pages[n]
		}
		s.Write(pages[n], strings.Replace(merrytest.PlainPage, "</head>", `<link rel="icon" href="data:,">`+text+
			"</head>", 1))
	}
	var report struct {
		Findings []struct{ Severity, File, Message string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "spec-*.html", "--rehearse", "--json", "--all").Out),
		&report); err != nil {
		t.Fatal(err)
	}
	said := map[string]string{}
	for _, f := range report.Findings {
		if f.Severity == "error" {
			said[cmp.Or(of[f.File], f.File)] += f.Message + "; "
		}
	}
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	broken := 0
	for i, seen := range merrytest.VisitAll(t, merrytest.Browser(t), addressesOf(server.URL, pages), "1") {
		console := strings.Join(slices.DeleteFunc(append(seen.Console, seen.Failed...), func(line string) bool {
			return strings.HasPrefix(line, "warning: ")
		}), "; ")
		if console != "" {
			broken++
		}
		if (console != "") != (said[pages[i]] != "") {
			t.Errorf("%s\nthe browser says %q\ncheck says %q", list[i], console, said[pages[i]])
		}
	}
	t.Logf("%d pages with import maps and modules, %d broken", len(pages), broken)
	if broken < len(pages)/3 {
		t.Errorf("the browser found only %d broken", broken)
	}
}
