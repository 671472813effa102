package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// TestAppOfManyParts: an app in plain scripts, each part reading others, shuffled on the page; order --fix puts it
// right whatever the shuffle, and a rehearsal then runs to its end.
func TestAppOfManyParts(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	parts := map[string]string{
		"app/base.js": "var Race = { scenes: {}, boats: [] };",
		"app/boat.js": "Race.Boat = function (name) { this.name = name; };",
		"app/eight.js": "Race.Eight = function (name) { Race.Boat.call(this, name); }; Race.Eight.prototype = " +
			"Object.create(Race.Boat.prototype);\nvar crewOfEight = 8;",
		"app/crew.js":  "var seats = crewOfEight + 1;",
		"app/scene.js": "var Scene = function (draw) { this.draw = draw; };",
		"app/start.js": "Race.scenes.start = new Scene(function () { return seats; });\n" +
			"var startScene = Race.scenes.start;",
		"app/finish.js": "Race.scenes.finish = new Scene(function () { return startScene; });\n" +
			"var finishScene = [startScene, seats];",
		"app/main.js": "if (finishScene[0] !== startScene || new Race.Eight('Gull').name !== 'Gull') throw new " +
			"Error('the parts are not together');",
		"app/weather.js": "var wind = { from: 'west' };",
	}
	r := rand.New(rand.NewPCG(21, 22))
	s := merrytest.Empty(t)
	for name, text := range parts {
		s.Write(name, text+"\n")
	}
	s.Run("start", "--page", "index.html")
	names := []string{"app/base.js", "app/boat.js", "app/eight.js", "app/crew.js", "app/scene.js", "app/start.js",
		"app/finish.js", "app/main.js", "app/weather.js"}
	for round := range 6 {
		r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
		page := "<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n<p>words</p>\n"
		for _, n := range names {
			page += "<script src=\"" + n + "\"></script>\n"
		}
		page += "</body>\n</html>\n"
		s.Write("index.html", page)
		s.Try("order", "index.html", "--fix")
		fixed := s.Read("index.html")
		r := s.Try("check", "index.html", "--rehearse")
		if strings.Contains(r.Out, "need-") || strings.Contains(r.Out, "script-fails") ||
			strings.Count(fixed, "<script") != len(names) {
			t.Errorf("round %d: %v\n%s\n%s", round, names, fixed, r.Out)
		}
		// What stood right was not touched: the same once more moves nothing.
		if out := s.Run("order", "index.html", "--fix"); !strings.Contains(out, "no tag had to move") {
			t.Errorf("round %d: a second time moves\n%s", round, out)
		}
	}
}

// TestRehearsalsAreAskedFor: few pages are rehearsed by themselves, many only if requested, and what a rehearsal
// showed is remembered.
func TestRehearsalsAreAskedFor(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("js/club.js", "document.querySelector('#nowhere').id = 1;\n")
	if r := s.Try("check", "--no-rehearse"); strings.Contains(r.Out, "script-fails") ||
		strings.Contains(r.Out, "rehearsed") {
		t.Errorf("it was rehearsed all the same:\n%s", r.Out)
	}
	first := s.Fail(1, []string{"script-fails", "rehearsed"}, "check").Out
	if again := s.Try("check").Out; again != first {
		t.Errorf("the second time says\n%s", again)
	}
	page := s.Read("index.html")
	for i := range 30 {
		s.Write(fmt.Sprintf("news%d.html", i), page)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "script-fails") {
		t.Errorf("33 pages are rehearsed unasked:\n%s", r.Out)
	}
	if r := s.Try("check", "--rehearse"); strings.Count(r.Out, "script-fails") != 1 ||
		!strings.Contains(r.Out, "33 errors, 0 warnings, of 1 cause") {
		t.Errorf("33 pages fail of one cause, and check says\n%s", r.Out)
	}
	if r := s.Try("check", "--rehearse", "--pages"); strings.Count(r.Out, "script-fails") != 33 ||
		!strings.Contains(r.Out, "rehearsed") {
		t.Errorf("%d of 33 pages fail:\n%s", strings.Count(r.Out, "script-fails"), r.Out[len(r.Out)-200:])
	}
	s.Fail(2, []string{"exclude each other"}, "check", "--rehearse", "--no-rehearse")
}

