package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"merrycrate.example/merry/internal/merrytest"
)

// valid holds a JSON text against a schema in testdata.
func valid(t *testing.T, schema, text string, more ...string) {
	t.Helper()
	c := jsonschema.NewCompiler()
	for _, name := range append(more, schema) {
		f, err := os.Open(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		doc, err := jsonschema.UnmarshalJSON(f)
		f.Close()
		if err != nil {
			t.Fatal(err)
		}
		for _, at := range []string{name, "http://cyclonedx.org/schema/" + name} {
			if err := c.AddResource(at, doc); err != nil {
				t.Fatal(err)
			}
		}
	}
	s, err := c.Compile(schema)
	if err != nil {
		t.Fatal(err)
	}
	v, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Validate(v); err != nil {
		t.Errorf("not valid against %s: %v\n%s", schema, err, text)
	}
}

// TestFindingsOfEveryKind breaks the club's site in one way after the other and reads what check says.
func TestFindingsOfEveryKind(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	script := `<script src="js/club.js"></script>`
	for _, tt := range []struct {
		name  string
		broke func(s *merrytest.Site)
		words []string
	}{
		{"need-later", func(s *merrytest.Site) {
			s.Replace("index.html", "<!-- our own -->", "<script>oarlock('#menu')</script>")
		}, []string{"index.html:26:3", "uses oarlock", "merry order index.html --fix"}},
		{"need-absent", func(s *merrytest.Site) { s.Replace("index.html", script, "<script>pennants()</script>") },
			[]string{"pennants", "no script on this page defines it"}},
		{"need-race", func(s *merrytest.Site) {
			s.Replace("index.html", `<script src="js/oarlock.min.js">`, `<script async src="js/oarlock.min.js">`)
		}, []string{"is async"}},
		{"need-circle", func(s *merrytest.Site) {
			s.Write("js/a.js", "window.A = window.B.x;")
			s.Write("js/b.js", "window.B = window.A.x;")
			s.Replace("index.html", script, script+`<script src="js/a.js"></script><script src="js/b.js"></script>`)
		}, []string{"2 scripts need each other in a circle", "js/a.js uses B"}},
		{"module-as-classic", func(s *merrytest.Site) {
			s.Write("js/m.js", "export default 1;")
			s.Replace("index.html", script, script+`<script src="js/m.js"></script>`)
		}, []string{"js/m.js is an ES module"}},
		{"syntax-error", func(s *merrytest.Site) { s.Write("js/config.js", "var CLUB = {;\n") },
			[]string{"can't be parsed"}},
		{"syntax-newer", func(s *merrytest.Site) {
			s.Write("crate.yaml", s.Read("crate.yaml")+"browsers: es5\n")
			s.Write("js/config.js", "const CLUB = {name: `Gull`, menu: '#menu-button'};\n")
		}, []string{"ECMAScript 2015", "support 2009"}},
		{"two-versions", func(s *merrytest.Site) {
			s.Write("js/oarlock-1.4.2.js", "window.oarlock = window.oarlock || 1;")
			s.Replace("index.html", script, script+`<script src="js/oarlock-1.4.2.js"></script>`)
		}, []string{"oarlock is on the page in two versions: 1.4.2 here, and 2.0.3 in line"}},
		{"unrecorded-library", func(s *merrytest.Site) {
			s.Write("js/gauge.js", "/*! gauge v0.9.1 */\nwindow.gauge = 1;")
			s.Replace("index.html", script, script+`<script src="js/gauge.js"></script>`)
		}, []string{"looks like gauge 0.9.1", "merry adopt index.html"}},
		{"unused-library", func(s *merrytest.Site) {
			s.Run("omit", "brinework")
		}, []string{"brinework is in the crate but on no page", "merry drop brinework"}},
		{"map-missing", func(s *merrytest.Site) {
			s.Write("js/config.js", s.Read("js/config.js")+"//# sourceMappingURL=config.js.map\n")
		}, []string{"js/config.js:", "config.js.map, which does not exist"}},
		{"old-path", func(s *merrytest.Site) {
			s.Write("js/config.js", s.Read("js/config.js")+"var icon = 'fonts/brinework-1.0.woff';\n")
		}, []string{"js/config.js:", "leads into a folder of brinework"}},
		{"mixed-content", func(s *merrytest.Site) {
			s.Write("css/club.css", "body { background: url(http://else.example/x.png) }\n")
		}, []string{"css/club.css:1:", "http://else.example/x.png"}},
		{"on-no-page", func(s *merrytest.Site) { s.Write("js/forgotten.js", "1;\n") }, []string{"js/forgotten.js"}},
		{"script-fails", func(s *merrytest.Site) {
			s.Write("js/club.js", "document.getElementById('nowhere').className = 'x';\n")
		}, []string{"js/club.js stops: TypeError", "js/club.js:1:"}},
		{"script-fails", func(s *merrytest.Site) {
			s.Replace("index.html", `<script src="js/config.js"></script>`, "")
		}, []string{"js/club.js stops when the page is ready: ReferenceError: CLUB is not defined",
			"js/config.js, which is not on this page"}},
	} {
		s := merrytest.Started(t)
		s.Run("check")
		tt.broke(s)
		r := s.Try("check")
		for _, w := range append(tt.words, tt.name) {
			if !strings.Contains(r.Out, w) {
				t.Errorf("%s: check does not say %q:\n%s", tt.name, w, r.Out)
			}
		}
		again := s.Try("check")
		if again.Out != r.Out || again.Status != r.Status {
			t.Errorf("%s: the second check says something else:\n%s\n%s", tt.name, r.Out, again.Out)
		}
	}
}

// TestRemembered: what check remembers of pages never hides a change.
func TestRemembered(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("check", "--no-rehearse")
	s.Run("check", "--no-rehearse")
	before := s.Read("js/club.js")
	s.Write("js/club.js", "window.Brinework.menu = pennants;\n")
	s.Fail(1, []string{"pennants"}, "check", "--no-rehearse")
	s.Write("js/club.js", before)
	s.Run("check", "--no-rehearse")
	page := s.Read("tides.html")
	s.Write("tides.html", strings.Replace(page, "js/club.js", "js/Club.js", 1))
	s.Fail(1, []string{"case-differs"}, "check", "--no-rehearse")
	s.Write("tides.html", page)
	s.Run("check", "--no-rehearse")
	// A folder of installed packages is not walked, and is looked into anyway.
	s.Write("parcels/winch/about.json", `{"name": "winch", "version": "1.0.0"}`)
	s.Write("parcels/winch/winch.js", "window.winch = 1;\n")
	s.Replace("tides.html", "</body>", "<script src=parcels/winch/winch.js></script></body>")
	long := time.Now().Add(-time.Hour)
	os.Chtimes(filepath.Join(s.Dir, "tides.html"), long, long)
	for range 2 {
		if r := s.Try("check", "--no-rehearse"); strings.Contains(r.Out, "file-missing") {
			t.Errorf("check says\n%s", r.Out)
		}
	}
	os.Remove(filepath.Join(s.Dir, "parcels/winch/winch.js"))
	s.Fail(1, []string{"file-missing", "parcels/winch/winch.js"}, "check", "--no-rehearse")
	os.Remove(filepath.Join(s.Dir, "js/config.js"))
	s.Fail(1, []string{"file-missing", "js/config.js"}, "check", "--no-rehearse")
}

// TestAgainSaysWhatFreshSays: pages that have lain long enough to be remembered come, go, change and take each other's
// names; what is said of all of them is what reading them again says.
func TestAgainSaysWhatFreshSays(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Empty(t)
	page := func(i int) string {
		return fmt.Sprintf("<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">\n<title>x</title>\n</head>\n"+
			"<body>\n<img src=\"gone%d.png\" alt=\"\">\n</body>\n</html>\n", i)
	}
	for i := range 12 {
		s.Write(fmt.Sprintf("%s/p%d.html", []string{"crews", "crews-b", "races"}[i%3], i), page(i))
	}
	s.Write("crews.html", page(12))
	s.Run("start")
	at := func(name string) string { return filepath.Join(s.Dir, name) }
	for i, change := range []func() error{
		func() error { return nil },
		func() error { return os.WriteFile(at("crews/p3.html"), []byte(page(99)), 0o644) },
		func() error { return os.WriteFile(at("crews/p10.html"), []byte(page(98)), 0o644) },
		func() error { return os.Remove(at("crews-b/p4.html")) },
		func() error { return os.Rename(at("races/p5.html"), at("races/p2.html")) },
		func() error {
			return errors.Join(os.Rename(at("crews/p0.html"), at("swap")), os.Rename(at("crews/p6.html"),
				at("crews/p0.html")), os.Rename(at("swap"), at("crews/p6.html")))
		},
		func() error { return os.Rename(at("crews-b"), at("a")) },
	} {
		if i < 2 {
			time.Sleep(2100 * time.Millisecond) // what changed a moment ago is not remembered
		}
		if err := change(); err != nil {
			t.Fatal(err)
		}
		again, fresh := s.Try("check", "--no-rehearse", "--pages"), s.Try("check", "--no-rehearse", "--pages",
			"--fresh")
		if again.Out != fresh.Out || !strings.Contains(again.Out, "gone12.png") {
			t.Errorf("after change %d check says\n%s\nand afresh\n%s", i, again.Out, fresh.Out)
		}
	}
}

func TestMend(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Run("switch", "oarlock", "--cdn", "--page", "crews/index.html")
	sound := s.Pages()
	s.Replace("index.html", `<script src="js/oarlock.min.js"></script>`, `<script src="old/oarlock.min.js" `+
		`integrity="sha384-`+strings.Repeat("A", 64)+`"></script>`)
	s.Replace("tides.html", `css/club.css`, `CSS/club.css`)
	s.Replace("tides.html", `    <script src="js/config.js"></script>`+"\n", `    <script src="js/config.js"></script>`+
		"\n"+`    <script src="js/config.js"></script>`+"\n")
	crews := s.Read("crews/index.html")
	s.Replace("crews/index.html", ` crossorigin="anonymous"`, "")
	broken := s.State()
	out := s.Run("check", "--fix", "--dry-run")
	if s.State() != broken || !strings.Contains(out, "was included twice") ||
		!strings.Contains(out, "+++ b/tides.html") {
		t.Errorf("a dry run changed something, or says\n%s", out)
	}
	s.Try("check", "--fix")
	right := strings.Fields(s.Run("seal", "js/oarlock.min.js"))[0] // a demand is renewed, and stays
	s.Replace("index.html", ` integrity="`+right+`"`, "")
	if s.Pages() != sound || s.Read("crews/index.html") != crews {
		t.Errorf("mended:\n%s", s.Pages())
	}
	// An order is fixed with the fewest moves.
	s.Replace("index.html", `<script src="js/club.js"></script>`, "")
	s.Replace("index.html", "<!-- our own -->", "<!-- our own -->\n  <script src=\"js/club.js\"></script>")
	out = s.Try("check", "index.html", "--fix").Out
	if !strings.Contains(out, "moved js/club.js after js/oarlock.min.js") {
		t.Errorf("check --fix says\n%s", out)
	}
	s.Run("check", "index.html")
	s.Run("undo")
	s.Fail(1, []string{"need-later"}, "check", "index.html")
	s.Run("order", "index.html", "--fix")
	s.Run("check", "index.html")
}

func TestOrderOutput(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	out := s.Run("order", "crews/index.html")
	for _, want := range []string{"step  what", "js/brinework.min.js", "oarlock", "before",
		"of two equal rules the later one wins", "kept"} {
		if !strings.Contains(out, want) {
			t.Errorf("order does not say %q:\n%s", want, out)
		}
	}
	if out := s.Run("order", "index.html", "--graph", "svg"); !strings.HasPrefix(out, "<svg") ||
		strings.Contains(out, "<script") {
		t.Errorf("the picture is\n%s", out)
	}
	if out := s.Run("order", "index.html", "--graph", "mermaid"); !strings.HasPrefix(out, "flowchart TB\n") ||
		!strings.Contains(out, `-->|"oarlock"|`) {
		t.Errorf("the picture is\n%s", out)
	}
	if out := s.Run("order", "index.html", "--graph", "dot"); !strings.HasPrefix(out, "digraph") {
		t.Errorf("the picture is\n%s", out)
	}
	s.Fail(2, []string{"use svg, dot or mermaid"}, "order", "index.html", "--graph", "jpeg")
	s.Fail(2, []string{"--graph draws one page"}, "order", "**", "--graph", "svg")
	// Deferred before blocking can't be fixed by moving.
	s.Replace("index.html", `<script src="js/oarlock.min.js">`, `<script defer src="js/oarlock.min.js">`)
	before := s.State()
	s.Fail(1, []string{"no move fixes this", "is deferred"}, "order", "index.html", "--fix")
	if s.State() != before {
		t.Error("it was changed all the same")
	}
	// Stylesheets are ordered by the same means, across head and body.
	s.Replace("index.html", `<script defer src="js/oarlock.min.js">`, `<script src="js/oarlock.min.js">`)
	page := s.Read("tides.html")
	s.Replace("tides.html", "    <link rel=\"stylesheet\" href=\"css/brinework.min.css\">\n", "")
	s.Replace("tides.html", "<main class=\"bw-page\">", "<main class=\"bw-page\">\n<link rel=\"stylesheet\" "+
		"href=\"css/brinework.min.css\">")
	s.Fail(1, []string{"own-style-first"}, "check", "tides.html")
	s.Run("order", "tides.html", "--fix")
	s.Run("check", "tides.html")
	if strings.Count(s.Read("tides.html"), "brinework.min.css") != strings.Count(page, "brinework.min.css") {
		t.Error("a tag was lost")
	}
}

// fingerprints are those of a check's SARIF log, sorted.
func fingerprints(t *testing.T, s *merrytest.Site) (list []string) {
	t.Helper()
	var log struct {
		Runs []struct {
			Results []struct{ PartialFingerprints map[string]string }
		}
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--sarif").Out), &log); err != nil {
		t.Fatal(err)
	}
	for _, r := range log.Runs[0].Results {
		for _, f := range r.PartialFingerprints {
			list = append(list, f)
		}
	}
	slices.Sort(list)
	return list
}

func TestReports(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("js/forgotten.js", "1;\n")
	s.Replace("index.html", "js/club.js", "js/Club.js")
	s.Replace("tides.html", "<script src=\"js/oarlock.min.js\"></script>", "")
	for _, args := range [][]string{{"check", "--sarif"}, {"check", "crews/index.html", "--sarif"}} {
		valid(t, "sarif-2.1.0.schema.json", s.Try(args...).Out)
	}
	before := fingerprints(t, s)
	s.Write("index.html", "<!-- Gölle -->\n\n"+s.Read("index.html"))
	if moved := fingerprints(t, s); len(before) < 3 || !slices.Equal(moved, before) {
		t.Errorf("fingerprints change with lines:\n%v\n%v", before, moved)
	}
	s.Try("check", "--report", "report.html")
	report := s.Read("report.html")
	os.Remove(filepath.Join(s.Dir, "report.html"))
	for _, want := range []string{"case-differs", "need-absent", "<svg", "on the wire", "brinework"} {
		if !strings.Contains(report, want) {
			t.Errorf("the report lacks %q", want)
		}
	}
	for _, never := range []string{"<script", "http-equiv", "src=\"", "<link"} {
		if strings.Contains(report, never) {
			t.Errorf("the report is not self-contained: %s", never)
		}
	}
	if out := s.Run("check", "--explain=need-later"); !strings.HasPrefix(out, "need-later\n\nError.") {
		t.Errorf("explained as\n%s", out)
	}
	if out := s.Run("check", "--explain"); strings.Count(out, "\n") < 30 {
		t.Errorf("the findings are\n%s", out)
	}
	if out := s.Run("check", "--explain", "need-later"); !strings.HasPrefix(out, "need-later\n\nError.") {
		t.Errorf("with a space it is explained as\n%s", out)
	}
	s.Fail(2, []string{"there is no finding", "need-later"}, "check", "--explain=need")
	for _, args := range [][]string{{"init", "-q"}, {"add", "-A"}, {"-c", "user.name=Cox", "-c",
		"user.email=cox@club.example", "commit", "-qm", "site"}} {
		cmd := exec.Command("git", args...)
		cmd.Dir = s.Dir
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Skipf("no git here: %v\n%s", err, bytes.TrimSpace(out))
		}
	}
	if out := s.Run("check", "--changed-since", "HEAD"); !strings.HasPrefix(out, "0 pages") {
		t.Errorf("nothing changed, and check says\n%s", out)
	}
	s.Replace("crews/index.html", "../js/club.js", "../js/Club.js")
	out := s.Fail(1, []string{"crews/index.html", "1 page: 1 error"}, "check", "--changed-since", "HEAD").Out
	if strings.Contains(out, "tides.html") {
		t.Errorf("pages that did not change are checked:\n%s", out)
	}
	s.Fail(1, []string{"git says", "nowhere"}, "check", "--changed-since", "nowhere")
}

