// Package filled tests sites whose pages a server or a generator fills in.
package filled

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// club makes a site of files by their paths, with the demo's downloads, and starts it.
func club(t *testing.T, files map[string]string) *merrytest.Site {
	t.Helper()
	s := merrytest.Club(t)
	for _, name := range []string{"index.html", "tides.html", "crews/index.html", "js/club.js", "js/config.js",
		"css/club.css"} {
		s.Remove(name)
	}
	for name, text := range files {
		s.Write(name, text)
	}
	s.Run("start")
	return s
}

// tagged are the script and the stylesheet that the cases load.
var tagged = map[string]string{"css/own.css": "body {\n}\n", "js/own.js": "var own = 1;\n"}

// with adds files to the ones that every case has.
func with(files map[string]string) map[string]string {
	all := map[string]string{}
	for _, list := range []map[string]string{tagged, files} {
		for name, text := range list {
			all[name] = text
		}
	}
	return all
}

// whole is a page around what is in its head and its body.
func whole(head, body string) string {
	return "<!doctype html>\n<html lang=\"en\">\n<head>\n    <meta charset=\"utf-8\">\n" +
		"    <meta name=\"viewport\" content=\"width=device-width\">\n    <title>Tides</title>\n" + head +
		"</head>\n<body>\n    <main>x</main>\n" + body + "</body>\n</html>\n"
}

// TestCheckOfFilledPages: what is fine in every filling is not found fault with, and what is wrong in all of them is.
func TestCheckOfFilledPages(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		name  string
		files map[string]string
		want  []string // what is found; nothing else may be
	}{
		{"a query that is filled in", map[string]string{"index.php": whole("    <link rel=\"stylesheet\" "+
			"href=\"css/own.css?v="+
			"<?= V ?>\">\n", "    <script src=\"js/own.js?v={{ v }}\"></script>\n")}, nil},
		{"a file that is missing behind such a query", map[string]string{"index.php": whole("", "    <script "+
			"src=\"js/gone.js"+
			"?v=<?= V ?>\"></script>\n    <script src=\"js/own.js\"></script><link rel=stylesheet "+
			"href=css/own.css>\n")},
			[]string{"file-missing", "js/gone.js"}},
		{"helpers and prefixes", map[string]string{"index.html": whole("    <link rel=\"stylesheet\" href=\"{{ "+
			"url_for('static', "+
			"filename='css/own.css') }}\">\n", "    <script src=\"<?= $base ?>js/own.js\"></script>\n")}, nil},
		{"scripts with values", map[string]string{"index.html": whole("", "    <script>var a = {{ a }}, b = '{{ b "+
			"}}'; "+
			"{% if c %}own = 2;{% else %}own = 3;{% endif %}</script>\n    <script src=\"{{ asset('js/own.js') "+
			"}}\"></script>"+
			"<link rel=stylesheet href=\"{% static 'css/own.css' %}\">\n")}, nil},
		{"a script that no filling makes right", map[string]string{"index.html": whole("", "    <script>var a = "+
			";\nvar b = "+
			"{{ b }};</script>\n    <script src=\"js/own.js\"></script><link rel=stylesheet href=css/own.css>\n")},
			[]string{"syntax-error"}},
		{"styles with values", map[string]string{"index.html": whole("    <style>a { color: {{ c }}; } {% if x %}b "+
			"{ color: red; }"+
			"{% endif %}</style><link rel=stylesheet href=css/own.css>\n", "    <p style=\"color: <?= $c ?>\">x</p>"+
			"<script src=\"js/own.js\"></script>\n")}, nil},
		{"comments of templates", map[string]string{"index.html": whole("    {# <script "+
			"src=\"js/none.js\"></script> #}\n"+
			"    {{!-- <link rel=stylesheet href=none.css> --}}\n    <%-- <img src=none.png> --%>\n", "    {% "+
			"comment %}"+
			"<script src=js/none2.js></script>{% endcomment %}<script src=js/own.js></script><link rel=stylesheet "+
			"href=css/own.css>\n")}, nil},
		{"a hidden reference may load it", map[string]string{"index.html": whole("    <link rel=stylesheet "+
			"href=css/own.css>\n",
			"    <script src=\"js/{{ page }}.js\"></script>\n")}, nil},
		{"alternatives", map[string]string{"index.html": whole("    <link rel=stylesheet href=css/own.css>\n", "    "+
			"{% if a %}"+
			"<script src=\"js/own.js\"></script>{% else %}<script src=\"js/own.js\"></script>{% endif %}\n")}, nil},
		{"a header, a footer and an order", map[string]string{"index.php": "<?php include 'inc/head.php'; " +
			"?>\n<script>start();" +
			"</script>\n<?php include 'inc/foot.php'; ?>\n", "inc/head.php": "<!doctype html>\n<html " +
			"lang=en>\n<head>\n<meta " +
			"charset=utf-8><meta name=viewport content=x><title>x</title><link rel=stylesheet " +
			"href=\"/css/own.css\">\n</head>\n" +
			"<body>\n", "inc/foot.php": "<script src=\"/js/own.js\"></script>\n</body>\n</html>\n",
			"js/own.js": "function start() {\n}\n"}, []string{"need-later", "index.php:2:1"}},
		{"parts that are computed", map[string]string{"index.php": "<?php include $head; " +
			"?>\n<script>start();</script>\n" +
			"<link rel=stylesheet href=css/own.css><script src=js/own.js></script>\n"}, []string{"part-unknown"}},
		{"an import map that is filled in", map[string]string{"index.html": whole("    <script "+
			"type=\"importmap\">{\"imports\": "+
			"{{ map | tojson }}}</script>\n<link rel=stylesheet href=css/own.css>\n", "    <script "+
			"type=\"module\">import x from "+
			"\"tides\"; x();</script><script src=js/own.js></script>\n")}, nil},
		{"marks of a merge", map[string]string{"index.html": whole("<link rel=stylesheet href=css/own.css>\n",
			"<<<<<<< HEAD\n<script src=js/own.js></script>\n=======\n<p>x</p>\n>>>>>>> other\n")},
			[]string{"conflict-marks"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s := club(t, with(tt.files))
			r := s.Try("check")
			for _, want := range tt.want {
				if !strings.Contains(r.Out, want) {
					t.Errorf("%q is not found:\n%s", want, r.Out)
				}
			}
			if n := strings.Count(r.Out, "\n  why:  "); len(tt.want) == 0 && n > 0 || len(tt.want) > 0 && n != 1 {
				t.Errorf("%d findings:\n%s", n, r.Out)
			}
		})
	}
}

