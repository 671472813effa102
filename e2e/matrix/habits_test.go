package matrix

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// habit is a page as somebody writes it, right or wrong.
type habit struct{ kind, head, body string }

// files of the site that the pages ask for, beside the crate's.
var habitFiles = map[string]string{
	"js/rig.js": "var Rig = {\n  parts: {},\n  add: function (name, part) {\n    this.parts[name] = part;\n" +
		"  }\n};\n",
	"js/rig-mast.js": "Rig.mast = {\n  height: function () {\n    return 9;\n  }\n};\n",
	"js/rig-boom.js": "Rig.boom = {\n  at: Rig.mast.height() / 3\n};\n",
	"js/app.js":      "var app = Rig.boom.at + 1;\n",
	"old/winch.js": "/* Winch 1.2.0, nobody remembers from where */\nwindow.Winch = {\n  turn: function (n) {\n" +
		"    return n;\n  }\n};\n",
	"js/uses-winch.js": "var turned = Winch.turn(3);\n",
	"js/asks-winch.js": "var turned = typeof Winch === 'undefined' ? 0 : Winch.turn(3);\n",
	"js/waits.js": "document.addEventListener('DOMContentLoaded', function () {\n" +
		"  document.title = Winch.turn(4);\n});\n",
	"js/module.js": "import { height } from './mast.mjs';\ndocument.title = height();\n",
	"js/mast.mjs":  "export function height() {\n  return 9;\n}\n",
	"js/every.mjs": "export * from './mast.mjs';\nexport default 1;\n",
	"js/named.mjs": "export { height as depth } from './mast.mjs';\nexport * as all from './every.mjs';\n" +
		"const { x, y: [z] } = { x: 1, y: [2] };\nexport { x, z };\n",
	"js/circle.mjs":    "export * from './circle2.mjs';\nexport const depth = 1;\n",
	"js/circle2.mjs":   "export * from './circle.mjs';\nexport function height() {}\n",
	"js/lost.js":       "import { height } from './gone.mjs';\ndocument.title = height();\n",
	"js/plain.js":      "var plain = 1;\n",
	"js/uses-plain.js": "document.title = plain + 1;\n",
	"js/finds.js":      "document.getElementById('tide').textContent = 'high';\n",
	"js/finds-ready.js": "window.onload = function () {\n  document.getElementById('tide').textContent = 'high';\n" +
		"};\n",
	"js/buoymap.js": "var Buoymap = {\n  at: function (id) {\n    var at = typeof id === 'string' ? " +
		"document.getElementById(id) : id;\n    if (!at) {\n      throw new Error('Map container not found.');\n" +
		"    }\n    at.className += ' buoymap';\n    return this;\n  }\n};\n",
	"js/shows-map.js":   "var map = Buoymap.at('bay');\n",
	"js/shows-ready.js": "document.addEventListener('DOMContentLoaded', function () {\n  Buoymap.at('bay');\n});\n",
	"js/marker.js": "(function () {\n  var at = document.currentScript.src.replace(/[^\\/]*$/, '');\n" +
		"  var img = new Image();\n  img.src = at + 'img/marker.png';\n" +
		"  document.body && document.body.appendChild(img);\n})();\n",
	"js/theme.js": "(function () {\n  var link = document.createElement('link');\n  link.rel = 'stylesheet';\n" +
		"  link.href = 'css/night-gone.css';\n  document.head.appendChild(link);\n})();\n",
	"js/theme-there.js": "(function () {\n  var link = document.createElement('link');\n  link.rel = 'stylesheet';\n" +
		"  link.href = 'css/club.css';\n  document.head.appendChild(link);\n})();\n",
	"js/fetches.js":    "fetch('data/tides-gone.json').then(function (r) {\n  return r.ok ? r.json() : null;\n});\n",
	"js/fetches-ok.js": "fetch('data/tides.json').then(function (r) {\n  return r.json();\n});\n",
	"js/loads.js": "(function () {\n  var s = document.createElement('script');\n" +
		"  s.src = 'js/part-gone.js';\n  document.head.appendChild(s);\n})();\n",
	"js/sends.js":       "var x = new XMLHttpRequest();\nx.open('GET', 'data/gone.txt');\nx.send();\n",
	"data/tides.json":   "[1, 2]\n",
	"js/throws.js":      "throw new Error('no wind');\n",
	"js/late.js":        "setTimeout(function () {\n  noSuchThing.go();\n}, 0);\n",
	"js/strict.js":      "'use strict';\nundeclared = 1;\n",
	"js/const.js":       "const knots = 1;\nknots = 2;\n",
	"js/twice-const.js": "const winds = 1;\n",
	"js/twice-again.js": "const winds = 2;\n",
	"js/promise.js":     "Promise.reject(new Error('no wind'));\n",
	"js/syntax.js":      "var a = ;\n",
	"js/json.js":        "var list = JSON.parse('[1, 2');\n",
	"sub/js/plain.js":   "var plain = 2;\n",
	"sub/css/club.css":  "p { color: navy; }\n",
	"css/fonts.css":     "@font-face { font-family: Gull; src: url(gone.woff2); }\np { font-family: Gull; }\n",
	"css/imports.css":   "@import 'gone.css';\n",
	"css/picture.css":   "p { background: url(../img/gone.png); }\n",
	"css/unused.css":    ".nowhere { background: url(../img/gone.png); }\n",
	"img/gull-there.svg": "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><path id=\"g\" d=\"M0 " +
		"0h9\"/></svg>\n",
}