// TestHostileScripts: a rehearsal is ended by its limits, and the page by nothing.
func TestHostileScripts(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	for name, script := range map[string]string{
		"endless": "for (;;) {}",
		"greedy":  "var a = []; for (;;) a.push(new Array(1000000).join('x') + a.length);",
		"deep":    "function f() { f(); f(); } f();",
	} {
		s.Write("js/config.js", "var CLUB = {};\n"+script+"\n")
		r := s.Try("check", "index.html")
		if r.Status > 1 || strings.Contains(r.Err, "goroutine") || name != "deep" &&
			(r.Status != 1 || !strings.Contains(r.Out, "rehearsal-stopped")) {
			t.Errorf("%s: %+v", name, r)
		}
	}
}

// TestOneThingTwice: a script in two builds is reported, and a plug-in whose banner begins with its base's name is no
// second version.
func TestOneThingTwice(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	page :=
		"<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">\n<title>x</title>\n</head>\n<body>\n" +
			"<script src=\"js/winch.js\"></script>\n<script src=\"js/OTHER.js\"></script>\n</body>\n</html>\n"
	base :=
		"/*! Winch v2.0.0 */\n(function () {\n  window.Winch = {\n    turn: function () {\n      return 1;\n    }\n" +
			"  };\n})();\n"
	s.Write("js/winch.js", base)
	s.Write("js/winch.min.js", "/*! Winch v2.0.0 */\n(function(){window.Winch={turn:function(){return 1}}})();\n")
	s.Write("js/old.js", strings.Replace(base, "2.0.0", "1.0.0", 1))
	s.Write("index.html", strings.Replace(page, "OTHER", "winch.min", 1))
	s.Run("start")
	s.Fail(1, []string{"included-twice", "js/winch.min.js is another build of js/winch.js in line 8"}, "check")
	s.Write("index.html", strings.Replace(page, "OTHER", "old", 1))
	s.Fail(1, []string{"two-versions", "1.0.0 here, and 2.0.0 in line 8"}, "check")
	for i, banner := range []string{"/*! Winch Lamp - v1.1.0 */", "/*! Winch v1.1.0 lamp plugin */",
		"/* Winch: lamp plugin, version 1.1.0 */"} {
		name := fmt.Sprintf("lamp%d", i)
		s.Write("js/"+name+".js", banner+"\n(function () {\n  Winch.lamp = {\n    on: 1\n  };\n})();\n")
		s.Write("index.html", strings.Replace(page, "OTHER", name, 1))
		if out := s.Try("check").Out; strings.Contains(out, "two-versions") || strings.Contains(out, "included-twice") {
			t.Errorf("%s: check says\n%s", banner, out)
		}
	}
}