// TestTagsGoWhereTheyBelong: a new tag is written in the way of its neighbours, in the file that has its place; moving,
// taking off and undoing lead back to the same bytes.
func TestTagsGoWhereTheyBelong(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		name  string
		files map[string]string
		at    string // the page
		in    string // the file that changes
		tag   string
	}{
		{"a helper", map[string]string{"templates/base.html": "{% load static %}\n<!doctype html>\n<html " +
			"lang=en>\n<head>\n" +
			"<title>x</title>\n<link rel=\"stylesheet\" href=\"{% static 'css/own.css' %}\">\n</head>\n<body>\n" +
			"{% block content %}{% endblock %}\n<script src=\"{% static 'js/own.js' %}\"></script>\n</body>\n</html>\n",
			"templates/page.html": "{% extends \"base.html\" %}\n{% block content %}<p>x</p>{% endblock %}\n",
			"static/css/own.css":  "a {\n}\n", "static/js/own.js": "var own;\n"}, "templates/page.html",
			"templates/base.html",
			"<script src=\"{% static 'js/oarlock.min.js' %}\"></script>\n<script src=\"{% static 'js/own.js' %}\">"},
		{"a prefix", with(map[string]string{"index.php": whole("", "    <script src=\"<?= $base "+
			"?>js/own.js\"></script>\n")}),
			"index.php", "index.php", "    <script src=\"<?= $base ?>js/oarlock.min.js\"></script>\n    <script " +
				"src=\"<?= $base ?>"},
		{"a footer", with(map[string]string{"index.php": "<?php include 'inc/head.php'; ?>\n<p>x</p>\n" +
			"<?php include 'inc/foot.php'; ?>\n", "inc/head.php": "<!doctype " +
			"html>\n<html>\n<head>\n<title>x</title>\n</head>\n" +
			"<body>\n", "inc/foot.php": "<script src=\"/js/own.js\"></script>\n</body>\n</html>\n"}), "index.php",
			"inc/foot.php", "<script src=\"/js/oarlock.min.js\"></script>\n<script src=\"/js/own.js\"></script>"},
		{"a layout", with(map[string]string{"_layouts/default.html": "<!doctype " +
			"html>\n<html>\n<head>\n<title>x</title>\n" +
			"</head>\n<body>\n{{ content }}\n<script src=\"{{ site.baseurl " +
			"}}/js/own.js\"></script>\n</body>\n</html>\n",
			"index.html": "---\nlayout: default\n---\n<p>x</p>\n"}), "index.html", "_layouts/default.html",
			"<script src=\"{{ site.baseurl }}/js/oarlock.min.js\"></script>\n<script src=\"{{ site.baseurl " +
				"}}/js/own.js\">"},
		{"partials", with(map[string]string{"views/a.hbs": "{{> head}}<p>x</p>\n{{> foot}}",
			"views/partials/head.hbs": "<html>\n" +
				"<head>\n<title>x</title>\n</head>\n<body>\n", "views/partials/foot.hbs": "<script " +
				"src=\"/js/own.js\"></script>\n" +
				"</body>\n</html>\n"}), "views/a.hbs", "views/partials/foot.hbs", "<script " +
			"src=\"/js/oarlock.min.js\"></script>\n"},
		{"a section", with(map[string]string{"Views/Shared/_Layout.cshtml": "<!doctype " +
			"html>\n<html>\n<head>\n<title>x</title>\n" +
			"</head>\n<body>\n@RenderBody()\n<script src=\"~/js/own.js\"></script>\n@RenderSection(\"Scripts\", " +
			"required: false)\n" +
			"</body>\n</html>\n", "Views/Index.cshtml": "@{\n    Layout = \"_Layout\";\n}\n<p>x</p>\n"}),
			"Views/Index.cshtml",
			"Views/Shared/_Layout.cshtml", "<script src=\"~/js/oarlock.min.js\"></script>\n<script " +
				"src=\"~/js/own.js\">"},
		{"a condition is none of its business", with(map[string]string{"index.php": whole("", "    <?php if ($a): "+
			"?>\n    <script "+
			"src=\"js/own.js\"></script>\n    <?php endif; ?>\n")}), "index.php", "index.php",
			"    <script src=\"js/oarlock.min.js\"></script>\n    <?php if ($a): ?>"},
		{"nothing above what sends headers", with(map[string]string{"index.php": "<?php header('X-Club: oars'); " +
			"?>\n<p>x</p>\n" +
			"<body>\n</body>\n"}), "index.php", "index.php", "<?php header('X-Club: oars'); ?>\n"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s := club(t, tt.files)
			before := s.State()
			dry := s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", tt.at, "--dry-run")
			if tt.in != tt.at && !strings.Contains(dry, tt.in+" is part of") {
				t.Errorf("the dry run does not say which pages change:\n%s", dry)
			}
			s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", tt.at)
			if text := s.Read(tt.in); !strings.Contains(text, tt.tag) {
				t.Errorf("%s is\n%s", tt.in, text)
			}
			after := s.State()
			if out := s.Run("include", "oarlock", "--page", tt.at); s.State() != after {
				t.Errorf("it is put there twice:\n%s\n%s", out, s.Read(tt.in))
			}
			s.Run("omit", "oarlock")
			if text := s.Read(tt.in); text != tt.files[tt.in] {
				t.Errorf("taking it off leaves\n%s", text)
			}
			s.Run("undo")
			if s.State() != after {
				t.Error("undo does not lead back")
			}
			s.Run("undo")
			if s.State() != before {
				t.Error("undoing all does not lead back")
			}
		})
	}
}