// TestConfirmedBeforeTold: a script that reads as if it needed a global, and never asks for it when it runs, is not
// accused.
func TestConfirmedBeforeTold(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Replace("index.html", `<script src="js/club.js"></script>`, `<script src="js/club.js"></script><script `+
		`src="js/quiet.js"></script>`)
	for text, needs := range map[string]bool{
		"var list = []; list.forEach(function () { pennants.raise(); });\n":                                 false,
		"['a'].forEach(function () { pennants.raise(); });\n":                                               true,
		"var late = window.pennants;\ndocument.addEventListener('click', function () { late.raise(); });\n": true,
		"if (location.hash === '#never') pennants();\n":                                                     false,
	} {
		s.Write("js/quiet.js", text)
		r := s.Try("check", "index.html")
		if strings.Contains(r.Out, "pennants") != needs {
			t.Errorf("%s: needs %v, and check says\n%s", text, needs, r.Out)
		}
	}
}

// TestAdoptWithoutARegistry: a link whose library nobody knows is taken as it is found, what its stylesheet asks for
// with it.
func TestAdoptWithoutARegistry(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	c, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	s := merrytest.Club(t)
	s.Run("start")
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, c.Addr)
	}
	s.Replace("index.html", "</head>", "  <link rel=\"stylesheet\" "+
		"href=\"http://cdn.harbour.example/lib/brinework/1.2.0/css/brinework.css\">\n</head>")
	out := s.Run("adopt", "index.html")
	if !strings.Contains(out, "brinework 1.2.0  css/brinework.css, likely") {
		t.Errorf("adopt says\n%s", out)
	}
	seal := s.Read("crate.seal.json")
	if !strings.Contains(seal, `"path":"fonts/brinework.woff"`) || !strings.Contains(seal, `"linked": true`) {
		t.Errorf("the seal is\n%s", seal)
	}
	c.Down()
	s.Env = []string{"MERRY_PATIENCE=1s"}
	s.Run("switch", "--local", "--offline")
	if !strings.HasPrefix(s.Read("fonts/brinework.woff"), "wOFF") ||
		!strings.Contains(s.Read("index.html"), `href="css/brinework.css"`) {
		t.Error("the local copies are not there")
	}
	s.Fail(3, []string{"cdn.harbour.example"}, "switch", "--cdn", "--fresh")
	if !strings.Contains(s.Read("index.html"), `href="css/brinework.css"`) {
		t.Error("a switch that failed changed the page")
	}
}

// TestOtherHabits: adopting, switching and repinning on a site that keeps its files otherwise.
func TestOtherHabits(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	for _, habit := range []string{"together", "versioned"} {
		s := habitual(t, habit)
		c, err := standin.NewCDN()
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Close)
		for _, h := range standin.Hosts {
			s.Run("sources", "set", "host", h, c.Addr)
		}
		s.Run("sources", "set", "cdn", "harbour", "http://cdn.harbour.example/lib/{name}/{version}/{path}")
		local := s.Pages()
		s.Run("switch", "--cdn", "--fallback", "--hints")
		s.Run("switch", "--local")
		if s.Pages() != local {
			t.Errorf("%s: there and back is not the same:\n%s", habit, s.Pages())
		}
		s.Run("repin", "oarlock", "--from", "../downloads/oarlock-1.4.2.zip")
		if habit == "versioned" && !strings.Contains(s.Read("index.html"), "oarlock-1.4.2.min.js") {
			t.Errorf("the version in the name did not follow:\n%s", s.Read("index.html"))
		}
		s.Run("repin", "oarlock", "--from", "../downloads/oarlock-2.0.3.zip")
		if s.Pages() != local {
			t.Errorf("%s: down and up is not the same", habit)
		}
	}
}