// TestLeadsNowhere: what a page asks for and is not there is reported once, with its places; what waits for a click is
// a warning.
func TestLeadsNowhere(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	body :=
		"<img src=\"no.png\" srcset=\"no.png 1x, Gull.svg 2x\" alt=\"\">\n<a href=\"gone.html\">x</a> <a " +
			"href=\"/route\">r</a> <a href=\"#top\">t</a> <a href=\"other.html#x\">o</a>\n" +
			"<template><img src=\"t.png\"></template>\n<p style=\"background: url(no.png)\">\n" +
			"<script type=\"module\">import \"./no.mjs\";</script>\n" +
			"<!--[if IE]><script src=\"ie.js\"></script><![endif]-->\n"
	page := "<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">\n<title>x</title>\n</head>\n<body>\n" + body +
		"</body>\n</html>\n"
	s.Write("index.html", page)
	s.Write("other.html", page)
	s.Write("gull.svg", "<svg></svg>")
	s.Run("start")
	out := s.Try("check", "--no-rehearse").Out
	for _, want := range []string{"there is no file no.png\n  also: index.html:8:27, index.html:11:27, " +
		"other.html:8:11, other.html:8:27, other.html:11:27\n", "there is no file Gull.svg; on disk it is " +
		"written gull.svg", "there is no file gone.html\n  also: other.html:9:10\n",
		"who follows the link", "there is no file no.mjs", `browsers in which [if IE] is true`,
		"of 5 causes; --pages lists them page by page"} {
		if !strings.Contains(out, want) {
			t.Errorf("check does not say %q:\n%s", want, out)
		}
	}
	byPage := s.Try("check", "--no-rehearse", "--pages").Out
	if !strings.Contains(byPage, "other.html\n  8:11  error: leads-nowhere: there is no file no.png\n"+
		"  8:27  error: leads-nowhere: there is no file no.png\n") {
		t.Errorf("page by page, check says\n%s", byPage)
	}
	for _, not := range []string{"t.png", "route", "other.html#x"} {
		if strings.Contains(out, not) {
			t.Errorf("check speaks of %q:\n%s", not, out)
		}
	}
}