// TestReferencesWithHolesFollow: what is plainly written in a reference follows a file that moves, and a hole stays as
// it is; a reference that is hidden is told of and left.
func TestReferencesWithHolesFollow(t *testing.T) {
	t.Parallel()
	page := whole("    <link rel=\"stylesheet\" href=\"css/own.css?v=<?= V ?>\">\n", "    <img src=\"{{ "+
		"url_for('static', "+
		"filename='img/oar.svg') }}\" srcset=\"<?= $b ?>/img/oar.svg 2x\">\n    <script src=\"js/{{ page "+
		"}}.js\"></script>\n"+
		"    <script>var a = \"{{ asset('img/oar.svg') }}\";</script>\n")
	s := club(t, with(map[string]string{"index.php": page, "img/oar.svg": "<svg " +
		"xmlns=\"http://www.w3.org/2000/svg\"></svg>"}))
	before := s.State()
	s.Run("move", "css/own.css", "css/site/own.css")
	s.Run("move", "img/oar.svg", "img/boats/oar.svg", "--in-scripts")
	r := s.Try("move", "js/own.js", "js/later.js")
	want := strings.NewReplacer("css/own.css?v", "css/site/own.css?v", "img/oar.svg", "img/boats/oar.svg").Replace(page)
	if got := s.Read("index.php"); got != want {
		t.Errorf("the page is\n%s", got)
	}
	if !strings.Contains(r.Out+r.Err, "index.php:12:5") || !strings.Contains(r.Out+r.Err, "left unchanged") {
		t.Errorf("nothing is said of the hidden reference:\n%s%s", r.Out, r.Err)
	}
	for range 3 {
		s.Run("undo")
	}
	if s.State() != before {
		t.Error("undo does not lead back")
	}
}

