package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestBesideTags: what browsers fetch beside a page's tags is looked for, in elements without scripts, documents of
// frames, web manifests, lists of caches and headers; and what names a file that moves is told, and left.
func TestBesideTags(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Write("site.webmanifest", `{"name": "Club", "icons": [{"src": "img/gull.svg"}, {"src": "img/none.png"}]}`)
	s.Write("sw.js", "const FILES = [\"./\", \"js/framed.js\", \"js/gone.js\"];\n"+
		"self.addEventListener(\"install\", e => e.waitUntil(caches.open(\"v1\").then(c => c.addAll(FILES))));\n")
	s.Write("_headers", "/*\n  Link: </css/club.css>; rel=preload; as=style\n  Link: </css/none.css>; rel=preload\n")
	s.Write("js/framed.js", "var framed = 1;")
	s.Write("css/plain.css", "p { color: navy; }")
	s.Write("data.json", `{"script": "js/framed.js"}`)
	s.Write("app.py", "SCRIPT = 'js/framed.js'\n")
	s.Write("log.html", withScripts(`<noscript><link rel="stylesheet" href="css/plain.css"><img src="img/pixel.png" `+
		`alt=""></noscript>`+"\n"+`<iframe srcdoc="<script src='js/framed.js'></script><img `+
		`src='img/f.png'>"></iframe>`+
		"\n"+`<script>navigator.serviceWorker && navigator.serviceWorker.register("sw.js");</script>`))
	s.Run("start")
	says(t, s.Read("crate.yaml"), `headers: ["_headers"]`)
	says(t, s.Try("check").Out, "there is no file img/pixel.png\n  why:  browsers without scripts get",
		"there is no file img/f.png", "site.webmanifest:1:", "it lists img/none.png, but there is no file img/none.png",
		"sw.js:1:39", "it lists js/gone.js", "_headers:3:10", "it lists /css/none.css", "-js/framed.js",
		"-css/plain.css", "-img/gull.svg,")
	out := s.Run("move", "js/framed.js", "css/plain.css", "own/")
	says(t, out, "app.py:1:11  names js/framed.js; left unchanged", "data.json:1:13  names js/framed.js",
		"log.html:", "css/plain.css  is now  own/plain.css", `"js/framed.js" may be a path to it`)
	says(t, s.Read("log.html"), `href="own/plain.css"`, `srcdoc="<script src='js/framed.js'>`)
}

// TestHintsFollow: hints that somebody wrote go where their tags go, and one that fetches a file twice is told.
func TestHintsFollow(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Replace("index.html", "</head>", `<link rel="preload" href="js/oarlock.min.js" as="script">`+"\n"+
		`<link rel="preload" as="font" href="fonts/brinework.woff" crossorigin>`+"\n"+
		`<link rel="prefetch" href="css/brinework.min.css">`+"\n</head>")
	before := s.Read("index.html")
	says(t, s.Run("check", "index.html"), "-hint-wasted")
	s.Run("switch", "--cdn=harbour")
	const cdn = "http://cdn.harbour.example/lib/"
	says(t, s.Read("index.html"), `<link rel="preload" href="`+cdn+`oarlock/2.0.3/dist/oarlock.min.js" `+
		`integrity="sha384-`,
		`as="font" href="`+cdn+`brinework/1.2.0/fonts/brinework.woff?v=1.2.0" crossorigin>`,
		`<link rel="prefetch" href="`+cdn+`brinework/1.2.0/css/brinework.min.css"`, `-"js/oarlock.min.js" as`)
	says(t, s.Try("check", "index.html").Out, "-hint-wasted")
	s.Run("switch", "--local")
	if s.Read("index.html") != before {
		t.Errorf("back again the page is\n%s", s.Read("index.html"))
	}
	s.Replace("index.html", `as="script">`, `as="script" crossorigin>`)
	s.Replace("index.html", `fonts/brinework.woff" crossorigin>`, `fonts/brinework.woff">`)
	says(t, s.Try("check", "index.html").Out, "only one of them has crossorigin",
		"fetches the font without crossorigin")
	s.Replace("index.html", `href="js/oarlock.min.js" as="script" crossorigin`,
		`href="`+cdn+`oarlock/2.0.3/dist/oarlock.min.js" as="script"`)
	says(t, s.Try("check", "index.html").Out, "fetches another copy of the library's file than the page uses")
}

// TestLive: what a public page must not have is found without a profile.
func TestLive(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("switch", "oarlock", "--readable")
	s.Write("crate.yaml", s.Read("crate.yaml")+"\n")
	says(t, s.Try("check").Out, "-readable-build")
	says(t, s.Try("check", "--live").Out, "oarlock is on this page in its readable build",
		"merry switch oarlock --minified --page")
	s.Run("switch", "oarlock", "--minified")
	s.Replace("index.html", "</body>", `<script `+
		`src="http://cdn.harbour.example/lib/flags/latest/flags.js"></script></body>`)
	says(t, s.Try("check", "--no-rehearse").Out, "warning: link-plain", "warning: link-branch")
	says(t, s.Try("check", "--live", "--no-rehearse").Out, "error: link-plain", "error: link-branch")
}

// TestModulesAsBrowsersSee: what no browser loads is told of imports, of import maps and of hints, and a
// policy's word on
// them is heard. The matrix of tests compares more of that with a browser.
func TestModulesAsBrowsersSee(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("js/m.js", "import \"./n.js\";\nexport const a = 1;\n")
	s.Write("js/n.js", "export const b = 1;\n")
	const csp = `<meta http-equiv="Content-Security-Policy" content="script-src 'nonce-tide'">`
	const wrong = "sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC"
	for markup, want := range map[string]string{
		`<script type="module">import "node:fs";</script>`: "it knows no scheme node:",
		`<script type="module">import "./js/m";</script>`:  "browsers add no ending",
		`<template><script type="importmap">{"imports": {"m": "./js/m.js"}}</script></template>` +
			`<script type="module">import "m";</script>`: `resolves "m"`,
		`<script type="module">import "m";</script><script type="importmap">{"imports": {"m": "./js/m.js"}}` +
			`</script>`: `resolves "m"`,
		`<script type="importmap"> </script><script type="module">import "./js/m.js";</script>`: "no findings",
		`<script type="module">import.meta.resolve("m");</script>`: "Failed to resolve " +
			"module specifier m",
		csp + `<script type="importmap">{"imports": {"m": "./js/m.js"}}</script>`: "give its tag " +
			"the nonce of the policy",
		csp + `<script type="module" nonce="other" src="js/m.js"></script>`: "n.js (which " +
			"js/m.js imports)",
		`<link rel="modulepreload" href="js/m.js" integrity="` + wrong + `"><script type="module" ` +
			`src="js/m.js"></script>`: "the " +
			"integrity of the modulepreload of js/m.js is not that of the file",
		`<script type="importmap">{"imports": {}, "integrity": {"./js/m.js": "` + wrong + `"}}</script>` +
			`<script type="module" src="js/m.js"></script>`: "the import map's integrity of js/m.js is not that of " +
			"the file",
		`<script src="js/club.js" integrity="hello"></script>`: "has no hash that browsers heed",
	} {
		s.Write("log.html", strings.Replace(merrytest.PlainPage, "</head>", markup+"</head>", 1))
		if out := s.Try("check", "log.html").Out; !strings.Contains(out, want) {
			t.Errorf("%s: check does not say %q\n%s", markup, want, out)
		}
	}
}