// TestLinksByFolder: the same words of a link lead to a file from one folder and to none from another, under a base or
// without one, whichever page is read first.
func TestLinksByFolder(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	const head = "<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">%s\n<title>x</title>\n</head>\n<body>\n" +
		"<a href=\"tide.html\">t</a> <a href=\"/crews/tide.html\">r</a>\n%s</body>\n</html>\n"
	for i := range 12 {
		s.Write(fmt.Sprintf("crews/p%02d.html", i), fmt.Sprintf(head, "", ""))
		s.Write(fmt.Sprintf("races/p%02d.html", i), fmt.Sprintf(head, "", "<img src=\"/gull.svg#beak\" alt=\"\">\n"))
	}
	s.Write("crews/tide.html", fmt.Sprintf(head, "", "<img src=\"/gull.svg#wing\" alt=\"\">\n"))
	s.Write("crews/zz.html", fmt.Sprintf(head, "<base href=\"../races/\">", "<img src=\"/gull.svg#beak\" alt=\"\">\n"))
	s.Write("races/zz.html", fmt.Sprintf(head, "<base href=\"../crews/\">", ""))
	s.Write("gull.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"><g id=\"wing\"></g></svg>")
	s.Run("start")
	out := s.Try("check", "--no-rehearse", "--pages").Out
	if n := strings.Count(out, "there is no file races/tide.html"); n != 13 {
		t.Errorf("%d links are told to lead nowhere, not those of twelve pages in races and of one in crews whose "+
			"base is races:\n%s", n, out)
	}
	if strings.Contains(out, "no file crews/tide.html") || strings.Contains(out, "races/zz.html") ||
		strings.Contains(out, "no part wing") || strings.Count(out, "no part beak") != 13 {
		t.Errorf("check says\n%s", out)
	}
}