// TestOnlyThisPage: a tag goes into the page's own block, and is refused where the page has no place of its own.
func TestOnlyThisPage(t *testing.T) {
	t.Parallel()
	s := club(t, with(map[string]string{"base.html": "<html>\n<head>\n<title>x</title>\n</head>\n<body>\n" +
		"{% block content %}{% endblock %}\n<script src=\"/js/own.js\"></script>\n</body>\n</html>\n",
		"a.html": "{% extends 'base.html' %}\n{% block content %}\n<p>a</p>\n{% endblock %}\n",
		"b.html": "{% extends 'base.html' %}\n{% block content %}\n<p>b</p>\n{% endblock %}\n"}))
	base := s.Read("base.html")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "a.html", "--only-this-page")
	if text := s.Read("a.html"); !strings.Contains(text, "<p>a</p>\n<script src=\"/js/oarlock.min.js\"></script>\n") ||
		s.Read("base.html") != base {
		t.Errorf("the page is\n%s", text)
	}
	s.Fail(1, []string{"b.html has no place of its own", "without --only-this-page"}, "include", "css/own.css",
		"--page",
		"b.html", "--only-this-page")
	s.Run("include", "oarlock", "--page", "**")
	if text := s.Read("base.html"); !strings.Contains(text, "oarlock") {
		t.Errorf("the layout is\n%s", text)
	}
}

// TestMovesStayInTheirParts: a tag of a part that other pages have, too, is not moved into one of them.
func TestMovesStayInTheirParts(t *testing.T) {
	t.Parallel()
	page := "<?php include 'inc/head.php'; ?>\n<script>start();</script>\n<?php include 'inc/foot.php'; ?>\n"
	s := club(t, with(map[string]string{"index.php": page, "other.php": page,
		"inc/head.php": "<html>\n<head>\n<title>x" +
			"</title>\n</head>\n<body>\n", "inc/foot.php": "<script src=\"/js/own.js\"></script>\n</body>\n</html>\n",
		"js/own.js": "function start() {\n}\n"}))
	before := s.State()
	s.Fail(1, []string{"has to move from inc/foot.php into index.php", "other.php"}, "order", "index.php", "--fix")
	if s.State() != before {
		t.Error("something changed")
	}
	if out := s.Run("order", "index.php"); !strings.Contains(out, "inc/foot.php:1") {
		t.Errorf("the order does not say where a tag is:\n%s", out)
	}
}