func tag(name, attributes string) string {
	return "<script" + attributes + " src=\"" + name + "\"></script>\n"
}

// habitPages are pages of every kind of mistake that the console of a browser knows, and their sound fellows.
func habitPages() []habit {
	var list []habit
	add := func(kind, head, body string) { list = append(list, habit{kind, head, body}) }
	rig := []string{"js/rig.js", "js/rig-mast.js", "js/rig-boom.js", "js/app.js"}
	permute(rig, func(order []string) {
		for _, attribute := range []string{"", " defer"} {
			head := ""
			for _, s := range order {
				head += tag(s, attribute)
			}
			add("members", head, "")
		}
	})
	// What the body's onload runs, in every way that something else may have a say in it.
	for _, attribute := range []string{"start()", "nowhere()", "a = 1; b.c", "document.title = 'x'", "",
		"return start(", "setTimeout('late()', 1)", "if (window.opera) start()", "this.x = event.type; start()"} {
		for _, head := range []string{"", "<script>function start() { noWind() }</script>\n",
			"<script>function start() { document.getElementById('tide').textContent = 'x' }</script>\n",
			"<script>onload = function () { early() }</script>\n", tag("js/plain.js", " defer")} {
			for _, body := range []string{"<p id=tide></p>", "<p>x</p><script>window.onload = function () {}</script>",
				"<script>var start = 1</script><p id=tide></p>", "<p id=tide></p><body onload=\"second()\">"} {
				add("onload", head, "<body onload=\""+attribute+"\">\n"+body+"\n")
			}
		}
	}
	for missing := range rig {
		body := ""
		for i, s := range rig {
			if i != missing {
				body += tag(s, "")
			}
		}
		add("parts missing", "", body)
	}
	ways := []string{"", " defer", " type=\"module\"", " nomodule"}
	for _, a := range ways {
		for _, b := range ways {
			for _, user := range []string{"js/uses-winch.js", "js/asks-winch.js", "js/waits.js"} {
				add("unrecorded", tag("old/winch.js", a)+tag(user, b), "")
			}
			add("unrecorded after", tag("js/uses-winch.js", a)+tag("old/winch.js", b), "")
			add("module names", tag("js/plain.js", a)+tag("js/uses-plain.js", b), "")
		}
	}
	for _, a := range ways {
		for _, s := range []string{"js/module.js", "js/mast.mjs", "js/lost.js", "js/plain.js", "js/strict.js",
			"js/const.js", "js/syntax.js", "js/throws.js", "js/late.js", "js/promise.js", "js/json.js"} {
			add("alone", tag(s, a), "")
		}
	}
	add("modules inline", "<script type=\"module\">import { height } from './js/mast.mjs'; document.title = "+
		"height();</script>", "")
	add("modules inline", "<script type=\"module\">import { height } from './js/gone.mjs';</script>", "")
	add("modules inline", "<script type=\"module\">import { height } from 'mast';</script>", "")
	add("modules inline", "<script type=\"importmap\">{\"imports\": {\"mast\": \"./js/mast.mjs\"}}</script><script "+
		"type=\"module\">import { height } from 'mast'; height();</script>", "")
	add("modules inline", "<script type=\"importmap\">{\"imports\": {\"mast\": \"./js/gone.mjs\"}}</script><script "+
		"type=\"module\">import { height } from 'mast'; height();</script>", "")
	add("modules inline", "<script type=\"module\">import { depth } from './js/mast.mjs'; depth();</script>", "")
	for _, names := range []string{"height", "depth", "height as h", "all", "* as every", "{x}"} {
		for _, from := range []string{"mast.mjs", "every.mjs", "named.mjs", "circle.mjs", "plain.js"} {
			clause := "{ " + names + " }"
			if strings.ContainsAny(names, "*{") {
				clause = "whole" // its default
				if names[0] == '*' {
					clause = names // all of it
				}
			}
			add("exports", "<script type=\"module\">import "+clause+" from './js/"+from+"';</script>", "")
		}
	}
	add("modules inline", "<script>import { height } from './js/mast.mjs';</script>", "")
	for _, c := range []string{"<!--[if IE]>%s<![endif]-->", "<!--[if !IE]><!-->%s<!--<![endif]-->",
		"<!--[if lt IE 9]>%s<![endif]-->", "<!--%s-->", "<template>%s</template>", "<noscript>%s</noscript>"} {
		add("conditional", fmt.Sprintf(c, tag("js/gone.js", "")), "")
		add("conditional", fmt.Sprintf(c, tag("old/winch.js", ""))+tag("js/uses-winch.js", ""), "")
		add("conditional", tag("old/winch.js", "")+fmt.Sprintf(c, tag("js/uses-winch.js", "")), "")
	}
	for _, base := range []string{"<base href=\"/\">", "<base href=\"sub/\">", "<base href=\"/sub/\">",
		"<base target=\"_blank\">", "<base href=\"/gone/\">"} {
		add("base", base+tag("js/plain.js", ""), "")
		add("base", base+"<link rel=\"stylesheet\" href=\"css/club.css\">", "")
		add("base", base+tag("/js/plain.js", ""), "<a href=\"#top\">top</a>")
		add("base after", tag("js/plain.js", "")+base, "")
	}
	winch, finds := tag("old/winch.js", ""), "<p id=\"tide\">low</p>\n"
	for _, inline := range []string{"Winch.turn(1);", "document.addEventListener('DOMContentLoaded', function () { " +
		"Winch.turn(1); });", "window.addEventListener('load', function () { Winch.turn(1); });",
		"if (window.Winch) Winch.turn(1);", "try { Winch.turn(1); } catch (e) {}"} {
		script := "<script>" + inline + "</script>\n"
		add("inline", winch+script, "")
		add("inline", script+winch, "")
		add("inline", script+tag("old/winch.js", " defer"), "")
		add("inline", "", script+winch)
		add("inline", script, "")
	}
	for _, s := range []string{"js/finds.js", "js/finds-ready.js"} {
		for _, a := range ways {
			add("elements", tag(s, a), finds)
			add("elements", "", tag(s, a)+finds)
			add("elements", "", finds+tag(s, a))
			add("elements", tag(s, a), "")
		}
	}
	for _, s := range []string{"js/shows-map.js", "js/shows-ready.js"} {
		for _, a := range ways[:3] {
			add("library's elements", tag("js/buoymap.js", a)+tag(s, a), "<div id=\"bay\"></div>")
			add("library's elements", "", tag("js/buoymap.js", a)+tag(s, a)+"<div id=\"bay\"></div>")
			add("library's elements", "", "<div id=\"bay\"></div>"+tag("js/buoymap.js", a)+tag(s, a))
			add("library's elements", tag("js/buoymap.js", a)+tag(s, a), "<div id=\"cove\"></div>")
		}
	}
	for _, s := range []string{"js/marker.js", "js/theme.js", "js/theme-there.js", "js/fetches.js", "js/fetches-ok.js",
		"js/loads.js", "js/sends.js"} {
		add("fetched", tag(s, ""), "")
		add("fetched", "", tag(s, ""))
		add("fetched", tag(s, " defer"), "")
	}
	for _, m := range []string{"<img src=\"img/gone.png\" alt=\"\">", "<img src=\"img/gull-there.svg\" alt=\"\">",
		"<img src=\"img/Gull-there.svg\" alt=\"\">", "<img srcset=\"img/gone.png 1x, img/gone2.png 2x\" alt=\"\">",
		"<picture><source srcset=\"img/gone.avif\"><img src=\"img/gull-there.svg\" alt=\"\"></picture>",
		"<video poster=\"img/gone.png\"></video>", "<iframe src=\"gone.html\"></iframe>",
		"<object data=\"img/gone.svg\"></object>", "<embed src=\"img/gone.svg\">",
		"<input type=\"image\" src=\"img/gone.png\" alt=\"x\">",
		"<p style=\"background: url(img/gone.png)\">x</p>", "<p style=\"background: url(img/gull-there.svg)\">x</p>",
		"<svg><use href=\"img/gull-there.svg#g\"></use></svg>", "<svg><image href=\"img/gone.png\"/></svg>",
		"<a href=\"img/gull-there.svg\">x</a>",
		"<script src=\"js/gone.js\" async></script>", "<script src=\"JS/plain.js\"></script>",
		"<link rel=\"stylesheet\" href=\"css/picture.css\">", "<link rel=\"stylesheet\" href=\"css/fonts.css\">",
		"<link rel=\"stylesheet\" href=\"css/imports.css\">"} {
		add("references", "", m+"<p>x</p>")
	}
	for _, l := range []string{"<link rel=\"stylesheet\" href=\"css/gone.css\">", "<link rel=\"stylesheet\" " +
		"href=\"css/gone.css\" media=\"print\">", "<link rel=\"preload\" as=\"script\" href=\"js/gone.js\">",
		"<link rel=\"modulepreload\" href=\"js/gone.mjs\">", "<link rel=\"manifest\" href=\"gone.webmanifest\">",
		"<link rel=\"alternate stylesheet\" title=\"x\" href=\"css/gone.css\">",
		"<style>p { background: url(img/gone.png); }</style>", "<style>@import 'css/gone.css';</style>"} {
		add("references", l, "<p>x</p>")
	}
	add("names twice", tag("js/twice-const.js", "")+tag("js/twice-again.js", ""), "")
	add("names twice", tag("js/twice-const.js", " type=\"module\"")+tag("js/twice-again.js", ""), "")
	add("names twice", tag("js/twice-const.js", "")+"<script>var winds = 3;</script>", "")
	add("names twice", tag("js/plain.js", "")+"<script>let plain = 3;</script>", "")
	return list
}