// TestFeatures: what a site's browsers lack is reported where scripts and styles use it without asking, and not after a
// script that gives it.
func TestFeatures(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "format: 1\n", "format: 1\n"+
		"browsers: safari 12, firefox esr\n", 1))
	s.Write("js/tide.js", "// Reads the tide.\nnew ResizeObserver(draw);\nfunction draw() {\n  fetch('tide.json');\n"+
		"  tides.replaceAll('a', 'b');\n}\n")
	s.Write("css/tide.css", "p:has(b) { inset: 0; }\n@supports (inset: 0) { p { inset: 0; } }\n")
	s.Replace("tides.html", "</head>", "<link rel=\"stylesheet\" href=\"css/tide.css\"><style>q:is(b, i) { color: red "+
		"}</style></head>")
	s.Replace("tides.html", "</head>", "<script type=importmap>{\"imports\": {}}</script></head>")
	s.Replace("tides.html", "</body>", "<dialog></dialog><img src=img/gull.svg alt=x loading=lazy>"+
		"<script src=\"js/tide.js\"></script></body>")
	r := s.Fail(1, []string{"feature-newer", "js/tide.js uses ResizeObserver (js/tide.js:2:5; since firefox 69, " +
		"safari " +
		"13.1), replaceAll (js/tide.js:5:9; since firefox 77, safari 13.1), which safari 12 lacks",
		"css/tide.css uses :has() (css/tide.css:1:2; since firefox 121, safari 15.4), inset (css/tide.css:1:12; " +
			"since " +
			"firefox 66, safari 14.1), which safari 12 lacks",
		"the page uses dialog (tides.html:", "since firefox 98, safari 15.4), importmap (tides.html:", "img.loading (",
		"this inline style uses :is() (tides.html:"}, "check", "tides.html", "--no-rehearse")
	if strings.Contains(r.Out+r.Err, "fetch") {
		t.Errorf("safari 12 has fetch:\n%s", r.Out)
	}
	s.Write("js/gives.js", "if (!window.ResizeObserver) window.ResizeObserver = function () {};\n"+
		"String.prototype.replaceAll = String.prototype.replaceAll || function () {};\n")
	s.Replace("tides.html", "<script src=\"js/tide.js\">", "<script src=\"js/gives.js\"></script><script "+
		"src=\"js/tide.js\">")
	if r := s.Try("check", "tides.html", "--no-rehearse"); strings.Contains(r.Out, "js/tide.js uses") {
		t.Errorf("what a script before gives is told all the same:\n%s", r.Out)
	}
}