// TestWhatBelongsToTheSite: what version control ignores, installed packages, generated pages and excluded files are
// left out, with the reason, and no command changes them.
func TestWhatBelongsToTheSite(t *testing.T) {
	t.Parallel()
	built := "<!doctype html>\n<html>\n<head><title>Tides</title></head>\n<body>\n<main>high water at noon</main>\n" +
		"<footer>The club at Gull Point, since 1901</footer>\n</body>\n</html>\n"
	s := club(t, with(map[string]string{"index.html": strings.Replace(built, "high water at noon", "{{ tide }}", 1),
		"_site/index.html": built, "_site/a/index.html": built, ".gitignore": "drafts/\n*.tmp.html\n!keep.tmp.html\n",
		"drafts/x.html": built, "y.tmp.html": built, "keep.tmp.html": whole("", ""), "sub/.gitignore": "z.html\n",
		"sub/z.html": built, "node_modules/a/package.json": `{"name": "a", "version": "1.0.0"}`,
		"node_modules/a/x.html": built, "node_modules/b/package.json": `{"name": "b", "version": "1.0.0"}`}))
	out := s.Run("contents")
	for _, want := range []string{"_site; exclude:", "drafts; version control", "y.tmp.html; version", "sub/z.html; " +
		"version",
		"node_modules; it has installed"} {
		if !strings.Contains(out, want) {
			t.Errorf("contents does not say %q:\n%s", want, out)
		}
	}
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	for _, name := range []string{"_site/index.html", "drafts/x.html", "y.tmp.html", "sub/z.html",
		"node_modules/a/x.html"} {
		if strings.Contains(s.Read(name), "oarlock") {
			t.Errorf("%s was changed", name)
		}
	}
	for _, name := range []string{"index.html", "keep.tmp.html"} {
		if !strings.Contains(s.Read(name), "oarlock") {
			t.Errorf("%s was not changed", name)
		}
	}
}

// TestMailsAndFeeds: a pattern passes over what takes no libraries, and a page that is named gets its tag.
func TestMailsAndFeeds(t *testing.T) {
	t.Parallel()
	mail := "<html>\n<head><!--[if mso]><style>td{}</style><![endif]--></head>\n<body><p>x</p></body>\n</html>\n"
	s := club(t, with(map[string]string{"index.html": whole("", ""), "mail.html": mail,
		"light.html": strings.Replace(whole("", ""), "<html ", "<html amp ", 1)}))
	out := s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	if !strings.Contains(out, "it is a template of a mail") || !strings.Contains(out, "lightweight format") ||
		s.Read("mail.html") != mail {
		t.Errorf("take says\n%s\n%s", out, s.Read("mail.html"))
	}
	s.Run("include", "oarlock", "--page", "mail.html")
	if !strings.Contains(s.Read("mail.html"), "oarlock") {
		t.Error("a page that is named was left alone")
	}
}

// TestMarksOfAMerge: no command writes a file that has them.
func TestMarksOfAMerge(t *testing.T) {
	t.Parallel()
	s := club(t, with(map[string]string{"index.html": whole("", "<<<<<<< HEAD\n<p>a</p>\n=======\n<p>b</p>\n>>>>>>> "+
		"x\n"),
		"css/own.css": "<<<<<<< HEAD\na {\n  background: url(../img/a.svg);\n}\n=======\n>>>>>>> x\n",
		"img/a.svg":   "<svg/>"}))
	before := s.State()
	s.Fail(1, []string{"index.html:10:1 has the marks of an unresolved merge"}, "take",
		"../downloads/oarlock-2.0.3.zip",
		"--page", "index.html")
	s.Fail(1, []string{"css/own.css:1:1 has the marks"}, "move", "img/a.svg", "img/b.svg")
	if s.State() != before {
		t.Error("something changed")
	}
}

// TestPoliciesOfFilledPages: no hash is given for a script that a server fills in.
func TestPoliciesOfFilledPages(t *testing.T) {
	t.Parallel()
	s := club(t, with(map[string]string{"index.html": whole("", "    <script>var a = {{ a }};</script>\n    "+
		"<script>var b = 1;"+
		"</script>\n")}))
	out := s.Run("check", "--policy")
	if strings.Count(out, "'sha256-") != 1 || !strings.Contains(out, "'nonce-NONCE'") ||
		!strings.Contains(out, "inline script in line 10") {
		t.Errorf("the policy is\n%s", out)
	}
}