// TestOddPages: base elements, references from the root, fragments, upper case, and pages without head or body.
func TestOddPages(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	pages := map[string]string{
		"rooted.html": "<!doctype html><link rel=stylesheet href=/css/brinework.min.css><script " +
			"src=/js/oarlock.min.js></script>",
		"based.html": "<!doctype html><base href='js/'><script src=oarlock.min.js></script><script " +
			"src='../js/brinework.min.js'></script>",
		"deep/x/y.html":  "<!doctype html><SCRIPT SRC=../../js/oarlock.min.js></SCRIPT>",
		"fragment.html":  "<script src=js/oarlock.min.js></script>\n<p>part</p>",
		"comment.html":   "<!doctype html><!--[if lt IE 9]><script src=js/oarlock.min.js></script><![endif]--><p>x",
		"template.html":  "<!doctype html><template><script src=js/oarlock.min.js></script></template>",
		"crlf.html":      "<!doctype html>\r\n<script src=\"js/oarlock.min.js\"></script>\r\n<p>x</p>\r\n",
		"bom.html":       "\xef\xbb\xbf<!doctype html>\n<script src=\"js/oarlock.min.js\"></script>\n",
		"latin.html":     "<!doctype html>\n<title>caf\xe9</title><script src=\"js/oarlock.min.js\"></script>\n",
		"expression.php": "<script src=\"<?= $root ?>/js/oarlock.min.js\"></script>",
		"template2.html": "<!doctype html><script src=\"{{ root }}/js/oarlock.min.js\"></script>",
	}
	for name, text := range pages {
		s.Write(name, text)
	}
	s.Run("switch", "--cdn", "--fallback")
	for _, name := range []string{"rooted.html", "based.html", "deep/x/y.html", "fragment.html", "crlf.html",
		"bom.html", "latin.html"} {
		if text := s.Read(name); !strings.Contains(text, "cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js") ||
			!strings.Contains(text, "document.write") {
			t.Errorf("%s was not switched:\n%s", name, text)
		}
	}
	for _, name := range []string{"comment.html", "template.html", "expression.php"} {
		if text := s.Read(name); text != pages[name] {
			t.Errorf("%s was changed:\n%s", name, text)
		}
	}
	if text := s.Read("rooted.html"); !strings.Contains(text, `src="/js/oarlock.min.js"`) {
		t.Errorf("the fallback's reference is not from the root:\n%s", text)
	}
	s.Run("switch", "--local")
	for name, text := range pages {
		if got := s.Read(name); got != text && name != "based.html" {
			t.Errorf("%s: there and back is not the same:\n%q\n%q", name, got, text)
		}
	}
	s.Run("order", "**", "--fix", "--dry-run")
}

// TestJSONOfEveryCommand: the answer is JSON with the keys that scripts rely on, and nothing else is printed.
func TestJSONForScripts(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles: {live: {serve: cdn}}\n")
	for command, keys := range map[string]string{
		"contents":                            "libraries pages root",
		"check":                               "pages findings rehearsed",
		"check --profile live":                "findings",
		"peek ../downloads/oarlock-2.0.3.zip": "name version files suggested",
		"versions oarlock":                    "library versions",
		"compare brinework 2.0.0":             "old new removed renames wire syntax",
		"repin brinework@2.0.0 --rename-sure --dry-run": "libraries renames files dry_run",
		"switch --readable --dry-run":                   "pages files dry_run",
		"include oarlock --page index.html":             "pages files",
		"omit oarlock --dry-run":                        "pages files",
		"adopt --all --dry-run":                         "tags files",
		"order --fix --dry-run":                         "pages files",
		"check --fix --dry-run":                         "pages files",
		"bill":                                          "libraries",
		"refill":                                        "whole",
		"cache":                                         "dir entries size",
		"hold oarlock --below 3.0.0 --because x":        "hold",
	} {
		r := s.Try(append(strings.Fields(command), "--json")...)
		var got map[string]any
		if err := json.Unmarshal([]byte(r.Out), &got); err != nil || r.Err != "" {
			t.Errorf("merry %s: %v\n%s%s", command, err, r.Out, r.Err)
			continue
		}
		for _, k := range strings.Fields(keys) {
			if _, ok := got[k]; !ok {
				t.Errorf("merry %s: there is no %q in\n%s", command, k, r.Out)
			}
		}
	}
	for command, key := range map[string]string{"order index.html": "pages", "versions --newer": "libraries",
		"sources": "registries", "check --explain": "findings"} {
		r := s.Try(append(strings.Fields(command), "--json")...)
		var got map[string]any
		err := json.Unmarshal([]byte(r.Out), &got)
		if list, _ := got[key].([]any); err != nil || len(list) == 0 {
			t.Errorf("merry %s: %v\n%s", command, err, r.Out)
		}
	}
	// An error is JSON, too.
	r := s.Try("drop", "nothing", "--json")
	var got struct {
		Error string
		Next  []struct{ Command, Text string }
	}
	if err := json.Unmarshal([]byte(r.Out), &got); err != nil || got.Error == "" || len(got.Next) == 0 ||
		r.Status != 1 {
		t.Errorf("%v: %+v", err, r)
	}
}