// TestWatch: whenever a file changes, check --watch prints what came and what went, and ends well when it is
// interrupted.
func TestWatch(t *testing.T) {
	t.Parallel()
	if runtime.GOOS == "windows" {
		t.Skip("on Windows one process cannot send another an interrupt")
	}
	s := merrytest.Started(t)
	s.Fail(2, []string{"--watch can't be used"}, "check", "--watch", "--fix")
	cmd := s.Command("check", "--watch", "--no-rehearse")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines := make(chan string)
	go func() {
		for r := bufio.NewScanner(out); r.Scan(); {
			lines <- r.Text()
		}
		close(lines)
	}()
	wait := func(want string) {
		t.Helper()
		var seen []string
		for {
			select {
			case l, ok := <-lines:
				seen = append(seen, l)
				if strings.Contains(l, want) {
					return
				}
				if !ok {
					t.Fatalf("it ended with\n%s", strings.Join(seen, "\n"))
				}
			case <-time.After(time.Minute):
				t.Fatalf("nothing says %q; there was\n%s", want, strings.Join(seen, "\n"))
			}
		}
	}
	wait("; watching")
	page := s.Read("tides.html")
	s.Replace("tides.html", "</body>", "<img src=\"img/gone.png\" alt=\"\"></body>")
	wait("leads-nowhere: there is no file img/gone.png")
	wait("1 error")
	s.Write("img/new/deep.png", "png") // in a folder that was not there
	s.Replace("tides.html", "img/gone.png", "img/new/shallow.png")
	wait("gone  tides.html  leads-nowhere")
	wait("new   tides.html")
	s.Write("tides.html", page)
	wait("gone  tides.html  leads-nowhere: there is no file img/new/shallow.png")
	wait("0 errors")
	cmd.Process.Signal(os.Interrupt)
	for range lines {
	}
	if err := cmd.Wait(); err != nil {
		t.Errorf("it ends with %v", err)
	}
}