// permute calls visit for every order of a list.
func permute(list []string, visit func([]string)) {
	if len(list) == 0 {
		visit(nil)
		return
	}
	for i := range list {
		rest := append(append([]string{}, list[:i]...), list[i+1:]...)
		permute(rest, func(order []string) { visit(append([]string{list[i]}, order...)) })
	}
}

// consoles opens pages of a site in a browser, and returns what the console said of each and which requests failed.
func consoles(t *testing.T, s *merrytest.Site, files []string) [][]string {
	t.Helper()
	return consolesAfter(t, s, files, 0)
}

// consolesAfter waits some milliseconds more for what a page says.
func consolesAfter(t *testing.T, s *merrytest.Site, files []string, wait int) [][]string {
	t.Helper()
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	ctx := merrytest.BrowserFor(t, 8*time.Minute)
	said := make([][]string, len(files))
	for i, seen := range merrytest.VisitAll(t, ctx, addressesOf(server.URL, files),
		fmt.Sprintf("new Promise(r => setTimeout(() => r(1), %d))", wait)) {
		said[i] = append(seen.Console, seen.Failed...)
	}
	return said
}

// addressesOf are the addresses of files on a server.
func addressesOf(server string, files []string) []string {
	list := make([]string, len(files))
	for i, name := range files {
		list[i] = server + "/" + name
	}
	return list
}