// TestManyAtOnce: checks and changes of one project at the same time, sharing a cache; each finds a whole state.
func TestChecksAndSwitchesAtOnce(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Untyped = true // next steps are tried in a copy, and the copy of a site in the middle of a switch is no site
	before := s.State()
	var wg sync.WaitGroup
	for i := range 6 {
		wg.Go(func() {
			if r := s.Try("check"); r.Status > 1 || strings.Contains(r.Out, "sealed-") &&
				strings.Contains(r.Out, "file-missing") {
				t.Errorf("check: %+v", r)
			}
		})
		if i%2 == 0 {
			wg.Go(func() { s.Try("switch", "--readable") })
		} else {
			wg.Go(func() { s.Try("switch", "--minified") })
		}
	}
	wg.Wait()
	s.Run("switch", "--minified")
	if strings.Contains(s.State(), "oarlock.js\"></script>") {
		t.Error("a page has the readable build")
	}
	s.Run("check")
	if pages := s.Pages(); !strings.Contains(before, s.Read("index.html")) {
		t.Errorf("the pages are not as before:\n%s", pages)
	}
}

// TestHostileCDN: endless, redirecting and lying servers get a refusal, in bounded time, and nothing is changed.
func TestHostileCDN(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Env = []string{"MERRY_PATIENCE=1s"}
	before := s.State()
	for _, host := range []string{"down.harbour.example", "other.harbour.example", "rewrites.harbour.example"} {
		s.Replace("tides.html", "</body>", "<script src='http://"+host+"/lib/pennants/1.1.0/none.js'></script></body>")
		if r := s.Try("adopt", "tides.html"); r.Status == 0 {
			t.Errorf("%s: adopted\n%s", host, r.Out)
		}
		s.Write("tides.html", strings.Replace(s.Read("tides.html"), "<script src='http://"+host+
			"/lib/pennants/1.1.0/none.js'></script>", "", 1))
	}
	if s.State() != before {
		t.Error("something changed")
	}
	c.Down()
	s.Fail(3, nil, "switch", "--cdn")
	if s.State() != before {
		t.Error("a switch that failed changed something")
	}
}

// TestLogbookStaysTogether: a library whose script finds its pictures beside it is kept in one folder, by its own word
// or by the site's.
func TestLogbookStaysTogether(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	files, err := demo.Library("logbook", "1.0.0")
	if err != nil {
		t.Fatal(err)
	}
	b, err := demo.Zip("logbook-1.0.0", files)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(s.Dir, "../downloads/logbook-1.0.0.zip"), b, 0o644); err != nil {
		t.Fatal(err)
	}
	s.Run("take", "../downloads/logbook-1.0.0.zip", "--together", "--page", "index.html")
	s.Read("lib/logbook/img/paper.svg")
	if page := s.Read("index.html"); !strings.Contains(page, `href="lib/logbook/css/logbook.css"`) {
		t.Errorf("the page is\n%s", page)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "asset-missing") {
		t.Errorf("check says\n%s", r.Out)
	}
}