// TestChangedSinceFollowsFiles: a page that asks for a changed script, or for a stylesheet that imports a changed one,
// is checked.
func TestChangedSinceFollowsFiles(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("css/parts/boats.css", "p { color: navy; }\n")
	s.Write("css/tides.css", "@import 'parts/boats.css';\n")
	s.Replace("tides.html", "</head>", "<link rel=\"stylesheet\" href=\"css/tides.css\"></head>")
	for _, args := range [][]string{{"init", "-q"}, {"add", "-A"}, {"-c", "user.name=x", "-c",
		"user.email=x@club.example", "commit", "-qm", "x"}} {
		cmd := exec.Command("git", args...)
		cmd.Dir = s.Dir
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Skipf("git: %v %s", err, out)
		}
	}
	s.Write("css/parts/boats.css", "p { color: teal; }\n")
	if out := s.Run("check", "--changed-since", "HEAD", "--no-rehearse"); !strings.HasPrefix(out, "1 page:") {
		t.Errorf("check says\n%s", out)
	}
	s.Write("js/club.js", "var club = 1;\n")
	if out := s.Run("check", "--changed-since", "HEAD", "--no-rehearse"); !strings.HasPrefix(out, "3 pages:") {
		t.Errorf("check says\n%s", out)
	}
}

// TestOldPathInline: a path inside an inline script that leads into a library's folder and nowhere is reported.
func TestOldPathInline(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "logbook", "--page", "tides.html")
	s.Replace("tides.html", "</body>", "<script>var viewer = '/vendor/logbook-0.9/logbook.js';\n"+
		"var other = 'pictures/none.css';</script></body>")
	out := s.Try("check", "tides.html", "--no-rehearse").Out
	if !strings.Contains(out, "/vendor/logbook-0.9/logbook.js\" is named like a file of logbook, but does not exist") ||
		strings.Contains(out, "none.css") {
		t.Errorf("check says\n%s", out)
	}
}

// TestStylesAloneNeedNobody: of a library whose styles alone are on a page nothing is said to be absent that its
// scripts would need.
func TestStylesAloneNeedNobody(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	page := s.Read("tides.html")
	var lines []string
	for l := range strings.Lines(page) {
		if !strings.Contains(l, "<script") {
			lines = append(lines, l)
		}
	}
	s.Write("tides.html", strings.Join(lines, ""))
	if out := s.Run("check", "tides.html"); strings.Contains(out, "need-absent") {
		t.Errorf("check says\n%s", out)
	}
	s.Write("tides.html", strings.Replace(page, "<script src=\"js/oarlock.min.js\"></script>", "", 1))
	s.Fail(1, []string{"brinework needs oarlock"}, "check", "tides.html", "--no-rehearse")
}

// TestWrittenScripts: a library that an own script writes into the page is there, for what is recorded to need it and
// for what reads it; one that is put there by the document's tree comes too late.
func TestWrittenScripts(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	page := s.Read("tides.html")
	const tag = "<script src=\"js/oarlock.min.js\"></script>"
	if !strings.Contains(page, tag) {
		t.Fatal(page)
	}
	s.Write("js/later.js", "oarlock('#menu');\n")
	for _, tt := range []struct {
		instead string
		there   bool
	}{
		{"<script>document.write('<script src=\"js/oarlock.min.js\"><\\/script>')</script>", true},
		{"<script>var s = document.createElement('script'); s.src = 'js/oarlock.min.js'; " +
			"document.head.appendChild(s)</script>", false},
		{"<script>document.write('<script src=\"js/none.js\"><\\/script>')</script>", false},
	} {
		s.Write("tides.html", strings.Replace(page, tag, tt.instead+"<script src=\"js/later.js\"></script>", 1))
		out := s.Try("check", "tides.html").Out
		for _, said := range []string{"brinework needs oarlock", "js/later.js uses oarlock"} {
			if strings.Contains(out, said) == tt.there {
				t.Errorf("with %s check says\n%s", tt.instead, out)
			}
		}
	}
}