// TestMatrixOfHabits holds check against a browser's console on some hundred pages as people write them. Run with -v it
// prints the agreement and every difference; MERRY_MATRIX=all takes all pages instead of each sixth.
func TestMatrixOfHabits(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	for name, content := range habitFiles {
		s.Write(name, content)
	}
	list := trials.Sample(habitPages())
	files := make([]string, len(list))
	for i, h := range list {
		files[i] = fmt.Sprintf("h%03d.html", i)
		s.Write(files[i], "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"+
			"<link rel=\"icon\" href=\"data:,\">\n<title>x</title>\n"+h.head+"</head>\n"+opened(h.body)+h.body+
			"</body>\n</html>\n")
	}
	var report struct {
		Findings []struct{ Name, Severity, File, Message string }
		Unsure   []string
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--rehearse", "--json").Out), &report); err != nil {
		t.Fatal(err)
	}
	said, errors := map[string][]string{}, map[string]bool{}
	for _, f := range report.Findings {
		if f.Severity != "note" {
			said[f.File] = append(said[f.File], f.Name+": "+f.Message)
			errors[f.File] = errors[f.File] || f.Severity == "error"
			for i, h := range list { // what is reported of a stylesheet or a module is so on all of its pages
				if strings.Contains(h.head+h.body, "\""+f.File+"\"") && !strings.Contains(h.head, "nomodule") {
					errors[files[i]] = true
				}
			}
		}
	}
	console := consoles(t, s, files)
	wrong, missed := 0, 0
	for i, h := range list {
		switch broken := len(console[i]) > 0; {
		case broken == errors[files[i]]:
		case broken:
			missed++
			t.Logf("missed: %s: %s | %s\n  browser: %.300q\n  check: %v", h.kind, h.head, h.body, console[i],
				said[files[i]])
		default:
			wrong++
			t.Logf("false: %s: %s | %s\n  check: %v", h.kind, h.head, h.body, said[files[i]])
		}
	}
	t.Logf("%d pages: %d agree, %d false errors, %d missed; not sure of %d", len(list), len(list)-wrong-missed, wrong,
		missed, len(report.Unsure))
	if wrong+missed > len(list)/50 {
		t.Errorf("%d of %d differ", wrong+missed, len(list))
	}
}

// opened is the body's start tag, where a page does not bring its own.
func opened(body string) string {
	if strings.HasPrefix(body, "<body") {
		return ""
	}
	return "<body>\n"
}