// TestImportMapsOfFilledPages: an import map's addresses are written as the page's other references are, are read
// again, and follow a file that moves.
func TestImportMapsOfFilledPages(t *testing.T) {
	t.Parallel()
	page := whole("", "    <script src=\"{{ asset 'js/own.js' }}\"></script>\n"+
		"    <script type=\"module\" src=\"{{ asset 'js/count.js' }}\"></script>\n")
	s := club(t, map[string]string{"templates/index.html": page, "static/js/own.js": "var own = 1;\n",
		"static/js/count.js": "import { tally } from \"tally\";\nconsole.log(tally(1));\n"})
	tally := s.Archive("tally-1.0.0.zip", map[string]string{
		"package.json": `{"name": "tally", "version": "1.0.0", "type": "module", "exports": "./tally.js"}`,
		"tally.js":     "export function tally(n) { return n + 1; }\n"})
	before := s.State()
	s.Run("take", tally, "--page", "templates/index.html", "--suggested")
	if text := s.Read("templates/index.html"); !strings.Contains(text, `"tally": "{{ asset 'js/tally.js' }}"`) {
		t.Errorf("the page is\n%s", text)
	}
	s.Run("check")
	s.Run("move", "static/js/tally.js", "static/js/parts/tally.js")
	if text := s.Read("templates/index.html"); !strings.Contains(text, `"tally": "{{ asset 'js/parts/tally.js' }}"`) {
		t.Errorf("after the move the page is\n%s", text)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "error:") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Replace("static/js/count.js", "import { tally } from \"tally\";\nconsole.log(tally(1));\n", "var count = 1;\n")
	if s.Run("drop", "tally"); strings.Contains(s.Read("templates/index.html"), "tally") {
		t.Errorf("after the library went the page is\n%s", s.Read("templates/index.html"))
	}
	s.Run("undo")
	s.Replace("static/js/count.js", "var count = 1;\n", "import { tally } from \"tally\";\nconsole.log(tally(1));\n")
	s.Run("undo")
	s.Run("undo")
	if s.State() != before {
		t.Error("the way back leaves something")
	}
}

// TestWhatIsThereOnFilledPages: a script without a record that a shared part loads is there on all pages that have the
// part.
func TestWhatIsThereOnFilledPages(t *testing.T) {
	t.Parallel()
	s := club(t, map[string]string{"index.php": "<?php include 'inc/head.php'; ?>\n<main>x</main>\n</body>\n</html>\n",
		"inc/head.php": strings.TrimSuffix(whole("    <script src=\"js/oar.js\"></script>\n", ""),
			"</body>\n</html>\n"),
		"js/oar.js": "window.oarlock = function () {};\noarlock.fn = oarlock.prototype = {};\n"})
	out := s.Run("take", "../downloads/brinework-1.2.0.zip", "--suggested", "--page", "**")
	if !strings.Contains(out, "provided by js/oar.js") {
		t.Errorf("take says\n%s", out)
	}
}

// TestFallbacksOfFilledPages: where a template makes the address of the site's own copy, no script can ask for it, so
// there is no fallback, and the command says why.
func TestFallbacksOfFilledPages(t *testing.T) {
	t.Parallel()
	cdn, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(cdn.Close)
	s := club(t, map[string]string{"templates/index.html": whole("", "    <script src=\"{{ asset 'js/own.js' }}\">"+
		"</script>\n"), "static/js/own.js": "var own = 1;\n"})
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, cdn.Addr)
	}
	s.Run("sources", "set", "cdn", "harbour", "http://cdn.harbour.example/lib/{name}/{version}/{path}")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "templates/index.html", "--suggested")
	before := s.Read("templates/index.html")
	r := s.Try("switch", "--cdn", "oarlock", "--fallback")
	text := s.Read("templates/index.html")
	if !strings.Contains(r.Out, "an address that the template makes") || strings.Contains(text, "typeof oarlock") ||
		!strings.Contains(text, "http://cdn.harbour.example/lib/oarlock/") {
		t.Errorf("switch says\n%s%sand the page is\n%s", r.Out, r.Err, text)
	}
	if s.Run("switch", "--local", "oarlock"); s.Read("templates/index.html") != before {
		t.Errorf("back, the page is\n%s", s.Read("templates/index.html"))
	}
}