// TestReportsAreNoPages: reports that lie in the site are neither checked nor counted, and get no tags.
func TestReportsAreNoPages(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	before := s.Run("check")
	s.Run("check", "--report", "report.html")
	report := s.Read("report.html")
	if after := s.Run("check"); after != before {
		t.Errorf("with a report, check says\n%s", after)
	}
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**")
	if s.Read("report.html") != report {
		t.Error("a report got tags")
	}
	if out := s.Run("contents"); strings.Contains(out, "report.html") {
		t.Errorf("contents says\n%s", out)
	}
}

// TestHelpAndMistakes: help on what is not there, flags and commands that are nearly right, and the version.
func TestHelpAndMistakes(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Fail(2, []string{`there is no command "nosuch"`, "merry help  # lists"}, "help", "nosuch")
	s.Fail(2, []string{`there is no command "takke"`, "next:  merry help take"}, "help", "takke")
	s.Fail(2, []string{"did you mean --rehearse?"}, "check", "--rehersal")
	if out := s.Run("help", "sources", "set"); !strings.Contains(out, "merry sources set") {
		t.Errorf("help says\n%s", out)
	}
	if out := s.Run("help", "crate.yaml"); !strings.Contains(out, "## libraries/NAME/forget") {
		t.Errorf("help says\n%s", out)
	}
	if out := s.Run("--version"); !strings.HasPrefix(out, "merry ") || !strings.Contains(out, "go1.") {
		t.Errorf("the version is %q", out)
	}
	if out := s.Run("check", "--explain"); !strings.Contains(out, "need-absent") || strings.Contains(out, "  \n") ||
		!strings.Contains(out, "class-gone  ") {
		t.Errorf("the findings are\n%s", out)
	}
	help := s.Run("--help")
	for _, group := range []string{"Start:", "Add:", "Pages:", "Verify:", "Upgrade:", "Records:"} {
		if !strings.Contains(help, group) {
			t.Errorf("help has no group %q", group)
		}
	}
	if strings.Contains(help, "Additional Commands") {
		t.Errorf("a command is in no group:\n%s", help)
	}
}

// TestCompletionKnows asks what a shell asks: the project's own names, by their place on the command line.
func TestCompletionKnows(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"omit", "oar"}, "oarlock\n"},
		{[]string{"omit", "js/oar"}, "js/oarlock.min.js\n"},
		{[]string{"check", "crews"}, "crews/index.html\n"},
		{[]string{"include", "oarlock", "--page", "crews"}, "crews/index.html\n"},
		{[]string{"check", "--explain=class-g"}, "class-gone\n"},
		{[]string{"help", "sources", "s"}, "set\n"},
		{[]string{"completion", ""}, "bash\nzsh\nfish\npowershell\n"},
		{[]string{"drop", "oarlock", "oar"}, ":4\n"}, // drop takes one, and no file
		{[]string{"check", "package.j"}, ":4\n"},
		{[]string{"contents", ""}, ":4\n"},
		{[]string{"hold", "oarlock", "--because", ""}, ":4\n"},
		{[]string{"take", "../d"}, ":0\n"}, // any file
		{[]string{"sources", "set", "browser", "/us"}, ":0\n"},
		{[]string{"bill", "--form", ""}, "table\ncyclonedx\nnotice\n:"},
		{[]string{"order", "index.html", "--graph", "s"}, "svg\n:"},
		{[]string{"seal", "--algorithm", "sha5"}, "sha512\n:"},
		{[]string{"take", "oarlock", "--names", "v"}, "versioned\n:"},
		{[]string{"check", "--report", ""}, "html\n:8\n"},
		{[]string{"refill", "--from", ""}, "zip\ntgz\ntar\ngz\n:8\n"},
		{[]string{"start", "--site", ""}, ":16\n"},
	} {
		if out := s.Run(append([]string{"__complete"}, c.args...)...); !strings.HasPrefix(out, c.want) {
			t.Errorf("of %q the shell is told\n%s", c.args, out)
		}
	}
	if out := s.Run("__complete", "take", "--"); !strings.Contains(out, "--page\t") || strings.Contains(out, "`") {
		t.Errorf("of flags the shell is told\n%s", out)
	}
	if out := s.Run("completion", "bash"); !strings.Contains(out, "complete -o default -F __start_merry merry") {
		t.Error("bash is not told how to complete")
	}
	s.Fail(2, []string{`no completion for "tcsh"`, "use bash, zsh, fish or powershell"}, "completion", "tcsh")
}
